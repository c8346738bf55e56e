import { type Dirent, readdirSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { UsageError } from '../core/model/usage-error.ts';
import { attempt } from './files.ts';

// Which folders and files are a collection.

/** The settings that make a folder the root of a collection. */
export const rootFile = 'mervok.yaml';

export function isFolder(path: string): boolean {
  return statSync(path, { throwIfNoEntry: false })?.isDirectory() === true;
}

/** The outermost folder above with a mervok.yaml, not looking beyond the repository. */
export function collectionAround(folder: string): string | undefined {
  let root: string | undefined;
  for (let at = folder; ; at = dirname(at)) {
    if (statSync(join(at, rootFile), { throwIfNoEntry: false })) root = at;
    if (statSync(join(at, '.git'), { throwIfNoEntry: false }) || dirname(at) === at) return root;
  }
}

export function isVisitable(entry: Dirent): boolean {
  return entry.isDirectory() && !entry.name.startsWith('.') && entry.name !== 'node_modules';
}

/** The pages and settings of a collection, from its root, with '/'. */
export function pathsIn(root: string): string[] {
  const paths: string[] = [];
  const visit = (folder: string) => {
    const entries = attempt(join(root, folder), path => readdirSync(path, { withFileTypes: true }));
    for (const entry of entries) {
      const path = folder === '' ? entry.name : `${folder}/${entry.name}`;
      if (isVisitable(entry)) visit(path);
      else if (isOtherName(entry.name)) throw notRead(join(root, path));
      else if (entry.isFile() && (entry.name === rootFile || /\.md$/i.test(entry.name))) paths.push(path);
    }
  };
  visit('');
  return paths;
}

/** Settings under a name that is not read. */
const otherNames = /^\.?mervok\.(?:yml|json|toml|ya?ml)$/i;

export function refuseOtherNames(folder: string): void {
  const name = isFolder(folder) ? readdirSync(folder).find(isOtherName) : undefined;
  if (name !== undefined) throw notRead(join(folder, name));
}

function isOtherName(name: string): boolean {
  return name !== rootFile && otherNames.test(name);
}

function notRead(path: string): UsageError {
  return new UsageError(`'${path}' is not read: settings stand in a file of the name ${rootFile}.`);
}
