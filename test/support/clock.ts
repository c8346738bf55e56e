interface Sleeper {
  readonly until: number;
  readonly wake: () => void;
}

/** So many turns of the event loop have to pass in which nobody lies down before time goes on. */
const quietTurns = 4;

/**
 * A clock on which no time passes but that which somebody waits for: when all are waiting, it goes on to the moment at
 * which the first of them wakes.
 */
export class VirtualClock {
  /** A clock that only goes forward begins anywhere. */
  readonly begin = 70_000;
  #time = this.begin;
  #turns = 0;
  readonly #sleepers = new Set<Sleeper>();

  /** @param stalls when one is woken who would be at a time, where the program has no processor then; both since the beginning */
  constructor(readonly stalls: (time: number) => number = time => time) {}

  /** In milliseconds. */
  readonly elapsed = (): number => this.#time;

  readonly sleep = (milliseconds: number, signal?: AbortSignal): Promise<void> =>
    new Promise(resume => {
      const wake = () => {
        this.#sleepers.delete(sleeper);
        signal?.removeEventListener('abort', wake);
        resume();
      };
      const sleeper = { until: this.#time + milliseconds, wake };
      if (signal?.aborted) return resume();
      signal?.addEventListener('abort', wake);
      this.#sleepers.add(sleeper);
      if (this.#turns === 0) setImmediate(this.#turn);
      this.#turns = quietTurns;
    });

  readonly #turn = (): void => {
    if (--this.#turns > 0) {
      setImmediate(this.#turn);
      return;
    }
    const [first] = [...this.#sleepers].sort((a, b) => a.until - b.until);
    if (!first) return;
    this.#time = Math.max(this.#time, this.begin + this.stalls(first.until - this.begin));
    first.wake();
    if (this.#sleepers.size === 0) return;
    this.#turns = quietTurns;
    setImmediate(this.#turn);
  };
}
