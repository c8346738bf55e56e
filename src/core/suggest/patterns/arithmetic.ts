import type { Candidate } from '../candidate.ts';
import type { Origin } from '../origins.ts';
import { isVaried, numberIn, type ScalarPlace, scalarsOf } from '../places.ts';
import { isCount, isKey } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** A number is the sum of those of a list. */
export const sum: Pattern = {
  name: 'sum',
  *find(subject) {
    const places = scalarsOf(subject);
    const columns = places.filter(({ isRepeated, name }) => isRepeated && !isKey(name));
    for (const place of places) {
      if (place.isRepeated || isKey(place.name)) continue;
      const column = columns.find(each => isSumOf(place, each));
      if (column) yield { text: `${place.path} = sum(all ${column.path})`, reason: 'they add up to it' };
    }
  },
};

/** Of two numbers at least that are not 0. */
function isSumOf({ values: totals }: ScalarPlace, { values: columns }: ScalarPlace): boolean {
  let isTold = false;
  for (const [at, [total]] of totals.entries()) {
    const numbers = columns[at]!.map(numberIn);
    if (numbers.includes(undefined)) return false;
    const own = numbers as number[];
    if (
      !isClose(
        own.reduce((before, each) => before + each, 0),
        numberIn(total),
      )
    )
      return false;
    if (own.filter(each => each !== 0).length > 1) isTold = true;
  }
  return isTold;
}

/** Of doubles; whether it is so to the last digit is said when it is carried out. */
function isClose(a: number, b: number | undefined): boolean {
  return b !== undefined && Math.abs(a - b) <= 1e-9 * Math.max(1, Math.abs(a));
}

interface Factor {
  readonly text: string;
  readonly numbers: readonly (number | undefined)[];
  readonly isName: boolean;
}

/** A number is the product of two that were known, or that stand beside it. */
export const product: Pattern = {
  name: 'product',
  *find(subject, origins) {
    const places = scalarsOf(subject).filter(({ isRepeated }) => !isRepeated);
    for (const place of places) {
      if (isKey(place.name) || isCount(place.name)) continue;
      const best = productOf(place, factorsFor(place, places, origins));
      if (best) yield best;
    }
  },
};

/** So many factors are tried, each with each. */
const mostFactors = 40;

function factorsFor(
  place: ScalarPlace,
  places: readonly ScalarPlace[],
  origins: readonly Origin[],
): Factor[] {
  const beside = places.filter(
    ({ parent, path, name }) => parent === place.parent && path !== place.path && !isKey(name),
  );
  const all: Factor[] = [
    ...origins.map(({ text, values, isName }) => ({ text, numbers: values.map(numberFrom), isName })),
    ...beside.map(({ path, values }) => ({
      text: path,
      numbers: values.map(([value]) => numberIn(value)),
      isName: false,
    })),
  ];
  const isFactor = ({ numbers }: Factor) =>
    numbers.every(each => each !== undefined && each !== 0 && Math.abs(each) !== 1);
  return all.filter(isFactor).slice(0, mostFactors);
}

/** What was sent as a text is a number where it is written as one. */
function numberFrom(value: Parameters<typeof numberIn>[0]): number | undefined {
  return typeof value === 'string' ? undefined : numberIn(value);
}

function productOf(place: ScalarPlace, factors: readonly Factor[]): Candidate | undefined {
  const totals = place.values.map(([value]) => numberIn(value));
  // A number of few digits is a product of many pairs.
  const isTelling = isVaried(place.values.flat()) || digitsOf(totals[0]) >= 3;
  if (totals.includes(undefined) || !isTelling) return undefined;
  let found: { text: string; score: number } | undefined;
  for (const [at, a] of factors.entries())
    for (const b of factors.slice(at + 1)) {
      if (!totals.every((total, index) => isClose(a.numbers[index]! * b.numbers[index]!, total))) continue;
      const score = Number(a.isName) + Number(b.isName);
      if (!found || score > found.score) found = { text: `${place.path} = ${a.text} * ${b.text}`, score };
    }
  return found && { text: found.text, reason: 'it is their product' };
}

function digitsOf(number: number | undefined): number {
  return String(number ?? 0).replace(/\D|^0+|0+$/g, '').length;
}
