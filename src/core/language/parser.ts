import { type Code, SourceError } from '../model/finding.ts';
import type { Excerpt } from '../model/source.ts';
import { didYouMean } from '../text/words.ts';
import { unitNames } from '../values/compare.ts';
import type { Check, Expression, StatementNode, TextLiteral } from './ast.ts';
import { Lexer } from './lexer.ts';
import { ConditionParser, wordsBehindCondition } from './parser-conditions.ts';
import { unreadReference } from './templates/foreign-references.ts';

/** How one kind of statement is written. */
export interface StatementSyntax<Node extends StatementNode = StatementNode> {
  /** What it begins with. */
  readonly word: string;
  /** Reads what stands behind the word; nothing where that is a condition, which may begin with the word too. */
  parse(parser: StatementParser, start: number): Unwritten<Node> | undefined;
}

/** A statement before its text is known. */
export type Unwritten<Node extends StatementNode> = Omit<Node, 'written' | 'survey'>;

/** The statement that a syntax reads. */
export type StatementOf<Syntax> = Syntax extends StatementSyntax<infer Node> ? Node : never;

/**
 * Reads the statements of a fence: conditions, and what the given kinds of statements are. Every statement that cannot be
 * read gives one error; the others are read as if it were not there.
 */
export function parseStatements<Syntax extends StatementSyntax = never>(
  excerpt: Excerpt,
  kinds: readonly Syntax[],
): { statements: (StatementOf<Syntax> | Check)[]; errors: SourceError[] } {
  return parseEach(excerpt, parser => parser.statement(kinds) as StatementOf<Syntax> | Check);
}

/** Reads expressions, one a line. */
export function parseExpressions(excerpt: Excerpt): { expressions: Expression[]; errors: SourceError[] } {
  const { statements, errors } = parseEach(excerpt, parser => parser.alone(() => parser.value()));
  return { expressions: statements, errors };
}

function parseEach<Result>(excerpt: Excerpt, parse: (parser: StatementParser) => Result) {
  const lexer = lexerFor(excerpt);
  const statements: Result[] = [];
  const errors: SourceError[] = [];
  while (lexer.nextStatement()) {
    const start = lexer.at;
    try {
      // One of its own for each, so that nothing of a line that cannot be read is left for the next.
      statements.push(parse(new StatementParser(lexer)));
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      const readOn = lexer.leaveStatement(start);
      errors.push(
        withUnread((readOn && errorAlone(excerpt, start, lexer.at, parse)) || error, excerpt, start),
      );
    }
  }
  return { statements, errors };
}

const ofForm: readonly Code[] = ['syntax', 'word-unknown', 'function-unknown'];

/** Keeps what cannot be read: it may be written as another notation has it. */
function withUnread(error: SourceError, excerpt: Excerpt, start: number): SourceError {
  if (!ofForm.includes(error.code) || /is written|is indented/.test(error.message)) return error;
  const lineFrom = (text: string, from: number) => text.slice(from).split('\n', 1)[0]!;
  const unread = {
    statement: lineFrom(excerpt.text, start),
    rest: lineFrom(excerpt.source.text, error.range.start),
    atStart: error.range.start <= excerpt.toPage(start),
  };
  const at = unread.statement.length - unread.rest.length;
  const reference = unreadReference(unread.statement, { start: at, end: at + 1 }, (from, to) =>
    excerpt.range(start + from, start + to),
  );
  if (reference) return reference;
  return new SourceError(error.code, error.range, error.message, error.remedy, unread);
}

/** What is wrong with a statement that has a bracket which is never closed: what would be if nothing stood below it. */
function errorAlone(
  excerpt: Excerpt,
  start: number,
  end: number,
  parse: (parser: StatementParser) => unknown,
): SourceError | undefined {
  const lexer = lexerFor(excerpt, end);
  lexer.at = start;
  try {
    parse(new StatementParser(lexer));
    return undefined;
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    return error;
  }
}

function lexerFor(excerpt: Excerpt, end?: number): Lexer {
  const place = (from: number, to: number) => excerpt.range(from, to);
  return new Lexer(excerpt.text.slice(0, end), place, excerpt.source.file);
}

/** What kinds of statements read their text with. */
export class StatementParser extends ConditionParser {
  /** Where that begins which a report shows: a check without its label. */
  #writtenFrom = 0;
  #kinds: readonly StatementSyntax[] = [];

  // line :: statement? comment?
  statement(kinds: readonly StatementSyntax[]): StatementNode {
    const start = this.lexer.at;
    this.#writtenFrom = start;
    this.#kinds = kinds;
    const statement: Unwritten<StatementNode> & { written?: string } = this.alone(() =>
      this.#statement(start),
    );
    statement.written = this.lexer.written(this.#writtenFrom);
    return statement as StatementNode;
  }

  /** Nothing may stand behind it in its line. */
  alone<Result>(parse: () => Result): Result {
    const result = parse();
    if (!this.lexer.atEnd) this.#leftOver();
    return result;
  }

  #statement(start: number): Unwritten<StatementNode> {
    const lexer: Lexer = this.lexer;
    const word = lexer.peekWord();
    if (word !== undefined)
      for (const kind of this.#kinds) {
        // A function may bear the same name.
        if (kind.word !== word || lexer.text[start + word.length] === '(') continue;
        lexer.takeWord();
        const statement = kind.parse(this, start);
        if (statement) return statement;
        lexer.at = start;
      }
    return this.#check(start);
  }

  // check :: ( text : )? condition
  #check(start: number): Unwritten<Check> {
    const lexer: Lexer = this.lexer;
    let label: TextLiteral | undefined;
    if (lexer.peek('"')) {
      label = lexer.readText();
      if (!lexer.take(':')) {
        label = undefined;
        lexer.at = start;
      }
    }
    const unknown = lexer.peekWord();
    this.#writtenFrom = lexer.at;
    // It would be read as the sign of what follows.
    if (/^-\s/.test(lexer.text.slice(lexer.at, lexer.at + 2)))
      lexer.fail('This begins like an item of a list.', lexer.at);
    try {
      const condition = this.condition();
      const parts = label ? [label, condition] : [condition];
      return { type: 'check', ...(label && { label }), condition, parts, range: lexer.since(start) };
    } catch (error) {
      const meant = unknown !== undefined && error instanceof SourceError && error.code === 'word-unknown';
      if (!meant || error.remedy !== undefined) throw error;
      const remedy = didYouMean(unknown, this.statementWords());
      throw new SourceError('word-unknown', error.range, error.message, remedy);
    }
  }

  protected statementWords(): readonly string[] {
    return this.#kinds.map(({ word }) => word);
  }

  requireWord(word: string, after: string): void {
    if (!this.lexer.takeWord(word)) this.lexer.fail(`'${word}' should follow ${after}.`);
  }

  #leftOver(): never {
    const { text, at } = this.lexer;
    // The line looks as if it began a statement of its own.
    if (/\n[ \t]+$/.test(text.slice(0, at)))
      this.lexer.fail(
        'This line is indented, so it goes on from the one above, which is complete.',
        at,
        'A statement of its own begins at the left edge.',
      );
    const word = this.lexer.peekWord();
    const isUnit = word !== undefined && /\d[ \t]*$/.test(this.lexer.text.slice(0, this.lexer.at));
    const remedy = isUnit
      ? (didYouMean(word, unitNames) ??
        'A number may have a unit: ms, s, min, h, day or week; B, kB, MB, GB, KiB, MiB or GiB.')
      : word && didYouMean(word, wordsBehindCondition);
    return this.lexer.fail('This does not belong here; the statement ends before it.', this.lexer.at, remedy);
  }
}
