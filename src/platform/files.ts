import {
  createReadStream,
  existsSync,
  readdirSync,
  readFileSync,
  realpathSync,
  type Stats,
  statSync,
} from 'node:fs';
import { basename, dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import type { PlanOptions } from '../core/analysis/analysis.ts';
import type { CollectionFiles } from '../core/analysis/collection.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { Missing } from '../core/model/value.ts';
import { nearest } from '../core/text/words.ts';
import { type Chunks, TableError } from '../core/values/table-reader.ts';
import type { FilePlaces } from './file-places.ts';

const rootFile = 'mervok.yaml';
const secretFile = 'mervok.secret.yaml';

export interface FoundCollection {
  /** Absolute. */
  readonly root: string;
  readonly files: CollectionFiles;
  /** The asked paths, relative to the root, with '/'. */
  readonly paths: readonly string[];
}

/**
 * Finds the collection around the given paths (folders, pages, cases), or around the working folder, and reads its
 * texts. A page outside any collection is one of its own. Throws UsageError.
 */
export function findCollection(asked: readonly string[], workingFolder: string): FoundCollection {
  const places = (asked.length === 0 ? ['.'] : asked).map(path => locate(path, workingFolder));
  const roots = new Set(places.map(place => collectionAround(place.folder) ?? place.folder));
  if (roots.size > 1)
    throw new UsageError(
      `The paths belong to different collections: ${[...roots].join(' and ')}. Run one at a time.`,
    );
  const [root] = roots as Set<string>;
  const hasRoot = collectionAround(places[0]!.folder) !== undefined;
  if (!hasRoot && asked.length === 0) {
    throw new UsageError(
      `There is no collection here: no ${rootFile} in ${workingFolder} or above it. 'mervok init' writes a small one; a page alone runs by its name: mervok run page.md`,
    );
  }
  const paths = places.map(
    ({ path, slug }) => relative(root!, path).split(sep).join('/') + (slug === undefined ? '' : `#${slug}`),
  );
  const files =
    hasRoot || places.some(place => place.isFolder)
      ? readTree(root!)
      : {
          settings: [],
          pages: places.map(({ path }) => readPage(root!, relative(root!, path).split(sep).join('/'))),
        };
  return {
    root: root!,
    files: { ...files, pages: uniquePages(files.pages) },
    paths: asked.length === 0 || paths.includes('') ? [] : paths,
  };
}

function uniquePages(pages: CollectionFiles['pages']): CollectionFiles['pages'] {
  return [...new Map(pages.map(page => [page.path, page])).values()];
}

interface Located {
  readonly path: string;
  readonly slug?: string;
  readonly isFolder: boolean;
  readonly folder: string;
}

function locate(written: string, workingFolder: string): Located {
  const [file = '', slug] = written.split('#') as [string, string?];
  const path = resolve(workingFolder, file);
  const found = statSync(path, { throwIfNoEntry: false });
  if (!found) throw new UsageError(`There is no '${file}'.${suggestion(path, workingFolder)}`);
  const isFolder = found.isDirectory();
  if (!isFolder && !/\.md$/i.test(path))
    throw new UsageError(`'${file}' is no page: pages are Markdown files that end in .md.`);
  return { path, ...(slug !== undefined && { slug }), isFolder, folder: isFolder ? path : dirname(path) };
}

/** The nearest page or folder beside it, else a page of that name anywhere in the collection. */
function suggestion(path: string, workingFolder = dirname(path)): string {
  const folder = dirname(path);
  const name = basename(path);
  const beside = isFolder(folder)
    ? readdirSync(folder).filter(each => /\.md$/i.test(each) || isFolder(join(folder, each)))
    : [];
  const near = beside.find(each => each === `${name}.md`) ?? nearest(name, beside);
  if (near !== undefined) return ` Did you mean '${relative(workingFolder, join(folder, near)) || near}'?`;
  const root = collectionAround(workingFolder);
  if (root === undefined) return '';
  const pages = pathsIn(root).filter(each => /\.md$/i.test(each));
  const names = pages.map(each => basename(each));
  const wanted = names.find(each => each === `${name}.md`) ?? nearest(name, names);
  const meant = pages.find(each => basename(each) === wanted);
  return meant === undefined ? '' : ` Did you mean '${relative(workingFolder, join(root, meant))}'?`;
}

function isFolder(path: string): boolean {
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

/** The pages and settings of a collection, from its root, with '/'. */
function pathsIn(root: string): string[] {
  const paths: string[] = [];
  const visit = (folder: string) => {
    const entries = attempt(join(root, folder), path => readdirSync(path, { withFileTypes: true }));
    for (const entry of entries) {
      const path = folder === '' ? entry.name : `${folder}/${entry.name}`;
      if (entry.isDirectory() && !entry.name.startsWith('.') && entry.name !== 'node_modules') visit(path);
      else if (entry.isFile() && (entry.name === rootFile || /\.md$/i.test(entry.name))) paths.push(path);
    }
  };
  visit('');
  return paths;
}

function readTree(root: string): CollectionFiles {
  const paths = pathsIn(root);
  const isSettings = (path: string) => basename(path) === rootFile;
  const secret = join(root, secretFile);
  const secrets = statSync(secret, { throwIfNoEntry: false })
    ? { path: secretFile, text: read(secret) }
    : undefined;
  return {
    settings: paths.filter(isSettings).map(path => ({ path, text: read(join(root, path)) })),
    pages: paths.filter(path => !isSettings(path)).map(path => readPage(root, path)),
    ...(secrets && { secrets }),
  };
}

/** Characters that a terminal, or a table, would take for something else. */
const control = /[\u0000-\u001f\u007f-\u009f\u2028-\u202e\u2066-\u2069]/g;

/** A page that cannot be read keeps no other from being used: why is told where it is asked for. */
function readPage(root: string, path: string): CollectionFiles['pages'][number] {
  const shown = path.replace(control, char => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`);
  if (shown !== path) return { path: shown, text: '', unreadable: 'Its name holds control characters.' };
  try {
    return { path, text: read(join(root, path)) };
  } catch (error) {
    if (!isUsageError(error)) throw error;
    return { path, text: '', unreadable: error.message };
  }
}

/** Throws UsageError. */
export function readText(path: string): string {
  if (!statSync(path, { throwIfNoEntry: false })?.isFile())
    throw new UsageError(`There is no file '${path}'.${suggestion(resolve(path))}`);
  return read(path);
}

function read(path: string): string {
  const bytes = attempt(path, each => readFileSync(each));
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new UsageError(`'${path}' is no text in UTF-8.`);
  }
}

/** What the system refuses becomes a message. */
function attempt<T>(path: string, read: (path: string) => T): T {
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
