import { readdirSync, statSync } from 'node:fs';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import type { CollectionFiles } from '../core/analysis/collection.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { inWords } from '../core/text/words.ts';
import { collectionAround, isVisitable, pathsIn, refuseOtherNames, rootFile } from './collection-folder.ts';
import { attempt, read } from './files.ts';
import { type GitIgnore, gitIgnoreAround } from './git-ignore.ts';
import { suggestPath } from './suggest-path.ts';

export const secretFile = 'mervok.secret.yaml';

export interface FoundCollection {
  /** Absolute. */
  readonly root: string;
  readonly files: CollectionFiles;
  /** The asked paths, relative to the root, with '/'. */
  readonly paths: readonly string[];
  /** Whether its pages are those that lie right in a folder, and nothing says that they belong together. */
  readonly withoutSettings?: true;
}

/**
 * Finds the collection around the given paths (folders, pages, cases), or around the working folder, and reads its
 * texts. A page outside any collection is one of its own; of a folder without settings the pages right in it are one.
 * Throws UsageError.
 */
export async function findCollection(
  asked: readonly string[],
  workingFolder: string,
): Promise<FoundCollection> {
  const places = (asked.length === 0 ? ['.'] : asked).map(path => locate(path, workingFolder));
  const around = places.map(place => collectionAround(place.folder));
  const hasSettings = around.some(root => root !== undefined);
  if (!hasSettings) for (const { folder } of places) refuseOtherNames(folder);
  const alone = hasSettings ? undefined : folderOfAll(places, workingFolder);
  const roots = new Set(places.map((place, index) => around[index] ?? alone ?? place.folder));
  if (roots.size > 1)
    throw new UsageError(
      `The paths belong to different collections: ${[...roots].join(' and ')}. Run one at a time.`,
    );
  const [root] = roots as Set<string>;
  const paths = places.map(
    ({ path, slug }) => fromRoot(root!, path) + (slug === undefined ? '' : `#${slug}`),
  );
  if (hasSettings) {
    const files = readTree(root!);
    return {
      root: root!,
      files: { ...files, pages: uniquePages(files.pages) },
      paths: asked.length === 0 || paths.includes('') ? [] : paths,
    };
  }
  const pages = (await pagesWithoutSettings(places, asked.length === 0)).map(path =>
    readPage(root!, fromRoot(root!, path)),
  );
  return {
    root: root!,
    files: { settings: [], pages: uniquePages(pages) },
    paths: paths.includes('') ? [] : paths,
    ...(places.some(({ isFolder }) => isFolder) && { withoutSettings: true }),
  };
}

function fromRoot(root: string, path: string): string {
  return relative(root, path).split(sep).join('/');
}

/** Without settings, what lies below the working folder is seen from there. */
function folderOfAll(places: readonly Located[], workingFolder: string): string | undefined {
  const isBelow = ({ folder }: Located) => folder === workingFolder || folder.startsWith(workingFolder + sep);
  return places.length > 1 && places.every(isBelow) ? workingFolder : undefined;
}

/** The pages that are named, and those right in a folder that is: nothing hidden, and nothing that Git leaves out. */
async function pagesWithoutSettings(places: readonly Located[], isHere: boolean): Promise<string[]> {
  const isIgnored = (await gitIgnoreAround(places[0]!.folder)) ?? (() => false);
  return places.flatMap(({ path, isFolder }) => {
    if (!isFolder) return [path];
    const pages = pagesIn(path, isIgnored);
    if (pages.length > 0) return pages;
    const where = isHere ? 'here' : `right in '${basename(path)}'`;
    throw new UsageError(
      `There is no collection ${where}: no ${rootFile} in ${path} or above it, and no page.${foldersWithPages(path, isIgnored)} 'mervok init' writes a small one; a page alone runs by its name: mervok run page.md`,
    );
  });
}

function pagesIn(folder: string, isIgnored: GitIgnore): string[] {
  return attempt(folder, path => readdirSync(path, { withFileTypes: true }))
    .filter(entry => entry.isFile() && !entry.name.startsWith('.') && /\.md$/i.test(entry.name))
    .map(entry => join(folder, entry.name))
    .filter(path => !isIgnored(path, 'file'))
    .sort();
}

/** Folders below are a part of it only where there are settings, so they are named. */
function foldersWithPages(folder: string, isIgnored: GitIgnore): string {
  const names = readdirSync(folder, { withFileTypes: true })
    .filter(entry => isVisitable(entry) && !isIgnored(join(folder, entry.name), 'folder'))
    .map(entry => entry.name)
    .filter(name => pagesIn(join(folder, name), isIgnored).length > 0)
    .slice(0, 5);
  return names.length === 0
    ? ''
    : ` Pages of a folder below run by its name: mervok run ${inWords(names, 'or')}.`;
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
  if (!found) throw new UsageError(`There is no '${file}'.${suggestPath(file, workingFolder)}`);
  const isFolder = found.isDirectory();
  if (!isFolder && !/\.md$/i.test(path))
    throw new UsageError(`'${file}' is no page: pages are Markdown files that end in .md.`);
  return { path, ...(slug !== undefined && { slug }), isFolder, folder: isFolder ? path : dirname(path) };
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
    throw new UsageError(`There is no file '${path}'.${suggestPath(path, dirname(resolve(path)))}`);
  return read(path);
}
