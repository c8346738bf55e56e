import { type Found, type Kind, kindOf, Missing, type Value } from '../../model/value.ts';
import { isComparable, isOrdered } from '../../values/compare.ts';
import { textOf } from '../../values/text.ts';
import type { Comparable, GivenText } from './ast.ts';

/** How long one path may look through a document, in milliseconds, and how much it may find on its way. */
const timeout = 2000;
const mostMatches = 5_000_000;
/** So many steps are taken between two looks at the clock. */
const stride = 1024;

/** Why a path is not followed to its end; the message says so as a sentence without its full stop. */
export class SearchEnded extends Error {}

/** What one comparison of a filter has seen so far. */
interface Witness {
  readonly comparison: Compared;
  isSettled: boolean;
  seen: boolean;
  leftSeen: boolean;
  rightSeen: boolean;
  /** A pair of values of which neither is of the kind of the other. */
  strangers?: readonly [left: Value, right: Value];
}

/** What a comparison compares; `operator` is nothing for match() and search(), which look at texts. */
export interface Compared {
  readonly number: number;
  readonly operator: string | undefined;
  readonly left: Comparable;
  readonly right: Comparable;
}

/** One look through a document along one path: what it is given, what it may spend, and what its filters have met. */
export class Search {
  #steps = 0;
  #deadline = 0;
  #witnesses: (Witness | undefined)[] = [];

  /** @param given the values of the references that stand in the path */
  constructor(
    readonly root: Value,
    readonly given: readonly Value[] = [],
  ) {}

  /** Counts what is done. Throws SearchEnded where it is too much. */
  spend(steps = 1): void {
    this.#steps += steps;
    if (this.#steps < stride) return;
    this.#steps = 0;
    const now = performance.now();
    this.#deadline ||= now + timeout;
    if (now > this.#deadline) throw new SearchEnded(`it takes longer than ${timeout / 1000} s`);
  }

  checkCount(matches: number): void {
    if (matches > mostMatches) throw new SearchEnded('it comes to more than five million values');
  }

  text(parts: GivenText, change: (text: string) => string = text => text): string {
    let text = '';
    for (const part of parts)
      text += typeof part === 'string' ? part : change(textOf(this.given[part.slot]!) ?? '');
    return text;
  }

  /** Notes what a comparison compares, until it has met values of one kind. */
  watch(comparison: Compared, left: Found, right: Found): void {
    const { operator } = comparison;
    const known = this.#witnesses[comparison.number];
    if (known?.isSettled) return;
    const witness = known ?? { comparison, isSettled: false, seen: true, leftSeen: false, rightSeen: false };
    this.#witnesses[comparison.number] = witness;
    if (!(left instanceof Missing)) witness.leftSeen = true;
    if (!(right instanceof Missing)) witness.rightSeen = true;
    if (left instanceof Missing || right instanceof Missing) return;
    if (operator === undefined ? typeof left === 'string' : areAlike(operator, left, right))
      witness.isSettled = true;
    // Null may be compared with any kind; it says nothing of what else is in a list.
    else if (left !== null && right !== null) witness.strangers ??= [left, right];
    else if (isLiteralNull(comparison.left) || isLiteralNull(comparison.right)) witness.isSettled = true;
  }

  /** Whether all of these comparisons have met values of one kind, so that they need not look at every item. */
  isSettled(comparisons: readonly number[]): boolean {
    for (const number of comparisons) if (!this.#witnesses[number]?.isSettled) return false;
    return true;
  }

  /** Why what was found says nothing: a comparison that could not hold for any item. */
  doubt(): Missing | undefined {
    for (const witness of this.#witnesses) {
      const reason = witness && !witness.isSettled ? doubtful(witness) : undefined;
      if (reason !== undefined) return Missing.unreadable(reason);
    }
    return undefined;
  }
}

function areAlike(operator: string, left: Value, right: Value): boolean {
  return operator === '==' || operator === '!=' ? isComparable(left, right) : isOrdered(left, right);
}

function isLiteralNull(side: Comparable): boolean {
  return side.kind === 'literal' && side.value === null;
}

function doubtful({ comparison, leftSeen, rightSeen, strangers }: Witness): string | undefined {
  const { left, right, operator } = comparison;
  for (const [side, isSeen] of [
    [left, leftSeen],
    [right, rightSeen],
  ] as const)
    if (!isSeen && side.kind !== 'literal') return `no item that was compared has ${nameOf(side)}`;
  if (!strangers) return undefined;
  if (operator === undefined) return `compared text with ${kinds[kindOf(strangers[0])]}`;
  // What is written in the page comes first.
  const [written, met] = isWritten(left) ? strangers : [strangers[1], strangers[0]];
  const [a, b] = [kinds[kindOf(written)], kinds[kindOf(met)]];
  return a === b ? `compared ${a}, which have no order` : `compared ${a} with ${b}`;
}

function isWritten(side: Comparable): boolean {
  return side.kind === 'literal' || side.kind === 'given' || side.kind === 'given-text';
}

function nameOf(side: Comparable): string {
  if (side.kind === 'query') return side.query.text;
  return side.kind === 'function' ? `anything that ${side.name}() gives a value for` : 'a value';
}

/** Kinds as they stand where nothing single is meant. */
const kinds: { readonly [kind in Kind]: string } = {
  text: 'text',
  plain: 'text',
  number: 'numbers',
  boolean: 'booleans',
  null: 'null',
  list: 'lists',
  object: 'objects',
  duration: 'durations',
  size: 'sizes',
  date: 'dates',
  timestamp: 'timestamps',
  bytes: 'bytes',
};
