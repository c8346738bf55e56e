import { Exact, isObject, type Value } from '../../model/value.ts';
import { readJson, writeJson } from '../../values/json-document.ts';
import { isInteger, numberText, readNumber } from '../../values/number.ts';

// Values on their way into a script and back: JSON, in which texts with a mark before them stand for what JSON lacks.

/** Begins a text that stands for something else: with `n` a large integer, with `b` bytes (a character each), with another mark itself. */
export const mark = '\u0001';

/** An integer with more digits than this is a text in a script too. */
const mostDigits = 10_000;

/** JSON, and whether anything in it is marked. */
export interface Packed {
  readonly json: string;
  readonly marked: boolean;
}

/** What JSON has no kind for is as a request would carry it. */
export function pack(value: Value): Packed {
  const json = JSON.stringify(plainOf(value));
  return { json, marked: json.includes('"\\u0001') };
}

function plainOf(value: Value): unknown {
  if (typeof value === 'string') return value.startsWith(mark) ? mark + value : value;
  if (typeof value === 'number' || typeof value === 'boolean' || value === null) return value;
  if (value instanceof Uint8Array) return `${mark}b${Buffer.from(value).toString('latin1')}`;
  if (value instanceof Exact) {
    const text = numberText(value);
    return isInteger(value) && /^-?\d+$/.test(text) && text.length <= mostDigits ? `${mark}n${text}` : text;
  }
  if (Array.isArray(value)) return value.map(plainOf);
  if (isObject(value)) {
    const entries = Object.entries(value).map(([name, each]) => [name, plainOf(each)] as const);
    return Object.fromEntries(entries);
  }
  return plainOf(readJson(writeJson(value)));
}

/** What a script gives. */
export function unpack(json: string): Value {
  const value = JSON.parse(json) as Value;
  return json.includes('"\\u0001') ? unmarked(value) : value;
}

function unmarked(packed: Value): Value {
  if (typeof packed === 'string') {
    if (!packed.startsWith(mark)) return packed;
    const rest = packed.slice(2);
    if (packed[1] === 'n') return readNumber(rest);
    return packed[1] === 'b' ? Uint8Array.from(Buffer.from(rest, 'latin1')) : packed.slice(1);
  }
  if (Array.isArray(packed)) return packed.map(unmarked);
  if (!isObject(packed)) return packed;
  return Object.fromEntries(Object.entries(packed).map(([name, each]) => [name, unmarked(each)]));
}
