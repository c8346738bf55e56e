import type { HeldTotals } from './held-totals.ts';
import type { Outcome } from './outcomes.ts';
import type { Place } from './place.ts';

// What the record of a run with load has besides: it would have too many lines, so figures take the place of those of
// rounds that passed.

/** Of the first line: what the load was to be, and what its figures are of. */
export interface RecordedLoad {
  phases: RecordedPhase[];
  /** What ends it before its time, as written. */
  stops?: string[] | undefined;
  /** The table that each user takes a row of. */
  rows?: string | undefined;
  /** From 0 to 1: of so many rounds the record holds every line. */
  sample: number;
  /** How many users there may be at the most, where rounds begin when they are due. */
  mostUsers?: number | undefined;
  /** How many threads of a processor share the users between them. */
  threads?: number | undefined;
  /** What figures of requests and of cases name by their place in these lists, from 0. */
  requests: { case: string; title: string; request: string; place: Place }[];
  cases: { case: string; title: string; page: string }[];
}

export interface RecordedPhase {
  /** From 1; 0 for the warm-up. */
  number: number;
  label?: string | undefined;
  /** As written. */
  text: string;
  unit: 'users' | 'rounds';
  /** Users, or rounds a second. */
  from: number;
  to: number;
  /** In milliseconds. */
  lasting: number;
}

/** Durations that were counted. In milliseconds, but for the cells. */
export interface RecordedDurations {
  count: number;
  sum: number;
  min: number;
  max: number;
  /** In microseconds, each followed by how many there are of it; within a twentieth of a percent. */
  cells: number[];
}

/** What ended within a second, of what a phase began. */
export interface FiguresEvent {
  type: 'figures';
  /** In milliseconds since the run began. */
  from: number;
  /** In milliseconds. */
  lasting: number;
  /** By its number. */
  phase: number;
  /** Those in a round of the phase at its end, and the most that were at the same time. */
  users: number;
  mostUsers: number;
  rounds: FiguredRounds;
  /** How long rounds took, from when they were due. */
  roundTimes: RecordedDurations;
  checks: number;
  held: number;
  /** Queries, commands and scripts. */
  steps?: number | undefined;
  /** Requests that were sent once more, over a fresh connection. */
  reconnects?: number | undefined;
  /** Requests that only led to one that counts. */
  parts?: number | undefined;
  /** Bytes. */
  received: number;
  cases: FiguredCase[];
  requests: FiguredRequest[];
  /** How long answers took, less the time that Mervok itself was late to begin and to read them. */
  unlagged: RecordedDurations;
  definitions?: HeldTotals[] | undefined;
}

/** Of the last line: what the load came to besides what every run does. */
export interface EndedLoad {
  rounds: FiguredRounds;
  /** Cases of the warm-up that did not pass; they count for nothing. */
  badInWarmUp?: number | undefined;
  /** The percentile that Mervok itself has made longer than it was: as it is told, and without that; in milliseconds. */
  ownLimit?: { percent: number; told: number; without: number } | undefined;
}

export interface FiguredRounds {
  /** Where rounds begin when they are due: how many were. */
  due?: number | undefined;
  begun: number;
  ended: number;
  /** Of those that began, how many began late; and how late they all did. */
  late?: number | undefined;
  lateness?: RecordedDurations | undefined;
  /** How many were due and never began. */
  dropped?: number | undefined;
  /** How many were cut off, since the run was over. */
  cutOff?: number | undefined;
}

/** How a case ended, and how often; by its place in the list of the first line. */
export type FiguredCase = { case: number } & { [outcome in Outcome]?: number | undefined };

export interface FiguredRequest {
  /** By its place in the list of the first line. */
  request: number;
  count: number;
  /** Those that got no answer, or whose checks do not all hold. */
  failed: number;
  /** Bytes. */
  received: number;
  /** By what came: a status, or the kind of a fault. */
  answers: { [answer: string]: number };
  /** How long answers took; where a round was due, its first from then. */
  times: RecordedDurations;
  /** The same from when they were sent, where that differs. */
  sent?: RecordedDurations | undefined;
  /** For Apdex: those that were served within the threshold, and within four times of it. */
  satisfied: number;
  tolerating: number;
}
