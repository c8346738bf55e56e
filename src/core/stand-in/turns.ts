/** So many have a turn of their own; the oldest are forgotten. */
const most = 10_000;

/** Counts how often the same was asked. */
export class Turns {
  readonly #turns = new Map<string, number>();

  /** How many times it was asked before. */
  next(key: string): number {
    const turn = this.#turns.get(key) ?? 0;
    // What was asked last is forgotten last.
    this.#turns.delete(key);
    this.#turns.set(key, turn + 1);
    if (this.#turns.size > most) this.#turns.delete(this.#turns.keys().next().value!);
    return turn;
  }
}
