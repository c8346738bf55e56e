import type { FiguresEvent } from '../../core/model/load-events.ts';
import type { Stop } from '../../core/model/outcomes.ts';
import type { LoadShare } from '../../core/runner/load/arrivals.ts';
import type { JobTerms, SignedJob } from './job-keys.ts';

// What the machine that a run is started on and its workers tell each other.

/** Where all workers listen. */
export const offersSubject = 'mervok.v1.jobs';

/** A run looks for workers; signed. */
export interface Announcement extends JobTerms {
  /** For the agreement on a key. */
  readonly offer: string;
}

/** A worker that has nothing to do. */
export interface Availability {
  readonly worker: string;
  /** As people call it. */
  readonly name: string;
  readonly offer: string;
  readonly cores: number;
  /** Name and version of the program. */
  readonly tool: string;
}

/** A name fits into a line, and holds nothing that a terminal would take for more. */
export function isWorkerName(name: string): boolean {
  return /^[^\p{C}\s](?:[^\p{C}]{0,62}[^\p{C}\s])?$/u.test(name);
}

/** What one worker is to carry out; signed. */
export interface Job<Work> extends JobTerms {
  readonly worker: string;
  /** Known to all workers of the run, as base64. */
  readonly key: string;
  /** In milliseconds: of whom nothing is heard for so long, others take over what it has. */
  readonly lease: number;
  /** SHA-256 of the collection. */
  readonly collection: string;
  readonly work: Work;
}

/** To a worker. Each is answered, by `Answer` if nothing else is said. */
export type ToWorker =
  | { readonly type: 'job'; readonly job: SignedJob }
  /** Its bytes follow. */
  | { readonly type: 'collection' }
  /** What has come that nobody may see: answered by `Secrets`. */
  | { readonly type: 'secrets' }
  /** Answered by `Clock`. */
  | { readonly type: 'clock' }
  /** The run begins at a time of its own clock that only goes forward, in milliseconds. */
  | { readonly type: 'go'; readonly begin: number }
  /** A share of a worker that was lost. */
  | { readonly type: 'take'; readonly share: LoadShare }
  | { readonly type: 'stop'; readonly reason: Stop }
  /** Cleaning up ends too. */
  | { readonly type: 'end' }
  /** The page that asked for its turn has it. */
  | { readonly type: 'turn'; readonly page: number }
  /** There is nothing more to do. */
  | { readonly type: 'close' };

export interface Answer {
  /** Why it does not do it; nothing where it does. */
  readonly refused?: string;
}

/** What a worker has come by that nobody may see, and what of it is over. */
export interface Secrets {
  readonly added: readonly string[];
  readonly retired: readonly string[];
  /** Whether that is not all. */
  readonly more?: true;
}

/** Both in milliseconds: the clock that only goes forward, and the time since 1970. */
export interface Clock {
  readonly elapsed: number;
  readonly now: number;
}

/** From a worker: several at a time, in order; none at all to say that it is there. */
export type FromWorker =
  | { readonly type: 'ready'; readonly threads: number }
  | { readonly type: 'refused'; readonly why: string }
  | { readonly type: 'figures'; readonly figures: FiguresEvent }
  | { readonly type: 'lines'; readonly lines: readonly string[]; readonly attempt?: Attempt }
  /** It has been given a share: answered by `MayBegin`. */
  | { readonly type: 'begun'; readonly attempt: Attempt }
  /** What was made is cleaned up, whether it is whole or not. */
  | { readonly type: 'done'; readonly attempt: Attempt; readonly isWhole: boolean }
  /** It has ended by itself what all are to end with: its first failure. */
  | { readonly type: 'stopped'; readonly reason: Stop }
  | { readonly type: 'turn'; readonly page: number; readonly alone: boolean }
  | { readonly type: 'left'; readonly page: number }
  | {
      readonly type: 'ended';
      readonly lag?: number;
      readonly missing: readonly string[];
      /** It has ended before its part was over, and cleaned up: others are to take that over. */
      readonly left?: true;
    };

/** A share of pages as one worker carries it out. */
export interface Attempt {
  /** From 0. */
  readonly share: number;
  /** Of this worker, from 1. */
  readonly number: number;
}

/** Whether a share that the queue gave is to be carried out: others may be at it, or have done it. */
export interface MayBegin {
  readonly begin: 'now' | 'not yet' | 'never';
}

/** A message with bytes behind it, or none. */
export function encode(message: object, bytes: Uint8Array = new Uint8Array()): Buffer {
  return Buffer.concat([Buffer.from(`${JSON.stringify(message)}\n`), bytes]);
}

export function decode<Message>(data: Buffer): { message: Message; bytes: Buffer } {
  const end = data.indexOf('\n');
  return { message: JSON.parse(data.toString('utf8', 0, end)) as Message, bytes: data.subarray(end + 1) };
}

/** In milliseconds: so long a queue that is away, or one who does not answer, is waited for. */
export function patienceFor(lease: number): number {
  return Math.max(5000, 4 * lease);
}

/** Where the two ends of a run and one of its workers hear each other. */
export function subjectsOf(run: string, worker: string): { worker: string; run: string } {
  return { worker: `mervok.v1.run.${run}.${worker}.worker`, run: `mervok.v1.run.${run}.${worker}.run` };
}
