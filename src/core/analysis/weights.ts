import { type Finding, isAdjustable, onlyAskedFor } from '../model/finding.ts';
import type { Source } from '../model/source.ts';
import type { Level } from '../settings/level.ts';
import type { Collection, CollectionPage } from './collection.ts';

/** Gives warnings the weight that the settings around their place say, or leaves them out. */
export function weighted(findings: readonly Finding[], collection: Collection): Finding[] {
  const levelsOf = levelsAt(collection);
  return findings.flatMap(each => {
    if (!isAdjustable(each.code)) return [each];
    const weight = levelsOf(each)
      .findLast(level => level.lint?.has(each.code))
      ?.lint?.get(each.code);
    if (weight === 'off' || (weight === undefined && onlyAskedFor.has(each.code))) return [];
    return weight === undefined ? [each] : [{ ...each, severity: weight }];
  });
}

/** The levels around the place of a finding, outermost first. */
function levelsAt({ pages, root, levelsAbove }: Collection): (finding: Finding) => readonly Level[] {
  const pageOf = new Map<Source, CollectionPage>(pages.map(page => [page.page.source, page]));
  return ({ source, range }) => {
    const page = pageOf.get(source);
    if (!page) return source === root.source ? [root] : levelsAbove(source.file);
    if (page.cases.every(({ levels }) => levels === page.levels)) return page.levels;
    const { line } = source.position(range.start);
    const around = page.cases.find(({ written: { lines } }) => line >= lines.from && line < lines.to);
    return around?.levels ?? page.levels;
  };
}
