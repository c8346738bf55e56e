import { SourceError } from '../model/finding.ts';
import { resolvePath } from '../text/paths.ts';
import { counted, didYouMean, inWords } from '../text/words.ts';
import {
  type Condition,
  type Expression,
  namedSources,
  type Pick,
  plainSources,
  type TextLiteral,
  type TypeName,
} from './ast.ts';
import { parameterInWords } from './functions/signature.ts';
import { functions } from './functions/table.ts';
import type { Lexer } from './lexer.ts';
import { SourceParser } from './parser-sources.ts';

const picks = ['count', 'first', 'last', 'nth', 'random', 'all'];
const constants = new Map<string, true | false | null>([
  ['true', true],
  ['false', false],
  ['null', null],
]);
const deepest = 200;
/** Each calculation stands one level deeper than the one before it. */
const mostCalculations = 1000;
const sums = ['+', '-'] as const;
const products = ['*', '/'] as const;

export type Operand =
  | { kind: 'value'; node: Expression }
  /** One that stands in parentheses can be a value too. */
  | { kind: 'condition'; node: Condition; inParentheses?: true };

/** Values: everything that can stand on one side of a comparison. */
export abstract class ExpressionParser extends SourceParser {
  /** Above zero inside `includes`, where a type word may stand for a value. */
  protected partialDepth = 0;
  #depth = 0;

  abstract conditionOrValue(): Operand;
  abstract takeType(): TypeName | undefined;
  /** The first words of the statements that may stand here. */
  protected abstract statementWords(): readonly string[];

  value(): Expression {
    this.lexer.skipSpace();
    const start = this.lexer.at;
    const operand = this.operand();
    return (
      this.asValue(operand) ??
      this.lexer.fail(
        'A value should stand here, not a condition.',
        start,
        'In parentheses a condition is a value: (link next exists)',
      )
    );
  }

  /** A value; a condition is one in parentheses. */
  protected asValue(operand: Operand): Expression | undefined {
    if (operand.kind === 'value') return operand.node;
    const { node, inParentheses } = operand;
    return inParentheses ? { type: 'truth', condition: node, range: node.range } : undefined;
  }

  // value :: term ( ( + | - ) term )*
  operand(): Operand {
    this.#enter();
    const result = this.#chain(sums);
    this.#depth--;
    return result;
  }

  #enter(): void {
    if (++this.#depth > deepest) this.lexer.fail(`An expression may be nested ${deepest} levels deep.`);
  }

  #chain(operators: typeof sums | typeof products): Operand {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const start = lexer.at;
    const [first, second] = operators;
    let left = this.#partOf(operators);
    for (let count = 1; ; count++) {
      const operator = lexer.peek(first) ? first : lexer.peek(second) ? second : undefined;
      if (!operator) return left;
      if (count > mostCalculations)
        lexer.fail(`An expression may hold ${mostCalculations} calculations in a row.`);
      if (left.kind === 'condition') return left;
      lexer.take(operator);
      const right = this.#partOf(operators);
      if (right.kind === 'condition')
        lexer.fail(`A value should follow '${operator}', not a condition.`, start);
      left = {
        kind: 'value',
        node: { type: 'arithmetic', operator, left: left.node, right: right.node, range: lexer.since(start) },
      };
    }
  }

  /** What such operators stand between. */
  #partOf(operators: typeof sums | typeof products): Operand {
    return operators === sums ? this.#chain(products) : this.#factor();
  }

  // factor :: -? ( literal | reference | query | call | ( value ) )
  #factor(): Operand {
    const lexer: Lexer = this.lexer;
    lexer.skipSpace();
    const start = lexer.at;
    if (lexer.peek('(')) {
      lexer.take('(');
      const inner = this.conditionOrValue();
      lexer.require(')', 'what stands in parentheses');
      return inner.kind === 'condition' ? { ...inner, inParentheses: true } : inner;
    }
    const number = lexer.readNumber();
    if (number) return { kind: 'value', node: number };
    if (lexer.take('-')) {
      this.#enter();
      const operand = this.#factor();
      this.#depth--;
      if (operand.kind === 'condition') lexer.fail("A value should follow '-'.", start);
      return { kind: 'value', node: { type: 'negative', operand: operand.node, range: lexer.since(start) } };
    }
    return { kind: 'value', node: this.#literalOrSource() };
  }

  #literalOrSource(): Expression {
    const lexer: Lexer = this.lexer;
    const start = lexer.at;
    const direct = lexer.readText() ?? lexer.readReference() ?? lexer.readPattern();
    if (direct) return direct;
    if (lexer.peek('[')) return this.#list();
    if (lexer.peek('{')) return this.#object();
    if (lexer.peek('$')) return this.source()!;
    if (lexer.atEnd) lexer.fail('A value should stand here.');
    const word = lexer.peekWord();
    if (word === undefined) lexer.fail('A value should stand here.');
    const isCall = lexer.text[lexer.at + word.length] === '(';
    if (this.partialDepth > 0 && !isCall) {
      const type = this.takeType();
      if (type) return this.#typeWord(type, start);
    }
    if (word === 'file' && /^file[ \t]+"/.test(lexer.text.slice(start, start + 40))) return this.#file(start);
    const constant = constants.get(word);
    if (constant !== undefined) {
      lexer.takeWord();
      return { type: 'constant', value: constant, range: lexer.since(start) };
    }
    if (picks.includes(word) && !isCall) return this.#query(word as Pick);
    return this.source() ?? this.#call(word);
  }

  // file :: file text
  #file(start: number): Expression {
    const lexer: Lexer = this.lexer;
    lexer.takeWord();
    const written = this.quotedName()!;
    const path = resolvePath(lexer.file.replace(/[^/]*$/, ''), written);
    return { type: 'file', path, range: lexer.since(start) };
  }

  #typeWord(first: TypeName, start: number): Expression {
    const types = [first];
    while (this.lexer.takeWord('or'))
      types.push(this.takeType() ?? this.lexer.fail("A type should follow 'or'."));
    return { type: 'type-word', types, range: this.lexer.since(start) };
  }

  // list :: [ ( value ( , value )* )? ]
  #list(): Expression {
    const lexer: Lexer = this.lexer;
    const start = lexer.at;
    lexer.take('[');
    const items: Expression[] = [];
    if (!lexer.take(']')) {
      do items.push(this.value());
      while (lexer.take(','));
      lexer.require(']', 'the items of a list');
    }
    return { type: 'list', items, range: lexer.since(start) };
  }

  // object :: { ( text : value ( , text : value )* )? }
  #object(): Expression {
    const lexer: Lexer = this.lexer;
    const start = lexer.at;
    lexer.take('{');
    const members: { name: TextLiteral; value: Expression }[] = [];
    if (!lexer.take('}')) {
      do {
        const name = lexer.readText();
        if (!name)
          lexer.fail(
            'A member name in double quotes should stand here.',
            lexer.at,
            'A reference is written {name}, without space.',
          );
        lexer.require(':', 'a member name');
        members.push({ name, value: this.value() });
      } while (lexer.take(','));
      lexer.require('}', 'the members of an object');
    }
    return { type: 'object', members, range: lexer.since(start) };
  }

  // query :: ( count | first | last | nth number | random | all ) ( source | reference )
  #query(pick: Pick): Expression {
    const lexer: Lexer = this.lexer;
    const start = lexer.at;
    lexer.takeWord();
    let position: number | undefined;
    if (pick === 'nth') {
      const number = lexer.readNumber();
      position = number?.type === 'number' ? (number.value as number) : undefined;
      if (!Number.isInteger(position) || position! < 1)
        lexer.fail("'nth' is followed by a whole number from 1.", start);
    }
    const of = this.sourceOrReference(`'${pick}'`);
    return {
      type: 'query',
      pick,
      ...(position !== undefined && { position }),
      of,
      range: lexer.since(start),
    };
  }

  // call :: name ( ( value ( , value )* )? ) ( . ( name | digits ) )*
  #call(name: string): Expression {
    const lexer: Lexer = this.lexer;
    const start = lexer.at;
    lexer.takeWord();
    if (lexer.text[lexer.at] !== '(') this.#unknownWord(name, start);
    if (!functions[name]) {
      lexer.fail(
        `There is no function '${name}'.`,
        start,
        didYouMean(name, Object.keys(functions)),
        'function-unknown',
      );
    }
    lexer.take('(');
    const given: Expression[] = [];
    if (!lexer.take(')')) {
      do given.push(this.value());
      while (lexer.take(','));
      lexer.require(')', 'the arguments of a function');
    }
    const path: string[] = [];
    for (let step = this.#step(); step !== undefined; step = this.#step()) path.push(step);
    this.#checkArguments(name, given.length, start);
    return { type: 'call', name, arguments: given, path, range: lexer.since(start) };
  }

  #checkArguments(name: string, count: number, start: number): void {
    const { parameters, optional = 0 } = functions[name]!;
    if (count <= parameters.length && count >= parameters.length - optional) return;
    const wanted = parameters.length === 0 ? 'nothing' : inWords(parameters.map(parameterInWords));
    const given = counted(count, 'argument');
    throw new SourceError(
      'function-arguments',
      this.lexer.since(start),
      `${name}() takes ${wanted}${optional > 0 ? ', the last if wanted' : ''}, not ${given}.`,
    );
  }

  #step(): string | undefined {
    const lexer: Lexer = this.lexer;
    const step = /^\.([A-Za-z][A-Za-z0-9_-]*|\d+)/.exec(lexer.text.slice(lexer.at, lexer.at + 200));
    if (!step) return undefined;
    lexer.at += step[0].length;
    return step[1];
  }

  #unknownWord(word: string, start: number): never {
    const known = [
      ...plainSources,
      ...namedSources,
      ...picks,
      ...constants.keys(),
      'each',
      'some',
      'no',
      'not',
      ...this.statementWords(),
    ];
    const meant = didYouMean(word, known);
    return this.lexer.fail(
      `'${word}' is not known here.`,
      start,
      meant ?? `A text stands in double quotes ("${word}"), a name in braces ({${word}}).`,
      'word-unknown',
    );
  }
}
