import type { Numeric } from '../model/value.ts';
import {
  CalendarDate,
  Duration,
  type Found,
  kindInWords,
  kindOf,
  Missing,
  Plain,
  Size,
  Timestamp,
  type Value,
} from '../model/value.ts';
import { asNumber, plainAs } from '../values/compare.ts';
import { calculate, compareNumbers, isNumeric } from '../values/number.ts';
import { textOf } from '../values/text.ts';
import { longestText, tooLong, weighed } from '../values/weight.ts';
import type { Arithmetic, Call, Condition, Expression, Query, TextLiteral, Truth } from './ast.ts';
import { compilePatternLiteral, compilePatternText, patternFromText } from './compile-pattern.ts';
import { compileReference, descend, type Evaluate } from './compile-reference.ts';
import { compileBeginning, compileItems, compileSource, writtenSource } from './compile-source.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { fitParameter } from './functions/signature.ts';
import { functions } from './functions/table.ts';
import { referenceText } from './reference.ts';
import type { Truth as Decision } from './truth.ts';

export function compileExpression(node: Expression): Evaluate {
  switch (node.type) {
    case 'number':
    case 'constant': {
      const { value } = node;
      return () => value;
    }
    case 'duration': {
      const value = new Duration(node.milliseconds);
      return () => value;
    }
    case 'size': {
      const value = new Size(node.bytes);
      return () => value;
    }
    case 'text':
      return compileText(node);
    case 'list':
      return compileList(node.items.map(compileExpression));
    case 'object':
      return compileObject(
        node.members.map(({ name, value }) => ({ name: compileText(name), value: compileExpression(value) })),
      );
    case 'reference':
      return compileReference(node);
    case 'source':
      return compileSource(node);
    case 'query':
      return compileQuery(node);
    case 'call':
      return compileCall(node);
    case 'negative': {
      const operand = compileExpression(node.operand);
      return context => arithmetic('*', operand(context), -1);
    }
    case 'arithmetic':
      return compileArithmetic(node);
    case 'truth':
      return compileTruth(node);
    case 'file':
      return context => context.file?.(node.path) ?? new Missing(`there is no file '${node.path}' here`);
    case 'pattern':
      return compilePatternText(node);
    case 'type-word':
      throw new TypeError(`A ${node.type} has no value.`);
    default:
      return node satisfies never;
  }
}

let compileDecision: ((condition: Condition) => (context: EvaluationContext) => Decision) | undefined;

/** Conditions are made of values, and a value may be a condition: who compiles those says how. */
export function compileConditionsBy(compile: NonNullable<typeof compileDecision>): void {
  compileDecision = compile;
}

/** What a condition comes to as a value; one that cannot be decided is none. Why it does not hold is nobody's failure. */
function compileTruth({ condition }: Truth): Evaluate {
  const decide = compileDecision!(condition);
  return context => {
    const { notes } = context;
    context.notes = [];
    const truth = decide(context);
    context.notes = notes;
    return typeof truth === 'boolean' ? truth : Missing.unreadable(truth.reason);
  };
}

function compileText({ parts }: TextLiteral): Evaluate {
  const [only] = parts;
  if (parts.length === 1 && typeof only === 'string') return () => only;
  const pieces = parts.map(part =>
    typeof part === 'string' ? part : { reference: part, evaluate: compileReference(part) },
  );
  return context => {
    let result = '';
    for (const piece of pieces) {
      if (typeof piece === 'string') {
        result += piece;
        continue;
      }
      const value = piece.evaluate(context);
      if (value instanceof Missing) return value;
      const text = textOf(value);
      if (text === undefined)
        return new Missing(
          `{${piece.reference.name}} is ${kindInWords(kindOf(value))}, which cannot stand in a text`,
        );
      result += text;
      if (result.length > longestText) return new Missing(`the text is too long: ${tooLong}`);
    }
    return result;
  };
}

function compileList(items: Evaluate[]): Evaluate {
  return context => {
    const list: Value[] = [];
    for (const item of items) {
      const value = item(context);
      if (value instanceof Missing) return value;
      list.push(value);
    }
    return weighed(list);
  };
}

function compileObject(members: { name: Evaluate; value: Evaluate }[]): Evaluate {
  return context => {
    const entries: [string, Value][] = [];
    for (const member of members) {
      const [name, value] = [member.name(context), member.value(context)];
      if (name instanceof Missing) return name;
      if (value instanceof Missing) return value;
      entries.push([name as string, value]);
    }
    return weighed(Object.fromEntries(entries));
  };
}

function compileQuery(node: Query): Evaluate {
  const select = compileItems(node.of);
  const what = node.of.type === 'reference' ? `{${referenceText(node.of)}}` : writtenSource(node.of);
  const nothing = compileNothing(node, what);
  const evaluate = (context: EvaluationContext): Found => {
    const found = select(context);
    if (found instanceof Missing) return found;
    switch (node.pick) {
      case 'count':
        return found.length;
      case 'all':
        return found.length > 0 ? found.map(match => match.value) : nothing(context);
      default: {
        const at = positionOf(node, found.length, context);
        return (
          found[at]?.value ??
          new Missing(`${what} matches ${found.length === 0 ? 'nothing' : `${found.length} only`}`)
        );
      }
    }
  };
  return node.pick === 'random' ? remembered(node, evaluate) : evaluate;
}

/** Functions that give something else each time. */
const changing = new Set(['uuid', 'random', 'pick', 'now', 'today']);

/** Drawn once for a statement: for all items that it looks at, and for what is told of it. */
function remembered(node: Call | Query, evaluate: Evaluate): Evaluate {
  return context => {
    const drawn = context.drawn?.get(node);
    if (drawn !== undefined) return drawn;
    const found = evaluate(context);
    context.drawn ??= new Map();
    context.drawn.set(node, found);
    return found;
  };
}

/** The list of all, where nothing matches: it is empty only if that in which it should stand is there. */
function compileNothing({ of }: Query, what: string): Evaluate {
  if (of.type === 'reference') return () => [];
  if (of.form !== 'path') return () => new Missing(`${what} matches nothing`);
  const begin = compileBeginning(of);
  return context => {
    const found = begin(context);
    return found instanceof Missing ? found : [];
  };
}

/** Which of so many matches is meant, counted from 0; one that is not there where there are too few. */
export function positionOf({ pick, position }: Query, total: number, context: EvaluationContext): number {
  switch (pick) {
    case 'last':
      return total - 1;
    case 'nth':
      return position! - 1;
    case 'random':
      return Math.floor(context.clockAndRandom.random() * total);
    default:
      return 0;
  }
}

function compileCall(node: Call): Evaluate {
  const { parameters, apply } = functions[node.name]!;
  const given = node.arguments.map(each => (each.type === 'pattern' ? () => '' : compileExpression(each)));
  const at = parameters.findIndex(each => each === 'pattern' || each === 'part');
  const literal = node.arguments[at];
  const pattern =
    literal?.type === 'pattern'
      ? compilePatternLiteral(literal)
      : parameters[at] === 'pattern'
        ? (context: EvaluationContext) => patternFromText(given[at]!(context))
        : () => undefined;
  const evaluate = (context: EvaluationContext): Found => {
    const values: Value[] = [];
    for (let index = 0; index < given.length; index++) {
      const value = given[index]!(context);
      if (value instanceof Missing) return value;
      const fit = fitParameter(node.name, parameters[index]!, value);
      if (fit instanceof Missing) return fit;
      values.push(fit);
    }
    const compiled = pattern(context);
    if (compiled instanceof Missing) return compiled;
    const result = apply(values, context.clockAndRandom, compiled);
    return result instanceof Missing ? result : descend(result, node.path, `${node.name}()`);
  };
  return changing.has(node.name) ? remembered(node, evaluate) : evaluate;
}

function compileArithmetic({ operator, left, right }: Arithmetic): Evaluate {
  const [a, b] = [compileExpression(left), compileExpression(right)];
  return context => arithmetic(operator, a(context), b(context));
}

function arithmetic(operator: Arithmetic['operator'], a: Found, b: Found): Found {
  if (a instanceof Missing) return a;
  if (b instanceof Missing) return b;
  const [x, y] = [unplain(a), unplain(b)];
  if (operator === '/' && isNumeric(y) && compareNumbers(y, 0) === 0)
    return new Missing('a division by zero has no result');
  if (isNumeric(x) && isNumeric(y))
    return calculate(operator, x, y) ?? new Missing('the result is too large');
  return (
    withTime(operator, x, y) ??
    new Missing(`${kindInWords(kindOf(x))} ${operator} ${kindInWords(kindOf(y))} has no meaning`)
  );
}

/** In arithmetic a plain value is a number, a duration or a size, if it is written as one. */
function unplain(value: Value): Value {
  if (!(value instanceof Plain)) return value;
  const number = asNumber(value);
  if (number !== undefined) return number;
  const duration = plainAs(value, 'duration');
  return duration instanceof Duration ? duration : plainAs(value, 'size');
}

/** The last instant that RFC 3339 can write, and the first. */
const [latest, earliest] = [Date.UTC(9999, 11, 31, 23, 59, 59, 999), Date.parse('0000-01-01T00:00:00Z')];

function withTime(operator: Arithmetic['operator'], x: Value, y: Value): Found | undefined {
  const result = timeOf(operator, x, y);
  if (!(result instanceof CalendarDate || result instanceof Timestamp)) return result;
  const { milliseconds } = result;
  return milliseconds >= earliest && milliseconds <= latest
    ? result
    : new Missing('the result lies beyond the years that a date can have');
}

function timeOf(operator: Arithmetic['operator'], x: Value, y: Value): Value | undefined {
  const sign = operator === '+' ? 1 : operator === '-' ? -1 : 0;
  if (x instanceof Duration && isNumeric(y) && (operator === '*' || operator === '/'))
    return durationOf(calculate(operator, x.milliseconds, y));
  if (isNumeric(x) && y instanceof Duration && operator === '*')
    return durationOf(calculate('*', x, y.milliseconds));
  if (sign === 0) return undefined;
  if (x instanceof Duration && y instanceof Duration)
    return durationOf(calculate(operator, x.milliseconds, y.milliseconds));
  if (x instanceof Size && y instanceof Size)
    return new Size(toNumber(calculate(operator, x.bytes, y.bytes)!));
  if (x instanceof Timestamp && y instanceof Duration)
    return new Timestamp(x.milliseconds + sign * y.milliseconds);
  if (x instanceof CalendarDate && y instanceof Duration)
    return y.milliseconds % 86_400_000 === 0
      ? new CalendarDate(x.milliseconds + sign * y.milliseconds)
      : new Timestamp(x.milliseconds + sign * y.milliseconds);
  if (x instanceof Duration && (y instanceof Timestamp || y instanceof CalendarDate) && sign > 0)
    return timeOf('+', y, x);
  if (x instanceof Timestamp && y instanceof Timestamp && sign < 0)
    return new Duration(x.milliseconds - y.milliseconds);
  if (x instanceof CalendarDate && y instanceof CalendarDate && sign < 0)
    return new Duration(x.milliseconds - y.milliseconds);
  return undefined;
}

function durationOf(milliseconds: Numeric | undefined): Duration | undefined {
  return milliseconds === undefined ? undefined : new Duration(toNumber(milliseconds));
}

function toNumber(value: Numeric): number {
  return typeof value === 'number' ? value : value.decimal.toNumber();
}
