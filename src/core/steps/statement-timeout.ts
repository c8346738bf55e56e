import type { CheckStep, KeepStep, LetStep } from '../analysis/plan.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { type Truth, Unknown } from '../language/truth.ts';
import { type Found, Missing } from '../model/value.ts';
import { TimeLimitError, withinTime } from '../text/time-limit.ts';

// What is computed over a large response must come to an end, whatever the response is.

/** In bytes: what is computed over a larger response is watched. */
const largeBody = 16 * 1024;
/** How long one statement may take then, in milliseconds. */
const patience = 10_000;

export function decideInTime({ decide }: CheckStep, evaluation: EvaluationContext): Truth {
  if (!isLarge(evaluation)) return decide(evaluation);
  return inTime(
    () => decide(evaluation),
    why => new Unknown(why),
  );
}

export function evaluateInTime({ evaluate }: KeepStep | LetStep, evaluation: EvaluationContext): Found {
  if (!isLarge(evaluation)) return evaluate(evaluation);
  return inTime(
    () => evaluate(evaluation),
    why => new Missing(why, true),
  );
}

function isLarge({ response }: EvaluationContext): boolean {
  return response !== undefined && response.received.body.length >= largeBody;
}

function inTime<Result>(compute: () => Result, onSlow: (why: string) => Result): Result {
  try {
    return withinTime(patience, 'what it computes', compute);
  } catch (error) {
    if (error instanceof TimeLimitError) return onSlow(error.message);
    throw error;
  }
}
