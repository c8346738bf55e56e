import type { FigureGathering } from '../../record/load/gather-figures.ts';
import { Iteration } from '../iteration.ts';
import type { IterationBase } from '../run-context.ts';
import type { SharedByUsers } from '../run-user.ts';
import type { LoadShare } from './arrivals.ts';
import type { LoadOutput } from './load-output.ts';
import { LoadRound } from './load-round.ts';
import type { LoadUser, LoadUsers } from './load-users.ts';

/** A round that is to begin. */
export interface RoundToBegin {
  /** The number of its phase. */
  readonly phase: number;
  /** In milliseconds since the run began, where it is due. */
  readonly due?: number;
  /** In milliseconds: how late the program itself was to see that it is due. */
  readonly seenLate?: number;
  /** Which of those that are due it is, from 1. */
  readonly number?: number;
}

export interface LoadSurroundings extends SharedByUsers {
  readonly output: LoadOutput;
  readonly figures: FigureGathering;
  readonly mostUsers: number;
  readonly sample: number;
  readonly roundsOfEach: number;
  /** How late what is read now is read, in milliseconds. */
  readonly lagNow: () => number;
  readonly users: LoadUsers;
}

/** In milliseconds: what comes sooner is there. */
const nearly = 0.01;

/** What the phases of a load have to do with: the time, and the rounds of its users. */
export class LoadRun {
  #failure: { readonly error: unknown } | undefined;
  readonly #atWork = new Map<number, number>();
  /** The most of them since that was last told. */
  readonly #mostAtWork = new Map<number, number>();

  constructor(readonly shared: LoadSurroundings) {}

  /** In milliseconds since the run began. */
  now(): number {
    return this.shared.ports.elapsed() - this.shared.begin;
  }

  get isOver(): boolean {
    return this.shared.control.isOver;
  }

  get figures(): FigureGathering {
    return this.shared.figures;
  }

  get mostUsers(): number {
    return this.shared.mostUsers;
  }

  /** How many rounds a user goes through at the most. */
  get roundsOfEach(): number {
    return this.shared.roundsOfEach;
  }

  get users(): LoadUsers {
    return this.shared.users;
  }

  get share(): LoadShare {
    return this.shared.users.share;
  }

  /** The phases that users are in a round of. */
  phasesAtWork(): number[] {
    return [...this.#atWork].flatMap(([phase, users]) => (users > 0 ? [phase] : []));
  }

  /** The most users that were in a round of a phase at the same time since it was last asked. */
  takeMostUsers(phase: number): number {
    const most = this.#mostAtWork.get(phase) ?? 0;
    this.#mostAtWork.set(phase, this.usersIn(phase));
    return most;
  }

  /** How many users are in a round of a phase. */
  usersIn(phase: number): number {
    return this.#atWork.get(phase) ?? 0;
  }

  /**
   * Waits until a time, or until the run is over.
   * @param time in milliseconds since the run began
   * @param early so much sooner will do, since a timer of the runtime is often late by as much
   */
  until(time: number, early = 0): Promise<void> | undefined {
    const left = time - early - this.now();
    if (left <= nearly || this.isOver) return undefined;
    const { ports, control } = this.shared;
    return ports.sleep(left, control.overSignal);
  }

  /** Waits for its turn where many begin at the same time: connections that are opened in one go would seem to be slow. */
  turn(): Promise<void> | undefined {
    return this.shared.queue?.next();
  }

  /** One round of a user, whatever comes of it. */
  async round(user: LoadUser, { phase, due, seenLate, number }: RoundToBegin): Promise<void> {
    const { plan, control, ports, options, masker, output, explained, lanes, queue, lock, figures } =
      this.shared;
    const round = ++user.rounds;
    const own = { user: user.number, round };
    const begin = this.now();
    const late = due === undefined ? undefined : Math.max(0, begin - due);
    const chance = number === undefined ? own : { user: 0, round: number };
    const isSampled = this.#isSampled(chance);
    output.roundBegins(own.user, phase, isSampled);
    figures.roundBegins(own.user, phase, late);
    const atWork = this.usersIn(phase) + 1;
    this.#atWork.set(phase, atWork);
    if (atWork > (this.#mostAtWork.get(phase) ?? 0)) this.#mostAtWork.set(phase, atWork);
    const secrets = masker.forIteration();
    const load = new LoadRound(phase, isSampled, late, seenLate, this.shared.lagNow);
    // Written out, since copies of other objects are slow to make and to read.
    const base: IterationBase = {
      ports,
      options,
      masker: secrets,
      output,
      eventContext: own,
      pace: { begun: false },
      explained,
      lanes,
      queue,
      lock,
      chance,
      load,
    };
    try {
      await new Iteration(plan, user.row, control, base).run();
    } catch (error) {
      // A mistake of our own: it must not leave the others running.
      this.#failure ??= { error };
      control.stop('interrupt');
    } finally {
      secrets.end();
      this.#atWork.set(phase, this.usersIn(phase) - 1);
      const isCutOff = control.signal.aborted;
      figures.roundEnds(own.user, isCutOff ? undefined : this.now() - Math.min(begin, due ?? begin));
    }
    // A round that waits for nothing must leave the others their turn.
    if (!load.hasWaited) await queue?.next();
  }

  /** Throws what a round has thrown. */
  throwFailure(): void {
    if (this.#failure) throw this.#failure.error;
  }

  /** The first round of all is, so that the record shows one of everything. */
  #isSampled({ user, round }: { readonly user: number; readonly round: number }): boolean {
    const { sample, ports } = this.shared;
    if (round === 1 && user <= 1) return true;
    if (sample <= 0) return false;
    return sample >= 1 || ports.clockAndRandomFor(user, round, 0, 'sample').random() < sample;
  }
}
