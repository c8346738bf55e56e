import type { PlannedCase } from '../analysis/plan.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { EventContext } from '../model/event-context.ts';
import type { CaseEvent, RunEvent } from '../model/events.ts';
import type { Masker } from '../secrecy/masker.ts';
import type { LoadRound } from './load/load-round.ts';
import type { Lane } from './ordered-events.ts';
import type { PageTurns } from './page-lock.ts';
import type { Ports } from './ports.ts';
import type { ResponseQueue } from './response-queue.ts';
import type { RunControl } from './run-control.ts';
import type { RunOptions } from './run-options.ts';
import type { RunOutput } from './run-output.ts';

/** What an iteration knows of the cases that have ended. */
export type CaseOutcomes = Map<string, Pick<CaseEvent, 'outcome' | 'blocked'>>;

/** What all cases of an iteration have to do with. */
export interface IterationBase {
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly output: RunOutput;
  readonly eventContext: EventContext;
  /** Whether the user has begun with a case. */
  readonly pace: { begun: boolean; chance?: ClockAndRandom };
  /** The addresses of cases whose prose has been told. */
  readonly explained: Set<string>;
  /** Where several run at the same time. */
  readonly queue: ResponseQueue | undefined;
  /** Numbers the pages of a run that run at once. */
  readonly lanes: { next: number };
  /** Where a page wants to run alone, and others could run at the same time. */
  readonly lock: PageTurns | undefined;
  /** What chance follows, where it is not the user and the round that are told. */
  readonly chance?: EventContext | undefined;
  /** With load: the round that the iteration is. */
  readonly load?: LoadRound | undefined;
}

/** What is of a page alone. */
export interface PageContext {
  /** Ends what is being waited for. */
  readonly signal: AbortSignal;
  /** The present, and the chance of this page. */
  readonly clockAndRandom: ClockAndRandom;
  readonly emit: (event: RunEvent) => void;
  /** Nothing where it cleans up: whatever has happened does not keep it from that. */
  readonly control: RunControl | undefined;
  readonly lane: Lane<RunEvent> | undefined;
}

/** All that a case has to do with. One is made for each page of each iteration, so it holds no functions of its own. */
export class RunContext {
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly eventContext: EventContext;
  readonly queue: ResponseQueue | undefined;
  readonly load: LoadRound | undefined;
  readonly #explained: Set<string>;
  readonly #pace: IterationBase['pace'];
  readonly #chance: EventContext;

  readonly signal: AbortSignal;
  readonly clockAndRandom: ClockAndRandom;
  readonly emit: (event: RunEvent) => void;
  readonly #control: RunControl | undefined;
  readonly #lane: Lane<RunEvent> | undefined;

  constructor(base: IterationBase, { signal, clockAndRandom, emit, control, lane }: PageContext) {
    this.ports = base.ports;
    this.options = base.options;
    this.masker = base.masker;
    this.eventContext = base.eventContext;
    this.queue = base.queue;
    this.load = base.load;
    this.#explained = base.explained;
    this.#pace = base.pace;
    this.#chance = base.chance ?? base.eventContext;
    this.signal = signal;
    this.clockAndRandom = clockAndRandom;
    this.emit = emit;
    this.#control = control;
    this.#lane = lane;
  }

  /** Whether nothing more is to be begun. */
  get isOver(): boolean {
    return this.#control ? this.#control.isOver : this.signal.aborted;
  }

  /** Waits where that is wanted between two cases, or where too much has been said that nobody has heard yet. */
  beforeCase(): Promise<void> | undefined {
    const { pause } = this.options;
    const isFirst = !this.#pace.begun;
    this.#pace.begun = true;
    if (pause === undefined || isFirst) return this.#lane?.room();
    return this.ports.sleep(this.#lengthOf(pause), this.signal).then(() => this.#lane?.room());
  }

  /** In milliseconds; by the chance of the user and its round, wherever it runs. */
  #lengthOf({ from, to }: NonNullable<RunOptions['pause']>): number {
    if (from === to) return from;
    const { user = 1, round } = this.#chance;
    this.#pace.chance ??= this.ports.clockAndRandomFor(user, round, 0, 'pause');
    return from + (to - from) * this.#pace.chance.random();
  }

  /** What the page says of a case that did not pass; once in a run. */
  proseOf({ address, prose }: PlannedCase): string | undefined {
    if (this.#explained.has(address)) return undefined;
    this.#explained.add(address);
    const text = prose();
    return text === '' ? undefined : text;
  }

  onFailure(): void {
    if (this.options.failFast) this.#control?.stop('failure');
  }
}
