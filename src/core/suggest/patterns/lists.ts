import type { Value } from '../../model/value.ts';
import { compareOrder } from '../../values/compare.ts';
import type { Origin } from '../origins.ts';
import { charactersOf, listsOf, type ScalarPlace, scalarsOf } from '../places.ts';
import type { Subject } from '../subject.ts';
import { isKey, isOrdering } from '../words.ts';
import type { Pattern } from './pattern.ts';

/** Members of the items of a list that is there once. */
function columnsOf(subject: Subject): ScalarPlace[] {
  return scalarsOf(subject).filter(({ path, isRepeated }) => isRepeated && path.split('[*]').length <= 2);
}

/** Items are in the order of what one would look for them by. */
export const sorted: Pattern = {
  name: 'sorted',
  *find(subject, origins) {
    for (const column of columnsOf(subject)) {
      if (!isOrdering(column.name) && !isAskedFor(column, origins)) continue;
      const ways = new Set(column.values.map(wayOf));
      const [way] = ways;
      if (way === undefined || ways.size > 1) continue;
      yield {
        text: `all ${column.path} is sorted${way === 'up' ? '' : ' down'}`,
        reason: `they come in the order of ${column.name}`,
      };
    }
  },
};

function isAskedFor({ name }: ScalarPlace, origins: readonly Origin[]): boolean {
  return origins.some(
    origin => /sort|order/i.test(origin.name) && charactersOf(origin.values[0]!).includes(name),
  );
}

/** Three different values at least: of two, every other list is in some order. */
function wayOf(values: readonly Value[]): 'up' | 'down' | undefined {
  if (new Set(values.map(charactersOf)).size < 3) return undefined;
  const steps = values.slice(1).map((value, at) => compareOrder(values[at]!, value));
  if (steps.every(step => step !== undefined && step <= 0)) return 'up';
  return steps.every(step => step !== undefined && step >= 0) ? 'down' : undefined;
}

/** No two items have the same key; of a list without keys, no two are the same. */
export const unique: Pattern = {
  name: 'unique',
  *find(subject) {
    const keys = columnsOf(subject).filter(
      ({ name, values }) => isKey(name) && values.every(own => own.length > 1 && areDifferent(own)),
    );
    for (const { path } of keys) yield { text: `all ${path} is unique`, reason: 'no two have the same' };
    // Numbers that are measured may well be the same.
    const numbers = new Set(
      columnsOf(subject)
        .filter(({ values }) => !values.flat().every(isText))
        .map(({ path }) => path),
    );
    for (const { path, items, lengths, isRepeated } of listsOf(subject))
      if (
        path.startsWith('$') &&
        !isRepeated &&
        !numbers.has(items) &&
        lengths.every(([length]) => length! > 1)
      )
        yield { text: `${path} is unique`, reason: 'no two are the same' };
  },
};

function isText(value: Value): boolean {
  return typeof value === 'string';
}

function areDifferent(values: readonly Value[]): boolean {
  return new Set(values.map(charactersOf)).size === values.length;
}
