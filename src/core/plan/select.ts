import { nearest } from '../text/nearest.ts';
import type { Collection, CollectionCase } from './collection.ts';

/** A path on the command line that names nothing; the message offers the nearest that does. */
export class SelectionMistake extends Error {}

/**
 * The cases below paths: a folder, a page, or a case (`berths.md#reserve-a-berth`). Paths are relative to the root of
 * the collection; an empty one is the whole. Throws SelectionMistake.
 */
export function selectCases(collection: Collection, paths: readonly string[]): CollectionCase[] {
  const wanted = paths.map(path => matcher(collection, path));
  return collection.pages
    .flatMap(page => page.cases)
    .filter(each => wanted.length === 0 || wanted.some(matches => matches(each)));
}

function matcher(collection: Collection, path: string): (each: CollectionCase) => boolean {
  const [file = '', slug] = path.split('#') as [string, string?];
  const folder = file === '' ? '' : `${file}/`;
  const pages = collection.pages.filter(
    page => page.page.source.file === file || page.page.source.file.startsWith(folder),
  );
  if (pages.length === 0)
    throw new SelectionMistake(
      withNearest(
        `There is no page or folder '${file}'.`,
        file,
        collection.pages.map(page => page.page.source.file),
      ),
    );
  if (slug === undefined) return each => pages.includes(each.page);
  const cases = pages.flatMap(page => page.cases);
  if (!cases.some(each => each.written.slug === slug)) {
    throw new SelectionMistake(
      withNearest(
        `There is no case '${slug}' in ${file}.`,
        slug,
        cases.map(each => each.written.slug),
      ),
    );
  }
  return each => pages.includes(each.page) && each.written.slug === slug;
}

function withNearest(message: string, word: string, known: string[]): string {
  const meant = nearest(word, known);
  return meant === undefined ? message : `${message} Did you mean '${meant}'?`;
}
