import { timerExactness } from '../lag.ts';
import { type Arrival, Arrivals, endOf, type TimedPhase } from './arrivals.ts';
import type { LoadRun } from './load-run.ts';
import type { LoadUser } from './load-users.ts';

/** In milliseconds: so much sooner it is looked, since timers are rather late. */
const early = 0.5;

/**
 * Rounds that begin when they are due, whoever has answered or not. Each takes a user who is free, or a new one; where
 * there are as many as there may be, it waits for the next that gets free, and its wait is told with its times.
 */
export class DueRounds {
  /** Those that were due, and those that have begun. */
  readonly #arrivals: Arrivals;
  readonly #begun: Arrivals;
  /** Of those that are due and have not begun: how late the program itself was to see it, in milliseconds. */
  readonly #waiting = new WaitingRounds();
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
      await run.until(due.at, early);
      if (run.isOver) break;
      run.figures.due(due.phase);
      this.#waiting.add(Math.max(0, run.now() - due.at - timerExactness));
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
      await this.run.round(user, {
        phase: due.phase,
        due: due.at,
        seenLate: due.seenLate,
        number: due.number,
      });
  }

  #take(): (Arrival & { readonly seenLate: number }) | undefined {
    const seenLate = this.run.isOver ? undefined : this.#waiting.take();
    if (seenLate === undefined) return undefined;
    const { number, at, phase } = this.#begun.next()!;
    return { number, at, phase, seenLate };
  }

  #dropWaiting(): void {
    while (this.#waiting.take() !== undefined) this.run.figures.dropped(this.#begun.next()!.phase, 1);
  }
}

/** A list that is taken from its beginning and added to at its end. */
class WaitingRounds {
  #all: number[] = [];
  #first = 0;

  add(seenLate: number): void {
    this.#all.push(seenLate);
  }

  take(): number | undefined {
    if (this.#first === this.#all.length) return undefined;
    const next = this.#all[this.#first++];
    if (this.#first >= roomForTaken) {
      this.#all = this.#all.slice(this.#first);
      this.#first = 0;
    }
    return next;
  }
}

/** So many that were taken stay in the list at the most. */
const roomForTaken = 1000;
