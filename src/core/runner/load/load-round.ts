import type { RunEvent } from '../../model/events.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';

/** A round of a load: what its events say that those of other runs do not. */
export class LoadRound {
  /** In milliseconds: how late the program was to read the answer that is looked at. */
  #lag = 0;
  /** In milliseconds, of the first request alone: how late the round began, and how much of that is due to Mervok itself. */
  #late: number | undefined;
  #seenLate: number;

  constructor(
    /** The number of the phase that it belongs to. */
    readonly phase: number,
    /** Whether every line of it is told, whatever comes of it. */
    readonly isSampled: boolean,
    late: number | undefined,
    seenLate = 0,
    /** How late what is read now is read, in milliseconds. */
    readonly lagNow: () => number,
  ) {
    this.#late = late;
    this.#seenLate = seenLate;
  }

  /** Whether it has waited for an answer, and so given others their turn. */
  hasWaited = false;

  /** To be told right behind the reading of an answer. */
  noteLag(): void {
    this.hasWaited = true;
    this.#lag = this.lagNow();
  }

  mark(event: RunEvent): void {
    if (event.type === 'case') event.phase = this.phase;
    if (event.type !== 'exchange' || event.part || event.fault?.kind === 'unsendable') return;
    const lag = this.#lag + this.#seenLate;
    if (this.#late !== undefined) event.late = toMicrosecond(this.#late);
    this.#late = undefined;
    this.#seenLate = 0;
    if (lag > 0) event.lag = toMicrosecond(lag);
  }
}
