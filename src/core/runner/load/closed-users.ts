import { endOf, nextUserAt, type TimedPhase, usersAt } from './arrivals.ts';
import type { LoadRun } from './load-run.ts';
import type { LoadUser } from './load-users.ts';

/** In milliseconds: whoever comes sooner is there. */
const nearly = 0.1;
/** In milliseconds: who has found no row of its own tries again. */
const again = 50;

/**
 * Users who each begin their next round when the last one has ended. Whoever is one too many finishes the round, and
 * leaves.
 */
export class ClosedUsers {
  /** By their places, the last of which leave first. */
  readonly #atWork = new Map<number, Promise<void>>();
  #phase: TimedPhase;

  constructor(
    readonly phases: readonly TimedPhase[],
    readonly run: LoadRun,
  ) {
    this.#phase = phases[0]!;
  }

  /** Until the phases are over, or the run is. Who is still in a round finishes it later: see `ended`. */
  async go(): Promise<void> {
    const { run } = this;
    for (const phase of this.phases) {
      this.#phase = phase;
      const end = endOf(phase);
      while (run.now() + nearly < end && !run.isOver) {
        const time = run.now() + nearly;
        const areIn = this.#letIn(usersAt(phase, time));
        // Where rounds are counted, all have come at once, and nobody is waited for any longer than they take.
        if (run.roundsOfEach !== Number.POSITIVE_INFINITY) return;
        await run.until(Math.min(end, nextUserAt(phase, time), areIn ? end : time + again));
      }
    }
  }

  /** All who have come have left. */
  async ended(): Promise<void> {
    await Promise.all(this.#atWork.values());
  }

  /** Whether all of them are in. */
  #letIn(target: number): boolean {
    const { index, of } = this.run.share;
    for (let place = index + 1; place <= target; place += of) {
      if (this.#atWork.has(place)) continue;
      const user = this.run.users.enter(place);
      if (!user) return false;
      this.#atWork.set(place, this.#work(user, place));
    }
    return true;
  }

  async #work(user: LoadUser, place: number): Promise<void> {
    const { run } = this;
    await run.turn();
    while (!run.isOver && user.rounds < run.roundsOfEach && this.#mayStay(place))
      await run.round(user, { phase: this.#phase.phase.number });
    run.users.leave(user);
    this.#atWork.delete(place);
  }

  #mayStay(place: number): boolean {
    const time = this.run.now();
    const isLast = this.#phase === this.phases.at(-1);
    return place <= usersAt(this.#phase, time) && !(isLast && time >= endOf(this.#phase));
  }
}
