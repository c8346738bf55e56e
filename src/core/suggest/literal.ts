import { Plain, type Value } from '../model/value.ts';
import { isNumeric, numberText } from '../values/number.ts';

/** A scalar as a page writes it; nothing where it has none that reads well. */
export function literal(value: Value): string | undefined {
  if (typeof value === 'boolean' || value === null) return String(value);
  if (isNumeric(value)) return numberText(value);
  const text = value instanceof Plain ? value.text : value;
  if (typeof text !== 'string' || text.length > longest || /[\p{Cc}\u2028\u2029]/u.test(text))
    return undefined;
  return textLiteral(text);
}

export function textLiteral(text: string): string {
  return JSON.stringify(text).replaceAll('{', '\\{');
}

const longest = 80;

/** The literals of a pattern: what would mean something else is escaped. */
export function patternLiteral(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/]/g, '\\$&');
}
