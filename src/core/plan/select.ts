import { nearest } from '../text/nearest.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';

/** A path on the command line that names nothing; the message offers the nearest that does. */
export class SelectionMistake extends Error {
  override readonly name = 'SelectionMistake';
}

export interface Selection {
  readonly pages: ReadonlySet<CollectionPage>;
  readonly cases: ReadonlySet<CollectionCase>;
}

/**
 * The pages and cases below paths: a folder, a page, or a case (`berths.md#reserve-a-berth`). Paths are relative to the
 * root of the collection; without any it is the whole. Throws SelectionMistake.
 */
export function select(collection: Collection, paths: readonly string[]): Selection {
  const wanted =
    paths.length === 0 ? [{ pages: collection.pages }] : paths.map(path => selectPath(collection, path));
  const pages = new Set(wanted.flatMap(each => each.pages));
  const cases = new Set(wanted.flatMap(each => each.cases ?? each.pages.flatMap(page => page.cases)));
  return { pages, cases };
}

function selectPath(
  collection: Collection,
  path: string,
): { pages: readonly CollectionPage[]; cases?: readonly CollectionCase[] } {
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
  if (slug === undefined) return { pages };
  const all = pages.flatMap(page => page.cases);
  const cases = all.filter(each => each.written.slug === slug);
  if (cases.length === 0) {
    throw new SelectionMistake(
      withNearest(
        `There is no case '${slug}' in ${file}.`,
        slug,
        all.map(each => each.written.slug),
      ),
    );
  }
  return { pages, cases };
}

function withNearest(message: string, word: string, known: string[]): string {
  const meant = nearest(word, known);
  return meant === undefined ? message : `${message} Did you mean '${meant}'?`;
}
