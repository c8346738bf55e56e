// The syntax of RFC 9535, JSONPath, and the references of a page that may stand in it.

import type { Numeric } from '../../model/value.ts';
import type { Reference } from '../reference.ts';

/** A reference of the page that stands in a path. */
export interface Given {
  readonly reference: Reference;
  /** Whether it stands where characters are needed: in a text, as a name or in a pattern. */
  readonly asText: boolean;
}

/** Where the value of a reference stands: an index into what is given to its path. */
export interface Slot {
  readonly slot: number;
}

/** A text in quotes that holds references. */
export type GivenText = readonly (string | Slot)[];

export type Selector =
  | { readonly kind: 'name'; readonly name: string }
  | { readonly kind: 'index'; readonly index: number }
  /** `[{name}]`: an index of a list, where it is a number, else the name of a member. */
  | ({ readonly kind: 'given' } & Slot)
  /** `["{name}"]`: the name of a member. */
  | { readonly kind: 'given-name'; readonly parts: GivenText }
  | { readonly kind: 'wildcard' }
  | { readonly kind: 'slice'; readonly start?: number; readonly end?: number; readonly step: number }
  | { readonly kind: 'filter'; readonly condition: Logical };

export interface Segment {
  readonly descendant: boolean;
  readonly selectors: readonly Selector[];
}

/** A query as written; `text` is what stands in the page. */
export interface Path {
  readonly text: string;
  readonly segments: readonly Segment[];
  readonly given: readonly Given[];
  /** How many comparisons its filters hold, calls of match() and search() included. */
  readonly comparisons: number;
  /** Whether a filter in it calls match() or search(). */
  readonly usesPatterns: boolean;
}

/** A path to the whole document. */
export const wholeDocument: Path = {
  text: '$',
  segments: [],
  given: [],
  comparisons: 0,
  usesPatterns: false,
};

export interface FilterQuery {
  readonly text: string;
  /** `$` from the document's root, `@` from the item that is filtered. */
  readonly root: '$' | '@';
  readonly segments: readonly Segment[];
}

export type Comparable =
  | { readonly kind: 'literal'; readonly value: string | Numeric | boolean | null }
  | ({ readonly kind: 'given'; readonly asPattern?: boolean } & Slot)
  | { readonly kind: 'given-text'; readonly parts: GivenText; readonly asPattern?: boolean }
  | { readonly kind: 'query'; readonly query: FilterQuery }
  | FunctionCall;

export interface FunctionCall {
  readonly kind: 'function';
  readonly name: string;
  readonly arguments: readonly Comparable[];
  /** Of match() and search(), which compare. */
  readonly comparison?: number;
}

export type Logical =
  | { readonly kind: 'or' | 'and'; readonly parts: readonly Logical[] }
  | { readonly kind: 'not'; readonly part: Logical }
  | { readonly kind: 'test'; readonly query: FilterQuery }
  | { readonly kind: 'call'; readonly call: FunctionCall }
  | {
      readonly kind: 'compare';
      readonly operator: '==' | '!=' | '<' | '<=' | '>' | '>=';
      readonly left: Comparable;
      readonly right: Comparable;
      /** Its number among the comparisons of the path. */
      readonly comparison: number;
    };

/** Whether a segment matches one value at the most. */
function isSingularSegment(segment: Segment): boolean {
  const [selector] = segment.selectors;
  return (
    !segment.descendant &&
    segment.selectors.length === 1 &&
    selector!.kind !== 'wildcard' &&
    selector!.kind !== 'slice' &&
    selector!.kind !== 'filter'
  );
}

/** A singular query (RFC 9535, 2.1.1) matches one value at the most, whatever the document. */
export function isSingular(segments: readonly Segment[]): boolean {
  return segments.every(isSingularSegment);
}

/** Cuts a path behind its last segment that can match several values. */
export function splitAtLastMany(segments: readonly Segment[]): {
  many: readonly Segment[];
  rest: readonly Segment[];
} {
  const last = segments.findLastIndex(segment => !isSingularSegment(segment));
  return { many: segments.slice(0, last + 1), rest: segments.slice(last + 1) };
}

/** The beginning of a path up to its first segment that can match several values. */
export function singularBeginning(segments: readonly Segment[]): readonly Segment[] {
  const first = segments.findIndex(segment => !isSingularSegment(segment));
  return first < 0 ? segments : segments.slice(0, first);
}
