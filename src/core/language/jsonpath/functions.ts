import { type Found, isObject, Missing, type Value } from '../../model/value.ts';
import { compilePattern, type Pattern, PatternError } from '../patterns.ts';
import { IRegexpError, translateIRegexp } from './iregexp.ts';

/** RFC 9535, 2.4.1: one value, a truth, or the nodes that a query matches. */
export type PathType = 'value' | 'logical' | 'nodes';

export interface PathFunction {
  readonly parameters: readonly PathType[];
  readonly result: PathType;
  /** An argument of type `nodes` comes as a list of the matched values; a truth is `true` or `false`. */
  readonly apply: (...given: Found[]) => Found;
}

const nothing = new Missing('a function gave nothing');

/** Patterns that were made lately; most come from the page and are the same for every item. */
const made = new Map<string, Pattern | null>();

/** Whether a pattern has to match a text from its beginning to its end. */
type Extent = 'whole' | 'part';

/** Null for a text that is no pattern of RFC 9485: nothing matches it (RFC 9535, 2.4.6). */
function patternOf(text: string, extent: Extent): Pattern | null {
  const key = `${extent} ${text}`;
  let pattern = made.get(key);
  if (pattern === undefined) {
    if (made.size >= 100) made.clear();
    pattern = compile(text, extent);
    made.set(key, pattern);
  }
  return pattern;
}

function compile(text: string, extent: Extent): Pattern | null {
  try {
    const pattern = translateIRegexp(text);
    return compilePattern(extent === 'whole' ? `\\A(?:${pattern})\\z` : pattern, '');
  } catch (error) {
    if (error instanceof IRegexpError || error instanceof PatternError) return null;
    throw error;
  }
}

function testFor(extent: Extent): PathFunction['apply'] {
  return (text, pattern) =>
    typeof text === 'string' &&
    typeof pattern === 'string' &&
    patternOf(pattern, extent)?.test(text) === true;
}

/** The functions that a filter may call. */
export const pathFunctions: { readonly [name: string]: PathFunction } = Object.assign(Object.create(null), {
  length: {
    parameters: ['value'],
    result: 'value',
    apply: (value: Found) => {
      if (typeof value === 'string') return [...value].length;
      if (Array.isArray(value)) return value.length;
      return isObject(value) ? Object.keys(value).length : nothing;
    },
  },
  count: { parameters: ['nodes'], result: 'value', apply: (nodes: Found) => (nodes as Value[]).length },
  value: {
    parameters: ['nodes'],
    result: 'value',
    apply: (nodes: Found) => ((nodes as Value[]).length === 1 ? (nodes as Value[])[0]! : nothing),
  },
  match: { parameters: ['value', 'value'], result: 'logical', apply: testFor('whole') },
  search: { parameters: ['value', 'value'], result: 'logical', apply: testFor('part') },
} satisfies { [name: string]: PathFunction });
