import { asNumber, asText, compareOrder, equal } from '../values/compare.ts';
import { calculate, isNumberText, type Numeric, readNumber, round } from '../values/number.ts';
import { textOf } from '../values/text.ts';
import {
  CalendarDate,
  type Found,
  isObject,
  type Kind,
  kindInWords,
  kindOf,
  Missing,
  Timestamp,
  type Value,
} from '../values/value.ts';

/** What a function may ask of the world outside; handed in, so that a run can be repeated. */
export interface World {
  /** Milliseconds since 1970. */
  now(): number;
  uuid(): string;
}

type Parameter = 'any' | 'text' | 'number' | 'list' | 'object';

export interface LanguageFunction {
  readonly parameters: readonly Parameter[];
  /** How many of the last parameters may be left out. */
  readonly optional?: number;
  /** The kind of what it gives, where that does not hang on what it is given. */
  readonly result: Kind | 'any';
  /** Given values of the kinds that `parameters` name, plain ones already read as those. */
  readonly apply: (given: Value[], world: World) => Found;
}

const day = 86_400_000;

function fold(name: string, list: Value[], choose: (order: number) => boolean): Found {
  if (list.length === 0) return new Missing(`${name}() of an empty list is nothing`);
  let best = list[0] as Value;
  for (const item of list) {
    const order = compareOrder(item, best);
    if (order === undefined)
      return new Missing(
        `${name}() cannot set ${kindInWords(kindOf(item))} against ${kindInWords(kindOf(best))}`,
      );
    if (choose(order)) best = item;
  }
  return best;
}

function sum(list: Value[]): Found {
  let total: Numeric = 0;
  for (const item of list) {
    const number = asNumber(item);
    if (number === undefined)
      return new Missing(`sum() takes numbers, and one item is ${kindInWords(kindOf(item))}`);
    total = calculate('+', total, number)!;
  }
  return total;
}

function sort(list: Value[]): Found {
  for (const item of list)
    if (compareOrder(item, list[0]!) === undefined)
      return new Missing('sort() takes items of one kind that has an order');
  return list.toSorted((a, b) => compareOrder(a, b)!);
}

/** Every function of the language by its name. To add one: a line here, a section in docs/language.md, a test. */
export const functions: { readonly [name: string]: LanguageFunction } = Object.assign(Object.create(null), {
  uuid: { parameters: [], result: 'text', apply: (_, world) => world.uuid() },
  now: { parameters: [], result: 'timestamp', apply: (_, world) => new Timestamp(world.now()) },
  today: {
    parameters: [],
    result: 'date',
    apply: (_, world) => new CalendarDate(Math.floor(world.now() / day) * day),
  },
  text: {
    parameters: ['any'],
    result: 'text',
    apply: ([value]) => textOf(value!) ?? new Missing(`text() cannot write ${kindInWords(kindOf(value!))}`),
  },
  number: {
    parameters: ['text'],
    result: 'number',
    apply: ([text]) => asNumberText(text as string),
  },
  length: {
    parameters: ['any'],
    result: 'number',
    apply: ([value]) => {
      if (Array.isArray(value)) return value.length;
      if (isObject(value)) return Object.keys(value).length;
      const text = asText(value!);
      return text === undefined
        ? new Missing(`${kindInWords(kindOf(value!))} has no length`)
        : [...text].length;
    },
  },
  lower: { parameters: ['text'], result: 'text', apply: ([text]) => (text as string).toLowerCase() },
  upper: { parameters: ['text'], result: 'text', apply: ([text]) => (text as string).toUpperCase() },
  trim: { parameters: ['text'], result: 'text', apply: ([text]) => (text as string).trim() },
  split: {
    parameters: ['text', 'text'],
    result: 'list',
    apply: ([text, by]) => (text as string).split(by as string),
  },
  join: {
    parameters: ['list', 'text'],
    optional: 1,
    result: 'text',
    apply: ([list, by = ', ']) => {
      const texts = (list as Value[]).map(textOf);
      return texts.includes(undefined)
        ? new Missing('join() takes a list of texts and numbers')
        : texts.join(by as string);
    },
  },
  round: { parameters: ['number'], result: 'number', apply: ([number]) => round(number as number, 'round') },
  floor: { parameters: ['number'], result: 'number', apply: ([number]) => round(number as number, 'floor') },
  ceil: { parameters: ['number'], result: 'number', apply: ([number]) => round(number as number, 'ceil') },
  min: {
    parameters: ['list'],
    result: 'any',
    apply: ([list]) => fold('min', list as Value[], order => order < 0),
  },
  max: {
    parameters: ['list'],
    result: 'any',
    apply: ([list]) => fold('max', list as Value[], order => order > 0),
  },
  sum: { parameters: ['list'], result: 'number', apply: ([list]) => sum(list as Value[]) },
  sort: { parameters: ['list'], result: 'list', apply: ([list]) => sort(list as Value[]) },
  unique: {
    parameters: ['list'],
    result: 'list',
    apply: ([list]) =>
      (list as Value[]).filter((item, index, all) => all.findIndex(other => equal(other, item)) === index),
  },
  keys: { parameters: ['object'], result: 'list', apply: ([object]) => Object.keys(object as object) },
  values: {
    parameters: ['object'],
    result: 'list',
    apply: ([object]) => Object.values(object as { [name: string]: Value }),
  },
} satisfies { [name: string]: LanguageFunction });

function asNumberText(text: string): Found {
  const trimmed = text.trim();
  return isNumberText(trimmed)
    ? readNumber(trimmed)
    : new Missing(`'${text.slice(0, 40)}' is not written as a number`);
}

/** Functions that the language knows by name and that are not there yet. */
export const laterFunctions = [
  'date',
  'timestamp',
  'random',
  'pick',
  'json',
  'parse',
  'find',
  'replace',
  'base64',
  'unbase64',
  'base64url',
  'hex',
  'unhex',
  'sha256',
  'md5',
  'hmac',
  'jwt',
  'encode',
];

/** Reads a given value as the kind that a parameter asks for. */
export function fitParameter(name: string, parameter: Parameter, value: Value): Found {
  const fit =
    parameter === 'any'
      ? value
      : parameter === 'text'
        ? asText(value)
        : parameter === 'number'
          ? asNumber(value)
          : parameter === 'list'
            ? Array.isArray(value)
              ? value
              : undefined
            : isObject(value)
              ? value
              : undefined;
  return fit !== undefined
    ? fit
    : new Missing(`${name}() takes ${kindInWords(parameter as Kind)}, not ${kindInWords(kindOf(value))}`);
}
