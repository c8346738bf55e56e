import type { Numeric } from '../../model/value.ts';
import { type Found, kindInWords, kindOf, Missing, type Value } from '../../model/value.ts';
import { asNumber, compareOrder, equal, keysOf } from '../../values/compare.ts';
import { calculate, isInteger, isNumeric, numberText, readNumber, round } from '../../values/number.ts';
import type { FunctionGroup, LanguageFunction } from './signature.ts';

/** Numbers, and what is made of lists and objects. */
export const numberFunctions = {
  round: rounding('round'),
  floor: rounding('floor'),
  ceil: rounding('ceil'),
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
    apply: ([list]) => withoutRepeats(list as Value[]),
  },
  keys: { parameters: ['object'], result: 'list', apply: ([object]) => Object.keys(object as object) },
  values: {
    parameters: ['object'],
    result: 'list',
    apply: ([object]) => Object.values(object as { [name: string]: Value }),
  },
  random: {
    parameters: ['number', 'number'],
    result: 'number',
    apply: ([low, high], clockAndRandom) =>
      randomBetween(low as Numeric, high as Numeric, clockAndRandom.random()),
  },
  pick: {
    parameters: ['list'],
    result: 'any',
    apply: ([list], clockAndRandom) => {
      const items = list as Value[];
      return (
        items[Math.floor(clockAndRandom.random() * items.length)] ??
        new Missing('pick() from an empty list is nothing')
      );
    },
  },
} satisfies FunctionGroup;

function withoutRepeats(list: Value[]): Value[] {
  const keys = keysOf(list);
  if (!keys) return list.filter((item, at) => list.findIndex(other => equal(other, item) === true) === at);
  const seen = new Set<string>();
  return list.filter((_item, at) => !seen.has(keys[at]!) && seen.add(keys[at]!));
}

function rounding(direction: 'round' | 'floor' | 'ceil'): LanguageFunction {
  return {
    parameters: ['number', 'number'],
    optional: 1,
    result: 'number',
    apply: ([number, places = 0]) => {
      if (typeof places !== 'number' || !Number.isInteger(places) || places < 0 || places > 100)
        return new Missing(`${direction}() takes from 0 to 100 places behind the point`);
      return round(number as Numeric, direction, places);
    },
  };
}

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
    const next = calculate('+', total, number);
    if (next === undefined) return new Missing('the sum is too large');
    total = next;
  }
  return total;
}

function sort(list: Value[]): Found {
  for (const item of list)
    if (compareOrder(item, list[0]!) === undefined)
      return new Missing('sort() takes items of one kind that has an order');
  return list.toSorted((a, b) => compareOrder(a, b)!);
}

/** Both ends can come; with as many places behind the point as the ends have. @param chance from 0 up to 1 */
function randomBetween(low: Numeric, high: Numeric, chance: number): Found {
  const places = Math.max(placesOf(low), placesOf(high));
  const unit = readNumber(`1e-${places}`);
  const span = calculate('-', high, low);
  const steps = span && calculate('/', span, unit);
  if (!isNumeric(steps!) || typeof steps !== 'number' || !isInteger(steps) || !Number.isSafeInteger(steps))
    return new Missing('random() takes two numbers that lie closer together');
  if (steps < 0) return new Missing('random() takes the lower number first');
  return calculate('+', low, calculate('*', Math.floor(chance * (steps + 1)), unit)!)!;
}

function placesOf(number: Numeric): number {
  return Math.min(30, numberText(number).split('.')[1]?.length ?? 0);
}
