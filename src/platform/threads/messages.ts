import type { FiguresEvent } from '../../core/model/load-events.ts';
import type { Stop } from '../../core/model/outcomes.ts';

// What the threads of a run and the one that started them tell each other.

/** To a thread. */
export type ToThread =
  /** All are ready: the run begins at a time of the clock that only goes forward. */
  | { readonly type: 'go'; readonly begin: number }
  | { readonly type: 'stop'; readonly reason: Stop }
  /** Cleaning up ends too. */
  | { readonly type: 'end' }
  /** The page that asked for its turn has it. */
  | { readonly type: 'turn'; readonly page: number };

/** From a thread. */
export type FromThread =
  | { readonly type: 'ready' }
  /** It does not carry out what it was given. */
  | { readonly type: 'refused'; readonly why: string }
  | { readonly type: 'figures'; readonly figures: FiguresEvent }
  /** Lines of the record that somebody is told of; they stand in its segment already. */
  | { readonly type: 'told'; readonly lines: readonly string[] }
  /** It has ended by itself what all are to end with: its first failure. */
  | { readonly type: 'stopped'; readonly reason: Stop }
  | { readonly type: 'turn'; readonly page: number; readonly alone: boolean }
  | { readonly type: 'left'; readonly page: number }
  | { readonly type: 'ended'; readonly lag: number | undefined; readonly problem: string | undefined }
  /** A mistake of our own; where it happened. */
  | { readonly type: 'failed'; readonly name: string; readonly stack: string };
