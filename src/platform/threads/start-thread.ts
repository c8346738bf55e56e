import { Worker } from 'node:worker_threads';
import { leaveTuning, setFlags } from '../tuning.ts';

/** In megabytes: what lives as long as a request does is not copied over and over. */
const youngSpace = 64;

/** What a thread finds as its data. */
export interface StartedWith<Work> {
  /** Flags of the compiler, to be set once it has started. */
  readonly flags: readonly string[];
  readonly work: Work;
}

/**
 * Starts a thread of a program.
 * @param environment what it sees of that of the process; nothing for all of it
 */
export function startThread<Work>(
  program: URL,
  work: Work,
  environment?: { readonly [name: string]: string },
): Worker {
  const flags = leaveTuning();
  const worker = new Worker(program, {
    workerData: { flags, work } satisfies StartedWith<Work>,
    resourceLimits: { maxYoungGenerationSizeMb: youngSpace },
    ...(environment && { env: { ...environment } }),
    argv: [],
    execArgv: [],
  });
  setFlags(flags);
  return worker;
}
