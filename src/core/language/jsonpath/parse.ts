import { SourceError } from '../../model/finding.ts';
import type { Range } from '../../model/source.ts';
import type { Path, Segment, Selector } from './ast.ts';
import { FilterParser } from './parse-filter.ts';

const nameFirst = /[A-Za-z_\u0080-\uD7FF\uE000-\uFFFF]|[\uD800-\uDBFF][\uDC00-\uDFFF]/y;
const nameChars = /(?:[A-Za-z0-9_\u0080-\uD7FF\uE000-\uFFFF]|[\uD800-\uDBFF][\uDC00-\uDFFF])*/y;

/**
 * Reads the longest path (RFC 9535) that begins at an offset; white space outside its brackets ends it. Offsets in a
 * SourceError are those of `text`.
 * @param place turns offsets of `text` into a range of the page; without it no references may stand in the path
 */
export function parsePath(
  text: string,
  start: number,
  place?: (start: number, end: number) => Range,
): { path: Path; end: number } {
  const parser = new PathParser(text, start, place);
  const segments = parser.path();
  const { at: end, givenTo: given, comparisons, usesPatterns } = parser;
  return { path: { text: text.slice(start, end), segments, given, comparisons, usesPatterns }, end };
}

class PathParser extends FilterParser {
  // jsonpath-query :: $ segments
  path(): Segment[] {
    const start = this.at++;
    const segments = this.segments('dense');
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
    throw new SourceError(
      'path-form',
      { start, end: this.at + tail.length },
      `A '-' cannot stand in a bare member name.`,
      quoted === undefined
        ? `For a difference leave space around the '-'.`
        : `Write ${quoted} for the member, or ${path} - ${tail.slice(1)} for a difference.`,
    );
  }

  // segments :: (S segment)*    white space only inside brackets
  protected override segments(spacing: 'spaced' | 'dense'): Segment[] {
    const segments: Segment[] = [];
    for (;;) {
      const before = this.at;
      if (spacing === 'spaced') this.space();
      const segment = this.#segment();
      if (!segment) {
        this.at = before;
        return segments;
      }
      segments.push(segment);
    }
  }

  // segment :: [ selectors ] | . * | . name | . reference | .. [ selectors ] | .. * | .. name | .. reference
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
    if (this.text[this.at] === '{')
      return { descendant, selectors: [{ kind: 'given', ...this.given('text') }] };
    const name = this.match(nameFirst);
    if (name === undefined) {
      const index = this.match(/\d+/y);
      this.fail(
        `A member name or '*' should follow '${descendant ? '..' : '.'}'.`,
        start,
        index === undefined ? undefined : `An index stands in brackets: [${index}]`,
      );
    }
    return { descendant, selectors: [{ kind: 'name', name: name + this.match(nameChars)! }] };
  }

  // bracketed-selection :: [ S selector (S , S selector)* S ]
  #bracket(): Selector[] {
    const start = this.at++;
    this.enter(start);
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
    this.leave();
    return selectors;
  }

  #selector(): Selector {
    const next = this.text[this.at];
    if (next === '"' || next === "'") {
      const name = this.string();
      return typeof name === 'string' ? { kind: 'name', name } : { kind: 'given-name', parts: name };
    }
    if (next === '{') {
      const given = this.given('text');
      this.space();
      if (this.text[this.at] === ':')
        this.fail('No reference can stand in a slice.', this.at, 'One item is written [{name}].');
      return { kind: 'given', ...given };
    }
    if (next === '*') {
      this.at++;
      return { kind: 'wildcard' };
    }
    if (next === '?') {
      this.at++;
      this.space();
      return { kind: 'filter', condition: this.or() };
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
          'An index, a slice, a quoted name, a reference, * or a ?filter should stand here.',
          begin,
          this.#wordHint(),
        );
      return { kind: 'index', index: start };
    }
    const end = this.#bound();
    const step = this.eat(':') ? this.#bound() : undefined;
    return {
      kind: 'slice',
      ...(start !== undefined && { start }),
      ...(end !== undefined && { end }),
      step: step ?? 1,
    };
  }

  /** An end or a step of a slice, and the space around it. */
  #bound(): number | undefined {
    this.space();
    if (this.text[this.at] === '{')
      this.fail('No reference can stand in a slice.', this.at, 'One item is written [{name}].');
    const bound = this.integer();
    this.space();
    return bound;
  }

  #wordHint(): string | undefined {
    const word = /^[\w-]+/.exec(this.text.slice(this.at))?.[0];
    return word === undefined ? undefined : `A name in brackets stands in quotes: ['${word}'].`;
  }
}
