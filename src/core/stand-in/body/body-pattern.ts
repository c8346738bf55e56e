import type { Bindings } from '../bindings.ts';

/** The body of a request that came. */
export interface ReceivedBody {
  readonly text: string;
  /** The fields of a form of several parts; a file is its name. */
  readonly fields?: readonly (readonly [name: string, value: string])[] | undefined;
}

/** What a body has to be like, read backwards from how it is written. */
export interface BodyPattern {
  /** How many parts of it are asked for. */
  readonly conditions: number;
  /** How many of them are written out. */
  readonly literals: number;
  /** The same for all that match the same, whatever their references are called. */
  readonly form: string;
  /** What keeps a body from being like it, in words behind 'its body'; nothing where it is. */
  misses(body: ReceivedBody, bindings: Bindings): string | undefined;
}

/** A body that cannot be read as what its pattern is, whatever it holds. */
export const unreadable = 'is no ';
