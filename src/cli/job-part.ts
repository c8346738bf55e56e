import type { Stop } from '../core/model/outcomes.ts';
import type { LoadShare } from '../core/runner/load/arrivals.ts';
import type { FromWorker, Secrets } from '../platform/queue/messages.ts';
import type { Fences } from './fences.ts';
import type { JobWork } from './job-work.ts';
import type { PlanInput } from './prepare.ts';

/** What a worker carries out of a run: a share of its users, or shares of its pages. */
export interface PartOfJob {
  /** Makes everything ready; gives on how many threads it goes. Throws UsageError where it is not carried out. */
  prepare(): Promise<number>;
  /**
   * Until it has ended, and that has been told.
   * @param begin by the clock that only goes forward, in milliseconds
   */
  go(begin: number): Promise<void>;
  /** Carries out a share of a worker that was lost too. */
  take(share: LoadShare): Promise<void>;
  stop(reason: Stop): void;
  /** Ends before it is over, and cleans up: others are to take over what is left. */
  leave(): void;
  /** Cleaning up ends too. */
  end(): void;
  /** The page that asked for its turn has it. */
  turn(page: number): void;
  /** What has come that nobody may see, since this was asked last. */
  secrets(): Secrets;
  close(): Promise<void>;
}

/** What a part of a job has to do with. */
export interface JobSurroundings {
  readonly work: JobWork;
  readonly input: PlanInput;
  readonly fences: Fences;
  /** What pages see of the environment of the process. */
  readonly environment: { readonly [name: string]: string };
  readonly threads: number;
  /** Of this machine, as people call it. */
  readonly name: string;
  readonly tell: (message: FromWorker) => void;
  /** Tells whoever watches the worker. */
  readonly say: (line: string) => void;
}
