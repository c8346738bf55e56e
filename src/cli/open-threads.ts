import type { RunWorkers } from '../core/runner/run-workers.ts';
import type { Recorder } from '../platform/recorder.ts';
import { ThreadsOfRun } from '../platform/threads/run-on-threads.ts';
import type { ThreadWork } from './thread-work.ts';

/** What threads carry out: the same for each, but for the segment of the record that it writes. */
export interface WorkOfThreads extends Omit<ThreadWork, 'segment'> {
  readonly count: number;
}

/** @param onProblem hears why what a thread has recorded is not whole */
export async function openThreads(
  { count, ...work }: WorkOfThreads,
  recorder: Recorder | undefined,
  onProblem: (problem: string) => void,
): Promise<RunWorkers> {
  // A function is no plain data; what it comes to is.
  const { effects, ...chosen } = work.input.chosen;
  const known = await effects?.();
  const input = { ...work.input, chosen: { ...chosen, ...(known && { effectsKnown: known }) } };
  return ThreadsOfRun.started<ThreadWork>({
    count,
    program: new URL('./cli-run-thread.cjs', import.meta.url),
    workOf: thread => ({ ...work, input, segment: recorder?.segmentPath(thread) }),
    onProblem,
  });
}
