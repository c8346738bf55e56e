import { type Found, isObject, kindInWords, kindOf, Missing, type Value } from '../model/value.ts';
import { asText, compareOrder, equal, equalInAnyOrder, isUnique } from '../values/compare.ts';
import { isNumeric } from '../values/number.ts';
import { textOf } from '../values/text.ts';
import { isAmong, manyCandidates } from './among.ts';
import type {
  CompareOperator,
  Comparison,
  Condition,
  Expression,
  Predicate,
  Reference,
  ResponseSource,
} from './ast.ts';
import { compileConditionsBy, compileExpression } from './compile-expression.ts';
import { compileGiven } from './compile-given.ts';
import { compileMatcher } from './compile-matcher.ts';
import { compilePartial } from './compile-partial.ts';
import type { Evaluate } from './compile-reference.ts';
import { compileBeginning, compileItems } from './compile-source.ts';
import { AnyOf, includes, type Partial } from './difference.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { splitAtLastMany, wholeDocument } from './jsonpath/ast.ts';
import { compileSegments } from './jsonpath/evaluate.ts';
import { Search } from './jsonpath/search.ts';
import { compileSingular } from './jsonpath/singular.ts';
import { all, any, negate, type Truth, Unknown } from './truth.ts';
import { isOfType } from './types.ts';

export type Decide = (context: EvaluationContext) => Truth;
/** A predicate made ready, for one value. */
type Test = (value: Found, context: EvaluationContext) => Truth;

export function compileCondition(node: Condition): Decide {
  switch (node.type) {
    case 'and': {
      const parts = node.conditions.map(compileCondition);
      return context => all(parts.map(part => part(context)));
    }
    case 'or': {
      const parts = node.conditions.map(compileCondition);
      return context => any(parts.map(part => part(context)));
    }
    case 'not': {
      const part = compileCondition(node.condition);
      return context => negate(part(context));
    }
    case 'comparison':
      return node.quantifier ? compileQuantified(node) : compileComparison(node);
    default:
      return node satisfies never;
  }
}

compileConditionsBy(compileCondition);

function compileComparison(comparison: Comparison): Decide {
  const subject = compileExpression(subjectOf(comparison));
  const test = compileTest(comparison.predicate);
  return context => {
    const found = subject(context);
    const truth = test(found, context);
    if (truth !== true) context.notes.push({ comparison, truth, found });
    return truth;
  };
}

/** `body includes …` and `body fits …` read the body as JSON. */
export function subjectOf({ subject, predicate }: Comparison): Expression {
  const asJson = predicate.test === 'includes' || predicate.test === 'fits';
  if (!asJson || subject.type !== 'source' || subject.form !== 'body' || subject.pattern) return subject;
  const { range, sent } = subject;
  return {
    type: 'source',
    form: 'path',
    sent,
    range,
    path: wholeDocument,
  };
}

/** `each`, `some` and `no` range over the path up to its last part that can match several values. */
function compileQuantified(comparison: Comparison): Decide {
  const { quantifier, subject, predicate } = comparison;
  const test = compileTest(predicate);
  const source = subject as ResponseSource | Reference;
  const path = source.type === 'source' && source.form === 'path' ? source.path : undefined;
  const { many, rest } = path ? splitAtLastMany(path.segments) : { many: [], rest: [] };
  const select = path
    ? compileItems({ ...source, path: { ...path, segments: many } } as typeof source)
    : compileItems(source);
  const walk = compileSingular(rest);
  const toPlace = compileSegments(rest);
  const fill = compileGiven(path?.given ?? []);
  const begins = compileBegins(source);
  return context => {
    const given = fill(context);
    if (given instanceof Missing) return undecided(comparison, given, context);
    const matches = select(context);
    if (matches instanceof Missing) return undecided(comparison, matches, context);
    const items = matches.map(match => {
      const value = rest.length === 0 ? match.value : walk(match.value, given, match);
      return { match, value, truth: test(value, context) };
    });
    const truth = decide(
      quantifier!,
      items.map(item => item.truth),
      begins,
      context,
    );
    if (truth !== true) {
      const wanted = quantifier === 'no';
      const deciding = items
        .filter(item => item.truth === wanted || item.truth instanceof Unknown)
        .map(item => ({
          ...item,
          match: toPlace(item.match, new Search(item.match.value, given))[0] ?? item.match,
        }));
      const found =
        items.length === 0
          ? new Missing(`${path?.text ?? 'it'} matches nothing`)
          : matches.map(match => match.value);
      context.notes.push({ comparison, truth, found, items: { deciding, total: items.length } });
    }
    return truth;
  };
}

function undecided(comparison: Comparison, found: Missing, context: EvaluationContext): Truth {
  const truth = new Unknown(found.reason);
  context.notes.push({ comparison, truth, found });
  return truth;
}

function decide(quantifier: string, truths: Truth[], begins: Decide, context: EvaluationContext): Truth {
  if (quantifier === 'no') return truths.length === 0 ? begins(context) : negate(any(truths));
  if (truths.length === 0) return false;
  return quantifier === 'each' ? all(truths) : any(truths);
}

/** `no` over nothing holds only where the beginning of the path is there. */
function compileBegins(source: ResponseSource | Reference): Decide {
  if (source.type !== 'source' || source.form !== 'path') return () => true;
  const begin = compileBeginning(source);
  return context => {
    const found = begin(context);
    return found instanceof Missing ? new Unknown(found.reason) : true;
  };
}

function compileTest(predicate: Predicate): Test {
  const test = compilePositive(predicate);
  return predicate.negated ? (value, context) => negate(test(value, context)) : test;
}

function compilePositive(predicate: Predicate): Test {
  switch (predicate.test) {
    case 'exists':
      return found => {
        if (!(found instanceof Missing)) return true;
        return found.unreadable ? new Unknown(found.reason) : false;
      };
    case 'compare':
      return predicate.anyOrder
        ? compileAnyOrder(predicate.value)
        : compileCompare(predicate.operator, predicate.value);
    case 'between': {
      const [low, high] = [compileCompare('>=', predicate.low), compileCompare('<=', predicate.high)];
      return (found, context) => all([low(found, context), high(found, context)]);
    }
    case 'in':
      return compileIn(predicate.values.map(compileExpression));
    case 'contains':
      return withBoth(predicate.value, contains);
    case 'starts':
      return withTexts(predicate.value, (text, part) => text.startsWith(part));
    case 'ends':
      return withTexts(predicate.value, (text, part) => text.endsWith(part));
    case 'matches':
      return compileMatches(predicate.value);
    case 'is':
      return known(value => predicate.types.some(type => isOfType(value, type)));
    case 'empty':
      return known(isEmpty);
    case 'unique':
      return known(value => onList(value, isUnique));
    case 'sorted':
      return known(value => onList(value, list => isSorted(list, 1)));
    case 'sorted-down':
      return known(value => onList(value, list => isSorted(list, -1)));
    case 'includes':
      return compileIncludes(predicate.value);
    case 'fits':
      return compileFits(predicate);
    default:
      return predicate satisfies never;
  }
}

/** A test of a value that is there; over what is missing it is unknown. */
function known(test: (value: Value) => Truth): Test {
  return found => (found instanceof Missing ? new Unknown(found.reason) : test(found));
}

function withBoth(expected: Expression, test: (value: Value, expected: Value) => Truth): Test {
  const evaluate = compileExpression(expected);
  return (found, context) => {
    if (found instanceof Missing) return new Unknown(found.reason);
    const value = evaluate(context);
    return value instanceof Missing ? new Unknown(value.reason) : test(found, value);
  };
}

function mixed(a: Value, b: Value): Unknown {
  return new Unknown(`${kindInWords(kindOf(a))} cannot be compared with ${kindInWords(kindOf(b))}`);
}

function compileCompare(operator: CompareOperator, expected: Expression): Test {
  const holds = {
    '<': (order: number) => order < 0,
    '<=': (order: number) => order <= 0,
    '>': (order: number) => order > 0,
    '>=': (order: number) => order >= 0,
  };
  if (operator === '=') return withBoth(expected, (a, b) => equal(a, b) ?? mixed(a, b));
  if (operator === '!=') return withBoth(expected, (a, b) => negate(equal(a, b) ?? mixed(a, b)));
  const test = holds[operator];
  return withBoth(expected, (a, b) => {
    const order = compareOrder(a, b);
    return order === undefined ? mixed(a, b) : test(order);
  });
}

function compileAnyOrder(expected: Expression): Test {
  return withBoth(expected, (a, b) =>
    Array.isArray(a) && Array.isArray(b) ? equalInAnyOrder(a, b) : mixed(a, b),
  );
}

function compileIn(values: Evaluate[]): Test {
  return (found, context) => {
    if (found instanceof Missing) return new Unknown(found.reason);
    const candidates = values.map(value => value(context));
    const [only] = candidates;
    const among = candidates.length === 1 && Array.isArray(only) ? only : candidates;
    if (among === only && among.length > manyCandidates) {
      const known = isAmong(found, only as Value[]);
      if (known !== undefined) return known;
    }
    return any(
      among.map(each =>
        each instanceof Missing ? new Unknown(each.reason) : (equal(found, each) ?? mixed(found, each)),
      ),
    );
  };
}

function contains(value: Value, part: Value): Truth {
  if (Array.isArray(value)) return value.some(item => equal(item, part) === true);
  const [text, piece] = [asText(value), textOf(part)];
  if (text === undefined || piece === undefined)
    return new Unknown(`${kindInWords(kindOf(value))} cannot contain ${kindInWords(kindOf(part))}`);
  return text.includes(piece);
}

function withTexts(expected: Expression, test: (text: string, part: string) => boolean): Test {
  return withBoth(expected, (value, part) => {
    // A number is looked for as it is written.
    const [text, piece] = [asText(value), isNumeric(part) ? textOf(part) : asText(part)];
    if (text === undefined) return new Unknown(`it is ${kindInWords(kindOf(value))}, no text`);
    return piece === undefined ? new Unknown(`${kindInWords(kindOf(part))} is no text`) : test(text, piece);
  });
}

function compileMatches(node: Expression): Test {
  const matcher = compileMatcher(node);
  return (found, context) => {
    if (found instanceof Missing) return new Unknown(found.reason);
    const text = asText(found);
    if (text === undefined) return new Unknown(`it is ${kindInWords(kindOf(found))}, no text`);
    const pattern = matcher(context);
    const matches = pattern instanceof Missing ? pattern : pattern.test(text);
    return matches instanceof Missing ? new Unknown(matches.reason) : matches;
  };
}

function compileIncludes(expected: Expression): Test {
  const evaluate = compilePartial(expected);
  return (found, context) => {
    if (found instanceof Missing) return new Unknown(found.reason);
    const part = evaluate(context);
    if (part instanceof Missing) return new Unknown(part.reason);
    const wrongKind = kindMismatch(found, part);
    return wrongKind ? new Unknown(wrongKind) : includes(found, part);
  };
}

/** On its own level a part of another kind decides nothing; what lies deeper is simply not included. */
function kindMismatch(value: Value, part: Partial): string | undefined {
  if (part instanceof AnyOf) return undefined;
  const kind = Array.isArray(part) ? 'list' : kindOf(part as Value);
  if (kind === 'list' || kind === 'object')
    return kindOf(value) === kind
      ? undefined
      : `it is ${kindInWords(kindOf(value))}, not ${kindInWords(kind)}`;
  const equality = equal(value, part as Value);
  return equality === undefined ? mixed(value, part as Value).reason : undefined;
}

function compileFits({ schema, from }: Extract<Predicate, { test: 'fits' }>): Test {
  return (found, context) => {
    if (found instanceof Missing) return new Unknown(found.reason);
    const mismatches =
      context.schema?.(schema, from)?.(found, '$') ?? new Missing(`there is no schema '${schema}' here`);
    return mismatches instanceof Missing ? new Unknown(mismatches.reason) : mismatches.length === 0;
  };
}

function isEmpty(value: Value): Truth {
  if (Array.isArray(value)) return value.length === 0;
  if (isObject(value)) return Object.keys(value).length === 0;
  const text = asText(value);
  return text === undefined
    ? new Unknown(`${kindInWords(kindOf(value))} is neither empty nor not`)
    : text === '';
}

function onList(value: Value, test: (list: Value[]) => Truth): Truth {
  return Array.isArray(value) ? test(value) : new Unknown(`it is ${kindInWords(kindOf(value))}, no list`);
}

function isSorted(list: Value[], direction: 1 | -1): Truth {
  for (let at = 1; at < list.length; at++) {
    const order = compareOrder(list[at - 1]!, list[at]!);
    if (order === undefined) return mixed(list[at - 1]!, list[at]!);
    if (order * direction > 0) return false;
  }
  return true;
}
