import { linkBetween, type SiteCase, type SiteModel } from './site-model.ts';

/**
 * What can be found: a classic script, since a page that is opened from the file system cannot fetch. Each entry is a title,
 * the page that it stands on, its address, and words besides.
 */
export function searchIndex({ pages }: SiteModel): string {
  const entries = pages.flatMap(page => [
    [page.title, '', linkBetween('', page.path), page.file],
    ...page.cases.map(each => [each.title, page.title, linkBetween('', each.path, each.slug), wordsOf(each)]),
  ]);
  return `window.pagesToFind = ${JSON.stringify(entries).replaceAll('<', '\\u003c').replaceAll('\u2028', '\\u2028').replaceAll('\u2029', '\\u2029')};\n`;
}

/** Its requests, the names that it takes and gives. */
function wordsOf({ requests, takes, gives }: SiteCase): string {
  return [...requests, ...[...takes, ...gives].map(({ name }) => name)].join(' ');
}
