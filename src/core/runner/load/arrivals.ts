import { type LoadPhase, roundsIn } from '../../language/load/load.ts';

/** A phase, and when it begins. */
export interface TimedPhase {
  readonly phase: LoadPhase;
  /** In milliseconds since the run began. */
  readonly begin: number;
}

/** A share of a load: which of how many, the first one 0. */
export interface LoadShare {
  readonly index: number;
  readonly of: number;
  /** In milliseconds since the run began: what was due before is not its own. */
  readonly from?: number;
}

/** The phases of a load one behind the other, those of one unit together. */
export function stretchesOf(phases: readonly LoadPhase[]): TimedPhase[][] {
  const stretches: TimedPhase[][] = [];
  let begin = 0;
  for (const phase of phases) {
    const open = stretches.at(-1);
    const [before] = open ?? [];
    // A warm-up stands for itself.
    const goesOn = before?.phase.unit === phase.unit && before.phase.number > 0;
    if (open && goesOn) open.push({ phase, begin });
    else stretches.push([{ phase, begin }]);
    begin += phase.lasting;
  }
  return stretches;
}

export function endOf({ phase, begin }: TimedPhase): number {
  return begin + phase.lasting;
}

/** How many users a phase of users has at a time, in milliseconds since the run began. */
export function usersAt({ phase: { from, to, lasting }, begin }: TimedPhase, time: number): number {
  const part = Math.min(1, Math.max(0, (time - begin) / lasting));
  return Math.round(from + (to - from) * part);
}

/** When the next user of a phase comes, in milliseconds since the run began; at its end where there comes none. */
export function nextUserAt(timed: TimedPhase, time: number): number {
  const { phase, begin } = timed;
  const { from, to, lasting } = phase;
  const next = usersAt(timed, time) + 1;
  if (to <= from || next > to) return endOf(timed);
  return begin + ((next - 0.5 - from) / (to - from)) * lasting;
}

/** A round that is due. */
export interface Arrival {
  /** From 1, in all shares together. */
  readonly number: number;
  /** In milliseconds since the run began. */
  readonly at: number;
  /** Of the phase that it is due in. */
  readonly phase: number;
}

/**
 * When rounds are due, one after the other: evenly spaced at the rate of the moment, across the phases of a stretch. Of
 * several shares each has every n-th.
 */
export class Arrivals {
  #next: number;
  #phase = 0;
  /** How many rounds are due before the phase, and not a whole number of them. */
  #before = 0;

  constructor(
    readonly phases: readonly TimedPhase[],
    readonly share: LoadShare,
  ) {
    this.#next = share.index + 1;
  }

  next(): Arrival | undefined {
    const { from = 0 } = this.share;
    let next = this.#following();
    while (next && next.at < from) next = this.#following();
    return next;
  }

  #following(): Arrival | undefined {
    for (; this.#phase < this.phases.length; this.#phase++) {
      const timed = this.phases[this.#phase]!;
      const number = this.#next;
      // In the middle of its share of time, so that a phase has as many as its rate says.
      const own = number - 0.5 - this.#before;
      if (own < roundsIn(timed.phase)) {
        this.#next += this.share.of;
        return { number, at: timed.begin + timeOf(timed, own), phase: timed.phase.number };
      }
      this.#before += roundsIn(timed.phase);
    }
    return undefined;
  }
}

/**
 * When so many rounds have been due, in milliseconds since the phase began: the rate r(t) = a + (b − a) t/T has made
 * a t + (b − a) t²/2T of them.
 */
function timeOf({ phase: { from, to, lasting } }: TimedPhase, rounds: number): number {
  const rate = from / 1000;
  const change = (to - from) / 1000 / (2 * lasting);
  // In the form that loses no digits where the rate hardly changes.
  return (2 * rounds) / (rate + Math.sqrt(Math.max(0, rate * rate + 4 * change * rounds)));
}
