import type { Condition, ResponseSource } from '../../language/ast.ts';
import type { Decide } from '../../language/compile-condition.ts';
import type { Evaluate } from '../../language/compile-reference.ts';
import { explain, foundBy } from '../../language/explain.ts';
import type { Truth } from '../../language/truth.ts';
import { referencesIn, sourcesIn } from '../../language/walk.ts';
import type { CheckEvent } from '../../model/events.ts';
import type { Place } from '../../model/place.ts';
import { decideInTime } from '../statement-timeout.ts';
import type { PlannedStep, StepRun } from '../step.ts';

export interface WrittenCheck {
  /** In one line. */
  readonly text: string;
  /** For the explanation when it does not hold. */
  readonly condition: Condition;
}

export interface CheckDetails {
  /** Words of its own. */
  readonly label?: Evaluate | undefined;
  /** The settings that it stands in, where it is not the case's own. */
  readonly level?: string | undefined;
}

/** A condition that has to hold, and is told of. */
export class CheckStep implements PlannedStep {
  readonly kind = 'check';
  readonly checks = 1;
  readonly label: CheckDetails['label'];
  readonly level: CheckDetails['level'];
  readonly text: string;
  readonly condition: Condition;

  constructor(
    readonly place: Place,
    { text, condition }: WrittenCheck,
    readonly decide: Decide,
    { label, level }: CheckDetails = {},
  ) {
    this.text = text;
    this.condition = condition;
    this.label = label;
    this.level = level;
  }

  looksAt(): readonly ResponseSource[] {
    return sourcesIn(this.condition);
  }

  refersTo(): readonly string[] {
    return referencesIn(this.condition).map(({ name }) => name);
  }

  carryOut(run: StepRun): true {
    // What a level wants of responses is not asked where none came.
    if (this.level === undefined || run.evaluation.response) this.check(run);
    return true;
  }

  check(run: StepRun): void {
    const { evaluation } = run;
    const truth = this.truth(run);
    const event = this.#event(run, truth === true ? 'yes' : truth === false ? 'no' : 'unknown');
    if (truth !== true) {
      run.fail();
      Object.assign(event, explain(this.condition, evaluation.notes, this.text, evaluation));
    } else if (run.tellsFound) {
      const found = foundBy(this.condition, evaluation);
      if (found !== undefined) event.found = found;
    }
    run.emit(event);
  }

  /** Whether it holds, which nobody is told. */
  truth({ evaluation }: StepRun): Truth {
    if (evaluation.notes.length > 0) evaluation.notes = [];
    evaluation.drawn = undefined;
    return decideInTime(this.decide, evaluation);
  }

  /** Made for every check of every response, so without copies of copies. */
  #event({ eventContext, evaluation }: StepRun, holds: CheckEvent['holds']): CheckEvent {
    const { round, user, case: address, row } = eventContext;
    const { place, text, level } = this;
    const event: CheckEvent = { type: 'check', round, case: address, place, text, holds };
    if (user !== undefined) event.user = user;
    if (row !== undefined) event.row = row;
    const words = this.label?.(evaluation);
    if (typeof words === 'string') event.label = words;
    if (level !== undefined) event.level = level;
    return event;
  }
}
