import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { WrittenTable } from '../analysis/tables.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type { Load } from '../language/load/load.ts';
import type { EventOf, RunEvent } from '../model/events.ts';
import type { RunTotals } from '../record/totals.ts';
import type { Masker } from '../secrecy/masker.ts';
import type { Answer, PlannedStep } from '../steps/step.ts';
import type { PageWorkers, RunWorkers } from './run-workers.ts';

/** An answer of a case, and what was known when it came. */
export interface OfferedAnswer {
  readonly step: PlannedStep;
  readonly answer: Answer;
  /** Names that had a value, the nearest first. */
  readonly bound: ReadonlyMap<string, Entry>;
  /** What the pages have kept that its page takes something from, whether it uses that or not. */
  readonly offered: ReadonlyMap<string, Entry>;
}

/** A case that has passed, with what its operations came to. */
export interface PassedCase {
  readonly planned: PlannedCase;
  readonly plan: Plan;
  readonly answers: readonly OfferedAnswer[];
  /** Names of the case whose values nobody may see. */
  readonly secret: ReadonlyMap<string, Entry>;
  /** A text with all secrets in it masked. */
  mask(text: string): string;
}

/** How a run with load goes. */
export interface LoadOptions extends Pick<Load, 'phases' | 'stops'> {
  /** Each user takes a row of its own: those of these numbers, from 1, in the order in which users come. */
  readonly rows?: { readonly table: WrittenTable; readonly numbers: readonly number[] } | undefined;
  /** Of each user; without it, as many as there is time for. */
  readonly rounds?: number | undefined;
  /** How many users there may be at the most, where rounds begin when they are due. */
  readonly mostUsers: number;
  /** From 0 to 1: of so many rounds that pass every line is told. */
  readonly sample: number;
  /** In milliseconds: so long rounds may go on behind the end, and what cleans up after them once more. */
  readonly grace?: number | undefined;
}

export interface RunOptions {
  /** Name and version of the program, for the record. */
  readonly tool: string;
  /** Of each user. Without it one, or as many as begin within `lasting`. */
  readonly rounds?: number;
  /** How many run at the same time, each with its own names and cookies. */
  readonly users?: number;
  /** In milliseconds: no round begins later. */
  readonly lasting?: number;
  /** How many pages that do not hang on each other run at the same time. */
  readonly jobs?: number;
  /** In milliseconds, between one case and the next: each time something from a range. */
  readonly pause?: { readonly from: number; readonly to: number };
  /** What takes the place of rounds and users: a load. */
  readonly load?: LoadOptions;
  /** Where several threads, or machines, share its users between them. */
  readonly workers?: RunWorkers;
  /** Where several machines share its pages between them. */
  readonly pageWorkers?: PageWorkers;
  /** Whether the first case that does not pass ends the run. */
  readonly failFast?: boolean;
  /** In milliseconds: how long the run may take. */
  readonly timeout?: number;
  /** For the record: what chance begins with, what was asked for. */
  readonly runDetails?: Pick<EventOf<'run'>, 'seed' | 'selected'>;
  /** Whether exchanges carry their bodies: needed where a record is written. */
  readonly bodies: boolean;
  /** The record: hears of everything as it happens, also of pages that are told later. */
  readonly record?: (event: RunEvent) => void;
  /** Whether bodies are told too, so that they are kept where events have to wait for their turn. */
  readonly keepsBodies?: boolean;
  /** Whether checks that hold say what they found. */
  readonly tellsFound?: boolean;
  /** Whether responses are set beside the examples of their pages, and what is not like them is a failed check. */
  readonly examples?: 'told' | 'strict' | undefined;
  /** Hears of the answers in cases that passed, before their values are forgotten: examples may be made of them. */
  readonly onAnswers?: ((answers: PassedCase) => Promise<void>) | undefined;
  /** Whether events may be heard a moment after they have happened, while the next request is on its way. */
  readonly deferred?: boolean;
  readonly signal: AbortSignal;
  /** Ends what cleans up; without it, that ends with the rest. */
  readonly cleanUpSignal?: AbortSignal;
  /** Counts what happens; handed in by those who tell of it while it does. */
  readonly totals?: RunTotals;
  /** Learns of all secrets; handed in by those who print more than the events. */
  readonly masker?: Masker;
}
