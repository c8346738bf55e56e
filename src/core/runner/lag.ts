import { DurationHistogram } from '../record/duration-histogram.ts';
import type { Ports } from './ports.ts';

/** In milliseconds: a timer of the runtime is late by that without anything being amiss. */
const exactness = 1.5;

/** How late the program itself gets to what it is waiting for: what comes in the meantime is noted that much too late. */
export class Lag {
  readonly #late = new DurationHistogram();
  readonly #over = new AbortController();
  #due = 0;

  constructor(
    readonly ports: Pick<Ports, 'elapsed' | 'sleep'>,
    /** In milliseconds, between two looks. */
    readonly pause = 20,
  ) {
    void this.#look();
  }

  /** How late it is now, in milliseconds, as far as a look is overdue. */
  get now(): number {
    return Math.max(0, this.ports.elapsed() - this.#due - exactness);
  }

  async #look(): Promise<void> {
    for (;;) {
      this.#due = this.ports.elapsed() + this.pause;
      await this.ports.sleep(this.pause, this.#over.signal);
      if (this.#over.signal.aborted) return;
      this.#late.add(Math.max(0, this.ports.elapsed() - this.#due));
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
