import { SourceError } from '../model/finding.ts';
import type { Range } from '../model/source.ts';

/** The next line that holds more than a comment: its indentation and its first character. */
const nextContent = /(?:[ \t]*(?:#.*)?\n)*([ \t]*)(\S?)/y;
const word = /[A-Za-z][A-Za-z0-9_-]*/y;

/** The characters of a fence, cut into statements: white space, comments, lines that go on, words and symbols. */
export class StatementReader {
  at = 0;
  /** How many brackets are open; inside them a statement goes on over line ends. */
  #open = 0;
  /** The end of a line behind which no statement goes on. */
  #endAt = -1;
  #wordAt = -1;
  #word: string | undefined;
  /** The comments inside the statement that is read: where each begins and ends. */
  readonly #comments: [from: number, to: number][] = [];
  readonly #commentEnds = new Map<number, number>();

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
    if (this.#comments.length === 0 && !this.text.slice(start, end).includes('\n'))
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
      const comment = this.#commentEnds.get(end);
      if (comment === undefined || comment < start) return end;
      end = comment;
    }
  }

  /** Skips white space and comments, and the line end where the next line goes on from this one. */
  skipSpace(): void {
    for (;;) {
      const char = this.text[this.at];
      if (char === ' ' || char === '\t') this.at++;
      else if (char === '#' && this.#beginsComment()) this.#skipComment();
      else if (char === '\n' && this.#goesOn()) this.at++;
      else return;
    }
  }

  /** At the end of a line, which is come by many times. */
  #goesOn(): boolean {
    if (this.#open > 0) return true;
    if (this.at === this.#endAt) return false;
    if (this.#nextLineGoesOn()) return true;
    this.#endAt = this.at;
    return false;
  }

  /** Whether nothing more stands in this statement. */
  get atEnd(): boolean {
    this.skipSpace();
    return this.at >= this.text.length || this.text[this.at] === '\n';
  }

  /** Goes on to the next statement; false when there is none. */
  nextStatement(): boolean {
    this.#open = 0;
    this.#comments.length = 0;
    this.#commentEnds.clear();
    for (;;) {
      const char = this.text[this.at];
      if (char === undefined) return false;
      if (char === '\n' || char === ' ' || char === '\t') this.at++;
      else if (char === '#' && this.#beginsComment()) this.at = this.#lineEnd();
      else return true;
    }
  }

  /**
   * After an error: leaves the statement that began at an offset. It ends before the next line that is not indented and
   * stands in no bracket. Where a bracket is never closed, nothing below its line belongs to it.
   * @returns whether more was read than belongs to it
   */
  leaveStatement(start: number): boolean {
    const reached = this.at;
    this.#open = 0;
    this.at = start;
    this.at = this.#balancedEnd(start) ?? this.#lineEnd();
    while (this.#nextLineGoesOn()) {
      this.at++;
      this.at = this.#lineEnd();
    }
    return reached > this.at;
  }

  /** The end of the line in which all brackets of a statement are closed; nothing where they never are. */
  #balancedEnd(start: number): number | undefined {
    const open: string[] = [];
    for (let from = start; ; ) {
      const lineEnd = this.text.indexOf('\n', from);
      const to = lineEnd < 0 ? this.text.length : lineEnd;
      countBrackets(this.text.slice(from, to), open);
      if (open.length === 0) return to;
      if (lineEnd < 0) return undefined;
      from = to + 1;
    }
  }

  #skipComment(): void {
    const start = this.at;
    this.at = this.#lineEnd();
    if (this.#commentEnds.has(this.at)) return;
    this.#comments.push([start, this.at]);
    this.#commentEnds.set(this.at, start);
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

  protected match(pattern: RegExp): RegExpExecArray | undefined {
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

  /** A SourceError from `start` (or from here) over the token that stands there. */
  fail(
    message: string,
    start = this.at,
    remedy?: string,
    code: 'syntax' | 'word-unknown' | 'function-unknown' = 'syntax',
  ): never {
    let end = Math.max(this.at, start);
    if (end === start) end += /^(?:[\w-]+|[^\s\w]{1,2}|)/.exec(this.text.slice(start, start + 60))![0].length;
    throw new SourceError(code, this.place(start, Math.max(end, start + 1)), message, remedy);
  }
}

const quoted = /"(?:[^"\\]|\\.)*"?|'(?:[^'\\]|\\.)*'?|(?<=^|\s)#.*|[[({\])}]/g;

const partner = { '(': ')', '[': ']', '{': '}' } as const;

/** Goes on with the brackets that are open at the end of a line. */
function countBrackets(line: string, open: string[]): void {
  for (const [found] of line.matchAll(quoted)) {
    if ('[({'.includes(found)) open.push(found);
    else if (found.length === 1 && '])}'.includes(found) && open.length > 0) {
      // One that closes another kind closes nothing, and nothing behind it is closed either.
      if (partner[open.at(-1) as '('] === found) open.pop();
      else open.push(found);
    }
  }
}

function isSpace(unit: number): boolean {
  return unit === 32 || (unit >= 9 && unit <= 13);
}
