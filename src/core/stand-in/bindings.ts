import type { Value } from '../model/value.ts';
import { equal } from '../values/compare.ts';
import { textOf } from '../values/text.ts';

/** The values that a name is known to have, before anything is sent; nothing where it may have any. */
export type KnownValues = (key: string) => readonly Value[] | undefined;

/**
 * What the references of a request stand for in one that came. One name has one value in the whole request. Keys are names
 * with their paths: `berth.id`.
 */
export class Bindings {
  readonly values = new Map<string, Value>();
  /** How many of the names have the value that is known of them, and how many have another one. */
  known = 0;
  others = 0;
  /** How many of the names that may have any value have the one that an example above shows. */
  shown = 0;

  constructor(
    readonly knownValues: KnownValues,
    readonly shownValues: KnownValues,
  ) {}

  /** Whether a name may stand for this. */
  bind(key: string, value: Value): boolean {
    const before = this.values.get(key);
    if (before !== undefined) return isSame(before, value);
    this.values.set(key, value);
    const known = this.knownValues(key);
    if (known) {
      if (known.some(each => isSame(each, value))) this.known++;
      else this.others++;
    } else if (this.shownValues(key)?.some(each => isSame(each, value))) this.shown++;
    return true;
  }
}

/** By their characters, since what a path or a form holds has no kind of its own. */
function isSame(a: Value, b: Value): boolean {
  const [x, y] = [textOf(a), textOf(b)];
  if (x !== undefined && y !== undefined) return x === y;
  return equal(a, b) === true;
}
