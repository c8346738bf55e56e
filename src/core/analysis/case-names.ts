import type { Range, Source } from '../model/source.ts';
import type { PageCase } from '../pages/page.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { kindOfStep } from '../steps/kinds.ts';
import { usesOfQuery } from '../steps/query/query.ts';
import type { WrittenRows } from '../steps/query/read-rows.ts';
import type { GivenName, UseReferences } from '../steps/step.ts';
import type { CollectionCase, CollectionPage } from './collection.ts';

/** A place where a case uses a name. */
export interface Use {
  readonly name: string;
  readonly source: Source;
  readonly range: Range;
  /** The step of the case that uses it. */
  readonly step: number;
  /** Whether it is used before any case of the page has begun. */
  readonly early?: true;
  /** Whether its value has to be of a kind: a number or a text. */
  readonly needsKind?: true;
}

/** A place where a case makes a name: by `keep`, for all pages, or by `let`, for its own. */
export interface Product extends GivenName {
  readonly step: number;
}

export interface CaseNames {
  readonly uses: readonly Use[];
  readonly products: readonly Product[];
}

/** The tables that a case, or its page, runs for each row of and that have to be asked for. */
export function askedTables({ page, rows }: CollectionPage, each: PageCase['each']): WrittenRows[] {
  const names = [rows?.table.text, each?.type === 'each-row' ? each.table : undefined];
  return names.flatMap(name => {
    const table = name === undefined ? undefined : page.tables.get(name);
    return table && 'database' in table ? [table] : [];
  });
}

/** Every name that a case uses and makes, in the order of its steps. */
export function namesOf({ page, written, levels }: CollectionCase): CaseNames {
  const uses: Use[] = [];
  const products: Product[] = [];
  const effective = mergeLevels(levels);
  const pageSource = page.page.source;
  let step = 0;
  const use: UseReferences = (references, source = pageSource, needs) => {
    for (const { name, range } of references)
      uses.push({ name, source, range, step, ...(needs && { needsKind: true }) });
  };
  if (written.each?.type === 'each-value') use([written.each.list]);
  for (const table of askedTables(page, written.each))
    usesOfQuery(table, mergeLevels(page.levels), (references, source = pageSource, needs) => {
      for (const { name, range } of references)
        uses.push({ name, source, range, step, early: true, ...(needs && { needsKind: true }) });
    });
  for (const each of written.steps) {
    const kind = kindOfStep(each);
    kind.uses(each, effective, use);
    for (const given of kind.gives?.(each) ?? []) products.push({ ...given, step });
    step++;
  }
  return { uses, products };
}
