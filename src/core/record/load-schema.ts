import * as z from 'zod/mini';
import { duration, heldTotals, place } from './schema-parts.ts';

// The form of what the record of a run with load has besides; what each member means is said with the types of the model.

/** What the load was to be, and what its figures are of. */
export const recordedLoad = z.strictObject({
  /** One behind the other; number 0 is the warm-up, which is left out of the figures. */
  phases: z.array(
    z.strictObject({
      number: z.int(),
      label: z.optional(z.string()),
      /** As written. */
      text: z.string(),
      unit: z.enum(['users', 'rounds']),
      /** Users, or rounds a second. */
      from: z.number(),
      to: z.number(),
      lasting: duration,
    }),
  ),
  /** What ends it before its time, as written. */
  stops: z.optional(z.array(z.string())),
  /** The table that each user takes a row of. */
  rows: z.optional(z.string()),
  /** From 0 to 1: of so many rounds the record holds every line. */
  sample: z.number(),
  /** How many users there may be at the most, where rounds begin when they are due. */
  mostUsers: z.optional(z.int()),
  /** How many threads of a processor share the users between them. */
  threads: z.optional(z.int()),
  /** What figures of requests and of cases name by their place in these lists, from 0. */
  requests: z.array(z.strictObject({ case: z.string(), title: z.string(), request: z.string(), place })),
  cases: z.array(z.strictObject({ case: z.string(), title: z.string(), page: z.string() })),
});

/** Durations that were counted. In milliseconds, but for the cells. */
const durations = z.strictObject({
  count: z.int(),
  sum: z.number(),
  min: duration,
  max: duration,
  /** In microseconds, each followed by how many there are of it; within a twentieth of a percent. */
  cells: z.array(z.int()),
});

const times = z.optional(z.int());

const rounds = z.strictObject({
  /** Where rounds begin when they are due: how many were. */
  due: times,
  begun: z.int(),
  ended: z.int(),
  /** Of those that began, how many began late; and how late they all did. */
  late: times,
  lateness: z.optional(durations),
  /** How many were due and never began. */
  dropped: times,
  /** How many were cut off, since the run was over. */
  cutOff: times,
});

/** What the load came to besides what every run does. */
export const endedLoad = z.strictObject({
  rounds,
  /** Cases of the warm-up that did not pass; they count for nothing. */
  badInWarmUp: times,
  /** The percentile that Mervok itself has made longer than it was: as it is told, and without that. */
  ownLimit: z.optional(z.strictObject({ percent: z.number(), told: duration, without: duration })),
});

/** What ended within a second, of what a phase began. */
export const figures = z.strictObject({
  type: z.literal('figures'),
  /** In milliseconds since the run began. */
  from: duration,
  lasting: duration,
  /** By its number. */
  phase: z.int(),
  /** Those in a round of the phase at its end, and the most that were at the same time. */
  users: z.int(),
  mostUsers: z.int(),
  rounds,
  /** How long rounds took, from when they were due. */
  roundTimes: durations,
  checks: z.int(),
  held: z.int(),
  /** Queries, commands and scripts. */
  steps: times,
  /** Requests that were sent once more, over a fresh connection. */
  reconnects: times,
  /** Requests that only led to one that counts. */
  parts: times,
  /** Bytes. */
  received: z.int(),
  /** How often each case ended how. */
  cases: z.array(
    z.strictObject({
      case: z.int(),
      passed: times,
      failed: times,
      error: times,
      blocked: times,
      skipped: times,
    }),
  ),
  requests: z.array(
    z.strictObject({
      request: z.int(),
      count: z.int(),
      /** Those that got no answer, or whose checks do not all hold. */
      failed: z.int(),
      /** Bytes. */
      received: z.int(),
      /** By what came: a status, or the kind of a fault. */
      answers: z.record(z.string(), z.int()),
      /** How long answers took; where a round was due, its first from then. */
      times: durations,
      /** The same from when they were sent, where that differs. */
      sent: z.optional(durations),
      /** For Apdex: those that were served within the threshold, and within four times of it. */
      satisfied: z.int(),
      tolerating: z.int(),
    }),
  ),
  /** How long answers took, less the time that Mervok itself was late to begin and to read them. */
  unlagged: durations,
  definitions: z.optional(z.array(heldTotals)),
});
