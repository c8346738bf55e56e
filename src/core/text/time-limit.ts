import type { Script } from 'node:vm';

/** What takes too long; the message says so as a sentence without its full stop. */
export class TimeLimitError extends Error {}

const handOver = Symbol.for('mervok.compute');
const place = globalThis as { [handOver]?: () => unknown };
let script: Script | undefined;

/** Computes something that must not hang, and stops it after so many milliseconds. Throws TimeLimitError. */
export function withinTime<Result>(milliseconds: number, what: string, compute: () => Result): Result {
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
