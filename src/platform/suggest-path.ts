import { readdirSync, readFileSync } from 'node:fs';
import { basename, dirname, extname, join, relative, resolve } from 'node:path';
import { Source } from '../core/model/source.ts';
import { readPage } from '../core/pages/read-page.ts';
import { nearest } from '../core/text/words.ts';
import { collectionAround, isFolder, pathsIn } from './collection-folder.ts';

/**
 * What may be meant by a path at which nothing lies: a page, a file of its kind or a folder beside it, a page of that name anywhere in the
 * collection, a case by its line or its heading. Begins with a blank where there is something to say.
 */
export function suggestPath(written: string, workingFolder: string): string {
  const path = resolve(workingFolder, written);
  const [, page, line] = /^(.+\.md):(\d+)(?::\d+)?$/i.exec(written) ?? [];
  if (page !== undefined && line !== undefined) {
    const address = caseAt(resolve(workingFolder, page), Number(line));
    if (address !== undefined) return ` Did you mean '${page}#${address}'?`;
  }
  if (/[*?[\]]/.test(written))
    return ' A folder stands for all of its pages; patterns are for the shell, without quotes.';
  const near = besideIt(path) ?? elsewhere(basename(path), workingFolder);
  if (near !== undefined) return ` Did you mean '${relative(workingFolder, near) || basename(near)}'?`;
  if (/[\\/.]/.test(written)) return '';
  const address = caseOf(written, workingFolder);
  if (address !== undefined) return ` Did you mean '${address}'?`;
  return /^[\w-]+$/.test(written) ? ` An environment is written @${written}, a case page.md#${written}.` : '';
}

function besideIt(path: string): string | undefined {
  const folder = dirname(path);
  if (!isFolder(folder)) return undefined;
  const endings = ['.md', extname(path).toLowerCase() || '.md'];
  const beside = readdirSync(folder).filter(
    each => endings.includes(extname(each).toLowerCase()) || isFolder(join(folder, each)),
  );
  const name = nearestPage(basename(path), beside);
  return name === undefined ? undefined : join(folder, name);
}

function elsewhere(name: string, workingFolder: string): string | undefined {
  const pages = pagesAround(workingFolder);
  const wanted = nearestPage(
    name,
    pages.map(each => basename(each)),
  );
  return pages.find(each => basename(each) === wanted);
}

function nearestPage(name: string, names: readonly string[]): string | undefined {
  return names.find(each => each === `${name}.md`) ?? nearest(name, names);
}

/** Absolute. */
function pagesAround(folder: string): string[] {
  const root = collectionAround(folder);
  if (root === undefined) return [];
  return pathsIn(root)
    .filter(each => /\.md$/i.test(each))
    .map(each => join(root, each));
}

/** The heading that a line of a page stands under, as a path names it. */
function caseAt(path: string, line: number): string | undefined {
  return casesIn(path).find(({ lines }) => line >= lines.from && line < lines.to)?.slug;
}

/** So many pages are looked through. */
const mostPages = 500;

/** The address of a case whose heading, or what a path makes of it, is just this. */
function caseOf(heading: string, workingFolder: string): string | undefined {
  const wanted = heading.toLowerCase();
  for (const path of pagesAround(workingFolder).slice(0, mostPages)) {
    const found = casesIn(path).find(({ slug, title }) => slug === wanted || title.toLowerCase() === wanted);
    if (found) return `${relative(workingFolder, path)}#${found.slug}`;
  }
  return undefined;
}

function casesIn(path: string) {
  try {
    return readPage(new Source(path, readFileSync(path, 'utf8'))).cases;
  } catch {
    // What cannot be read suggests nothing.
    return [];
  }
}
