import {
  CalendarDate,
  Duration,
  Exact,
  isObject,
  type Kind,
  kindOf,
  Plain,
  Size,
  Timestamp,
  type Value,
} from '../model/value.ts';
import { calculate, compareNumbers, isNumberText, isNumeric, numberText, readNumber } from './number.ts';
import { readDate, readTimestamp, textOf } from './text.ts';

/** Equality within JSON: numbers by value, objects with their members in any order. */
export function equalJson(a: Value, b: Value): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null)
    return (
      (a instanceof Exact || b instanceof Exact) && isNumeric(a) && isNumeric(b) && compareNumbers(a, b) === 0
    );
  return equal(a, b) === true;
}

/** By Unicode code points, not by UTF-16 units. */
function compareTexts(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let at = 0; at < length; at++) {
    const [x, y] = [a.charCodeAt(at), b.charCodeAt(at)];
    if (x === y) continue;
    const [surrogateX, surrogateY] = [x >= 0xd800 && x <= 0xdfff, y >= 0xd800 && y <= 0xdfff];
    if (surrogateX !== surrogateY) return surrogateX ? 1 : -1;
    return x - y;
  }
  return a.length - b.length;
}

/**
 * Whether two values are equal, or nothing where values of these kinds cannot be compared. Null may be compared with
 * any kind.
 */
export function equal(a: Value, b: Value): boolean | undefined {
  if (a === null || b === null) return a === b || isPlainNull(a) || isPlainNull(b);
  const [x, y] = alike(a, b);
  const [kindX, kindY] = [kindOf(x), kindOf(y)];
  if (kindX !== kindY) return undefined;
  if (kindX === 'list') return equalLists(x as Value[], y as Value[]);
  if (kindX === 'object') return equalObjects(x as { [name: string]: Value }, y as { [name: string]: Value });
  if (kindX === 'boolean') return x === y;
  if (kindX === 'bytes') return Buffer.compare(x as Uint8Array, y as Uint8Array) === 0;
  return compareOrder(x, y) === 0;
}

function isPlainNull(value: Value): boolean {
  return value instanceof Plain && value.text === 'null';
}

function equalLists(a: Value[], b: Value[]): boolean {
  return a.length === b.length && a.every((item, index) => equal(item, b[index]!) === true);
}

function equalObjects(a: { [name: string]: Value }, b: { [name: string]: Value }): boolean {
  const names = Object.keys(a);
  return (
    names.length === Object.keys(b).length &&
    names.every(name => Object.hasOwn(b, name) && equal(a[name]!, b[name]!) === true)
  );
}

/** Whether no two items of a list are equal. */
export function isUnique(list: Value[]): boolean {
  const keys = keysOf(list);
  if (keys) return new Set(keys).size === keys.length;
  return list.every((item, at) => list.findIndex(other => equal(other, item) === true) === at);
}

/**
 * Texts that are the same for values that are equal and for no others, so that many can be compared in one go; nothing
 * where values are among them whose equality hangs on what stands on the other side.
 */
export function keysOf(list: readonly Value[]): string[] | undefined {
  if (list.length > 0 && list.every(item => typeof item === 'string' || item instanceof Plain))
    return list.map(item => textOf(item)!);
  const keys: string[] = [];
  for (const item of list) {
    const key = keyOf(item);
    if (key === undefined) return undefined;
    keys.push(key);
  }
  return keys;
}

function keyOf(value: Value): string | undefined {
  if (typeof value === 'string') return JSON.stringify(value);
  if (isNumeric(value)) return numberText(value);
  if (value === null || typeof value === 'boolean') return String(value);
  if (Array.isArray(value)) return joinedKeys('[', value, ']');
  if (!isObject(value)) return undefined;
  const names = Object.keys(value).sort();
  return joinedKeys(
    `{${JSON.stringify(names)}`,
    names.map(name => value[name]!),
    '}',
  );
}

function joinedKeys(open: string, values: readonly Value[], close: string): string | undefined {
  const keys = values.map(keyOf);
  return keys.includes(undefined) ? undefined : `${open}${keys.join(',')}${close}`;
}

/** Whether two lists hold the same items, each as often. */
export function equalInAnyOrder(a: Value[], b: Value[]): boolean {
  return a.length === b.length && unpaired(a, b).missing.length === 0;
}

/**
 * What two lists do not have in common, where each item counts as often as it stands there: what the first one has too
 * much of, and what of the second one it lacks.
 */
export function unpaired(
  list: readonly Value[],
  wanted: readonly Value[],
): { extra: Value[]; missing: Value[] } {
  const keys = keysOf([...list, ...wanted]);
  if (!keys) return unpairedByEquality(list, wanted);
  const counts = new Map<string, number>();
  const take = (key: string) => {
    const count = counts.get(key) ?? 0;
    if (count > 0) counts.set(key, count - 1);
    return count > 0;
  };
  const put = (key: string) => counts.set(key, (counts.get(key) ?? 0) + 1);
  const own = keys.slice(0, list.length);
  own.forEach(put);
  const missing = wanted.filter((_, index) => !take(keys[list.length + index]!));
  return { extra: list.filter((_, index) => take(own[index]!)), missing };
}

function unpairedByEquality(
  list: readonly Value[],
  wanted: readonly Value[],
): { extra: Value[]; missing: Value[] } {
  const extra = [...list];
  const missing = wanted.filter(item => {
    const at = extra.findIndex(other => equal(item, other) === true);
    if (at >= 0) extra.splice(at, 1);
    return at < 0;
  });
  return { extra, missing };
}

/** Negative, zero or positive; nothing where these kinds have no order. */
export function compareOrder(a: Value, b: Value): number | undefined {
  const [x, y] = alike(a, b);
  if (isNumeric(x) && isNumeric(y)) return compareNumbers(x, y);
  if (typeof x === 'string' && typeof y === 'string') return compareTexts(x, y);
  if (x instanceof Duration && y instanceof Duration) return x.milliseconds - y.milliseconds;
  if (x instanceof Size && y instanceof Size) return x.bytes - y.bytes;
  if (x instanceof Timestamp && y instanceof Timestamp) return x.milliseconds - y.milliseconds;
  if (x instanceof CalendarDate && y instanceof CalendarDate) return x.milliseconds - y.milliseconds;
  return undefined;
}

/** Whether it can be said if two values are equal: they are of one kind, or one of them is null. */
export function isComparable(a: Value, b: Value): boolean {
  if (a === null || b === null) return true;
  const [x, y] = alike(a, b);
  return kindOf(x) === kindOf(y);
}

/** Whether it can be said which of two values is the larger. */
export function isOrdered(a: Value, b: Value): boolean {
  return compareOrder(a, b) !== undefined;
}

/** Reads a plain value, or a text beside a date, as the kind of the other side. */
function alike(a: Value, b: Value): [Value, Value] {
  return [asKindOf(a, b), asKindOf(b, a)];
}

function asKindOf(value: Value, other: Value): Value {
  if (typeof value === 'string') {
    if (other instanceof CalendarDate) return readDate(value) ?? value;
    if (other instanceof Timestamp) return readTimestamp(value) ?? value;
    return value;
  }
  return value instanceof Plain ? plainAs(value, kindOf(other)) : value;
}

/** A plain value read as a kind, where it is written so; otherwise as text. */
export function plainAs({ text }: Plain, kind: Kind): Value {
  // White space around it means nothing in XML and HTML.
  const written = text.trim();
  if (kind === 'number' && isNumberText(written)) return readNumber(written);
  if (kind === 'boolean' && (written === 'true' || written === 'false')) return written === 'true';
  if (kind === 'date') return readDate(text) ?? text;
  if (kind === 'timestamp') return readTimestamp(text) ?? text;
  if (kind === 'duration') return readDuration(text) ?? text;
  if (kind === 'size') return readSize(text) ?? text;
  return text;
}

const durationUnits = new Map(
  Object.entries({
    ms: 1,
    s: 1e3,
    min: 6e4,
    h: 3.6e6,
    second: 1e3,
    minute: 6e4,
    hour: 3.6e6,
    day: 8.64e7,
    week: 6.048e8,
  }),
);
const sizeUnits = new Map(
  Object.entries({ B: 1, kB: 1e3, MB: 1e6, GB: 1e9, KiB: 2 ** 10, MiB: 2 ** 20, GiB: 2 ** 30 }),
);

/** The units that may follow a number, with what they are worth in milliseconds or bytes. */
export function unitOf(word: string): { kind: 'duration' | 'size'; factor: number } | undefined {
  const duration =
    durationUnits.get(word) ??
    (word.endsWith('s') && word.length > 3 ? durationUnits.get(word.slice(0, -1)) : undefined);
  if (duration !== undefined) return { kind: 'duration', factor: duration };
  const size = sizeUnits.get(word);
  return size === undefined ? undefined : { kind: 'size', factor: size };
}

export const unitNames = [...durationUnits.keys(), ...sizeUnits.keys()];

/** So many of a unit, exactly: 1.001 s is 1001 ms. */
export function amountOf(number: string, factor: number): number {
  const exact = calculate('*', readNumber(number.replace(/^(-?)0+(?=\d)/, '$1')), factor)!;
  return typeof exact === 'number' ? exact : exact.decimal.toNumber();
}

function readMeasure(text: string): { kind: 'duration' | 'size'; amount: number } | undefined {
  const parts = /^(-?\d+(?:\.\d+)?)\s*([A-Za-z]+)$/.exec(text.trim());
  const unit = parts ? unitOf(parts[2]!) : undefined;
  return unit && { kind: unit.kind, amount: amountOf(parts![1]!, unit.factor) };
}

/** `5 s`, `300 ms`, `2 days` */
export function readDuration(text: string): Duration | undefined {
  const measure = readMeasure(text);
  return measure?.kind === 'duration' ? new Duration(measure.amount) : undefined;
}

/** `20 kB`, `1 MiB` */
export function readSize(text: string): Size | undefined {
  const measure = readMeasure(text);
  return measure?.kind === 'size' ? new Size(measure.amount) : undefined;
}

/** A text as a text, and a plain value as its characters; nothing for other kinds. */
export function asText(value: Value): string | undefined {
  return typeof value === 'string' || value instanceof Plain ? textOf(value) : undefined;
}

/** A number as it is, and a plain value that is written as one. */
export function asNumber(value: Value): number | Exact | undefined {
  const read = value instanceof Plain ? plainAs(value, 'number') : value;
  return isNumeric(read) ? read : undefined;
}
