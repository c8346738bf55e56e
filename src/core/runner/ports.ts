import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { OperationPorts } from '../steps/operation-ports.ts';

/** What lies outside of the core, as the runner sees it. */
export interface Ports extends ClockAndRandom {
  /** What operations reach out by. */
  readonly operations: OperationPorts;
  /** Milliseconds of a clock that only goes forward. */
  elapsed(): number;
  sleep(milliseconds: number, signal: AbortSignal): Promise<void>;
  /** The present, and chance that is the same for the same page of the same iteration, where it is to be repeated. */
  clockAndRandomFor(user: number, round: number, row: number, page: string): ClockAndRandom;
  readonly external: ExternalSources;
}
