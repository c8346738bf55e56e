import type { Script } from 'node:vm';

/** What takes too long; the message says so as a sentence without its full stop. */
export class TimeLimitError extends Error {}

const handOver = Symbol.for('mervok.compute');
const place = globalThis as { [handOver]?: () => unknown };
let script: Script | undefined;
/** Whether one limit holds for all that is computed. */
let isShared = false;

/**
 * Computes many small things that must not hang together: a limit for each of them would take longer than they do. Throws
 * TimeLimitError.
 */
export function withinOneLimit<Result>(milliseconds: number, what: string, compute: () => Result): Result {
  if (isShared) return compute();
  // What is stopped does not come to its own end.
  try {
    return withinTime(milliseconds, what, () => {
      isShared = true;
      return compute();
    });
  } finally {
    isShared = false;
  }
}

/** Computes something that must not hang, and stops it after so many milliseconds. Throws TimeLimitError. */
export function withinTime<Result>(milliseconds: number, what: string, compute: () => Result): Result {
  if (isShared) return compute();
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
