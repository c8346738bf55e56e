import {
  CalendarDate,
  Duration,
  isObject,
  Plain,
  Size,
  Special,
  Timestamp,
  type Value,
} from '../model/value.ts';
import { writeJson } from './json-document.ts';
import { numberText } from './number.ts';
import { durationText, instantText, sizeText } from './text.ts';

const longest = 400;

/** A value as a message shows it: JSON for what JSON has, the exact amount where a unit rounds. */
export function describe(value: Value): string {
  if (value instanceof Plain) return JSON.stringify(value.text);
  if (value instanceof Duration) return durationText(value.milliseconds);
  if (value instanceof Size) {
    return value.bytes < 1000
      ? sizeText(value.bytes)
      : `${sizeText(value.bytes)} (${numberText(value.bytes)} B)`;
  }
  if (value instanceof CalendarDate || value instanceof Timestamp) return instantText(value);
  if (value instanceof Uint8Array) return `${value.length} bytes`;
  return outline(value);
}

/** The same, with every digit of a time or a size. */
export function describeExactly(value: Value): string {
  if (value instanceof Duration) return `${numberText(value.milliseconds)} ms`;
  return value instanceof Size ? `${numberText(value.bytes)} B` : describe(value);
}

/** A document in one line; where it is long, lists are cut behind their first item, then inner parts only counted. */
export function outline(value: Value, limit = longest): string {
  const whole = writeJson(value);
  if (whole.length <= limit) return whole;
  for (const depth of [20, 3, 2]) {
    const text = unquoteCounts(writeJson(folded(value, depth)));
    if (text.length <= limit) return text;
  }
  return cut(unquoteCounts(writeJson(folded(value, 1))), limit);
}

export function cut(text: string, limit = longest): string {
  return text.length > limit ? `${text.slice(0, limit)} …` : text;
}

// A private character marks a count, so that a text of the document is never taken for one.
const mark = '\uE000';

function folded(value: Value, depth: number): Value {
  if (Array.isArray(value)) {
    if (depth === 0) return `${mark}[${value.length} items]${mark}`;
    const first = value.slice(0, 1).map(item => folded(item, depth - 1));
    return value.length > 1 ? [...first, `${mark}… ${value.length - 1} more${mark}`] : first;
  }
  if (!isObject(value) || value instanceof Special) return value;
  const entries = Object.entries(value);
  if (depth === 0) return `${mark}{${entries.length} members}${mark}`;
  return Object.fromEntries(entries.map(([name, each]) => [name, folded(each, depth - 1)]));
}

function unquoteCounts(text: string): string {
  return text.replace(/"\uE000(.*?)\uE000"/g, '$1');
}
