import type { Reference } from '../language/ast.ts';
import type { Range, Source } from '../model/source.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import { kindOfStep } from '../steps/kinds.ts';
import type { GivenName } from '../steps/step.ts';
import type { CollectionCase } from './collection.ts';

/** A place where a case uses a name. */
export interface Use {
  readonly name: string;
  readonly source: Source;
  readonly range: Range;
  /** The step of the case that uses it. */
  readonly step: number;
}

/** A place where a case makes a name: by `keep`, for all pages, or by `let`, for its own. */
export interface Product extends GivenName {
  readonly step: number;
}

export interface CaseNames {
  readonly uses: readonly Use[];
  readonly products: readonly Product[];
}

/** Every name that a case uses and makes, in the order of its steps. */
export function namesOf({ page, written, levels }: CollectionCase): CaseNames {
  const uses: Use[] = [];
  const products: Product[] = [];
  const effective = mergeLevels(levels);
  const pageSource = page.page.source;
  let step = 0;
  const use = (references: readonly Reference[], source = pageSource) => {
    for (const { name, range } of references) uses.push({ name, source, range, step });
  };
  if (written.each?.type === 'each-value') use([written.each.list]);
  for (const each of written.steps) {
    const kind = kindOfStep(each);
    kind.uses(each, effective, use);
    for (const given of kind.gives?.(each) ?? []) products.push({ ...given, step });
    step++;
  }
  return { uses, products };
}
