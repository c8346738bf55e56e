import { Crew, type Member } from '../../core/text/crew.ts';
import { after, elapsed } from '../clock.ts';

/** An exchange that is under way. */
export interface Watched extends Member {
  /** When the next of its limits is over, by the clock that only goes forward; infinite where it has none. */
  readonly deadline: number;
  onDeadline(): void;
  onInterrupt(): void;
}

/**
 * Ends exchanges that take too long or that are interrupted. Hardly any is, and there are many: so all that can be
 * interrupted together share one listener and one timer, which is set to the earliest limit that has been heard of.
 */
export class Watch {
  readonly #open = new Crew<Watched>();
  #cancelTimer = () => {};
  #due = Number.POSITIVE_INFINITY;

  constructor(readonly signal: AbortSignal) {
    signal.addEventListener('abort', () => {
      for (const each of this.#open.now()) each.onInterrupt();
    });
  }

  add(watched: Watched): void {
    this.#open.add(watched);
    this.expect(watched);
  }

  /** To be called where a deadline has become an earlier one. */
  expect({ deadline }: Watched): void {
    if (deadline >= this.#due) return;
    this.#cancelTimer();
    this.#due = deadline;
    this.#cancelTimer = after(Math.ceil(deadline - elapsed()), () => this.#look());
  }

  delete(watched: Watched): void {
    this.#open.delete(watched);
  }

  #look(): void {
    this.#due = Number.POSITIVE_INFINITY;
    const now = elapsed();
    for (const each of this.#open.now()) {
      if (each.deadline <= now) each.onDeadline();
      else this.expect(each);
    }
  }
}
