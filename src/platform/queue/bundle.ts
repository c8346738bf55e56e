import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { UsageError } from '../../core/model/usage-error.ts';
import { sizeText } from '../../core/values/text.ts';
import { isVisitable } from '../collection-folder.ts';
import { attempt } from '../files.ts';

// A collection as one piece: a line of JSON that lists its files, and their contents one behind the other.

/** What a collection may take, in bytes and in files. */
export interface BundleLimits {
  readonly bytes: number;
  readonly files: number;
}

export const usualLimits: BundleLimits = { bytes: 256 * 1024 * 1024, files: 20_000 };

interface BundledFile {
  /** From the root, with '/'. */
  readonly path: string;
  readonly size: number;
}

/** What goes along. */
export interface ToPack {
  readonly root: string;
  /** Whether a file of the collection does, by its path from the root. */
  readonly goes?: (path: string) => boolean;
  /** Files from elsewhere: where they are, and where they then lie. */
  readonly besides?: readonly { readonly from: string; readonly path: string }[];
}

/**
 * Everything in the folder of a collection but what begins with a dot, and packages; links are left out.
 * Throws UsageError.
 */
export function packCollection(
  { root, goes = () => true, besides = [] }: ToPack,
  limits = usualLimits,
): Buffer {
  const files: BundledFile[] = [];
  const contents: Buffer[] = [];
  let bytes = 0;
  const add = (path: string, from: string) => {
    bytes += attempt(from, each => statSync(each)).size;
    if (bytes > limits.bytes || files.length >= limits.files)
      throw new UsageError(
        `The collection is too large to be sent: more than ${sizeText(limits.bytes)}, or than ${limits.files} files. What does not belong to it can stand elsewhere, or in a .gitignore.`,
      );
    const content = attempt(from, each => readFileSync(each));
    files.push({ path, size: content.length });
    contents.push(content);
  };
  const visit = (folder: string) => {
    for (const entry of readdirSync(join(root, folder), { withFileTypes: true }).sort(byName)) {
      const path = folder === '' ? entry.name : `${folder}/${entry.name}`;
      if (isVisitable(entry)) visit(path);
      else if (entry.isFile() && !entry.name.startsWith('.') && goes(path)) add(path, join(root, path));
    }
  };
  visit('');
  for (const { from, path } of besides) add(path, from);
  return Buffer.concat([Buffer.from(`${JSON.stringify(files)}\n`), ...contents]);
}

function byName(a: { readonly name: string }, b: { readonly name: string }): number {
  return a.name < b.name ? -1 : a.name > b.name ? 1 : 0;
}

/** As hexadecimal digits. */
export function hashOf(bundle: Uint8Array): string {
  return createHash('sha256').update(bundle).digest('hex');
}

/** Why a bundle is not unpacked. */
export class RefusedBundle extends Error {}

/**
 * Unpacks a collection into a folder that is there and empty. Nothing is written outside of it, over anything, or as
 * anything but a plain file that its owner alone can read. Throws RefusedBundle.
 */
export function unpackCollection(bundle: Buffer, folder: string, limits = usualLimits): void {
  const end = bundle.indexOf('\n');
  const files = readList(bundle.subarray(0, Math.max(0, end)));
  if (files.length > limits.files) throw new RefusedBundle(`it has more than ${limits.files} files`);
  const total = files.reduce((sum, { size }) => sum + size, 0);
  if (total > limits.bytes) throw new RefusedBundle(`it has more than ${sizeText(limits.bytes)}`);
  if (end + 1 + total !== bundle.length) throw new RefusedBundle('its files are not as large as it says');
  // All of them are looked at before the first is written.
  for (const { path } of files) refusePath(path);
  let at = end + 1;
  for (const { path, size } of files) {
    const target = join(folder, path);
    try {
      mkdirSync(dirname(target), { recursive: true, mode: 0o700 });
      writeFileSync(target, bundle.subarray(at, at + size), { flag: 'wx', mode: 0o600 });
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      throw new RefusedBundle(
        code === 'EEXIST' ? `it has '${path}' twice` : `'${path}' cannot be written (${code})`,
      );
    }
    at += size;
  }
}

function readList(line: Buffer): BundledFile[] {
  let list: unknown;
  try {
    list = JSON.parse(line.toString('utf8'));
  } catch {
    list = undefined;
  }
  const isFile = (each: unknown): each is BundledFile => {
    const { path, size } = (each ?? {}) as { [name: string]: unknown };
    return typeof path === 'string' && Number.isSafeInteger(size) && (size as number) >= 0;
  };
  if (!Array.isArray(list) || !list.every(isFile))
    throw new RefusedBundle('it does not say which files it has');
  return list;
}

/** A path leads down from the folder, on every system. */
function refusePath(path: string): void {
  const parts = path.split('/');
  const leadsAway =
    parts.some(part => part === '' || part.startsWith('.') || /[. ]$/.test(part)) ||
    // Separators, drives, streams and names of devices of other systems, and what no name has.
    /[\\:*?"<>|\u0000-\u001f]/.test(path) ||
    parts.some(part => /^(?:con|prn|aux|nul|com\d|lpt\d)(?:\.|$)/i.test(part));
  if (leadsAway || path.length > 1000)
    throw new RefusedBundle(`'${path.slice(0, 100)}' is no path of a file in it`);
}
