import { TemplateError } from '../language/templates/render.ts';
import type { Exchange } from '../model/http-messages.ts';
import type { Place } from '../model/place.ts';
import { mask } from '../secrecy/masker.ts';
import { holdResponse, type PlannedDefinition, sentIn } from '../steps/http/hold-answer.ts';
import type { ResponseView } from '../steps/http/response-view.ts';
import type { PlannedCondition, PlannedStep } from '../steps/step.ts';
import { OpenValueError } from '../values/open-value.ts';
import type { OfflineCaseRun } from './offline-case-run.ts';

/** It holds, it does not, or what it needs is not known. */
export type Verdict = 'holds' | 'fails' | 'open';

/** What says whether an answer is right: a check, a keep that has to find something, the definition of the API. */
export interface Judge {
  /** As it is written. */
  readonly text: string;
  readonly place: Place;
  /** Nothing where it is the definition. */
  readonly step?: PlannedStep;
  judge(run: OfflineCaseRun): Verdict;
}

export function judgeOfStep(step: PlannedStep): Judge {
  const { text = '', place } = step;
  const judge = isCondition(step)
    ? (run: OfflineCaseRun) => judgeCondition(step, run)
    : (run: OfflineCaseRun) => judgeStep(step, run);
  return { text, place, step, judge };
}

export function judgeOfDefinition(definition: PlannedDefinition, exchange: Exchange): Judge {
  const sent = sentIn(exchange.request);
  return {
    text: `as ${definition.file} says`,
    place: definition.place,
    judge: run =>
      guarded(() => {
        const { evaluation } = run;
        const held = holdResponse(
          definition,
          exchange,
          evaluation.response as ResponseView,
          evaluation,
          sent,
        );
        // What was sent is not what is looked at here; what is masked on record was something else.
        const isWrong = held.differences.some(
          ({ at, found }) => !at.startsWith('sent ') && !found.includes(mask),
        );
        return isWrong || held.undecided !== undefined ? 'fails' : 'holds';
      }),
  };
}

function isCondition(step: PlannedStep): step is PlannedCondition {
  return 'truth' in step;
}

/** Without the words that a failed check is explained by: they take longer than all else. */
function judgeCondition(step: PlannedCondition & { readonly level?: string }, run: OfflineCaseRun): Verdict {
  // What a level wants of responses is not asked where none came.
  if (step.level !== undefined && !run.evaluation.response) return 'holds';
  return guarded(() => (step.truth(run) === true ? 'holds' : 'fails'));
}

function judgeStep(step: PlannedStep, run: OfflineCaseRun): Verdict {
  const { isOpen, broken } = run.judge(step);
  if (broken.length > 0) return 'fails';
  return isOpen ? 'open' : 'holds';
}

function guarded(decide: () => Verdict): Verdict {
  try {
    return decide();
  } catch (error) {
    if (error instanceof OpenValueError) return 'open';
    // A document that is nested without end, and a text that cannot be filled.
    if (error instanceof RangeError || error instanceof TemplateError) return 'fails';
    throw error;
  }
}
