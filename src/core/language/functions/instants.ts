import {
  CalendarDate,
  type Found,
  kindInWords,
  kindOf,
  Missing,
  Timestamp,
  type Value,
} from '../../model/value.ts';
import { asNumber, asText } from '../../values/compare.ts';
import { numberText } from '../../values/number.ts';
import { readDate, readHttpDate, readTimestamp } from '../../values/text.ts';
import { readDateBy, writeDate } from '../dates.ts';
import type { FunctionGroup } from './signature.ts';

const day = 86_400_000;
/** The last instant that RFC 3339 can write. */
const latest = Date.UTC(9999, 11, 31, 23, 59, 59, 999);

/** Dates and instants, in UTC. */
export const timeFunctions = {
  now: {
    parameters: [],
    result: 'timestamp',
    apply: (_, clockAndRandom) => new Timestamp(clockAndRandom.now()),
  },
  today: { parameters: [], result: 'date', apply: (_, clockAndRandom) => dayOf(clockAndRandom.now()) },
  date: {
    parameters: ['any', 'text'],
    optional: 1,
    result: 'any',
    apply: ([value, pattern]) =>
      pattern === undefined ? toDate(value!) : byPattern(value!, pattern as string),
  },
  timestamp: { parameters: ['any'], result: 'timestamp', apply: ([value]) => toTimestamp(value!) },
} satisfies FunctionGroup;

function dayOf(milliseconds: number): CalendarDate {
  return new CalendarDate(Math.floor(milliseconds / day) * day);
}

function toDate(value: Value): Found {
  if (value instanceof CalendarDate) return value;
  const text = asText(value);
  const date = text === undefined ? undefined : readDate(text);
  if (date) return date;
  const timestamp = toTimestamp(value);
  return timestamp instanceof Timestamp ? dayOf(timestamp.milliseconds) : noDate('date', value);
}

/** A date or timestamp is written by the pattern; a text is read by it, or, where it is RFC 3339, written by it. */
function byPattern(value: Value, pattern: string): Found {
  if (value instanceof CalendarDate || value instanceof Timestamp) return writeDate(value, pattern);
  const text = asText(value);
  if (text === undefined) return noDate('date', value);
  const read = readDateBy(text, pattern);
  if (read !== undefined) return read;
  const standard = readDate(text) ?? readTimestamp(text);
  return standard
    ? writeDate(standard, pattern)
    : new Missing(`'${text.slice(0, 40)}' is not written as '${pattern}'`);
}

/** RFC 3339, an HTTP date (RFC 9110, 5.6.7), or seconds since 1970. */
function toTimestamp(value: Value): Found {
  if (value instanceof Timestamp) return value;
  if (value instanceof CalendarDate) return new Timestamp(value.milliseconds);
  const seconds = asNumber(value) ?? asNumber(trimmed(value));
  if (seconds !== undefined) {
    const milliseconds = Math.round(Number(numberText(seconds)) * 1000);
    return Math.abs(milliseconds) <= latest
      ? new Timestamp(milliseconds)
      : new Missing(`timestamp() takes seconds since 1970, and ${numberText(seconds)} are too many`);
  }
  const text = asText(value);
  if (text === undefined) return noDate('timestamp', value);
  const day = readDate(text);
  return (
    readTimestamp(text) ??
    readHttpDate(text) ??
    (day && new Timestamp(day.milliseconds)) ??
    noDate('timestamp', value)
  );
}

/** A text of digits counts as seconds too. */
function trimmed(value: Value): Value {
  return typeof value === 'string' && /^\d{1,12}(?:\.\d+)?$/.test(value) ? Number(value) : value;
}

function noDate(name: string, value: Value): Missing {
  const text = asText(value);
  return new Missing(
    text === undefined
      ? `${name}() takes a text or an instant, not ${kindInWords(kindOf(value))}`
      : `'${text.slice(0, 40)}' is not written as a ${name}`,
  );
}
