import { kindOf, type Value } from '../../model/value.ts';
import { describe } from '../../values/describe.ts';
import { readJson } from '../../values/json-document.ts';
import { isNumeric, numberText } from '../../values/number.ts';
import { readDate, readTimestamp } from '../../values/text.ts';
import type { ChangeKind } from './change.ts';

/** Another value in the place of one. */
export interface OtherValue {
  readonly kind: Extract<ChangeKind, 'gone' | 'null' | 'kind' | 'value'>;
  readonly words: () => string;
  /** Nothing where the member is gone. */
  readonly value: Value | undefined;
}

const day = 86_400_000;

/**
 * What may stand in the place of a scalar by mistake: nothing, null, another kind, another value of its kind.
 * @param seen what else stands in such places
 */
export function* otherValues(value: Value, seen: readonly Value[]): Generator<OtherValue> {
  yield { kind: 'gone', words: () => 'is gone', value: undefined };
  if (value !== null) yield { kind: 'null', words: () => `${short(value)} becomes null`, value: null };
  yield becoming('kind', value, ofOtherKind(value));
  for (const other of ofSameKind(value, seen)) yield becoming('value', value, other);
}

function becoming(kind: OtherValue['kind'], value: Value, other: Value): OtherValue {
  return { kind, words: () => `${short(value)} becomes ${short(other)}`, value: other };
}

const longestShown = 40;

/** A value in a few characters. */
export function short(value: Value): string {
  const text = describe(value);
  return text.length <= longestShown ? text : `${text.slice(0, longestShown)} …`;
}

/** A mistake that programs make: a number as a text, a text as a number. */
function ofOtherKind(value: Value): Value {
  switch (kindOf(value)) {
    case 'text':
      return /^\d{1,15}$/.test(value as string) ? Number(value) : 1;
    case 'number':
      return numberText(value as number);
    case 'boolean':
      return String(value);
    case 'list':
      return {};
    case 'object':
      return [];
    default:
      return 'none';
  }
}

function ofSameKind(value: Value, seen: readonly Value[]): Value[] {
  if (typeof value === 'boolean') return [!value];
  if (isNumeric(value)) return otherNumbers(numberText(value), seen);
  if (typeof value !== 'string') return [];
  const moved = otherInstants(value);
  if (moved) return moved;
  const other = seen.find(each => typeof each === 'string' && each !== value);
  const unlike = scrambled(value);
  return other === undefined ? [unlike] : [other, unlike];
}

/** The next one, with all its digits, and one below all that there are. */
function otherNumbers(text: string, seen: readonly Value[]): Value[] {
  const next = text.replace(/\d(?=[eE]|$)/, digit => String(Number(digit) === 9 ? 8 : Number(digit) + 1));
  const lowest = Math.min(Number(text), ...seen.slice(0, 1000).filter(each => typeof each === 'number'));
  return [readJson(next), lowest > 0 ? -lowest : lowest - 1];
}

/** An instant or a day, a year earlier and later, written in the same way. */
function otherInstants(text: string): string[] | undefined {
  const isDay = readDate(text) !== undefined;
  const at = isDay ? Date.parse(text) : readTimestamp(text)?.milliseconds;
  if (at === undefined || Number.isNaN(at)) return undefined;
  return [-366, 366].flatMap(days => {
    const moved = new Date(at + days * day);
    if (Number.isNaN(moved.getTime())) return [];
    const iso = moved.toISOString();
    return [isDay ? iso.slice(0, 10) : `${iso.slice(0, 10)}${text.slice(10)}`];
  });
}

/** A text that nobody has seen, with letters for letters and digits for digits. */
function scrambled(text: string): string {
  if (text === '') return 'x';
  const uuid = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text);
  return text.replace(uuid ? /[0-9a-f]/gi : /[a-z\d]/gi, char => {
    if (/\d/.test(char)) return String((Number(char) + 3) % 10);
    const base = char === char.toUpperCase() ? 65 : 97;
    const span = uuid ? 6 : 26;
    return String.fromCharCode(base + ((char.charCodeAt(0) - base + 3) % span));
  });
}
