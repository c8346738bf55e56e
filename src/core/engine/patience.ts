import type { Scene } from '../language/scene.ts';
import { type Truth, Unknown } from '../language/truth.ts';
import type { Checking, Keeping, Letting } from '../plan/plan.ts';
import { TooSlow, withinTime } from '../text/time-limit.ts';
import { type Found, Missing } from '../values/value.ts';

// What is computed over a large response must come to an end, whatever the response is.

/** In bytes: what is computed over a larger response is watched. */
const largeBody = 16 * 1024;
/** How long one statement may take then, in milliseconds. */
const patience = 10_000;

export function decideWithin({ decide }: Checking, scene: Scene): Truth {
  if (!isLarge(scene)) return decide(scene);
  return withinPatience(
    () => decide(scene),
    why => new Unknown(why),
  );
}

export function evaluateWithin({ evaluate }: Keeping | Letting, scene: Scene): Found {
  if (!isLarge(scene)) return evaluate(scene);
  return withinPatience(
    () => evaluate(scene),
    why => new Missing(why, true),
  );
}

function isLarge({ response }: Scene): boolean {
  return response !== undefined && response.received.body.length >= largeBody;
}

function withinPatience<Result>(compute: () => Result, onSlow: (why: string) => Result): Result {
  try {
    return withinTime(patience, 'what it computes', compute);
  } catch (error) {
    if (error instanceof TooSlow) return onSlow(error.message);
    throw error;
  }
}
