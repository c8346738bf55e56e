import { DurationHistogram } from '../record/duration-histogram.ts';

/** In milliseconds, between two looks. */
const pause = 20;

/** How late the program itself gets to what it is waiting for: what comes in the meantime is noted that much too late. */
export class Lag {
  readonly #late = new DurationHistogram();
  readonly #timer: NodeJS.Timeout;
  #due: number;

  constructor(readonly elapsed: () => number) {
    this.#due = elapsed() + pause;
    this.#timer = setTimeout(() => this.#look(), pause).unref();
  }

  #look(): void {
    const now = this.elapsed();
    this.#late.add(Math.max(0, now - this.#due));
    this.#due = now + pause;
    this.#timer.refresh();
  }

  /** Within which it got there 99 of 100 times, in milliseconds. */
  end(): number | undefined {
    clearTimeout(this.#timer);
    return this.#late.percentile(99);
  }
}
