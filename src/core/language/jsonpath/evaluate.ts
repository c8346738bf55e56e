import { type Found, isObject, Missing, Special, type Value } from '../../model/value.ts';
import { compareOrder, equal, equalJson } from '../../values/compare.ts';
import { textOf } from '../../values/text.ts';
import {
  type Comparable,
  type FilterQuery,
  type FunctionCall,
  isSingular,
  type Logical,
  type Segment,
  type Selector,
} from './ast.ts';
import { pathFunctions } from './functions.ts';
import { quoteIRegexp } from './iregexp.ts';
import { Match } from './match.ts';
import type { Compared, Search } from './search.ts';
import { compileKey, compileWalk, nothing, step } from './singular.ts';

type Select = (from: readonly Match[], search: Search) => Match[];

/** A path made ready: every match, in the order of RFC 9535. */
export type CompiledPath = (start: Match, search: Search) => Match[];

export function compileSegments(segments: readonly Segment[]): CompiledPath {
  const steps = segments.map(compileSegment);
  return (start, search) => {
    let matches = [start];
    for (const step of steps) {
      matches = step(matches, search);
      search.checkCount(matches.length);
    }
    return matches;
  };
}

// child segment :: each selector on each match; descendant segment :: the same on each match and all below it
function compileSegment(segment: Segment): Select {
  const selectors = segment.selectors.map(compileSelector);
  const select = (match: Match, search: Search, into: Match[]) => {
    for (const selector of selectors) {
      selector(match, search, into);
      search.spend();
    }
    search.checkCount(into.length);
  };
  if (!segment.descendant) {
    return (from, search) => {
      const into: Match[] = [];
      for (const match of from) select(match, search, into);
      return into;
    };
  }
  return (from, search) => {
    const into: Match[] = [];
    // A stack of its own, so that a deep document cannot exhaust that of the language.
    const open = from.toReversed();
    for (let match = open.pop(); match; match = open.pop()) {
      select(match, search, into);
      const children: Match[] = [];
      eachChild(match, child => children.push(child));
      for (let index = children.length - 1; index >= 0; index--) {
        if (typeof children[index]!.value === 'object') open.push(children[index]!);
      }
    }
    return into;
  };
}

function eachChild(match: Match, visit: (child: Match) => void): void {
  const { value } = match;
  if (Array.isArray(value)) {
    for (let index = 0; index < value.length; index++) visit(new Match(value[index]!, match, index));
  } else if (isObject(value))
    for (const name of Object.keys(value)) visit(new Match(value[name]!, match, name));
}

function compileSelector(selector: Selector): (match: Match, search: Search, into: Match[]) => void {
  switch (selector.kind) {
    case 'name':
    case 'index':
    case 'given':
    case 'given-name': {
      const find = compileKey(selector);
      return (match, search, into) => {
        const key = typeof find === 'function' ? find(match.value, search.given) : find;
        const value = step(match.value, key);
        if (value === undefined) return;
        const place = typeof key === 'number' && key < 0 ? (match.value as Value[]).length + key : key;
        into.push(new Match(value, match, place));
      };
    }
    case 'wildcard':
      return (match, _search, into) => eachChild(match, child => into.push(child));
    case 'slice':
      return (match, _search, into) => slice(match, selector, into);
    case 'filter': {
      const holds = compileLogical(selector.condition);
      return (match, search, into) =>
        eachChild(match, child => {
          if (holds(child, search)) into.push(child);
        });
    }
    default:
      return selector satisfies never;
  }
}

/** RFC 9535, 2.3.4.2.2 */
function slice(match: Match, { start, end, step: by }: Selector & { kind: 'slice' }, into: Match[]): void {
  const list = match.value;
  if (!Array.isArray(list) || by === 0) return;
  const length = list.length;
  const normal = (index: number) => (index >= 0 ? index : length + index);
  const clamp = (index: number, low: number, high: number) => Math.min(Math.max(index, low), high);
  if (by > 0) {
    const upper = clamp(normal(end ?? length), 0, length);
    for (let at = clamp(normal(start ?? 0), 0, length); at < upper; at += by)
      into.push(new Match(list[at]!, match, at));
  } else {
    const lower = end === undefined ? -1 : clamp(normal(end), -1, length - 1);
    for (let at = clamp(normal(start ?? length - 1), -1, length - 1); at > lower; at += by)
      into.push(new Match(list[at]!, match, at));
  }
}

type Holds = (item: Match, search: Search) => boolean;

function compileLogical(logical: Logical): Holds {
  switch (logical.kind) {
    case 'or':
    case 'and':
      return compileJunction(logical);
    case 'not': {
      const part = compileLogical(logical.part);
      return (item, search) => !part(item, search);
    }
    case 'test': {
      const query = compileQuery(logical.query);
      return (item, search) => query(item, search).length > 0;
    }
    case 'call': {
      const call = compileComparable(logical.call);
      return (item, search) => call(item, search) === true;
    }
    case 'compare': {
      const left = compileComparable(logical.left);
      const right = compileComparable(logical.right);
      const { operator } = logical;
      const compared: Compared = { ...logical, number: logical.comparison };
      return (item, search) => {
        search.spend();
        const [a, b] = [left(item, search), right(item, search)];
        search.watch(compared, a, b);
        return compare(operator, a, b);
      };
    }
    default:
      return logical satisfies never;
  }
}

/** What is decided by a part needs no other, but for comparisons that have met nothing yet of which they could be true. */
function compileJunction({ kind, parts }: Logical & { kind: 'or' | 'and' }): Holds {
  const deciding = kind === 'or';
  const compiled = parts.map(part => ({ holds: compileLogical(part), comparisons: comparisonsIn(part) }));
  return (item, search) => {
    let result = !deciding;
    for (const { holds, comparisons } of compiled) {
      if (result !== deciding) result = holds(item, search);
      else if (!search.isSettled(comparisons)) holds(item, search);
    }
    return result;
  };
}

/** The numbers of the comparisons in a filter, those of the filters within it included. */
function comparisonsIn(logical: Logical): number[] {
  switch (logical.kind) {
    case 'or':
    case 'and':
      return logical.parts.flatMap(comparisonsIn);
    case 'not':
      return comparisonsIn(logical.part);
    case 'test':
      return comparisonsOf({ kind: 'query', query: logical.query });
    case 'call':
      return comparisonsOf(logical.call);
    case 'compare':
      return [logical.comparison, ...comparisonsOf(logical.left), ...comparisonsOf(logical.right)];
    default:
      return logical satisfies never;
  }
}

function comparisonsOf(comparable: Comparable): number[] {
  if (comparable.kind === 'query')
    return comparable.query.segments.flatMap(({ selectors }) =>
      selectors.flatMap(each => (each.kind === 'filter' ? comparisonsIn(each.condition) : [])),
    );
  if (comparable.kind !== 'function') return [];
  const own = comparable.comparison === undefined ? [] : [comparable.comparison];
  return [...own, ...comparable.arguments.flatMap(comparisonsOf)];
}

/** RFC 9535, 2.3.5.2.2: comparing what is missing is equal to what is missing too, and to nothing else. */
function compare(operator: string, a: Found, b: Found): boolean {
  const isEqual =
    a instanceof Missing || b instanceof Missing
      ? a instanceof Missing && b instanceof Missing
      : a instanceof Special || b instanceof Special
        ? equal(a, b) === true
        : equalJson(a, b);
  if (operator === '==') return isEqual;
  if (operator === '!=') return !isEqual;
  if (isEqual) return operator.length === 2;
  if (a instanceof Missing || b instanceof Missing) return false;
  const order = compareOrder(a, b);
  if (order === undefined) return false;
  return operator[0] === '<' ? order < 0 : order > 0;
}

function compileQuery(query: FilterQuery): (item: Match, search: Search) => Match[] {
  const path = compileSegments(query.segments);
  return query.root === '@' ? path : (_item, search) => path(new Match(search.root), search);
}

function compileComparable(comparable: Comparable): (item: Match, search: Search) => Found {
  switch (comparable.kind) {
    case 'literal':
      return () => comparable.value;
    case 'given': {
      const { slot, asPattern = false } = comparable;
      return asPattern
        ? (_item, search) => quoteIRegexp(textOf(search.given[slot]!) ?? '')
        : (_item, search) => search.given[slot]!;
    }
    case 'given-text': {
      const { parts, asPattern = false } = comparable;
      return (_item, search) => search.text(parts, asPattern ? quoteIRegexp : undefined);
    }
    case 'query': {
      if (isSingular(comparable.query.segments)) {
        const walk = compileWalk(comparable.query.segments);
        return comparable.query.root === '@'
          ? (item, { given }) => walk(item.value, given)
          : (_item, { root, given }) => walk(root, given);
      }
      const query = compileQuery(comparable.query);
      return (item, search) => query(item, search)[0]?.value ?? nothing;
    }
    case 'function':
      return compileCall(comparable);
    default:
      return comparable satisfies never;
  }
}

function compileCall(call: FunctionCall): (item: Match, search: Search) => Found {
  const { parameters, apply } = pathFunctions[call.name]!;
  const given = call.arguments.map((argument, index) => {
    if (argument.kind === 'query' && parameters[index] === 'nodes') {
      const query = compileQuery(argument.query);
      return (item: Match, search: Search): Found => query(item, search).map(match => match.value);
    }
    return compileComparable(argument);
  });
  const [text, pattern] = call.arguments;
  const compared: Compared | undefined =
    call.comparison === undefined
      ? undefined
      : { number: call.comparison, operator: undefined, left: text!, right: pattern! };
  return (item, search) => {
    const values = given.map(value => value(item, search));
    const [first] = values;
    // A text costs as much as it is long.
    search.spend(typeof first === 'string' ? 1 + (first.length >> 4) : 1);
    if (compared) search.watch(compared, first!, values[1]!);
    return apply(...values);
  };
}
