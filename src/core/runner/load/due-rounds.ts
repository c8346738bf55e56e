import { type Arrival, Arrivals, endOf, type TimedPhase } from './arrivals.ts';
import type { LoadRun } from './load-run.ts';
import type { LoadUser } from './load-users.ts';

/** In milliseconds: a timer of the runtime is no more exact. */
const exactness = 0.5;

/**
 * Rounds that begin when they are due, whoever has answered or not. Each takes a user who is free, or a new one; where
 * there are as many as there may be, it waits for the next that gets free, and its wait is told with its times.
 */
export class DueRounds {
  /** Those that were due, and those that have begun. */
  readonly #arrivals: Arrivals;
  readonly #begun: Arrivals;
  #waiting = 0;
  #users = 0;
  #isOver = false;
  /** Those who have come and have nothing to do; who was at work last comes first, so that few connections are open. */
  readonly #free: LoadUser[] = [];
  readonly #atWork = new Set<Promise<void>>();

  constructor(
    readonly phases: readonly TimedPhase[],
    readonly run: LoadRun,
  ) {
    this.#arrivals = new Arrivals(phases, run.share);
    this.#begun = new Arrivals(phases, run.share);
  }

  /** Until the phases are over, or the run is: what has not begun by then does not. */
  async go(): Promise<void> {
    const { run } = this;
    for (let due = this.#arrivals.next(); due; due = this.#arrivals.next()) {
      await run.until(due.at, exactness);
      if (run.isOver) break;
      run.figures.due(due.phase);
      this.#waiting++;
      const user = this.#free.pop() ?? this.#newUser();
      if (user) this.#begin(user);
    }
    await run.until(endOf(this.phases.at(-1)!));
    this.#dropWaiting();
    this.#isOver = true;
    for (const user of this.#free) run.users.leave(user);
  }

  /** All rounds that have begun have ended. */
  async ended(): Promise<void> {
    await Promise.all(this.#atWork);
  }

  #newUser(): LoadUser | undefined {
    const { users, share, mostUsers } = this.run;
    const number = this.#users * share.of + share.index + 1;
    if (number > mostUsers) return undefined;
    const user = users.enter(number);
    if (user) this.#users++;
    return user;
  }

  #begin(user: LoadUser): void {
    const working = this.#work(user).then(() => {
      this.#atWork.delete(working);
      if (this.#isOver) this.run.users.leave(user);
      else this.#free.push(user);
    });
    this.#atWork.add(working);
  }

  async #work(user: LoadUser): Promise<void> {
    for (let due = this.#take(); due; due = this.#take())
      await this.run.round(user, { phase: due.phase, due: due.at, number: due.number });
  }

  #take(): Arrival | undefined {
    if (this.#waiting === 0 || this.run.isOver) return undefined;
    this.#waiting--;
    return this.#begun.next();
  }

  #dropWaiting(): void {
    for (; this.#waiting > 0; this.#waiting--) this.run.figures.dropped(this.#begun.next()!.phase, 1);
  }
}
