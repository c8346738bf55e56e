import { compareOrder, equalJson } from '../../values/compare.ts';
import { outline } from '../../values/describe.ts';
import { Exact } from '../../values/number.ts';
import { type Found, isObject, Missing, type Value } from '../../values/value.ts';
import {
  type Comparable,
  type FilterQuery,
  isSingular,
  type Logical,
  type Segment,
  type Selector,
} from './ast.ts';
import { pathFunctions } from './functions.ts';

/** A value in a document, and the way to it. */
export class Match {
  constructor(
    readonly value: Value,
    readonly parent?: Match,
    readonly key: string | number = '',
  ) {}

  /** What stands around it, in one line. */
  get surroundings(): string {
    // The object or list that holds it, but not the whole document.
    return outline((this.parent?.parent ? this.parent : this).value);
  }

  /** The way to it as a page would write it: `$.berths[3].state`. */
  get path(): string {
    return this.parent ? this.parent.path + pathStep(this.key) : '$';
  }

  /** The normalized path of RFC 9535, 2.7: `$['berths'][3]['state']`. */
  get normalizedPath(): string {
    if (!this.parent) return '$';
    return (
      this.parent.normalizedPath + (typeof this.key === 'number' ? `[${this.key}]` : quotedStep(this.key))
    );
  }
}

export function pathStep(key: string | number): string {
  if (typeof key === 'number') return `[${key}]`;
  if (/^[A-Za-z_]\w*$/.test(key)) return `.${key}`;
  return quotedStep(key);
}

function quotedStep(key: string): string {
  return `['${key.replace(/[\\']/g, '\\$&').replace(/[\u0000-\u001f]/g, char => JSON.stringify(char).slice(1, -1))}']`;
}

type Select = (from: readonly Match[], root: Value) => Match[];

/** A path made ready: every match, in the order of RFC 9535. */
export type CompiledPath = (start: Match, root: Value) => Match[];

export function compileSegments(segments: readonly Segment[]): CompiledPath {
  const steps = segments.map(compileSegment);
  return (start, root) => {
    let matches = [start];
    for (const step of steps) matches = step(matches, root);
    return matches;
  };
}

function keysOf(segments: readonly Segment[]): (string | number)[] {
  return segments.map(segment => {
    const selector = segment.selectors[0]!;
    return selector.kind === 'name' ? selector.name : selector.kind === 'index' ? selector.index : 0;
  });
}

/** A singular path inside a filter, where nobody asks why something is missing. */
function compileWalk(segments: readonly Segment[]): (from: Value) => Found {
  const keys = keysOf(segments);
  return from => {
    let value: Value | undefined = from;
    for (const key of keys) {
      value = step(value, key);
      if (value === undefined) return nothing;
    }
    return value;
  };
}

/** A singular path made ready: walks straight to the one value, or says what is missing, from the place where it began. */
export function compileSingular(segments: readonly Segment[]): (from: Value, place?: Match) => Found {
  const keys = keysOf(segments);
  return (from, place) => {
    let value = from;
    for (let depth = 0; depth < keys.length; depth++) {
      const next = step(value, keys[depth]!);
      if (next === undefined) return missing(keys, depth, value, place?.path ?? '$');
      value = next;
    }
    return value;
  };
}

function step(value: Value, key: string | number): Value | undefined {
  if (typeof key === 'number') return Array.isArray(value) ? value.at(key) : undefined;
  return isObject(value) && Object.hasOwn(value, key) ? value[key] : undefined;
}

function missing(keys: readonly (string | number)[], depth: number, at: Value, begin: string): Missing {
  const where = `${begin}${keys.slice(0, depth).map(pathStep).join('')}`;
  const key = keys[depth]!;
  if (typeof key === 'number') {
    if (!Array.isArray(at)) return new Missing(`${where} is no list`);
    return new Missing(
      `${where} has ${at.length} ${at.length === 1 ? 'item' : 'items'}, so there is no ${where}[${key}]`,
    );
  }
  if (!isObject(at))
    return new Missing(
      `${where} is ${Array.isArray(at) ? 'a list' : 'no object'}, so it has no member '${key}'`,
    );
  const names = Object.keys(at);
  if (names.length === 0) return new Missing(`${where} has no member '${key}'; it is empty`);
  const shown = names.slice(0, 12).join(', ') + (names.length > 12 ? ', …' : '');
  return new Missing(`${where} has no member '${key}'; there ${names.length === 1 ? 'is' : 'are'} ${shown}`);
}

// child segment :: each selector on each match; descendant segment :: the same on each match and all below it
function compileSegment(segment: Segment): Select {
  const selectors = segment.selectors.map(compileSelector);
  const select = (match: Match, root: Value, into: Match[]) => {
    for (const selector of selectors) selector(match, root, into);
  };
  if (!segment.descendant) {
    return (from, root) => {
      const into: Match[] = [];
      for (const match of from) select(match, root, into);
      return into;
    };
  }
  return (from, root) => {
    const into: Match[] = [];
    // A stack of its own, so that a deep document cannot exhaust that of the language.
    const open = from.toReversed();
    for (let match = open.pop(); match; match = open.pop()) {
      select(match, root, into);
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

function compileSelector(selector: Selector): (match: Match, root: Value, into: Match[]) => void {
  switch (selector.kind) {
    case 'name':
    case 'index': {
      const key = selector.kind === 'name' ? selector.name : selector.index;
      return (match, _root, into) => {
        const value = step(match.value, key);
        if (value === undefined) return;
        const place = typeof key === 'number' && key < 0 ? (match.value as Value[]).length + key : key;
        into.push(new Match(value, match, place));
      };
    }
    case 'wildcard':
      return (match, _root, into) => eachChild(match, child => into.push(child));
    case 'slice':
      return (match, _root, into) => slice(match, selector, into);
    case 'filter': {
      const holds = compileLogical(selector.condition);
      return (match, root, into) =>
        eachChild(match, child => {
          if (holds(child, root)) into.push(child);
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

type Holds = (item: Match, root: Value) => boolean;

function compileLogical(logical: Logical): Holds {
  switch (logical.kind) {
    case 'or': {
      const parts = logical.parts.map(compileLogical);
      return (item, root) => parts.some(part => part(item, root));
    }
    case 'and': {
      const parts = logical.parts.map(compileLogical);
      return (item, root) => parts.every(part => part(item, root));
    }
    case 'not': {
      const part = compileLogical(logical.part);
      return (item, root) => !part(item, root);
    }
    case 'test': {
      const query = compileQuery(logical.query);
      return (item, root) => query(item, root).length > 0;
    }
    case 'call': {
      const call = compileComparable(logical.call);
      return (item, root) => call(item, root) === true;
    }
    case 'compare': {
      const left = compileComparable(logical.left);
      const right = compileComparable(logical.right);
      const { operator } = logical;
      return (item, root) => compare(operator, left(item, root), right(item, root));
    }
    default:
      return logical satisfies never;
  }
}

/** RFC 9535, 2.3.5.2.2: comparing what is missing is equal to what is missing too, and to nothing else. */
function compare(operator: string, a: Found, b: Found): boolean {
  const equal =
    a instanceof Missing || b instanceof Missing
      ? a instanceof Missing && b instanceof Missing
      : equalJson(a, b);
  if (operator === '==') return equal;
  if (operator === '!=') return !equal;
  if (equal) return operator.length === 2;
  const ordered = (typeof a === 'string' && typeof b === 'string') || (isNumeric(a) && isNumeric(b));
  if (!ordered) return false;
  const order = compareOrder(a as string, b as string)!;
  return operator[0] === '<' ? order < 0 : order > 0;
}

function isNumeric(value: Found): boolean {
  return typeof value === 'number' || value instanceof Exact;
}

function compileQuery(query: FilterQuery): (item: Match, root: Value) => Match[] {
  const path = compileSegments(query.segments);
  return query.root === '@' ? path : (_item, root) => path(new Match(root), root);
}

const nothing = new Missing('nothing');

function compileComparable(comparable: Comparable): (item: Match, root: Value) => Found {
  switch (comparable.kind) {
    case 'literal':
      return () => comparable.value;
    case 'query': {
      if (isSingular(comparable.query.segments)) {
        const walk = compileWalk(comparable.query.segments);
        return comparable.query.root === '@' ? item => walk(item.value) : (_item, root) => walk(root);
      }
      const query = compileQuery(comparable.query);
      return (item, root) => query(item, root)[0]?.value ?? nothing;
    }
    case 'function': {
      const { parameters, apply } = pathFunctions[comparable.name]!;
      const given = comparable.arguments.map((argument, index) => {
        if (argument.kind === 'query' && parameters[index] === 'nodes') {
          const query = compileQuery(argument.query);
          return (item: Match, root: Value): Found => query(item, root).map(match => match.value);
        }
        return compileComparable(argument);
      });
      return (item, root) => apply(...given.map(value => value(item, root)));
    }
    default:
      return comparable satisfies never;
  }
}
