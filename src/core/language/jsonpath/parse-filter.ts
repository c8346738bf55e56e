import { SourceError } from '../../model/finding.ts';
import { counted, didYouMean, inWords } from '../../text/words.ts';
import { isNumberText, readNumber } from '../../values/number.ts';
import { type Comparable, type FilterQuery, isSingular, type Logical, type Segment } from './ast.ts';
import { type PathFunction, type PathType, pathFunctions } from './functions.ts';
import { IRegexpError, translateIRegexp } from './iregexp.ts';
import { PathReader } from './reader.ts';

const deepest = 200;

/** What stands behind a `?`: a filter (RFC 9535, 2.3.5). */
export abstract class FilterParser extends PathReader {
  usesPatterns = false;
  comparisons = 0;
  #depth = 0;

  protected abstract segments(spacing: 'spaced' | 'dense'): Segment[];

  protected enter(start: number): void {
    if (++this.#depth > deepest) this.fail(`A path may be nested ${deepest} levels deep.`, start);
  }

  protected leave(): void {
    this.#depth--;
  }

  // logical-or-expr :: logical-and-expr (S || S logical-and-expr)*
  protected or(): Logical {
    const parts = [this.#and()];
    while (this.#operator('||')) parts.push(this.#and());
    return parts.length === 1 ? parts[0]! : { kind: 'or', parts };
  }

  #and(): Logical {
    const parts = [this.#basic()];
    while (this.#operator('&&')) parts.push(this.#basic());
    return parts.length === 1 ? parts[0]! : { kind: 'and', parts };
  }

  #operator(operator: string): boolean {
    const before = this.at;
    this.space();
    if (this.text.startsWith(operator, this.at)) {
      this.at += operator.length;
      this.space();
      return true;
    }
    this.at = before;
    return false;
  }

  // basic-expr :: !? ( logical-or-expr ) | comparison | !? test
  #basic(): Logical {
    if (this.eat('!')) {
      this.space();
      return { kind: 'not', part: this.#basicWithoutComparison() };
    }
    if (this.text[this.at] === '(') return this.#parenthesised();
    return this.#comparisonOrTest();
  }

  #basicWithoutComparison(): Logical {
    if (this.text[this.at] === '(') return this.#parenthesised();
    const start = this.at;
    const part = this.#comparisonOrTest();
    if (part.kind === 'compare') this.fail("'!' before a comparison needs parentheses.", start);
    return part;
  }

  #parenthesised(): Logical {
    const start = this.at++;
    this.enter(start);
    this.space();
    const inner = this.or();
    this.space();
    if (!this.eat(')')) this.fail("A ')' should stand here.", this.at);
    this.leave();
    return inner;
  }

  #comparisonOrTest(): Logical {
    const start = this.at;
    const left = this.#comparable();
    const before = this.at;
    this.space();
    const operator = /^(?:==|!=|<=|>=|<|>)/.exec(this.text.slice(this.at, this.at + 2))?.[0];
    if (operator === undefined) {
      if (this.text[this.at] === '=') this.fail("Inside a path's filter, equality is written '=='.", this.at);
      this.at = before;
      if (left.kind === 'query') return { kind: 'test', query: left.query };
      if (left.kind === 'function' && pathFunctions[left.name]!.result === 'logical')
        return { kind: 'call', call: left };
      return this.fail(
        left.kind === 'function'
          ? `What ${left.name}() gives is no test by itself.`
          : 'A filter is a comparison or a query.',
        start,
        left.kind === 'function' ? `Compare it: ${left.name}(…) > 0` : undefined,
      );
    }
    this.at += operator.length;
    this.space();
    const rightStart = this.at;
    const right = this.#comparable();
    this.#requireSingle(left, start);
    this.#requireSingle(right, rightStart);
    const comparison = this.comparisons++;
    return { kind: 'compare', operator: operator as '==', left, right, comparison };
  }

  /** Only what gives one value at the most may be compared (RFC 9535, 2.3.5.1). */
  #requireSingle(side: Comparable, start: number): void {
    if (side.kind === 'query' && !isSingular(side.query.segments))
      this.fail(
        'A query that can match several values cannot be compared.',
        start,
        'Use count(…) or value(…), or a path without *, slices and filters.',
      );
    if (side.kind === 'function' && pathFunctions[side.name]?.result !== 'value')
      this.fail(`What ${side.name}() gives cannot be compared.`, start);
  }

  /** @param wanted what a reference that stands here has to be */
  #comparable(wanted: 'text' | 'value' = 'value'): Comparable {
    const next = this.text[this.at];
    if (next === '"' || next === "'") {
      const value = this.string();
      return typeof value === 'string' ? { kind: 'literal', value } : { kind: 'given-text', parts: value };
    }
    if (next === '{') return { kind: 'given', ...this.given(wanted) };
    if (next === '$' || next === '@') return { kind: 'query', query: this.#query() };
    const number = /^-?[0-9][0-9.eE+-]*/.exec(this.text.slice(this.at))?.[0];
    if (number !== undefined) {
      if (!isNumberText(number)) this.fail(`'${number}' is no number.`, this.at);
      this.at += number.length;
      return { kind: 'literal', value: readNumber(number) };
    }
    const word = /^[A-Za-z][A-Za-z0-9_]*/.exec(this.text.slice(this.at))?.[0];
    if (word === undefined)
      return this.fail('A value, a query (@…, $…) or a function should stand here.', this.at);
    if (this.text[this.at + word.length] === '(') return this.#function(word);
    if (word === 'true' || word === 'false' || word === 'null') {
      this.at += word.length;
      return { kind: 'literal', value: word === 'null' ? null : word === 'true' };
    }
    return this.fail(
      `'${word}' is not known in a filter.`,
      this.at,
      `A member of the item is written @.${word}, a text "${word}".`,
    );
  }

  #query(): FilterQuery {
    const start = this.at;
    const root = this.text[this.at++] as '$' | '@';
    const segments = this.segments('spaced');
    return { text: this.text.slice(start, this.at), root, segments };
  }

  // function-expr :: name ( S (argument (S , S argument)*)? S )
  #function(name: string): Comparable {
    const start = this.at;
    const known = pathFunctions[name];
    if (!known)
      this.fail(
        `'${name}' is no function of paths.`,
        start,
        didYouMean(name, Object.keys(pathFunctions)) ?? `There are ${inWords(Object.keys(pathFunctions))}.`,
      );
    this.at += name.length + 1;
    this.enter(start);
    const given: Comparable[] = [];
    this.space();
    if (this.text[this.at] !== ')') {
      do {
        this.space();
        given.push(this.#argument(name, known.parameters[given.length]));
        this.space();
      } while (this.eat(','));
    }
    if (!this.eat(')')) this.fail("A ')' should stand here.", this.at);
    this.leave();
    if (given.length !== known.parameters.length) this.#wrongCount(name, known, start);
    if (name !== 'match' && name !== 'search') return { kind: 'function', name, arguments: given };
    this.usesPatterns = true;
    const [text, pattern] = given as [Comparable, Comparable];
    const quoted =
      pattern.kind === 'given' || pattern.kind === 'given-text' ? { ...pattern, asPattern: true } : pattern;
    return { kind: 'function', name, arguments: [text, quoted], comparison: this.comparisons++ };
  }

  #wrongCount(name: string, { parameters }: PathFunction, start: number): never {
    return this.fail(`${name}() takes ${counted(parameters.length, 'argument')}.`, start);
  }

  /** RFC 9535, 2.4.3: what an argument must be is known before any document is. */
  #argument(name: string, wanted: PathType | undefined): Comparable {
    const start = this.at;
    const argument = this.#comparable(name === 'match' || name === 'search' ? 'text' : 'value');
    if (wanted === undefined) return argument;
    if (wanted === 'nodes') {
      if (argument.kind !== 'query') this.fail(`${name}() takes a query here, such as @.*`, start);
    } else if (argument.kind === 'query' && !isSingular(argument.query.segments))
      this.fail(
        `${name}() takes one value here, and this query can match several.`,
        start,
        'Use value(…), or a path without *, slices and filters.',
      );
    else if (argument.kind === 'function' && pathFunctions[argument.name]!.result !== 'value')
      this.fail(`${name}() takes a value here, and ${argument.name}() gives none.`, start);
    if (name === 'match' || name === 'search') this.#checkPattern(argument, start);
    return argument;
  }

  /** The second argument of match() and search(), where it is written out: a slip in it would match nothing. */
  #checkPattern(argument: Comparable, start: number): void {
    const before = this.text.slice(0, start).trimEnd();
    if (!before.endsWith(',')) return;
    const pattern =
      argument.kind === 'given-text'
        ? argument.parts.map(part => (typeof part === 'string' ? part : 'x')).join('')
        : argument.kind === 'literal'
          ? argument.value
          : undefined;
    if (typeof pattern !== 'string') return;
    try {
      translateIRegexp(pattern);
    } catch (error) {
      if (!(error instanceof IRegexpError)) throw error;
      throw new SourceError(
        'pattern-form',
        { start, end: this.at },
        `This is no pattern of a path: ${error.message}.`,
        'Patterns in paths are those of RFC 9485; a backslash in them is written twice.',
      );
    }
  }
}
