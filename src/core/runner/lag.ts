import { DurationHistogram } from '../record/duration-histogram.ts';
import type { Ports } from './ports.ts';

/** In milliseconds: a timer of the runtime is late by that without anything being amiss. */
export const timerExactness = 1.5;

/** In milliseconds: where timers come before what has come over connections, that is read so soon behind them. */
const rightBehind = 1;

/** How late the program itself gets to what it is waiting for: what comes in the meantime is noted that much too late. */
export class Lag {
  readonly #late = new DurationHistogram();
  readonly #over = new AbortController();
  #due = 0;
  /** When the last look was taken, and how late that was. */
  #looked = Number.NEGATIVE_INFINITY;
  #lastLate = 0;

  constructor(
    readonly ports: Pick<Ports, 'elapsed' | 'sleep'>,
    /** In milliseconds, between two looks. */
    readonly pause = 20,
  ) {
    void this.#look();
  }

  /** How late it is now, in milliseconds, as far as a look is overdue; or was, and what came meanwhile is read just now. */
  get now(): number {
    const now = this.ports.elapsed();
    const late = now - this.#looked < rightBehind ? this.#lastLate : now - this.#due;
    return Math.max(0, late - timerExactness);
  }

  async #look(): Promise<void> {
    for (;;) {
      this.#due = this.ports.elapsed() + this.pause;
      await this.ports.sleep(this.pause, this.#over.signal);
      if (this.#over.signal.aborted) return;
      this.#looked = this.ports.elapsed();
      this.#lastLate = Math.max(0, this.#looked - this.#due);
      this.#late.add(this.#lastLate);
    }
  }

  end(): void {
    this.#over.abort();
  }

  /** Within which it got there 99 of 100 times, in milliseconds. */
  get percentile(): number | undefined {
    return this.#late.percentile(99);
  }
}
