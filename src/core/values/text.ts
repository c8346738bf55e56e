import { CalendarDate, Duration, Exact, Plain, Size, Timestamp, type Value } from '../model/value.ts';
import { numberText } from './number.ts';

/** The characters of a value where text is asked for; nothing for null, lists, objects and bytes. */
export function textOf(value: Value): string | undefined {
  if (typeof value === 'string') return value;
  if (typeof value === 'number' || value instanceof Exact) return numberText(value);
  if (typeof value === 'boolean') return String(value);
  if (value instanceof Plain) return value.text;
  if (value instanceof Duration) return durationText(value.milliseconds);
  if (value instanceof Size) return sizeText(value.bytes);
  if (value instanceof CalendarDate || value instanceof Timestamp) return instantText(value);
  return undefined;
}

/** RFC 3339, in UTC; a day alone for a date. */
export function instantText(value: CalendarDate | Timestamp): string {
  const text = new Date(value.milliseconds).toISOString();
  return value instanceof CalendarDate ? text.slice(0, 10) : text.replace('.000Z', 'Z');
}

/** `340 ms`, `3.2 s`, `5 min`, `2 h`, `3 days`: in the largest unit that needs no more than three digits after the point. */
export function durationText(milliseconds: number): string {
  const size = Math.abs(milliseconds);
  const day = 86_400_000;
  if (size >= day && milliseconds % day === 0)
    return size === day ? `${milliseconds / day} day` : `${milliseconds / day} days`;
  if (size >= 3_600_000 && milliseconds % 3_600_000 === 0) return `${milliseconds / 3_600_000} h`;
  if (size >= 60_000 && milliseconds % 60_000 === 0) return `${milliseconds / 60_000} min`;
  if (size >= 1000) return `${decimals(milliseconds / 1000, 3)} s`;
  return `${decimals(milliseconds, size < 1 ? 2 : size < 10 ? 1 : 0)} ms`;
}

/** `84 kB`: in powers of a thousand. */
export function sizeText(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  if (bytes < 1e6) return `${decimals(bytes / 1e3, bytes < 1e4 ? 1 : 0)} kB`;
  if (bytes < 1e9) return `${decimals(bytes / 1e6, bytes < 1e7 ? 1 : 0)} MB`;
  return `${decimals(bytes / 1e9, 1)} GB`;
}

function decimals(value: number, places: number): string {
  return String(Number(value.toFixed(places)));
}

const day = /^\d{4}-\d{2}-\d{2}$/;
const instant = /^\d{4}-\d{2}-\d{2}[Tt]\d{2}:\d{2}:\d{2}(?:\.\d+)?(?:[Zz]|[+-]\d{2}:\d{2})$/;

/** A text written as an RFC 3339 date, as that date. */
export function readDate(text: string): CalendarDate | undefined {
  if (!day.test(text)) return undefined;
  const milliseconds = Date.parse(`${text}T00:00:00Z`);
  const real = !Number.isNaN(milliseconds) && new Date(milliseconds).toISOString().startsWith(text);
  return real ? new CalendarDate(milliseconds) : undefined;
}

/** A text written as an RFC 3339 timestamp, as that instant. */
export function readTimestamp(text: string): Timestamp | undefined {
  if (!instant.test(text) || !readDate(text.slice(0, 10))) return undefined;
  const milliseconds = Date.parse(text.toUpperCase());
  return Number.isNaN(milliseconds) ? undefined : new Timestamp(milliseconds);
}

const months = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ');
const time = '(?<time>\\d{2}:\\d{2}:\\d{2})';
/** The form of today, and the two obsolete ones that are still to be read (RFC 9110, 5.6.7). */
const httpDates = [
  new RegExp(`^[A-Z][a-z]{2}, (?<day>\\d{2}) (?<month>[A-Z][a-z]{2}) (?<year>\\d{4}) ${time} GMT$`),
  new RegExp(`^[A-Z][a-z]+day, (?<day>\\d{2})-(?<month>[A-Z][a-z]{2})-(?<year>\\d{2}) ${time} GMT$`),
  new RegExp(`^[A-Z][a-z]{2} (?<month>[A-Z][a-z]{2}) (?<day>[ \\d]\\d) ${time} (?<year>\\d{4})$`),
];

/** A text written as an HTTP date, as that instant. */
export function readHttpDate(text: string): Timestamp | undefined {
  for (const form of httpDates) {
    const found = form.exec(text);
    if (!found) continue;
    const { day: date, month, year, time: clock } = found.groups as { [part: string]: string };
    return readTimestamp(
      `${fullYear(year!)}-${two(months.indexOf(month!) + 1)}-${two(Number(date))}T${clock}Z`,
    );
  }
  return undefined;
}

function two(number: number): string {
  return String(number).padStart(2, '0');
}

/** Two digits are of the last century where they would lie far ahead. */
function fullYear(year: string): string {
  if (year.length === 4) return year;
  return `${Number(year) > 80 ? 19 : 20}${year}`;
}

/** Whether a text has more than a few characters that no text has: bytes that were read as one. */
export function isBinary(text: string): boolean {
  const beginning = text.slice(0, 4000);
  const odd = beginning.match(/[\u0000-\u0008\u000e-\u001a\u001c-\u001f\uFFFD]/g)?.length ?? 0;
  return odd > beginning.length / 50;
}
