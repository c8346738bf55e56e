import { createReadStream, existsSync, readFileSync, realpathSync, type Stats, statSync } from 'node:fs';
import { isAbsolute, relative, resolve, sep } from 'node:path';
import type { PlanOptions } from '../core/analysis/analysis.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { Missing } from '../core/model/value.ts';
import { type Chunks, TableError } from '../core/values/table-reader.ts';
import type { FilePlaces } from './file-places.ts';

/** Throws UsageError. */
export function read(path: string): string {
  const bytes = attempt(path, each => readFileSync(each));
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new UsageError(`'${path}' is no text in UTF-8.`);
  }
}

/** What the system refuses becomes a message. */
export function attempt<T>(path: string, read: (path: string) => T): T {
  try {
    return read(path);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new UsageError(
      `'${path}' cannot be read${code === 'EACCES' ? ': this user may not' : ` (${code})`}.`,
    );
  }
}

/**
 * Where a file of a collection is. One that lies outside, links followed, is refused unless that is allowed.
 * @param path from the root, or absolute
 * Throws UsageError.
 */
export function locateInside(root: string, path: string, anywhere: boolean): string {
  const absolute = resolve(root, path);
  // The system refuses to look for a name with a NUL in it.
  const found = path.includes('\0') ? undefined : statSync(absolute, { throwIfNoEntry: false });
  if (!found?.isFile())
    throw new UsageError(
      `${found ? `'${path}' is no file` : `The file '${path}' is not in the collection`}.`,
    );
  const way = relative(realpathSync(root), realpathSync(absolute));
  if (!anywhere && (way.split(sep)[0] === '..' || isAbsolute(way)))
    throw new UsageError(
      `The file '${path}' lies outside of the collection, which only --files-anywhere allows.`,
    );
  return absolute;
}

/** Why a file may not be used, where it may not. */
export function whyNotInside(
  { root, anywhere }: { root: string; anywhere: boolean },
  path: string,
): string | undefined {
  try {
    locateInside(root, path, anywhere);
    return undefined;
  } catch (error) {
    if (!isUsageError(error)) throw error;
    return error.message;
  }
}

/** A text file of a collection, by its path from the root; what keeps it from being read is told as missing. */
export function readInside(
  { root, anywhere }: { root: string; anywhere: boolean },
  path: string,
): string | Missing {
  return orMissing(() => read(locateInside(root, path, anywhere)));
}

/** The same as bytes. */
export function readBytesInside(
  { root, anywhere }: { root: string; anywhere: boolean },
  path: string,
): Uint8Array | Missing {
  return orMissing(
    () => new Uint8Array(attempt(path, () => readFileSync(locateInside(root, path, anywhere)))),
  );
}

/** What keeps a file from being used, as a value that says why. */
function orMissing<Result>(use: () => Result): Result | Missing {
  try {
    return use();
  } catch (error) {
    if (!isUsageError(error)) throw error;
    return new Missing(error.message.replace(/\.$/, ''));
  }
}

/** A file of a collection that is read piece by piece, again and again, as long as it stays as it is. */
export function openInside(
  { root, anywhere }: { root: string; anywhere: boolean },
  path: string,
): Chunks | Missing {
  return orMissing(() => openUnchanging(locateInside(root, path, anywhere)));
}

/** Its chunks throw TableError where the file has changed since. */
export function openUnchanging(path: string): Chunks {
  const first = statSync(path);
  const check = () => {
    const now = statSync(path, { throwIfNoEntry: false });
    if (!now || !isSame(first, now)) throw new TableError('it has changed since the run began');
  };
  const chunks = async function* () {
    check();
    try {
      for await (const chunk of createReadStream(path)) yield chunk as Uint8Array;
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      throw code === undefined ? error : new TableError(`it cannot be read (${code})`);
    }
    check();
  };
  return Object.assign(chunks, { check });
}

function isSame(a: Stats, b: Stats): boolean {
  return a.size === b.size && a.mtimeMs === b.mtimeMs && a.ino === b.ino;
}

/** What a plan may ask of the files of a collection. */
export function fileAccess(
  places: FilePlaces,
): Required<Pick<PlanOptions, 'hasFile' | 'refusesFile' | 'readFile' | 'openFile'>> {
  return {
    hasFile: path => existsSync(resolve(places.root, path)),
    refusesFile: path => whyNotInside(places, path),
    readFile: path => readInside(places, path),
    openFile: path => openInside(places, path),
  };
}
