import { SourceError } from '../model/finding.ts';
import type { Check, Comparison, Condition, Expression } from './ast.ts';
import { referencesIn, surveyOf } from './walk.ts';

/** Checks that cannot fail, or that look at nothing that could change: they only seem to check something. */
export function findIdle(check: Check): SourceError[] {
  const { condition } = check;
  // A name in the label of a check says nothing of what it looks at.
  const { sources } = surveyOf(check);
  if (sources.length === 0 && referencesIn(condition).length === 0)
    return [
      new SourceError(
        'check-idle',
        condition.range,
        'This check looks at nothing: no part of the response, and no name.',
        'Compare something that the response holds.',
      ),
    ];
  const reason = cannotFail(condition);
  return reason === undefined
    ? []
    : [new SourceError('check-idle', condition.range, `This check cannot fail: ${reason}.`)];
}

function cannotFail(condition: Condition): string | undefined {
  if (condition.type === 'or')
    return condition.conditions.map(cannotFail).find(reason => reason !== undefined);
  if (condition.type === 'and') {
    const reasons = condition.conditions.map(cannotFail);
    return reasons.every(reason => reason !== undefined) ? reasons[0] : undefined;
  }
  return condition.type === 'comparison' && !condition.quantifier ? alwaysHolds(condition) : undefined;
}

const alwaysThere = [
  ...['status', 'reason', 'version', 'time', 'size', 'body', 'bytes', 'url', 'hops'],
  ...['exit', 'output', 'errors'],
];
/** Sources that are numbers of something, or its amount. */
const amounts = ['time', 'size', 'status', 'exit', 'changed'];

function alwaysHolds({ subject, predicate }: Comparison): string | undefined {
  const isWhole =
    subject.type === 'source' &&
    !subject.sent &&
    subject.hop === undefined &&
    !('pattern' in subject && subject.pattern);
  const source = isWhole ? subject.form : undefined;
  if (predicate.negated) return undefined;
  switch (predicate.test) {
    case 'compare':
      if (['=', '<=', '>='].includes(predicate.operator) && isSame(subject, predicate.value))
        return 'both sides are the same';
      return neverBelow(subject, source, predicate.operator, predicate.value);
    case 'contains':
    case 'starts':
    case 'ends':
      return predicate.value.type === 'text' && predicate.value.parts.join('') === ''
        ? 'every text has nothing in it'
        : undefined;
    case 'exists':
      return source !== undefined && alwaysThere.includes(source) ? `'${source}' is always there` : undefined;
    case 'is':
      if (
        (source === 'status' || source === 'exit' || source === 'changed') &&
        predicate.types.some(type => type === 'number' || type === 'integer')
      )
        return `'${source}' is always a number`;
      return (source === 'body' || source === 'reason' || source === 'output' || source === 'errors') &&
        predicate.types.includes('text')
        ? `'${source}' is always a text`
        : undefined;
    default:
      return undefined;
  }
}

function isSame(a: Expression, b: Expression): boolean {
  if (a.type !== b.type) return false;
  return JSON.stringify(a, withoutPlaces) === JSON.stringify(b, withoutPlaces);
}

function withoutPlaces(name: string, value: unknown): unknown {
  return name === 'range' ? undefined : value;
}

/** Lengths, counts, times and sizes are never below nothing. */
function neverBelow(
  subject: Expression,
  source: string | undefined,
  operator: string,
  value: Expression,
): string | undefined {
  const amount =
    value.type === 'number'
      ? Number(value.value)
      : value.type === 'duration'
        ? value.milliseconds
        : value.type === 'size'
          ? value.bytes
          : undefined;
  if (amount === undefined) return undefined;
  const isBelow = (operator === '>=' && amount <= 0) || (operator === '>' && amount < 0);
  const counts =
    (subject.type === 'query' && subject.pick === 'count') ||
    (subject.type === 'call' && subject.name === 'length');
  if (isBelow && (counts || (source !== undefined && amounts.includes(source))))
    return 'it is never below nothing';
  if (source === 'time' && operator === '>' && amount === 0) return 'everything takes some time';
  return undefined;
}
