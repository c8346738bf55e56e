import { type Reference, readReference } from '../../language/reference.ts';
import type { Range } from '../../model/source.ts';
import type { Dialect } from '../../settings/database.ts';
import { OffsetError } from '../offset-error.ts';

// The text of a query, as far as Mervok has to know it: where its statements end, which words they begin with, and which
// braces are references. What it means is the server's business.

/** A reference, and what stands around it. */
export interface SqlReference {
  readonly reference: Reference;
  readonly start: number;
  readonly end: number;
  /** Whether it stands in the parentheses of an `in`, alone or between commas. */
  readonly inList: boolean;
  /** Whether `=`, `!=` or `<>` stands beside it, where null is never what is meant. */
  readonly compared: boolean;
}

export interface SqlStatement {
  readonly start: number;
  readonly end: number;
  readonly words: readonly SqlWord[];
  /** What stands before a parenthesis: functions, some words of the language; in quotes, where it stands in such. */
  readonly calls: readonly SqlWord[];
  readonly references: readonly SqlReference[];
}

export interface SqlWord {
  /** In small letters. */
  readonly word: string;
  readonly start: number;
  readonly end: number;
  /** How many parentheses it stands in. */
  readonly depth: number;
}

type Token = SqlWord & { readonly kind: 'word' | 'sign' | 'reference'; readonly reference?: Reference };

/** Reads a query. @param place makes a place of the page of two offsets. Throws OffsetError. */
export function readSql(
  text: string,
  dialect: Dialect,
  place: (start: number, end: number) => Range,
): SqlStatement[] {
  const statements: SqlStatement[] = [];
  let tokens: Token[] = [];
  const finish = () => {
    if (tokens.length > 0) statements.push(statementOf(tokens));
    tokens = [];
  };
  for (const token of new SqlLexer(text, dialect, place).tokens()) {
    if (token.kind === 'sign' && token.word === ';' && token.depth === 0 && !isRoutine(tokens, dialect))
      finish();
    else tokens.push(token);
  }
  finish();
  return statements;
}

/** What is made of statements itself goes on behind their ends. */
function isRoutine(tokens: readonly Token[], dialect: Dialect): boolean {
  if (dialect === 'postgres' || tokens[0]?.word !== 'create') return false;
  return tokens.slice(1, 8).some(({ word }) => /^(?:trigger|procedure|function|event)$/.test(word));
}

function statementOf(tokens: readonly Token[]): SqlStatement {
  const references = tokens.flatMap((token, at): SqlReference[] => {
    if (!token.reference) return [];
    const [before, after] = [tokens[at - 1], tokens[at + 1]];
    const { reference, start, end } = token;
    const isComparison = (other: Token | undefined) =>
      other?.kind === 'sign' && ['=', '!=', '<>', '==', '<=>'].includes(other.word);
    const compared = isComparison(before) || isComparison(after);
    return [{ reference, start, end, inList: isInList(tokens, at), compared }];
  });
  return {
    start: tokens[0]!.start,
    end: tokens.at(-1)!.end,
    words: tokens.filter(({ kind }) => kind === 'word'),
    calls: tokens.filter((token, at) => isName(token) && isSign(tokens[at + 1], '(')),
    references,
  };
}

function isSign(token: Token | undefined, ...signs: string[]): boolean {
  return token?.kind === 'sign' && signs.includes(token.word);
}

/** Whether it may name something, in whatever quotes. */
function isName({ kind, word }: Token): boolean {
  return kind === 'word' || /^(?:u&)?["`[]/.test(word);
}

/** `in ( {codes} )`, `in ( 1, {codes} )` */
function isInList(tokens: readonly Token[], at: number): boolean {
  if (!isSign(tokens[at - 1], '(', ',') || !isSign(tokens[at + 1], ')', ',')) return false;
  const depth = tokens[at]!.depth;
  for (let before = at - 1; before >= 0; before--) {
    const token = tokens[before]!;
    if (token.depth < depth) return isSign(token, '(') && tokens[before - 1]?.word === 'in';
  }
  return false;
}

const word = /[\p{L}_][\p{L}\p{N}_$]*/uy;
const number = /\d[\w.]*/y;
const sign = /<=>|!=|<>|<=|>=|==|\|\||->>?|::|:=|[\s\S]/uy;

class SqlLexer {
  #at = 0;
  #depth = 0;

  constructor(
    readonly text: string,
    readonly dialect: Dialect,
    readonly place: (start: number, end: number) => Range,
  ) {}

  *tokens(): Generator<Token> {
    const { text } = this;
    for (;;) {
      this.#skip();
      const start = this.#at;
      if (start >= text.length) return;
      const found = readReference(text, start, this.place);
      if (found) {
        this.#at = found.end;
        if (found.reference.raw)
          throw new OffsetError(
            'A value goes into a query as a parameter, never as its text.',
            start,
            found.end,
            `Write it without the sign: {${text.slice(start + 2, found.end)}`,
          );
        yield this.#token('reference', start, found.reference);
        continue;
      }
      const read = this.#match(word);
      if (read !== undefined) {
        const isLiteral = this.#prefixes(read) && this.#isQuote();
        if (isLiteral) this.#literal(/^e$/i.test(read));
        yield this.#token(isLiteral ? 'sign' : 'word', start);
        continue;
      }
      if (this.#match(number) !== undefined) {
        yield this.#token('sign', start);
        continue;
      }
      if (this.#isQuote()) {
        this.#literal(false);
        yield this.#token('sign', start);
        continue;
      }
      if (this.dialect === 'postgres' && this.#dollarQuoted()) continue;
      this.#match(sign);
      const written = text.slice(start, this.#at);
      if (written === ')') this.#depth = Math.max(0, this.#depth - 1);
      yield this.#token('sign', start);
      if (written === '(') this.#depth++;
    }
  }

  #token(kind: Token['kind'], start: number, reference?: Reference): Token {
    const written = this.text.slice(start, this.#at).toLowerCase();
    const token = { kind, word: written, start, end: this.#at, depth: this.#depth };
    return reference ? { ...token, reference } : token;
  }

  #match(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.#at;
    const [found] = pattern.exec(this.text) ?? [];
    if (found !== undefined) this.#at += found.length;
    return found;
  }

  /** White space and comments; no reference may stand in one. */
  #skip(): void {
    const { text, dialect } = this;
    for (;;) {
      const start = this.#at;
      while (/\s/.test(text[this.#at] ?? '')) this.#at++;
      const isDashes =
        text.startsWith('--', this.#at) && (dialect !== 'mariadb' || /\s|^$/.test(text[this.#at + 2] ?? ''));
      if (isDashes || (dialect === 'mariadb' && text[this.#at] === '#')) {
        const end = text.indexOf('\n', this.#at);
        this.#passOver(this.#at, end < 0 ? text.length : end, 'a comment');
      } else if (text.startsWith('/*', this.#at)) this.#comment();
      if (this.#at === start) return;
    }
  }

  /** Those of PostgreSQL may hold others; those of MariaDB that begin with an exclamation mark are carried out. */
  #comment(): void {
    const { text, dialect } = this;
    const start = this.#at;
    if (dialect === 'mariadb' && /^\/\*M?!/.test(text.slice(start, start + 4)))
      throw new OffsetError(
        'What stands in this comment would be carried out.',
        start,
        start + 3,
        'Write it without the comment.',
      );
    let [depth, at] = [1, start + 2];
    while (depth > 0 && at < text.length) {
      if (text.startsWith('*/', at)) [depth, at] = [depth - 1, at + 2];
      else if (dialect === 'postgres' && text.startsWith('/*', at)) [depth, at] = [depth + 1, at + 2];
      else at++;
    }
    if (depth > 0) throw new OffsetError('This comment is not closed.', start, start + 2);
    this.#passOver(start, at, 'a comment');
  }

  /** Letters before a literal: E'…', N'…', X'…', B'…', U&'…', _utf8'…'. */
  #prefixes(read: string): boolean {
    if (this.text[this.#at] === '"' && !/^u$/i.test(read)) return false;
    return /^(?:[enxb]|_\w+)$/i.test(read) || (/^u$/i.test(read) && this.text[this.#at] === '&');
  }

  #isQuote(): boolean {
    const character = this.text[this.#at];
    if (character === '&' && /['"]/.test(this.text[this.#at + 1] ?? '')) return true;
    return (
      character === "'" ||
      character === '"' ||
      (character === '`' && this.dialect !== 'postgres') ||
      (character === '[' && this.dialect === 'sqlite')
    );
  }

  /** @param escapes whether a backslash escapes what follows */
  #literal(escapes: boolean): void {
    const { text, dialect } = this;
    const start = this.#at;
    if (text[this.#at] === '&') this.#at++;
    const open = text[this.#at]!;
    const close = open === '[' ? ']' : open;
    const backslash = escapes || (dialect === 'mariadb' && open !== '`');
    let at = this.#at + 1;
    for (; at < text.length; at++) {
      if (backslash && text[at] === '\\') at++;
      else if (text[at] === close) {
        if (text[at + 1] !== close || open === '[') break;
        at++;
      }
    }
    const isText = open === "'" || (open === '"' && dialect === 'mariadb');
    const what = isText ? 'a literal' : 'a quoted name';
    if (at >= text.length) throw new OffsetError(`Here ${what} begins that is not closed.`, start, start + 1);
    this.#passOver(start, at + 1, what);
  }

  #dollarQuoted(): boolean {
    const [tag] =
      /^\$(?:[A-Za-z_\u0080-\uffff][\w\u0080-\uffff]*)?\$/.exec(this.text.slice(this.#at, this.#at + 70)) ??
      [];
    if (tag === undefined) return false;
    const start = this.#at;
    const end = this.text.indexOf(tag, start + tag.length);
    if (end < 0)
      throw new OffsetError('Here a literal begins that is not closed.', start, start + tag.length);
    this.#passOver(start, end + tag.length, 'a literal');
    return true;
  }

  /** A value is never put into the text of a query, so a reference there would stay what it is. */
  #passOver(start: number, end: number, what: string): void {
    const text = this.text.slice(start, end);
    for (let at = text.indexOf('{'); at >= 0; at = text.indexOf('{', at + 1)) {
      const found = readReference(text, at, (from, to) => ({ start: from, end: to }));
      if (!found) continue;
      throw new OffsetError(
        `A value goes into a query as a parameter, so no reference can stand in ${what}.`,
        start + at,
        start + found.end,
        what === 'a literal'
          ? `Write it without quotes: ${text.slice(at, found.end)}; a part of a text is joined to it: 'North ' || ${text.slice(at, found.end)}`
          : undefined,
      );
    }
    this.#at = end;
  }
}
