import type { Plan } from '../core/analysis/plan.ts';
import type { RunOptions } from '../core/runner/run-options.ts';
import type { Recorder } from '../platform/recorder.ts';
import type { PlanInput } from './prepare.ts';
import type { ChosenMachines } from './queue-options.ts';
import type { Terminal } from './terminal.ts';
import type { ThreadWork } from './thread-work.ts';

/** Threads of this machine that share the users of a run. */
export interface OnThreads {
  readonly count: number;
  readonly input: PlanInput;
}

/** Other machines that share its users, or its pages. */
export interface OnMachines {
  readonly chosen: ChosenMachines;
  readonly input: PlanInput;
  /** On each of them; as many as it has cores if nothing is said. */
  readonly threads: number | undefined;
}

/** What all of them have to know of it. */
interface HowItGoes
  extends Partial<
    Pick<
      RunOptions,
      'users' | 'rounds' | 'lasting' | 'pause' | 'failFast' | 'examples' | 'runDetails' | 'load'
    >
  > {
  readonly log?: string;
  readonly view?: 'all' | 'failures' | 'verdict' | 'exchanges' | 'events';
}

/** Those who carry a run out, where it is not this thread alone. */
export interface OpenWorkers extends Pick<RunOptions, 'workers' | 'pageWorkers' | 'masker'> {
  close?(): Promise<void>;
}

/** @param onProblem hears why what a thread has recorded is not whole */
export async function openThreadsFor(
  onThreads: OnThreads,
  choices: HowItGoes,
  recorder: Recorder | undefined,
  onProblem: (problem: string) => void,
): Promise<OpenWorkers> {
  const { openThreads } = await import('./open-threads.ts');
  const { log, view } = choices;
  const hearsAll = log !== undefined || view === 'exchanges' || view === 'events';
  const bodies = recorder !== undefined || log !== undefined || view === 'exchanges';
  const work = { ...workOf(choices, bodies), ...onThreads, tells: hearsAll ? 'all' : 'some' } as const;
  return { workers: await openThreads(work, recorder, onProblem) };
}

/** Throws UsageError; whatever it is, where it was interrupted. */
export async function openMachinesFor(
  plan: Plan,
  onMachines: OnMachines,
  choices: HowItGoes,
  { terminal, signal }: { readonly terminal: Terminal; readonly signal: AbortSignal },
): Promise<OpenWorkers> {
  const { openMachines } = await import('./open-machines.ts');
  const byUsers = choices.load !== undefined || choices.users !== undefined;
  const work = { ...workOf(choices, true), ...onMachines, byUsers, tells: 'all' } as const;
  return openMachines(plan, work, terminal, signal);
}

/** How rounds go, as plain data. */
function workOf(
  { users, rounds, lasting, pause, failFast, examples, view, runDetails, load }: HowItGoes,
  bodies: boolean,
): Pick<ThreadWork, 'options' | 'seed' | 'rowNumbers'> {
  return {
    options: {
      ...(users !== undefined && { users }),
      ...(rounds !== undefined && { rounds }),
      ...(lasting !== undefined && { lasting }),
      ...(pause && { pause }),
      ...(failFast && { failFast }),
      ...(examples && { examples }),
      bodies,
      tellsFound: view === 'exchanges',
    },
    seed: runDetails?.seed,
    rowNumbers: load?.rows?.numbers,
  };
}
