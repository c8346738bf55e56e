import { type Reference, readReference } from '../template/reference.ts';
import { Mistake } from '../text/finding.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Range } from '../text/source.ts';
import { unitNames, unitOf } from '../values/compare.ts';
import { readNumber } from '../values/number.ts';
import type { DurationLiteral, NumberLiteral, PatternLiteral, SizeLiteral, TextLiteral } from './ast.ts';
import { endOfXPath } from './bare-xpath.ts';

/** The next line that holds more than a comment: its indentation and its first character. */
const nextContent = /(?:[ \t]*(?:#.*)?\n)*([ \t]*)(\S?)/y;
const word = /[A-Za-z][A-Za-z0-9_-]*/y;
const token = /[!#$%&'*+.^_`|~0-9A-Za-z-]+/y;
const digits = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;
/** Reads the tokens of a statement from the text of a fence. What a `/` or `{` means depends on where it stands, so
 * the parser asks for the token that may stand there. */
export class Lexer {
  at = 0;
  /** How many brackets are open; inside them a statement goes on over line ends. */
  #open = 0;
  #wordAt = -1;
  #word: string | undefined;
  /** The comments inside the statement that is read: where each begins and ends. */
  readonly #comments = new Map<number, number>();

  /** @param place turns offsets of `text` into a range of the page */
  constructor(
    readonly text: string,
    readonly place: (start: number, end: number) => Range,
    /** The file that it stands in. */
    readonly file: string,
  ) {}

  /** The range of the page from an offset up to here, without the white space before here. */
  since(start: number): Range {
    return this.place(start, this.#contentEnd(start));
  }

  /** What is written from an offset up to here, in one line and without its comments. */
  written(start: number): string {
    let text = '';
    let at = start;
    const end = this.#contentEnd(start);
    if (this.#comments.size === 0 && !this.text.slice(start, end).includes('\n'))
      return this.text.slice(start, end).trim();
    for (const [from, to] of this.#comments) {
      if (from < at || from >= end) continue;
      text += this.text.slice(at, from);
      at = to;
    }
    return (text + this.text.slice(at, end)).replace(/\s*\n\s*/g, ' ').trim();
  }

  /** Here, or where the white space and the comments before here begin. */
  #contentEnd(start: number): number {
    let end = this.at;
    for (;;) {
      while (end > start && isSpace(this.text.charCodeAt(end - 1))) end--;
      if (this.#comments.size === 0) return end;
      const comment = [...this.#comments].find(([, to]) => to === end);
      if (!comment || comment[0] < start) return end;
      end = comment[0];
    }
  }

  /** Skips white space and comments, and the line end where the next line goes on from this one. */
  skipSpace(): void {
    for (;;) {
      const char = this.text[this.at];
      if (char === ' ' || char === '\t') this.at++;
      else if (char === '#' && this.#beginsComment()) this.#skipComment();
      else if (char === '\n' && (this.#open > 0 || this.#nextLineGoesOn())) this.at++;
      else return;
    }
  }

  /** Whether nothing more stands in this statement. */
  get atEnd(): boolean {
    this.skipSpace();
    return this.at >= this.text.length || this.text[this.at] === '\n';
  }

  /** Goes on to the next statement; false when there is none. */
  nextStatement(): boolean {
    this.#open = 0;
    this.#comments.clear();
    for (;;) {
      const char = this.text[this.at];
      if (char === undefined) return false;
      if (char === '\n' || char === ' ' || char === '\t') this.at++;
      else if (char === '#' && this.#beginsComment()) this.at = this.#lineEnd();
      else return true;
    }
  }

  /** After a mistake: leaves the rest of the statement, which ends before the next line that is not indented. */
  leaveStatement(): void {
    this.#open = 0;
    this.at = this.#lineEnd();
    while (this.#nextLineGoesOn()) {
      this.at++;
      this.at = this.#lineEnd();
    }
  }

  #skipComment(): void {
    const start = this.at;
    this.at = this.#lineEnd();
    this.#comments.set(start, this.at);
  }

  #lineEnd(): number {
    const end = this.text.indexOf('\n', this.at);
    return end < 0 ? this.text.length : end;
  }

  #beginsComment(): boolean {
    return this.at === 0 || /\s/.test(this.text[this.at - 1]!);
  }

  #nextLineGoesOn(): boolean {
    if (this.text[this.at] !== '\n') return false;
    const next = this.text[this.at + 1];
    if (next === undefined || !' \t\n#'.includes(next)) return false;
    nextContent.lastIndex = this.at + 1;
    const [, space, first] = nextContent.exec(this.text)!;
    return space !== '' && first !== '' && first !== '#';
  }

  #match(pattern: RegExp): RegExpExecArray | undefined {
    pattern.lastIndex = this.at;
    const match = pattern.exec(this.text);
    if (!match) return undefined;
    this.at += match[0].length;
    return match;
  }

  /** The word that stands here, left in place. Many ask one after the other. */
  peekWord(): string | undefined {
    this.skipSpace();
    if (this.#wordAt !== this.at) {
      word.lastIndex = this.at;
      this.#word = word.exec(this.text)?.[0];
      this.#wordAt = this.at;
    }
    return this.#word;
  }

  takeWord(...wanted: string[]): string | undefined {
    const found = this.peekWord();
    if (found === undefined || (wanted.length > 0 && !wanted.includes(found))) return undefined;
    this.at += found.length;
    return found;
  }

  /** Whether these characters stand here, left in place. */
  peek(symbol: string): boolean {
    this.skipSpace();
    return this.text.startsWith(symbol, this.at);
  }

  take(symbol: string): boolean {
    if (!this.peek(symbol)) return false;
    this.at += symbol.length;
    if (symbol === '(' || symbol === '[' || symbol === '{') this.#open++;
    if (symbol === ')' || symbol === ']' || symbol === '}') this.#open--;
    return true;
  }

  require(symbol: string, after: string): void {
    if (!this.take(symbol)) this.fail(`A '${symbol}' should follow ${after}.`);
  }

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
    return this.#match(token)?.[0];
  }

  /** Everything up to white space, as the name of a file. */
  readBare(): string | undefined {
    this.skipSpace();
    return this.#match(/[^\s"]+/y)?.[0];
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
    const text = this.#match(digits)?.[0];
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
    const amount = Number(text) * factor;
    return kind === 'duration'
      ? { type: 'duration', milliseconds: amount, range }
      : { type: 'size', bytes: amount, range };
  }

  /** The unit behind a number; a word right behind it that is no unit is a mistake. */
  #unit(): string | undefined {
    const joined = this.#match(/[A-Za-z]+/y)?.[0];
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
  readText(): TextLiteral | undefined {
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
        const reference = char === '{' ? this.#referenceHere() : undefined;
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
    const written = this.#match(/\\(?:["\\/bfnrt{]|u[0-9a-fA-F]{4})/y)?.[0];
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
      // Behind \p, \P, \x and \u a brace belongs to the pattern.
      const reference =
        char === '{' && !/(?:^|[^\\])(?:\\\\)*\\[pPxu]$/.test(run) ? this.#referenceHere() : undefined;
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
    const flags = this.#match(/[A-Za-z]*/y)![0];
    const wrong = /[^ims]/.exec(flags)?.[0];
    if (wrong !== undefined)
      this.fail(`'${wrong}' is no flag of a pattern; there are i, m and s.`, this.at - flags.length);
    return { type: 'pattern', parts, flags, range: this.place(start, this.at) };
  }

  // xml :: xml / …    to white space, "," or ")", each outside its own brackets and quotes
  readBareXPath(): string {
    const start = this.at;
    this.at = endOfXPath(this.text, start);
    return this.text.slice(start, this.at);
  }

  /** A Mistake from `start` (or from here) over the token that stands there. */
  fail(
    message: string,
    start = this.at,
    remedy?: string,
    code: 'syntax' | 'word-unknown' | 'function-unknown' = 'syntax',
  ): never {
    let end = Math.max(this.at, start);
    if (end === start) end += /^(?:[\w-]+|[^\s\w]{1,2}|)/.exec(this.text.slice(start, start + 60))![0].length;
    throw new Mistake(code, this.place(start, Math.max(end, start + 1)), message, remedy);
  }
}

function isSpace(unit: number): boolean {
  return unit === 32 || (unit >= 9 && unit <= 13);
}
