/** A case that was not asked for and runs all the same. */
export interface Brought {
  readonly case: string;
  /** The case that it is brought for. */
  readonly for: string;
  /** In words: `it gives token`. */
  readonly because: string;
}
