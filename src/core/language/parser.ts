import { SourceError } from '../model/finding.ts';
import type { Excerpt } from '../model/source.ts';
import { didYouMean } from '../text/words.ts';
import type { Check, Statement, TextLiteral } from './ast.ts';
import { Lexer } from './lexer.ts';
import { ConditionParser } from './parser-conditions.ts';

const statementWords = ['keep', 'let', 'wait', 'repeat', 'skip', 'each', 'cleanup'];

/**
 * Reads the statements of a fence. Every statement that cannot be read gives one error; the others are read as
 * if it were not there.
 */
export function parseStatements(excerpt: Excerpt): { statements: Statement[]; errors: SourceError[] } {
  const lexer = lexerFor(excerpt);
  const statements: Statement[] = [];
  const errors: SourceError[] = [];
  while (lexer.nextStatement()) {
    const start = lexer.at;
    try {
      // One of its own for each, so that nothing of a line that cannot be read is left for the next.
      statements.push(new StatementParser(lexer).statement());
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      const readOn = lexer.leaveStatement(start);
      errors.push((readOn && errorAlone(excerpt, start, lexer.at)) || error);
    }
  }
  return { statements, errors };
}

/** What is wrong with a statement that has a bracket which is never closed: what would be if nothing stood below it. */
function errorAlone(excerpt: Excerpt, start: number, end: number): SourceError | undefined {
  const lexer = lexerFor(excerpt, end);
  lexer.at = start;
  try {
    new StatementParser(lexer).statement();
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

/** Conditions one a line, as the `checks` of a settings level hold them. */
export function parseChecks(excerpt: Excerpt): { checks: Check[]; errors: SourceError[] } {
  const { statements, errors } = parseStatements(excerpt);
  const checks: Check[] = [];
  for (const statement of statements) {
    if (statement.type === 'check') checks.push(statement);
    else
      errors.push(
        new SourceError(
          'syntax',
          statement.range,
          `Only conditions may stand among 'checks', not '${statement.type}'.`,
        ),
      );
  }
  return { checks, errors };
}

/** A statement before its text is known. */
type Unwritten = WithoutText<Statement>;
type WithoutText<Each> = Each extends Statement ? Omit<Each, 'written'> : never;

class StatementParser extends ConditionParser {
  /** Where that begins which a report shows: a check without its label. */
  #writtenFrom = 0;

  // line :: statement? comment?
  statement(): Statement {
    const start = this.lexer.at;
    this.#writtenFrom = start;
    const statement: Unwritten & { written?: string } = this.#statement(start);
    if (!this.lexer.atEnd) this.#leftOver();
    statement.written = this.lexer.written(this.#writtenFrom);
    return statement as Statement;
  }

  #statement(start: number): Unwritten {
    const lexer: Lexer = this.lexer;
    switch (lexer.peekWord()) {
      case 'keep':
        lexer.takeWord();
        return this.#keep(start);
      case 'let':
        lexer.takeWord();
        return this.#let(start);
      // wait :: wait value
      case 'wait': {
        lexer.takeWord();
        const duration = this.value();
        return { type: 'wait', duration, range: lexer.since(start) };
      }
      case 'repeat':
        lexer.takeWord();
        return this.#repeat(start);
      // skip :: skip when condition
      case 'skip': {
        lexer.takeWord();
        this.#requireWord('when', "'skip'");
        const when = this.condition();
        return { type: 'skip', when, range: lexer.since(start) };
      }
      case 'cleanup':
        lexer.takeWord();
        return { type: 'cleanup', range: lexer.since(start) };
      case 'each':
        return this.#each(start);
      default:
        return this.#check(start);
    }
  }

  // keep :: keep value as secret? name ( or value )?
  #keep(start: number): Unwritten {
    const lexer: Lexer = this.lexer;
    const value = this.value();
    if (!lexer.takeWord('as')) this.#requireWord('as', 'the value that is kept');
    const first = lexer.readName('A name');
    const secret = first.name === 'secret' && lexer.peekWord() !== undefined && lexer.peekWord() !== 'or';
    const { name, range: nameRange } = secret ? lexer.readName('A name') : first;
    const otherwise = lexer.takeWord('or') ? this.value() : undefined;
    return {
      type: 'keep',
      value,
      name,
      nameRange,
      secret,
      ...(otherwise && { otherwise }),
      range: lexer.since(start),
    };
  }

  // let :: let name = value
  #let(start: number): Unwritten {
    const { name, range: nameRange } = this.lexer.readName('A name');
    this.lexer.require('=', `'let ${name}'`);
    const value = this.value();
    return { type: 'let', name, nameRange, value, range: this.lexer.since(start) };
  }

  // repeat :: repeat every value for value until condition
  #repeat(start: number): Unwritten {
    this.#requireWord('every', "'repeat'");
    const every = this.value();
    this.#requireWord('for', 'the pause');
    const limit = this.value();
    this.#requireWord('until', 'the time limit');
    const until = this.condition();
    return { type: 'repeat', every, limit, until, range: this.lexer.since(start) };
  }

  // rows :: each row of ( name | text )    values :: each reference as name    else a condition that begins with each
  #each(start: number): Unwritten {
    const lexer: Lexer = this.lexer;
    lexer.takeWord('each');
    if (lexer.takeWord('row')) {
      this.#requireWord('of', "'each row'");
      const table = this.fileOrName('The name of a table or a file');
      return { type: 'each-row', table, range: lexer.since(start) };
    }
    const list = lexer.readReference();
    if (list && lexer.takeWord('as')) {
      const { name, range: nameRange } = lexer.readName('A name');
      return { type: 'each-value', list, name, nameRange, range: lexer.since(start) };
    }
    lexer.at = start;
    return this.#check(start);
  }

  // check :: ( text : )? condition
  #check(start: number): Unwritten {
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
    try {
      const condition = this.condition();
      return { type: 'check', ...(label && { label }), condition, range: lexer.since(start) };
    } catch (error) {
      const meant = unknown !== undefined && error instanceof SourceError && error.code === 'word-unknown';
      if (!meant || error.remedy !== undefined) throw error;
      throw new SourceError('word-unknown', error.range, error.message, didYouMean(unknown, statementWords));
    }
  }

  #requireWord(word: string, after: string): void {
    if (!this.lexer.takeWord(word)) this.lexer.fail(`'${word}' should follow ${after}.`);
  }

  #leftOver(): never {
    const word = this.lexer.peekWord();
    const known = word === undefined ? undefined : didYouMean(word, this.wordsBehindCondition);
    return this.lexer.fail('This does not belong here; the statement ends before it.', this.lexer.at, known);
  }
}
