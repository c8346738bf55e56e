import {
  accessSync,
  closeSync,
  constants,
  lstatSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
} from 'node:fs';
import { isAbsolute, join } from 'node:path';
import { makeFolder } from './make-folder.ts';
import { writeOwnFile } from './state.ts';

/** What V8 compiled of a part of the program, in a process that had loaded these parts. */
export interface KeptCode {
  readonly parts: readonly string[];
  readonly code: Buffer;
}

/** So many files are kept in one folder: every part under two sets of flags, and some of other versions. */
export const mostFiles = 180;

/**
 * Where compiled code may lie, the best place first: beside the program, or where the system keeps what a user's programs
 * can make again. Never in a folder that others write to as well.
 * @param folder of the program
 */
export function placesForCode(folder: string): string[] {
  const ofUser = userCache();
  const beside = join(folder, 'compiled');
  return ofUser !== undefined && isAbsolute(ofUser) ? [beside, join(ofUser, 'mervok')] : [beside];
}

function userCache(): string | undefined {
  const { XDG_CACHE_HOME, HOME, LOCALAPPDATA } = process.env;
  if (process.platform === 'win32') return LOCALAPPDATA;
  if (process.platform === 'darwin') return HOME && join(HOME, 'Library', 'Caches');
  return XDG_CACHE_HOME && isAbsolute(XDG_CACHE_HOME) ? XDG_CACHE_HOME : HOME && join(HOME, '.cache');
}

/**
 * A folder of the user's own in which compiled code lies. V8 would take what it compiled of another source of the same
 * length, and what is damaged it would carry out: so code is kept under the digest of its source, with a digest of itself.
 */
export class CodeFolder {
  private constructor(readonly path: string) {}

  /** The first one that is there. */
  static find(places: readonly string[]): CodeFolder | undefined {
    const place = places.find(isOwn);
    return place === undefined ? undefined : new CodeFolder(place);
  }

  /** The first one that can be written, made where none is there. */
  static make(places: readonly string[]): CodeFolder | undefined {
    for (const place of places) {
      try {
        makeFolder(place, 0o700);
        accessSync(place, constants.W_OK);
        if (isOwn(place)) return new CodeFolder(place);
      } catch {
        // The next one, then.
      }
    }
    return undefined;
  }

  /** @param source of the part */
  read(part: string, source: Buffer): KeptCode | undefined {
    try {
      const bytes = readOwn(join(this.path, nameOf(part, source)));
      const end = bytes.indexOf('\n');
      const [digest, ...parts] = bytes.toString('latin1', 0, end).split(' ');
      const code = bytes.subarray(end + 1);
      return digestOf(parts.join(' '), code) === digest ? { parts, code } : undefined;
    } catch {
      return undefined;
    }
  }

  /** Writes it whole or not at all. Throws where that is not possible. */
  write(part: string, source: Buffer, { parts, code }: KeptCode): void {
    const names = parts.join(' ');
    const head = Buffer.from(`${digestOf(names, code)} ${names}\n`);
    writeOwnFile(join(this.path, nameOf(part, source)), Buffer.concat([head, code]));
    this.#tidy();
  }

  #tidy(): void {
    const files = readdirSync(this.path).map(name => join(this.path, name));
    if (files.length <= mostFiles) return;
    const byAge = files.map(file => ({ file, at: statSync(file).mtimeMs })).sort((a, b) => a.at - b.at);
    for (const { file } of byAge.slice(0, files.length - mostFiles)) rmSync(file, { force: true });
  }
}

/** Whether it is a folder itself, and nobody but the user can do anything in it. */
function isOwn(path: string): boolean {
  try {
    const found = lstatSync(path);
    if (!found.isDirectory()) return false;
    return process.getuid === undefined || (found.uid === process.getuid() && (found.mode & 0o077) === 0);
  } catch {
    return false;
  }
}

/** Follows no link. */
function readOwn(path: string): Buffer {
  const file = openSync(path, constants.O_RDONLY | (constants.O_NOFOLLOW ?? 0));
  try {
    return readFileSync(file);
  } finally {
    closeSync(file);
  }
}

/** The tag hangs on the version of V8, on its flags, those that the program has set too, and on the processor. */
function nameOf(part: string, source: Buffer): string {
  const tag = process.getBuiltinModule('node:v8').cachedDataVersionTag();
  const digest = digestOf(source, `${process.version} ${process.versions.v8} ${tag}`);
  return `${part.replace(/^\.\/|\.cjs$/g, '')}-${digest}`;
}

function digestOf(...pieces: (Buffer | string)[]): string {
  const hash = process.getBuiltinModule('node:crypto').createHash('sha256');
  for (const piece of pieces) hash.update(piece);
  return hash.digest('hex');
}
