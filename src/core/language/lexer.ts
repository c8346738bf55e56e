import type { Range } from '../model/source.ts';
import { didYouMean } from '../text/words.ts';
import { amountOf, unitNames, unitOf } from '../values/compare.ts';
import { readNumber } from '../values/number.ts';
import type { DurationLiteral, NumberLiteral, PatternLiteral, SizeLiteral, TextLiteral } from './ast.ts';
import { endOfXPath } from './bare-xpath.ts';
import { belongsToPattern, type Reference, readReference } from './reference.ts';
import { StatementReader } from './statement-reader.ts';

const token = /[!#$%&'*+.^_`|~0-9A-Za-z-]+/y;
const digits = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;

/**
 * Reads the tokens of a statement from the text of a fence. What a `/` or `{` means depends on where it stands, so the
 * parser asks for the token that may stand there.
 */
export class Lexer extends StatementReader {
  // name :: ALPHA ( ALPHA | DIGIT | - | _ )*
  readName(what: string): { name: string; range: Range } {
    this.skipSpace();
    const start = this.at;
    const name = this.takeWord();
    if (name === undefined)
      this.fail(`${what} should stand here: letters, digits, '-' and '_', a letter first.`);
    return { name, range: this.place(start, this.at) };
  }

  // token (RFC 9110), as the name of a header, cookie or link relation
  readToken(): string | undefined {
    this.skipSpace();
    return this.match(token)?.[0];
  }

  /** Everything up to white space, as the name of a file. */
  readBare(): string | undefined {
    this.skipSpace();
    return this.match(/[^\s"]+/y)?.[0];
  }

  readReference(): Reference | undefined {
    this.skipSpace();
    return this.#referenceHere();
  }

  #referenceHere(): Reference | undefined {
    if (this.text[this.at] !== '{') return undefined;
    const found = readReference(this.text, this.at, this.place);
    if (found) this.at = found.end;
    return found?.reference;
  }

  // number | duration | size
  readNumber(): NumberLiteral | DurationLiteral | SizeLiteral | undefined {
    this.skipSpace();
    const start = this.at;
    const first = this.text.charCodeAt(this.at);
    if (first !== 0x2d && !(first >= 0x30 && first <= 0x39)) return undefined;
    const text = this.match(digits)?.[0];
    if (text === undefined) return undefined;
    if (/[\d.]/.test(this.text[this.at] ?? ''))
      this.fail(`A number has no leading zeros and a digit behind its point.`, start);
    const afterNumber = this.at;
    const unitWord = this.#unit();
    if (unitWord === undefined) {
      this.at = afterNumber;
      return { type: 'number', value: readNumber(text), range: this.place(start, this.at) };
    }
    const { kind, factor } = unitOf(unitWord)!;
    const range = this.place(start, this.at);
    const amount = amountOf(text, factor);
    return kind === 'duration'
      ? { type: 'duration', milliseconds: amount, range }
      : { type: 'size', bytes: amount, range };
  }

  /** The unit behind a number; a word right behind it that is no unit is an error. */
  #unit(): string | undefined {
    const joined = this.match(/[A-Za-z]+/y)?.[0];
    if (joined !== undefined) {
      if (unitOf(joined)) return joined;
      this.fail(
        `'${joined}' is no unit.`,
        this.at - joined.length,
        didYouMean(joined, unitNames),
        'word-unknown',
      );
    }
    if (this.text[this.at] !== ' ') return undefined;
    const found = this.peekWord();
    return found !== undefined && unitOf(found) ? this.takeWord() : undefined;
  }

  // text :: " ( char | escape | reference )* "
  /** @param holdsPatterns whether a brace behind `\p` belongs to a pattern */
  readText({ holdsPatterns = false } = {}): TextLiteral | undefined {
    this.skipSpace();
    const start = this.at;
    if (this.text[this.at] === "'")
      this.fail('A text stands in double quotes.', start, this.#inDoubleQuotes());
    if (this.text[this.at] !== '"') return undefined;
    this.at++;
    const parts: (string | Reference)[] = [];
    let run = '';
    for (;;) {
      const char = this.text[this.at];
      if (char === undefined || char === '\n') this.fail('This text is not closed.', start);
      if (char === '"') break;
      if (char === '\\') run += this.#escape();
      else {
        const isReference = char === '{' && !(holdsPatterns && belongsToPattern(run));
        const reference = isReference ? this.#referenceHere() : undefined;
        if (reference) {
          if (run !== '') parts.push(run);
          run = '';
          parts.push(reference);
        } else {
          run += char;
          this.at++;
        }
      }
    }
    this.at++;
    if (run !== '' || parts.length === 0) parts.push(run);
    return { type: 'text', parts, range: this.place(start, this.at) };
  }

  #escape(): string {
    const written = this.match(/\\(?:["\\/bfnrt{]|u[0-9a-fA-F]{4})/y)?.[0];
    if (written === undefined)
      this.fail(
        `'\\${this.text[this.at + 1] ?? ''}' is no escape.`,
        this.at,
        'A backslash itself is written \\\\.',
      );
    return written === '\\{' ? '{' : (JSON.parse(`"${written}"`) as string);
  }

  #inDoubleQuotes(): string | undefined {
    const inside = /^'([^'\n]*)'/.exec(this.text.slice(this.at))?.[1];
    return inside === undefined ? undefined : `Write ${JSON.stringify(inside)}.`;
  }

  // pattern :: / ( char | \/ )+ / ( i | m | s )*
  readPattern(): PatternLiteral | undefined {
    this.skipSpace();
    const start = this.at;
    if (this.text[this.at] !== '/') return undefined;
    this.at++;
    const parts: (string | Reference)[] = [];
    let run = '';
    for (;;) {
      const char = this.text[this.at];
      if (char === undefined || char === '\n') this.fail("This pattern is not closed with a '/'.", start);
      if (char === '/') break;
      const reference = char === '{' && !belongsToPattern(run) ? this.#referenceHere() : undefined;
      if (reference) {
        if (run !== '') parts.push(run);
        run = '';
        parts.push(reference);
      } else if (char === '\\') {
        const escaped = this.text.slice(this.at, this.at + 2);
        run += escaped === '\\/' ? '/' : escaped;
        this.at += 2;
      } else {
        run += char;
        this.at++;
      }
    }
    if (this.at === start + 1) this.fail('A pattern may not be empty.', start);
    this.at++;
    if (run !== '') parts.push(run);
    const flags = this.match(/[A-Za-z]*/y)![0];
    const wrong = /[^ims]/.exec(flags)?.[0];
    if (wrong !== undefined)
      this.fail(`'${wrong}' is no flag of a pattern; there are i, m and s.`, this.at - flags.length);
    return { type: 'pattern', parts, flags, range: this.place(start, this.at) };
  }

  // xml :: xml / …    to white space, "," or ")", each outside its own brackets and quotes
  readBareXPath(): (string | Reference)[] {
    const end = endOfXPath(this.text, this.at);
    const parts: (string | Reference)[] = [];
    let run = '';
    while (this.at < end) {
      const char = this.text[this.at]!;
      const reference = char === '{' && !belongsToPattern(run) ? this.#referenceHere() : undefined;
      if (reference) {
        if (run !== '') parts.push(run);
        run = '';
        parts.push(reference);
        continue;
      }
      if (char === '\\' && this.text[this.at + 1] === '{') this.at++;
      run += this.text[this.at];
      this.at++;
    }
    if (run !== '') parts.push(run);
    return parts;
  }
}
