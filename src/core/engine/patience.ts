import { TooSlow, withinTime } from '../text/time-limit.ts';

/** In bytes: what is computed over a larger response is watched. */
const largeBody = 16 * 1024;
/** How long one statement may take then, in milliseconds. */
const patience = 10_000;

/** What is computed over a large response must come to an end, whatever the response is. */
export function withPatience<Result>(
  size: number,
  compute: () => Result,
  onSlow: (why: string) => Result,
): Result {
  if (size < largeBody) return compute();
  try {
    return withinTime(patience, 'what it computes', compute);
  } catch (error) {
    if (error instanceof TooSlow) return onSlow(error.message);
    throw error;
  }
}
