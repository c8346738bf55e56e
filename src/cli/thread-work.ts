import type { LoadShare } from '../core/runner/load/arrivals.ts';
import type { RunOptions } from '../core/runner/run-options.ts';
import type { Fences } from './fences.ts';
import type { PlanInput } from './prepare.ts';

/** What a thread of a run does, as plain data. */
export interface ThreadWork {
  readonly input: PlanInput;
  readonly options: Pick<
    RunOptions,
    'users' | 'rounds' | 'lasting' | 'pause' | 'failFast' | 'examples' | 'bodies' | 'tellsFound'
  >;
  readonly seed: string | undefined;
  /** The rows that users take, which all threads have to agree on. */
  readonly rowNumbers: readonly number[] | undefined;
  /** Where its part of the record is written. */
  readonly segment: string | undefined;
  /** Whether the one that started it hears of everything, or of some of what did not pass. */
  readonly tells: 'all' | 'some';
  /** The share of the load that the threads divide between them, where it is not all of it. */
  readonly share?: LoadShare;
  /** What is not carried out, where it is somebody else's. */
  readonly fences?: Fences;
}
