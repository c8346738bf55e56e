import { type Found, isObject, Missing, type Value } from '../../model/value.ts';
import { asNumber } from '../../values/compare.ts';
import { textOf } from '../../values/text.ts';
import type { Segment, Selector } from './ast.ts';
import { type Match, pathStep } from './match.ts';

/** The name of a member or the index of an item; the latter is found once it is known what it is looked up in. */
export type Key = string | number;
type FindKey = (from: Value, given: readonly Value[]) => Key;

/** What a selector for one value looks up. */
export function compileKey(selector: Selector): Key | FindKey {
  switch (selector.kind) {
    case 'name':
      return selector.name;
    case 'index':
      return selector.index;
    case 'given-name':
      return (_from, given) =>
        selector.parts
          .map(part => (typeof part === 'string' ? part : (textOf(given[part.slot]!) ?? '')))
          .join('');
    case 'given':
      return (from, given) => givenKey(from, given[selector.slot]!);
    default:
      throw new TypeError(`A selector of the kind '${selector.kind}' looks up no single value.`);
  }
}

/** A whole number is an index of a list; whatever else it is, it names a member by its text. */
function givenKey(from: Value, value: Value): Key {
  if (Array.isArray(from)) {
    const index = asNumber(value);
    if (typeof index === 'number' && Number.isSafeInteger(index)) return index;
  }
  return textOf(value) ?? '';
}

function keysOf(segments: readonly Segment[]): (Key | FindKey)[] {
  return segments.map(segment => compileKey(segment.selectors[0]!));
}

/** A singular path inside a filter, where nobody asks why something is missing. */
export function compileWalk(segments: readonly Segment[]): (from: Value, given: readonly Value[]) => Found {
  const keys = keysOf(segments);
  return (from, given) => {
    let value: Value | undefined = from;
    for (const key of keys) {
      value = step(value, typeof key === 'function' ? key(value, given) : key);
      if (value === undefined) return nothing;
    }
    return value;
  };
}

/** A singular path made ready: walks straight to the one value, or says what is missing, from the place where it began. */
export function compileSingular(
  segments: readonly Segment[],
): (from: Value, given: readonly Value[], place?: Match) => Found {
  const keys = keysOf(segments);
  return (from, given, place) => {
    let value = from;
    for (let depth = 0; depth < keys.length; depth++) {
      const key = keys[depth]!;
      const next = step(value, typeof key === 'function' ? key(value, given) : key);
      if (next === undefined) return missing(keys.slice(0, depth + 1), from, given, place?.path ?? '$');
      value = next;
    }
    return value;
  };
}

export function step(value: Value, key: string | number): Value | undefined {
  if (typeof key === 'number') return Array.isArray(value) ? value.at(key) : undefined;
  return isObject(value) && Object.hasOwn(value, key) ? value[key] : undefined;
}

/** @param keys up to the first that leads nowhere */
function missing(
  keys: readonly (Key | FindKey)[],
  from: Value,
  given: readonly Value[],
  begin: string,
): Missing {
  let [at, where, key]: [Value, string, Key] = [from, begin, ''];
  for (const [level, each] of keys.entries()) {
    key = typeof each === 'function' ? each(at, given) : each;
    if (level === keys.length - 1) break;
    where += pathStep(key);
    at = step(at, key)!;
  }
  if (typeof key === 'number') {
    if (!Array.isArray(at)) return new Missing(`${where} is no list`);
    return new Missing(
      `${where} has ${at.length} ${at.length === 1 ? 'item' : 'items'}, so there is no ${where}[${key}]`,
    );
  }
  if (!isObject(at))
    return new Missing(
      `${where} is ${Array.isArray(at) ? 'a list' : 'no object'}, so it has no member '${key}'`,
    );
  const names = Object.keys(at);
  if (names.length === 0) return new Missing(`${where} has no member '${key}'; it is empty`);
  const shown = names.slice(0, 12).join(', ') + (names.length > 12 ? ', …' : '');
  return new Missing(`${where} has no member '${key}'; there ${names.length === 1 ? 'is' : 'are'} ${shown}`);
}

/** What a query gives where nothing is. */
export const nothing = new Missing('nothing');
