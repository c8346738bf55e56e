import type { RunEvent } from '../model/events.ts';
import type { CarriedOut } from './carried-out.ts';
import type { RunControl } from './run-control.ts';

/** Threads that share the users of a run between them, each of which carries out its own. */
export interface RunThreads {
  readonly count: number;
  /**
   * Until all of them have ended. One that dies is told as missing; the rest come to their end.
   * @param run `onFigures` hears what they count, `onTold` of what they have noted in their segments of the record
   */
  carryOut(run: {
    readonly begin: number;
    readonly control: RunControl;
    readonly cleanUpSignal: AbortSignal | undefined;
    readonly onFigures: (event: Extract<RunEvent, { type: 'figures' }>) => void;
    readonly onTold: (event: RunEvent) => void;
  }): Promise<Pick<CarriedOut, 'lag' | 'missing'>>;
}
