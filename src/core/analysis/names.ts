import type { Expression, Statement } from '../language/ast.ts';
import type { Reference } from '../language/reference.ts';
import { referencesOfTarget } from '../language/templates/target.ts';
import { parseTemplate, referencesOf } from '../language/templates/template.ts';
import { referencesIn, sourcesIn } from '../language/walk.ts';
import type { Range, Source } from '../model/source.ts';
import { mergeLevels } from '../settings/merge.ts';
import { templatesOfAuth } from '../settings/transport.ts';
import { referencesOfBody } from '../steps/http/prepare-body.ts';
import { authOf, outerQuery } from '../steps/http/prepare-request.ts';
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
export interface Product {
  readonly name: string;
  readonly how: 'keep' | 'let';
  readonly range: Range;
  readonly step: number;
}

export interface CaseNames {
  readonly uses: readonly Use[];
  readonly products: readonly Product[];
}

/** Every name that a case uses and makes, in the order of its steps; one fence of statements counts line by line. */
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
    if (each.kind === 'statements') {
      for (const statement of each.statements) {
        use(referencesIn(statement));
        const product = productOf(statement);
        if (product) products.push({ ...product, step });
        step++;
      }
      continue;
    }
    if (each.repeat) use(referencesIn(each.repeat));
    use(referencesOfTarget(each.target));
    if (effective.base && each.targetText.startsWith('/'))
      use(referencesOf(effective.base.template), effective.base.level.source);
    if (effective.headers.length > 0) {
      const own = new Set(each.headers.map(header => header.name.toLowerCase()));
      for (const { header, level } of effective.headers)
        if (!own.has(header.name.toLowerCase())) use(referencesOf(header.value), level.source);
    }
    for (const header of each.headers) use(referencesOf(header.value));
    if (each.body) use(referencesOfBody(each.body));
    if (each.query) use(referencesOf(parseTemplate(each.query, 0, each.query.text.length, 'text')));
    for (const { values, level } of outerQuery(each, effective))
      use(values.flatMap(referencesOf), level.source);
    const auth = authOf(each, effective);
    if (auth) use(templatesOfAuth(auth).flatMap(referencesOf), effective.auth!.level.source);
    const { proxy } = effective.transport;
    if (proxy && proxy !== 'none') use(referencesOf(proxy), effective.proxyLevel!.source);
    for (const { check, level } of effective.checks) use(referencesIn(check), level.source);
    step++;
  }
  return { uses, products };
}

function productOf(statement: Statement): Omit<Product, 'step'> | undefined {
  if (statement.type !== 'keep' && statement.type !== 'let') return undefined;
  return { name: statement.name, how: statement.type, range: statement.nameRange };
}

/** Whether an expression looks at the response. */
export function needsResponse(node: Expression | Statement): boolean {
  return sourcesIn(node).length > 0;
}
