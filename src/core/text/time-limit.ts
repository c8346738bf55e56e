import type { Script } from 'node:vm';

/** What takes too long; the message says so as a sentence without its full stop. */
export class TimeLimitError extends Error {}

const handOver = Symbol.for('mervok.compute');
/** Whether one limit holds for all that is computed: every part of the program has to know. */
const shared = Symbol.for('mervok.computeTogether');
const place = globalThis as { [handOver]?: () => unknown; [shared]?: boolean };
let script: Script | undefined;

/**
 * Computes many small things that must not hang together: a limit for each of them would take longer than they do. Throws
 * TimeLimitError.
 */
function withinOneLimit<Result>(milliseconds: number, what: string, compute: () => Result): Result {
  if (place[shared]) return compute();
  // What is stopped does not come to its own end.
  try {
    return withinTime(milliseconds, what, () => {
      place[shared] = true;
      return compute();
    });
  } finally {
    place[shared] = false;
  }
}

/** In bytes and milliseconds: what is computed over less shares one limit. */
const [small, sharedLimit] = [64 * 1024, 10_000];

/** Many small looks at something of so many bytes: where that is little, one limit holds for all of them. */
export function withFewLimits<Result>(bytes: number, compute: () => Result): Result {
  if (bytes > small) return compute();
  try {
    return withinOneLimit(sharedLimit, 'what is looked at', compute);
  } catch (error) {
    // Each with its own limit, the others are not held up.
    if (error instanceof TimeLimitError) return compute();
    throw error;
  }
}

/** Computes something that must not hang, and stops it after so many milliseconds. Throws TimeLimitError. */
export function withinTime<Result>(milliseconds: number, what: string, compute: () => Result): Result {
  if (place[shared]) return compute();
  script ??= new (process.getBuiltinModule('node:vm').Script)(
    `globalThis[Symbol.for('${handOver.description}')]()`,
  );
  const before = place[handOver];
  place[handOver] = compute;
  try {
    return script.runInThisContext({ timeout: milliseconds }) as Result;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ERR_SCRIPT_EXECUTION_TIMEOUT') throw error;
    throw new TimeLimitError(`${what} takes longer than ${milliseconds / 1000} s`);
  } finally {
    if (before) place[handOver] = before;
    else delete place[handOver];
  }
}
