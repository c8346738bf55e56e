import { sourcesIn } from '../language/walk.ts';
import type { Place } from '../model/place.ts';
import type { OperationFault } from './operation-port.ts';
import type { Repetition } from './repetition.ts';
import type { PlannedStep, PrepareContext, StepPreview, StepRun } from './step.ts';

/** An operation that is filled. */
export interface FilledOperation {
  /** Carries it out, and puts what came of it before the statements below. */
  attempt(cause: 'repeat' | undefined): Promise<OperationFault | undefined>;
  /** Told behind the last attempt, whatever came of it. */
  settle?(): void;
}

/** Faults that no check of `fault` is about: an interrupt, what could not be sent at all, how a command ended. */
const neverExpected = new Set(['interrupted', 'unsendable', 'exit']);

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
  protected abstract fill(run: StepRun): FilledOperation;

  /** Told once it has come to its end without a fault. */
  protected onAnswer(_run: StepRun): void {}

  abstract preview(preview: StepPreview): void;

  carryOut(run: StepRun): Promise<boolean> {
    return this.#attempt(run, this.fill(run));
  }

  async #attempt(run: StepRun, filled: FilledOperation): Promise<boolean> {
    run.flush();
    const { repetition } = this;
    const times = repetition?.times(run);
    const begin = run.ports.elapsed();
    let fault = await filled.attempt(undefined);
    if (repetition)
      fault = await this.#repeat(run, filled, { ...times!, begin, until: repetition.until }, fault);
    filled.settle?.();
    if (fault) {
      const { kind, message, place = this.place, line } = fault;
      return this.expectsFault && !neverExpected.has(kind) ? true : run.stop(message, place, line);
    }
    this.onAnswer(run);
    return true;
  }

  /** Again until its condition holds, or its time is over. A fault on the way means: not yet. */
  async #repeat(
    run: StepRun,
    filled: FilledOperation,
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
      fault = await filled.attempt('repeat');
    }
    if (fault === undefined || this.expectsFault) until.check(run);
    return fault;
  }
}

/** Whether something that looks at what comes of an operation speaks of its fault. */
export function expectsFault({ checksBelow }: PrepareContext): boolean {
  return checksBelow.some(check => sourcesIn(check).some(({ form }) => form === 'fault'));
}
