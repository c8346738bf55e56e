import type { Value } from '../../core/model/value.ts';

/**
 * Makes values of what a database sends, and texts of values. They come from the program: what is loaded as a part of its own has classes of its
 * own, and a number with all its digits is of a class.
 */
export interface ValueReaders {
  readonly readNumber: (text: string) => Value;
  readonly readJson: (text: string) => Value;
  readonly writeJson: (value: Value) => string;
}
