import { isObject, Missing, type Value } from '../model/value.ts';

/** In characters: a longer text is not put together. */
export const longestText = 16 * 1024 * 1024;
/** A list or an object of more parts, all levels counted, is not put together. */
const heaviest = 5_000_000;

export const tooLong = 'it comes to more than 16 million characters';

const known = new WeakMap<object, number>();

/** Of how many parts a value is made. What lists and objects share counts each time, as whoever reads them meets it. */
function weightOf(value: Value): number {
  const isList = Array.isArray(value);
  if (!isList && !isObject(value)) return 1;
  const counted = known.get(value);
  if (counted !== undefined) return counted;
  let weight = 1;
  for (const part of isList ? value : Object.values(value)) {
    weight += weightOf(part);
    if (weight > heaviest) break;
  }
  known.set(value, weight);
  return weight;
}

/** A list or an object that was put together, or why it is too much. */
export function weighed<Whole extends Value>(value: Whole): Whole | Missing {
  return weightOf(value) > heaviest ? new Missing('it comes to more than five million values') : value;
}
