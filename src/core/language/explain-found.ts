import { Missing, type Value } from '../model/value.ts';
import { counted, inWords } from '../text/words.ts';
import { unpaired } from '../values/compare.ts';
import { cut, describe, describeExactly } from '../values/describe.ts';
import type { Comparison } from './ast.ts';
import { compileExpression } from './compile-expression.ts';
import type { EvaluationContext, Note } from './evaluation-context.ts';
import type { Precision } from './explain-words.ts';
import { type Truth, Unknown } from './truth.ts';

/** So many parts of a value are told that are not as they should be. */
export const mostDifferences = 10;

/**
 * What a comparison that does not hold came upon.
 * @param differing how many parts are not as they should be, where that is said more closely elsewhere
 */
export function foundInWords(
  note: Note,
  differing: number,
  precision: Precision,
  context: EvaluationContext,
): string {
  const { comparison, found, truth, items } = note;
  if (items && items.total > 0)
    return among(comparison, items, ({ value, match, truth }) => {
      if (value instanceof Missing) return value.reason;
      const place = match === undefined || match.path === '$' ? 'it' : match.path;
      if (differing > 0 && !(truth instanceof Unknown)) return place;
      const unlike = unpairedInWords(comparison, value, truth, context) ?? unknownBecause(truth);
      return `${place} is ${describe(value)}${unlike === undefined ? '' : ` (${unlike})`}`;
    });
  if (found instanceof Missing && found.unreadable) return `cannot be decided: ${found.reason}`;
  if (found instanceof Missing) return items ? found.reason : `nothing: ${found.reason}`;
  if (differing > 0 && truth === false)
    return differing >= mostDifferences
      ? `${mostDifferences} parts that differ, if not more`
      : `${counted(differing, 'part')} that ${differing === 1 ? 'differs' : 'differ'}`;
  const value = precision === 'exact' ? describeExactly(found) : describe(found);
  if (truth instanceof Unknown) return `${value}, which cannot be decided: ${truth.reason}`;
  const unlike = unpairedInWords(comparison, found, truth, context);
  return unlike === undefined ? value : `${value}: ${unlike}`;
}

function unknownBecause(truth: Truth): string | undefined {
  return truth instanceof Unknown ? truth.reason : undefined;
}

type Items = NonNullable<Note['items']>;

/** Under a quantifier: how many items decided, and what the first of them are. */
function among(
  { quantifier }: Comparison,
  { deciding, total }: Items,
  tell: (item: Items['deciding'][number]) => string,
): string {
  if (deciding.length === 0) return `none of ${total} does`;
  const clear = deciding.filter(item => !(item.truth instanceof Unknown));
  const unclear = deciding.filter(item => item.truth instanceof Unknown);
  const verb =
    quantifier === 'no' ? (clear.length === 1 ? 'does' : 'do') : clear.length === 1 ? 'does not' : 'do not';
  const firstOf = (items: Items['deciding']) =>
    items.slice(0, 3).map(tell).join(', ') + (items.length > 3 ? `, and ${items.length - 3} more` : '');
  const parts = [
    ...(clear.length > 0 ? [`${clear.length} of ${total} ${verb}: ${firstOf(clear)}`] : []),
    ...(unclear.length > 0 ? [`${unclear.length} of ${total} cannot be decided: ${firstOf(unclear)}`] : []),
  ];
  return parts.join('; ');
}

/** So many items are named of those that are missing, and of those that are too much. */
const mostItems = 8;

/** What keeps a list from being another one in any order: `"0999" is missing; "0418" and "0501" are too much`. */
function unpairedInWords(
  { predicate }: Comparison,
  found: Value,
  truth: Truth,
  context: EvaluationContext,
): string | undefined {
  if (predicate.test !== 'compare' || !predicate.anyOrder || predicate.negated || truth !== false)
    return undefined;
  const wanted = compileExpression(predicate.value)(context);
  if (!Array.isArray(found) || !Array.isArray(wanted)) return undefined;
  const { missing, extra } = unpaired(found, wanted);
  const told = (items: readonly Value[], what: string) => {
    if (items.length === 0) return [];
    const named = items.slice(0, mostItems).map(item => cut(describe(item), 80));
    const more = items.length - named.length;
    return [
      `${inWords(more > 0 ? [...named, `${more} more`] : named)} ${items.length === 1 ? 'is' : 'are'} ${what}`,
    ];
  };
  return [...told(missing, 'missing'), ...told(extra, 'too much')].join('; ');
}
