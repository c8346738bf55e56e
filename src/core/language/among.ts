import { type Kind, kindOf, Plain, type Value } from '../model/value.ts';
import { keysOf } from '../values/compare.ts';

/** Lists of more are looked through once, not once for each value. */
export const manyCandidates = 50;
const lookedThrough = new WeakMap<readonly Value[], { keys: Set<string>; kinds: Set<Kind> } | null>();

/** Whether a value is in a list; nothing where that hangs on kinds, so that each has to be looked at. */
export function isAmong(value: Value, list: readonly Value[]): boolean | undefined {
  let known = lookedThrough.get(list);
  if (known === undefined) {
    const keys = list.some(item => item instanceof Plain) ? undefined : keysOf([...list, 0]);
    known = keys ? { keys: new Set(keys), kinds: new Set(list.map(kindOf)) } : null;
    lookedThrough.set(list, known);
  }
  const [key] = known && !(value instanceof Plain) ? (keysOf([value, 0]) ?? []) : [];
  if (!known || key === undefined) return undefined;
  const kind = kindOf(value);
  if (known.keys.has(key)) return known.kinds.has(kind) ? true : undefined;
  return known.kinds.size === 1 && known.kinds.has(kind) ? false : undefined;
}
