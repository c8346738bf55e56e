import { type Finding, finding } from '../model/finding.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { didYouMean } from '../text/words.ts';
import type { Collection, CollectionCase } from './collection.ts';

/** The cases that `needs` of the settings names, and what is wrong with it. */
export interface Needed {
  readonly cases: readonly CollectionCase[];
  readonly findings: readonly Finding[];
}

/** Finds what a case needs: cases by their address, pages by their file, `#slug` on its own page. */
export function resolveNeeds(user: CollectionCase, collection: Collection): Needed {
  const cases = new Set<CollectionCase>();
  const findings: Finding[] = [];
  for (const { needed, level } of mergeLevels(user.levels).needs) {
    const add = (message: string, remedy?: string) =>
      findings.push(finding('need-unknown', { source: level.source, range: needed.range }, message, remedy));
    const [written = '', slug] = needed.text.split('#') as [string, string?];
    const file = written === '' ? user.page.page.source.file : written;
    const page = collection.pages.find(each => each.page.source.file === file);
    // What a whole page or folder needs does not need itself.
    const ownLevel = user.levels !== user.page.levels && level === user.levels.at(-1);
    if (page === user.page && !ownLevel) continue;
    if (!page) {
      const files = collection.pages.map(each => each.page.source.file);
      add(
        `There is no page '${file}' in the collection.`,
        didYouMean(file, files) ?? 'A page is named as seen from the root of the collection.',
      );
      continue;
    }
    // What cleans up runs when all others have; a whole page is done without it.
    const found = page.cases.filter(each =>
      slug === undefined ? !each.written.cleanup : each.written.slug === slug,
    );
    if (found.length === 0) {
      const slugs = page.cases.map(each => each.written.slug);
      add(
        slug === undefined ? `The page '${file}' has no case.` : `There is no case '${slug}' in ${file}.`,
        slug === undefined ? undefined : didYouMean(slug, slugs),
      );
    }
    for (const each of found) {
      if (each.written.cleanup && !user.written.cleanup) {
        add(`${each.address} cleans up at the end, so nothing can wait for it.`);
        continue;
      }
      if (page === user.page && page.cases.indexOf(each) >= page.cases.indexOf(user))
        add(`${each.address} does not run before ${user.address}.`, 'Move it above the case that needs it.');
      else cases.add(each);
    }
  }
  return { cases: [...cases], findings };
}
