import { closeSync, lstatSync, openSync, renameSync, rmSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { makeFolder } from './make-folder.ts';

/** Where Mervok keeps what it must remember of a collection: the last response, the records of runs. */
export function stateFolder(root: string): string {
  return join(root, '.mervok');
}

/** Whether something is a folder itself, and no link to one: a link could lead anywhere. */
export function isOwnFolder(path: string): boolean {
  return lstatSync(path, { throwIfNoEntry: false })?.isDirectory() === true;
}

/** Whether something is a file itself, and no link to one. */
export function isOwnFile(path: string): boolean {
  return lstatSync(path, { throwIfNoEntry: false })?.isFile() === true;
}

/**
 * Makes a folder that only its owner can look into, and all above it, where they are not there; one of them all is told
 * to be ignored by Git. Throws where one is a link.
 * @param parts of the way down from the first of them
 */
export function openFolder(first: string, ...parts: string[]): string {
  let folder = first;
  for (const part of ['', ...parts]) {
    folder = join(folder, part);
    if (!lstatSync(folder, { throwIfNoEntry: false })) makeFolder(folder, 0o700);
    if (!isOwnFolder(folder))
      throw new Error(`'${folder}' is no folder of its own, and no link is followed there.`);
  }
  if (!isOwnFile(join(first, '.gitignore'))) writeOwnFile(join(first, '.gitignore'), '*\n');
  return folder;
}

/** Writes a file that only its owner can read, whole or not at all; what stands in its place, a link too, gives way. */
export function writeOwnFile(path: string, content: string | Uint8Array): void {
  const draft = `${path}.${process.pid}.part`;
  rmSync(draft, { force: true });
  // 'wx' does not open what is there already, nor what a link leads to.
  const file = openSync(draft, 'wx', 0o600);
  try {
    const bytes = typeof content === 'string' ? Buffer.from(content) : content;
    for (let at = 0; at < bytes.length; ) at += writeSync(file, bytes, at);
  } finally {
    closeSync(file);
  }
  try {
    renameSync(draft, path);
  } catch (error) {
    rmSync(draft, { force: true });
    throw error;
  }
}
