import type { RunEvent } from '../model/events.ts';
import type { FiguresEvent } from '../model/load-events.ts';
import type { CarriedOut } from './carried-out.ts';
import type { RunControl } from './run-control.ts';

/** Threads, or other machines, that share a run between them, each of which carries out its part. */
interface Workers {
  /** How many machines; nothing where it is this one alone. */
  readonly machines?: number;
}

/** Those that share the users of a run. */
export interface RunWorkers extends Workers {
  /** How many threads there are, on all machines. */
  readonly count: number;
  /** In milliseconds: from when they are told to begin, so long all of them need to have heard it. */
  readonly headStart?: number;
  /** Whether they note what they tell of in the record themselves. */
  readonly keepRecord: boolean;
  /**
   * Until all of them have ended. One that dies is told as missing; the rest come to their end.
   * @param run `onFigures` hears what they count, `onTold` of lines that they note, as JSON
   */
  carryOut(
    run: CarryingOut & {
      readonly begin: number;
      readonly onFigures: (event: FiguresEvent) => void;
      readonly onTold: (lines: readonly string[]) => void;
    },
  ): Promise<Pick<CarriedOut, 'lag' | 'missing'>>;
}

/** Those that share the pages of a run. */
export interface PageWorkers extends Workers {
  /** Until all pages have run, once each. */
  carryOut(
    run: CarryingOut & { readonly onEvent: (event: RunEvent) => void },
  ): Promise<Pick<CarriedOut, 'missing' | 'leftBehind'>>;
}

/** What ends a run, and what ends cleaning up behind it. */
export interface CarryingOut {
  readonly control: RunControl;
  readonly cleanUpSignal: AbortSignal | undefined;
}
