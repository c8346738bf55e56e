import type { Decide } from '../language/compile-condition.ts';
import type { Evaluate } from '../language/compile-reference.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { type Truth, Unknown } from '../language/truth.ts';
import { type Found, Missing } from '../model/value.ts';
import { TimeLimitError, withinTime } from '../text/time-limit.ts';

// What is computed over a large response must come to an end, whatever the response is.

/** In bytes: what is computed over a larger response is watched. */
const largeBody = 16 * 1024;
/** How long one statement may take then, in milliseconds. */
const statementTimeout = 10_000;

export function decideInTime(decide: Decide, context: EvaluationContext): Truth {
  if (!isLarge(context)) return decide(context);
  return inTime(
    () => decide(context),
    why => new Unknown(why),
  );
}

export function evaluateInTime(evaluate: Evaluate, context: EvaluationContext): Found {
  if (!isLarge(context)) return evaluate(context);
  return inTime(
    () => evaluate(context),
    why => Missing.unreadable(why),
  );
}

function isLarge({ response }: EvaluationContext): boolean {
  return response !== undefined && response.weight >= largeBody;
}

function inTime<Result>(compute: () => Result, onSlow: (why: string) => Result): Result {
  try {
    return withinTime(statementTimeout, 'what it computes', compute);
  } catch (error) {
    if (error instanceof TimeLimitError) return onSlow(error.message);
    throw error;
  }
}
