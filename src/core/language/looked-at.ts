import type { Expression, Predicate, ResponseSource, StatementNode } from './ast.ts';
import type { Comparable, FilterQuery, Logical, Segment, Selector } from './jsonpath/ast.ts';
import { surveyOf } from './walk.ts';

/**
 * The members of a response that a statement looks at, as paths in which every item of a list is `[*]`:
 * `$.berths[*].code`. What is looked at as a whole (`fits`) ends with `..*`.
 */
export function lookedAt(statement: StatementNode): string[] {
  const { sources, comparisons } = surveyOf(statement);
  const found = new Set<string>();
  for (const source of sources) for (const path of pathsOf(source)) found.add(path);
  for (const { subject, predicate } of comparisons) {
    const source = subject.type === 'query' ? subject.of : subject;
    if (source.type !== 'source') continue;
    const [path] = pathsOf(source);
    if (path !== undefined) for (const inner of wantedBy(predicate)) found.add(path + inner);
  }
  return [...found];
}

/** The path itself, then what its filters look at. */
function pathsOf(source: ResponseSource): string[] {
  if (source.form !== 'path' || source.sent || source.as !== undefined) return [];
  const inFilters: string[] = [];
  return [wayOf(source.path.segments, '$', inFilters), ...inFilters];
}

function wayOf(segments: readonly Segment[], begin: string, inFilters: string[]): string {
  let way = begin;
  for (const { descendant, selectors } of segments) {
    const here = way;
    const [first] = selectors;
    way += descendant ? descendantOf(first!) : stepOf(first!);
    for (const selector of selectors)
      if (selector.kind === 'filter') lookIn(selector.condition, `${here}[*]`, inFilters);
  }
  return way;
}

function stepOf(selector: Selector): string {
  return selector.kind === 'name' ? memberStep(selector.name) : '[*]';
}

function descendantOf(selector: Selector): string {
  return selector.kind === 'name' ? `..${selector.name}` : '..*';
}

/** `.code`, or `['line-2']` */
export function memberStep(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) ? `.${name}` : `['${name.replaceAll("'", "\\'")}']`;
}

function lookIn(condition: Logical, item: string, found: string[]): void {
  const query = ({ root, segments }: FilterQuery) => {
    found.push(wayOf(segments, root === '@' ? item : '$', found));
  };
  const comparable = (each: Comparable): void => {
    if (each.kind === 'query') query(each.query);
    else if (each.kind === 'function') each.arguments.forEach(comparable);
  };
  switch (condition.kind) {
    case 'or':
    case 'and':
      for (const part of condition.parts) lookIn(part, item, found);
      break;
    case 'not':
      lookIn(condition.part, item, found);
      break;
    case 'test':
      query(condition.query);
      break;
    case 'call':
      comparable(condition.call);
      break;
    default:
      comparable(condition.left);
      comparable(condition.right);
  }
}

/** The members that what is wanted speaks of. */
function wantedBy(predicate: Predicate): string[] {
  if (predicate.test === 'fits') return ['..*'];
  if (predicate.test !== 'includes' && predicate.test !== 'compare') return [];
  return membersIn(predicate.value as Expression, '');
}

function membersIn(value: Expression, way: string): string[] {
  if (value.type === 'list') return value.items.flatMap(each => membersIn(each, `${way}[*]`));
  if (value.type !== 'object') return [];
  return value.members.flatMap(({ name, value: inner }) => {
    if (!name.parts.every(part => typeof part === 'string')) return [];
    const step = way + memberStep(name.parts.join(''));
    return [step, ...membersIn(inner, step)];
  });
}
