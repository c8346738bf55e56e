import type { Value } from '../model/value.ts';

/** A value given on the command line, or by a file that it names. */
export interface GivenValue {
  readonly value: Value;
  /** In words: `given by --set`. */
  readonly origin: string;
}
