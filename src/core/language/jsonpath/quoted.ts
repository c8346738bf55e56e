import { SourceError } from '../../model/finding.ts';
import { belongsToPattern } from '../reference.ts';
import type { GivenText, Slot } from './ast.ts';

/**
 * Reads a name or text in single or double quotes (RFC 9535, 2.3.1.1), with the escapes of JSON, that of its own quote,
 * and `\{` for a brace. Throws SourceError.
 * @param readSlot the reference that begins at an offset
 */
export function readQuoted(
  text: string,
  start: number,
  readSlot: (at: number) => { slot: Slot; end: number } | undefined,
): { parts: GivenText; end: number } {
  const quote = text[start]!;
  const parts: (string | Slot)[] = [];
  let at = start + 1;
  let value = '';
  for (;;) {
    const char = text[at];
    if (char === undefined || char === '\n') fail('This quote is not closed.', start, at);
    if (char === quote) {
      if (value !== '' || parts.length === 0) parts.push(value);
      return { parts, end: at + 1 };
    }
    if (char < ' ') fail('A control character must be escaped.', at, at + 1);
    const found = char === '{' && !belongsToPattern(value) ? readSlot(at) : undefined;
    if (found) {
      if (value !== '') parts.push(value);
      value = '';
      parts.push(found.slot);
      at = found.end;
      continue;
    }
    if (char !== '\\') {
      value += char;
      at++;
      continue;
    }
    const { char: escaped, length } = readEscape(text, at, quote);
    value += escaped;
    at += length;
  }
}

const escapeForm = /^\\(?:[bfnrt/\\]|u[0-9a-fA-F]{4}(?:\\u[dD][c-fC-F][0-9a-fA-F]{2})?)/;

function readEscape(text: string, at: number, quote: string): { char: string; length: number } {
  const next = text[at + 1];
  if (next === quote || next === '{') return { char: next, length: 2 };
  const written = escapeForm.exec(text.slice(at, at + 12))?.[0];
  if (written === undefined) fail(`'\\${text[at + 1] ?? ''}' is no escape.`, at, at + 2);
  const char = JSON.parse(`"${written}"`) as string;
  const isPair = written.length > 6;
  if (/[\uD800-\uDFFF]/u.test(char) || (isPair && char.codePointAt(0)! < 0x10000)) {
    fail('Half of a surrogate pair is no character.', at, at + written.length);
  }
  return { char, length: written.length };
}

function fail(message: string, start: number, end: number): never {
  throw new SourceError('path-form', { start, end }, message);
}
