import { Mistake } from '../../text/finding.ts';
import { inWords } from '../../text/nearest.ts';
import { isNumberText, readNumber } from '../../values/number.ts';
import {
  type Argument,
  type Comparable,
  type FilterQuery,
  isSingular,
  type Logical,
  type Path,
  type Segment,
  type Selector,
} from './ast.ts';
import { pathFunctions } from './functions.ts';
import { PathReader } from './reader.ts';

const nameFirst = /[A-Za-z_\u0080-\uD7FF\uE000-\uFFFF]|[\uD800-\uDBFF][\uDC00-\uDFFF]/y;
const nameChars = /(?:[A-Za-z0-9_\u0080-\uD7FF\uE000-\uFFFF]|[\uD800-\uDBFF][\uDC00-\uDFFF])*/y;
const deepest = 200;

/**
 * Reads the longest path (RFC 9535) that begins at an offset; white space outside its brackets ends it. Offsets in a
 * Mistake are those of `text`.
 */
export function parsePath(text: string, start: number): { path: Path; end: number } {
  const parser = new PathParser(text, start);
  const segments = parser.path();
  return { path: { text: text.slice(start, parser.at), segments }, end: parser.at };
}

class PathParser extends PathReader {
  #depth = 0;

  // jsonpath-query :: $ segments
  path(): Segment[] {
    const start = this.at++;
    const segments = this.#segments(false);
    const next = this.text[this.at];
    if (next === '-' && /[A-Za-z0-9_]/.test(this.text[this.at + 1] ?? '')) this.#dashed(start);
    return segments;
  }

  /** `$.line-2` may be meant in two ways; neither is guessed. */
  #dashed(start: number): never {
    const tail = /^[\w-]*/.exec(this.text.slice(this.at))![0];
    const path = this.text.slice(start, this.at);
    const dot = path.lastIndexOf('.');
    const name = path.slice(dot + 1) + tail;
    const quoted = dot > 0 && !path.endsWith(']') ? `${path.slice(0, dot)}['${name}']` : undefined;
    throw new Mistake(
      'path-form',
      { start, end: this.at + tail.length },
      `A '-' cannot stand in a bare member name.`,
      quoted === undefined
        ? `For a difference leave space around the '-'.`
        : `Write ${quoted} for the member, or ${path} - ${tail.slice(1)} for a difference.`,
    );
  }

  // segments :: (S segment)*    white space only inside brackets
  #segments(spaced: boolean): Segment[] {
    const segments: Segment[] = [];
    for (;;) {
      const before = this.at;
      if (spaced) this.space();
      const segment = this.#segment();
      if (!segment) {
        this.at = before;
        return segments;
      }
      segments.push(segment);
    }
  }

  // segment :: [ selectors ] | . * | . name | .. [ selectors ] | .. * | .. name
  #segment(): Segment | undefined {
    if (this.text[this.at] === '[') return { descendant: false, selectors: this.#bracket() };
    if (this.text[this.at] !== '.') return undefined;
    const start = this.at;
    const descendant = this.text[this.at + 1] === '.';
    this.at += descendant ? 2 : 1;
    if (this.text[this.at] === '*') {
      this.at++;
      return { descendant, selectors: [{ kind: 'wildcard' }] };
    }
    if (descendant && this.text[this.at] === '[') return { descendant, selectors: this.#bracket() };
    const name = this.match(nameFirst);
    if (name === undefined)
      this.fail(`A member name or '*' should follow '${descendant ? '..' : '.'}'.`, start);
    return { descendant, selectors: [{ kind: 'name', name: name + this.match(nameChars)! }] };
  }

  // bracketed-selection :: [ S selector (S , S selector)* S ]
  #bracket(): Selector[] {
    const start = this.at++;
    if (++this.#depth > deepest) this.fail(`A path may be nested ${deepest} levels deep.`, start);
    const selectors: Selector[] = [];
    do {
      this.space();
      selectors.push(this.#selector());
      this.space();
    } while (this.eat(','));
    if (!this.eat(']'))
      this.fail(
        this.at >= this.text.length ? "This '[' is not closed." : "A ',' or ']' should stand here.",
        this.at >= this.text.length ? start : this.at,
      );
    this.#depth--;
    return selectors;
  }

  #selector(): Selector {
    const next = this.text[this.at];
    if (next === '"' || next === "'") return { kind: 'name', name: this.string() };
    if (next === '*') {
      this.at++;
      return { kind: 'wildcard' };
    }
    if (next === '?') {
      this.at++;
      this.space();
      return { kind: 'filter', condition: this.#or() };
    }
    return this.#indexOrSlice();
  }

  // slice-selector :: start? S : S end? S (: S step?)?
  #indexOrSlice(): Selector {
    const begin = this.at;
    const start = this.integer();
    const afterStart = this.at;
    this.space();
    if (!this.eat(':')) {
      this.at = afterStart;
      if (start === undefined)
        this.fail(
          'An index, a slice, a quoted name, * or a ?filter should stand here.',
          begin,
          this.#wordHint(),
        );
      return { kind: 'index', index: start };
    }
    this.space();
    const end = this.integer();
    this.space();
    let step: number | undefined;
    if (this.eat(':')) {
      this.space();
      step = this.integer();
    }
    return {
      kind: 'slice',
      ...(start !== undefined && { start }),
      ...(end !== undefined && { end }),
      step: step ?? 1,
    };
  }

  #wordHint(): string | undefined {
    const word = /^[\w-]+/.exec(this.text.slice(this.at))?.[0];
    return word === undefined ? undefined : `A name in brackets stands in quotes: ['${word}'].`;
  }

  // logical-or-expr :: logical-and-expr (S || S logical-and-expr)*
  #or(): Logical {
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
    if (++this.#depth > deepest) this.fail(`A path may be nested ${deepest} levels deep.`, start);
    this.space();
    const inner = this.#or();
    this.space();
    if (!this.eat(')')) this.fail("A ')' should stand here.", this.at);
    this.#depth--;
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
      return this.fail('A filter is a comparison or a query.', start);
    }
    this.at += operator.length;
    this.space();
    const rightStart = this.at;
    const right = this.#comparable();
    this.#requireSingle(left, start);
    this.#requireSingle(right, rightStart);
    return { kind: 'compare', operator: operator as '==', left, right };
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

  #comparable(): Comparable {
    const next = this.text[this.at];
    if (next === '"' || next === "'") return { kind: 'literal', value: this.string() };
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
    const root = this.text[this.at++] as '$' | '@';
    return { root, segments: this.#segments(true) };
  }

  // function-expr :: name ( S (argument (S , S argument)*)? S )
  #function(name: string): Comparable {
    const start = this.at;
    const known = pathFunctions[name];
    if (name === 'match' || name === 'search')
      throw new Mistake(
        'not-yet',
        { start, end: start + name.length },
        `The function ${name}() of paths is not there yet.`,
      );
    if (!known)
      this.fail(
        `'${name}' is no function of paths.`,
        start,
        `There are ${inWords(Object.keys(pathFunctions))}.`,
      );
    this.at += name.length + 1;
    const given: Argument[] = [];
    this.space();
    if (this.text[this.at] !== ')') {
      do {
        this.space();
        const argumentStart = this.at;
        const argument = this.#comparable();
        if (
          known.parameters[given.length] === 'nodes'
            ? argument.kind !== 'query'
            : argument.kind === 'query' && !isSingular(argument.query.segments)
        )
          this.fail(
            `${name}() takes ${known.parameters[given.length] === 'nodes' ? 'a query' : 'one value'} here.`,
            argumentStart,
          );
        given.push(argument);
        this.space();
      } while (this.eat(','));
    }
    if (!this.eat(')')) this.fail("A ')' should stand here.", this.at);
    if (given.length !== known.parameters.length)
      this.fail(`${name}() takes ${known.parameters.length} argument.`, start);
    return { kind: 'function', name, arguments: given };
  }
}
