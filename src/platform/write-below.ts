import { chmodSync, lstatSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { UsageError } from '../core/model/usage-error.ts';
import { makeFolder } from './make-folder.ts';

/** A file that is written below a folder. */
export interface FileBelow {
  /** From the folder, with '/'. */
  readonly path: string;
  readonly content: string | Uint8Array;
  /** Whether it is there already, and is taken the place of as a whole. */
  readonly replaces: boolean;
  /** Whether nobody else may read it. */
  readonly secret: boolean;
}

/** Writes a file below a folder, whole or not at all, and follows no link on the way. Throws UsageError. */
export function writeBelow(folder: string, { path, content, replaces, secret }: FileBelow): void {
  refuseLinks(folder, path);
  const target = join(folder, path);
  const mode = secret ? 0o600 : 0o666;
  try {
    makeFolder(dirname(target));
    if (!replaces) {
      writeFileSync(target, content, { flag: 'wx', mode });
      return;
    }
    const beside = `${target}.${process.pid}.new`;
    try {
      writeFileSync(beside, content, { flag: 'wx', mode });
      if (!secret) chmodSync(beside, lstatSync(target).mode);
      renameSync(beside, target);
    } finally {
      rmSync(beside, { force: true });
    }
  } catch (error) {
    throw new UsageError(`'${path}' could not be written: ${(error as Error).message}`);
  }
}

function refuseLinks(folder: string, path: string): void {
  const parts = path.split('/');
  for (let at = 1; at <= parts.length; at++) {
    const part = parts.slice(0, at).join('/');
    if (lstatSync(join(folder, part), { throwIfNoEntry: false })?.isSymbolicLink())
      throw new UsageError(`'${part}' is a link, and nothing is written through one.`);
  }
}
