import type { Stop } from '../core/model/outcomes.ts';
import type { Fences } from './fences.ts';
import type { PlanInput } from './prepare.ts';
import type { ThreadWork } from './thread-work.ts';

// What a worker and the thread that carries out its shares of pages tell each other.

/** What the thread is started with. */
export interface SharesToRun extends Pick<ThreadWork, 'options' | 'seed'> {
  readonly input: PlanInput;
  readonly fences: Fences;
  /** The pages of each share. */
  readonly shares: readonly (readonly string[])[];
}

export type ToShareThread =
  | { readonly type: 'share'; readonly attempt: number; readonly share: number }
  | { readonly type: 'stop'; readonly reason: Stop }
  /** Cleaning up ends too. */
  | { readonly type: 'end' };

export type FromShareThread =
  | { readonly type: 'ready' }
  | { readonly type: 'refused'; readonly why: string }
  | { readonly type: 'secrets'; readonly added: readonly string[]; readonly retired: readonly string[] }
  | { readonly type: 'lines'; readonly attempt: number; readonly lines: readonly string[] }
  /** The share has run, or was ended before it had. */
  | { readonly type: 'done'; readonly attempt: number; readonly stopped?: Stop }
  /** A mistake of our own; where it happened. */
  | { readonly type: 'failed'; readonly name: string; readonly stack: string };
