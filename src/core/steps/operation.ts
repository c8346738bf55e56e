import { sourcesIn } from '../language/walk.ts';
import type { Place } from '../model/place.ts';
import type { Repetition } from './repetition.ts';
import type { PlannedStep, PrepareContext, StepPreview, StepRun } from './step.ts';

/** Why an operation came to nothing; the message says what was tried, what happened and what to look at. */
export interface OperationFault {
  readonly kind: string;
  readonly message: string;
}

/** An operation that is filled: carries it out, and puts what came of it before the statements below. */
export type Attempt = (cause: 'repeat' | undefined) => Promise<OperationFault | undefined>;

/** Faults that no check can speak of: an interrupt, and what could not be sent at all. */
const neverExpected = new Set(['interrupted', 'unsendable']);

/** A step that does something which statements below it look at. */
export abstract class OperationStep implements PlannedStep {
  abstract readonly kind: string;
  abstract readonly operation: string;

  constructor(
    readonly place: Place,
    /** Whether a check of the case that looks at what comes of it speaks of `fault`. */
    readonly expectsFault: boolean,
    readonly repetition: Repetition | undefined,
  ) {}

  get checks(): number {
    return this.repetition ? 1 : 0;
  }

  /** Fills it, before anything is sent. Throws TemplateError. */
  protected abstract fill(run: StepRun): Attempt;

  /** Told once it has come to its end without a fault. */
  protected abstract onAnswer(run: StepRun): void;

  abstract preview(preview: StepPreview): void;

  carryOut(run: StepRun): Promise<boolean> {
    return this.#attempt(run, this.fill(run));
  }

  async #attempt(run: StepRun, attempt: Attempt): Promise<boolean> {
    run.flush();
    const { repetition } = this;
    const times = repetition?.times(run);
    const begin = run.ports.elapsed();
    let fault = await attempt(undefined);
    if (repetition)
      fault = await this.#repeat(run, attempt, { ...times!, begin, until: repetition.until }, fault);
    if (fault)
      return this.expectsFault && !neverExpected.has(fault.kind) ? true : run.stop(fault.message, this.place);
    this.onAnswer(run);
    return true;
  }

  /** Again until its condition holds, or its time is over. A fault on the way means: not yet. */
  async #repeat(
    run: StepRun,
    attempt: Attempt,
    {
      every,
      limit,
      begin,
      until,
    }: { every: number; limit: number; begin: number; until: Repetition['until'] },
    first: OperationFault | undefined,
  ): Promise<OperationFault | undefined> {
    const { ports, signal } = run;
    let fault = first;
    for (;;) {
      const holds = (fault === undefined || this.expectsFault) && until.truth(run) === true;
      const over = ports.elapsed() - begin + every > limit;
      if (holds || over || signal.aborted || fault?.kind === 'unsendable') break;
      await ports.sleep(every, signal);
      if (signal.aborted) break;
      fault = await attempt('repeat');
    }
    if (fault === undefined || this.expectsFault) until.check(run);
    return fault;
  }
}

/** Whether something that looks at what comes of an operation speaks of its fault. */
export function expectsFault({ checksBelow }: PrepareContext): boolean {
  return checksBelow.some(check => sourcesIn(check).some(({ form }) => form === 'fault'));
}
