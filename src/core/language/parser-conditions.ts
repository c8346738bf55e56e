import { didYouMean } from '../text/words.ts';
import {
  type CompareOperator,
  type Comparison,
  type Condition,
  type Expression,
  type Predicate,
  type Quantifier,
  type TypeName,
  typeNames,
} from './ast.ts';
import type { Lexer } from './lexer.ts';
import { isTypeElsewhere, typeHere } from './other-notations/types.ts';
import { ExpressionParser, type Operand } from './parser-expressions.ts';

const predicateWords = [
  'between',
  'in',
  'contains',
  'starts',
  'ends',
  'matches',
  'includes',
  'fits',
  'is',
  'exists',
  'absent',
];
const operators: CompareOperator[] = ['!=', '<=', '>=', '=', '<', '>'];
/** What people write from habit, and how it is written here. */
const habits: [string, string][] = [
  ['===', '='],
  ['==', '='],
  ['!==', '!='],
  ['<>', '!='],
  ['=~', 'matches'],
  ['&&', 'and'],
  ['||', 'or'],
];
const habitsOfJunctions = ['&&', '||'];

/** What may go on behind a condition. */
export const wordsBehindCondition = ['and', 'or', ...predicateWords, 'not'];

/** Conditions, on top of values. */
export abstract class ConditionParser extends ExpressionParser {
  // condition :: conjunct ( or conjunct )*
  condition(): Condition {
    const operand = this.#disjunction();
    if (operand.kind === 'condition') return operand.node;
    return this.#predicateMissing();
  }

  /** Inside parentheses it shows only at the end whether a value or a condition was written. */
  override conditionOrValue(): Operand {
    return this.#disjunction();
  }

  #disjunction(): Operand {
    return this.#junction('or');
  }

  #junction(word: 'and' | 'or'): Operand {
    this.lexer.skipSpace();
    const start = this.lexer.at;
    const first = this.#partOf(word);
    this.#refuseHabit(habitsOfJunctions);
    if (this.lexer.peekWord() !== word) return first;
    const conditions = [this.#asCondition(first)];
    while (this.lexer.takeWord(word)) {
      conditions.push(this.#asCondition(this.#partOf(word)));
      this.#refuseHabit(habitsOfJunctions);
    }
    return { kind: 'condition', node: { type: word, conditions, range: this.lexer.since(start) } };
  }

  /** What such a word stands between. */
  #partOf(word: 'and' | 'or'): Operand {
    return word === 'or' ? this.#junction('and') : this.#negation();
  }

  #asCondition(operand: Operand): Condition {
    return operand.kind === 'condition' ? operand.node : this.#predicateMissing();
  }

  // negation :: not? ( comparison | ( condition ) )
  #negation(): Operand {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const start = lexer.at;
    if (lexer.peek('!') && !lexer.peek('!=')) lexer.fail("Negation is written 'not'.", start);
    if (!lexer.takeWord('not')) return this.#comparison();
    const condition = this.#asCondition(this.#comparison());
    return { kind: 'condition', node: { type: 'not', condition, range: lexer.since(start) } };
  }

  // comparison :: value predicate | ( each | some | no ) ( source | reference ) predicate
  #comparison(): Operand {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const start = lexer.at;
    const quantifier = lexer.takeWord('each', 'some', 'no') as Quantifier | undefined;
    if (quantifier) {
      const subject = this.sourceOrReference(`'${quantifier}'`);
      const predicate = this.#predicate() ?? this.#predicateMissing();
      return {
        kind: 'condition',
        node: { type: 'comparison', quantifier, subject, predicate, range: lexer.since(start) },
      };
    }
    const operand = this.operand();
    const subject = this.asValue(operand);
    // One that is no value is a condition by itself, and so is one in parentheses with nothing behind it.
    const predicate = subject && this.#predicate();
    if (!predicate) return operand;
    const node: Comparison = {
      type: 'comparison',
      subject,
      predicate,
      range: lexer.since(start),
    };
    return { kind: 'condition', node };
  }

  #predicate(): Predicate | undefined {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const start = lexer.at;
    this.#refuseHabit();
    const operator = operators.find(each => lexer.take(each));
    if (operator) {
      const value = this.value();
      const anyOrder = operator === '=' && this.#anyOrder();
      return { test: 'compare', operator, value, anyOrder, negated: false, range: lexer.since(start) };
    }
    const negated = lexer.takeWord('not') !== undefined;
    const word = lexer.takeWord(...predicateWords);
    if (word === undefined) {
      if (negated) lexer.fail("A predicate should follow 'not'.", lexer.at, this.#nearestPredicate());
      return undefined;
    }
    return this.#named(word, negated, start);
  }

  #named(word: string, negated: boolean, start: number): Predicate {
    const lexer: Lexer = this.lexer;
    const done = <T extends object>(rest: T) => ({ negated, ...rest, range: lexer.since(start) });
    switch (word) {
      case 'between': {
        const low = this.value();
        if (!lexer.takeWord('and')) lexer.fail("'and' and an upper limit should follow.");
        const high = this.value();
        return done({ test: 'between', low, high });
      }
      case 'in': {
        const values = [this.value()];
        while (lexer.take(',')) values.push(this.value());
        return done({ test: 'in', values });
      }
      case 'starts':
      case 'ends':
        if (!lexer.takeWord('with')) lexer.fail(`'with' should follow '${word}'.`);
        return done({ test: word, value: this.value() });
      case 'contains':
        return done({ test: 'contains', value: this.value() });
      case 'matches':
        return done({ test: 'matches', value: this.lexer.readPattern() ?? this.value() });
      case 'includes':
        if (lexer.peek('"'))
          lexer.fail(
            "'includes' is asked of objects and lists.",
            lexer.at,
            "Write 'contains' for a part of a text, '=' for all of it.",
          );
        return done({ test: 'includes', value: this.partial() });
      case 'fits':
        return done({
          test: 'fits',
          schema: this.fileOrName('The name of a schema or a file'),
          from: lexer.file,
        });
      case 'exists':
        return done({ test: 'exists' });
      case 'absent':
        if (negated) lexer.fail("'not absent' is written 'exists'.", start);
        return done({ test: 'exists', negated: true });
      default:
        if (negated) lexer.fail("Write 'is not', not 'not is'.", start);
        return this.#is(start);
    }
  }

  // is not? ( type ( or type )* | empty | unique | sorted down? )
  #is(start: number): Predicate {
    const lexer: Lexer = this.lexer;
    const negated = lexer.takeWord('not') !== undefined;
    const test = lexer.takeWord('empty', 'unique', 'sorted');
    if (test !== undefined) {
      const down = test === 'sorted' && lexer.takeWord('down') !== undefined;
      return { test: down ? 'sorted-down' : (test as 'empty'), negated, range: lexer.since(start) };
    }
    const types = [this.takeType() ?? this.#noType()];
    for (let before = lexer.at; lexer.takeWord('or'); before = lexer.at) {
      const type = this.takeType();
      if (type === undefined || this.#predicateFollows()) {
        lexer.at = before;
        break;
      }
      types.push(type);
    }
    return { test: 'is', types, negated, range: lexer.since(start) };
  }

  /** After `is number or`, a type word may begin a condition of its own: `date(…) = …`, `null = …`. */
  #predicateFollows(): boolean {
    const lexer: Lexer = this.lexer;
    if (['(', '=', '!=', '<', '>', '+', '-', '*', '/'].some(symbol => lexer.peek(symbol))) return true;
    const word = lexer.peekWord();
    return word !== undefined && (word === 'not' || predicateWords.includes(word));
  }

  takeType(): TypeName | undefined {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const statusClass = /^[1-5]xx\b/.exec(lexer.text.slice(lexer.at, lexer.at + 4))?.[0];
    if (statusClass !== undefined) {
      lexer.at += 3;
      return statusClass as TypeName;
    }
    return lexer.takeWord(...typeNames) as TypeName | undefined;
  }

  #noType(): never {
    const lexer: Lexer = this.lexer;
    const found = lexer.peekWord();
    const habit = found !== undefined && isTypeElsewhere(found) ? typeHere(found) : undefined;
    if (habit) lexer.fail(`'${found}' is no type here.`, lexer.at, `Write 'is ${habit}'.`, 'word-unknown');
    if (lexer.peek('"') || lexer.peek('{') || /\d/.test(lexer.text[lexer.at] ?? ''))
      lexer.fail("A type should follow 'is'.", lexer.at, "A value is compared with '='.");
    const known = [...typeNames, 'empty', 'unique', 'sorted', '2xx'];
    return lexer.fail(
      `A type should follow 'is', such as text, number or 2xx.`,
      lexer.at,
      found && didYouMean(found, known),
      'word-unknown',
    );
  }

  // suffix after = :: in any order
  #anyOrder(): boolean {
    const lexer: Lexer = this.lexer;
    const before = lexer.at;
    if (lexer.takeWord('in') && lexer.takeWord('any') && lexer.takeWord('order')) return true;
    lexer.at = before;
    return false;
  }

  #refuseHabit(among?: readonly string[]): void {
    this.lexer.skipSpace();
    if (!'=!<&|'.includes(this.lexer.text[this.lexer.at] ?? ' ')) return;
    const habit = habits.find(([written]) => (!among || among.includes(written)) && this.lexer.peek(written));
    if (habit) this.lexer.fail(`'${habit[0]}' is written '${habit[1]}' here.`);
  }

  #nearestPredicate(): string | undefined {
    const word = this.lexer.peekWord();
    return word === undefined ? undefined : didYouMean(word, predicateWords);
  }

  #predicateMissing(): never {
    const lexer: Lexer = this.lexer;
    if (!lexer.atEnd && lexer.peekWord() !== undefined) {
      lexer.fail(
        `'${lexer.peekWord()}' is no predicate.`,
        lexer.at,
        this.#nearestPredicate(),
        'word-unknown',
      );
    }
    return lexer.fail(
      'This says nothing that can hold: a comparison is missing.',
      lexer.at,
      /^(?::\s*)?["\d{[/-]/.test(lexer.text.slice(lexer.at, lexer.at + 20))
        ? "A value is compared with '=': status = 200"
        : "Add, for example, '= 200', 'exists' or 'is text'.",
    );
  }

  // partial :: as value, but a type may stand for any member or item
  partial(): Expression {
    this.partialDepth++;
    const value = this.value();
    this.partialDepth--;
    return value;
  }
}
