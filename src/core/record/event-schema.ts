import * as z from 'zod/mini';
import type { RunEvent } from '../model/events.ts';
import { causes, outcomes, recordVersion, stops } from '../model/outcomes.ts';
import { endedLoad, figures, recordedLoad } from './load-schema.ts';
import { duration, headers, heldTotals, instant, moment, place } from './schema-parts.ts';

// The form of a line of a record; what each member means is said with the types of the model.

/** A body: its true length in bytes, and what the record keeps of it. */
const payload = z.strictObject({
  size: z.int(),
  /** As text, if it is valid UTF-8, else as base64. */
  text: z.optional(z.string()),
  base64: z.optional(z.string()),
  /** Set where less is kept than there was. */
  cut: z.optional(z.literal(true)),
  sha256: z.optional(z.string()),
  /** The files that it was made of, which are not kept. */
  files: z.optional(z.array(z.string())),
});

/** In milliseconds. Phases that did not take place (a connection that was still open) are left out. */
const times = z.strictObject({
  lookup: z.optional(duration),
  connect: z.optional(duration),
  tls: z.optional(duration),
  wait: z.optional(duration),
  download: z.optional(duration),
  total: duration,
});

/** What of a larger value is not as it should be. */
const differences = z.array(z.strictObject({ at: z.string(), expected: z.string(), found: z.string() }));

/** One of the rows that something runs for: which one, of how many, and what it gives. */
const row = z.strictObject({ number: z.int(), total: z.int(), values: z.string() });

const base = {
  /** Where several pages run at once: the one that it belongs to, numbered in the order in which they are told. */
  lane: z.optional(z.int()),
  round: z.int(),
  /** From 1, where several users run at the same time. */
  user: z.optional(z.int()),
  case: z.string(),
  /** For a case that runs for each row: which one, from 1. */
  row: z.optional(z.int()),
};

/** What all operations say. */
const operation = {
  ...base,
  /** Milliseconds since 1970. */
  at: moment,
  place,
  /** Why it took place, where it is not that of the case for the first time. */
  cause: z.optional(z.enum(causes)),
  fault: z.optional(z.strictObject({ kind: z.string(), message: z.string() })),
  times,
  /** Set for what only led to the one that counts: a hop, a challenge, a token. */
  part: z.optional(z.literal(true)),
  /** In milliseconds, where such parts came before it: of all of them together. */
  whole: z.optional(duration),
  /** Bytes as they came over the connection, the head of a response included. */
  received: z.int(),
};

export const eventSchema = z.discriminatedUnion('type', [
  z.strictObject({
    type: z.literal('run'),
    version: z.literal(recordVersion),
    tool: z.string(),
    at: instant,
    title: z.string(),
    environment: z.optional(z.string()),
    /** Of each user; 0 for as many as there is time for. */
    rounds: z.int(),
    users: z.optional(z.int()),
    /** How many machines shared it between them. */
    machines: z.optional(z.int()),
    /** In milliseconds, where rounds begin until a time is over. */
    lasting: z.optional(z.number()),
    seed: z.optional(z.string()),
    /** How many pages run at once: their events then stand in the record as they happened. */
    jobs: z.optional(z.int()),
    /** The table that the whole selection runs for each row of. */
    rows: z.optional(z.string()),
    shard: z.optional(z.strictObject({ index: z.int(), of: z.int(), share: z.string() })),
    /** What was asked for, as on the command line; without it the whole collection. */
    selected: z.optional(z.string()),
    /** What runs for others, though it was not asked for. */
    brought: z.optional(z.array(z.strictObject({ case: z.string(), for: z.string(), because: z.string() }))),
    cases: z.int(),
    /** The limits of the settings that the run is held to. */
    bounds: z.optional(z.array(z.strictObject({ text: z.string(), place }))),
    /** In milliseconds: the time within which an answer satisfies, for Apdex. */
    apdex: z.optional(z.number()),
    /** Where it is one with load: figures then take the place of most lines. */
    load: z.optional(recordedLoad),
  }),
  z.strictObject({
    type: z.literal('page'),
    lane: z.optional(z.int()),
    round: z.int(),
    user: z.optional(z.int()),
    file: z.string(),
    title: z.string(),
    /** The rows that it runs for this time: of the whole selection, then of the page. */
    rows: z.optional(z.array(row)),
    /** Where it is the turn of its cases that clean up, at the end of an iteration. */
    cleanup: z.optional(z.literal(true)),
  }),
  z.strictObject({
    type: z.literal('exchange'),
    ...operation,
    request: z.strictObject({ method: z.string(), url: z.string(), headers, body: z.optional(payload) }),
    response: z.optional(
      z.strictObject({
        status: z.int(),
        reason: z.string(),
        headers,
        body: payload,
        /** Bytes of the body as it came, where it was compressed. */
        encoded: z.optional(z.int()),
        trailers: z.optional(headers),
      }),
    ),
    /** Set where it was sent once more over a fresh connection: its own had been closed. */
    fresh: z.optional(z.literal(true)),
    /** With load, in milliseconds: how late its round began, where it is the first request of one that was due. */
    late: z.optional(duration),
    /** With load, in milliseconds: how late Mervok itself was to read the answer, as far as that can be told. */
    lag: z.optional(duration),
    connection: z.optional(
      z.strictObject({
        protocol: z.string(),
        remote: z.optional(z.string()),
        certificate: z.optional(z.strictObject({ subject: z.string(), until: z.string() })),
      }),
    ),
    /** Responses before the final one, such as 103. */
    interim: z.optional(z.array(z.strictObject({ status: z.int(), headers }))),
    /** Where it falls under the definition of an API: what that is, and what of it was exercised; names alone. */
    definition: z.optional(
      z.strictObject({
        file: z.string(),
        /** SHA-256 of the definition, as hexadecimal digits. */
        hash: z.string(),
        operation: z.optional(z.string()),
        /** As it is described: `200`, `4XX`, `default`. */
        status: z.optional(z.string()),
        parameters: z.optional(z.array(z.string())),
        /** Members of the body that was sent. */
        sent: z.optional(z.array(z.string())),
        /** Members of the response that a check or a keep looked at. */
        looked: z.optional(z.array(z.string())),
        /** Why it could not be held to the definition. */
        notHeld: z.optional(z.string()),
        /** What is not described, and no defect. */
        notes: z.optional(z.array(z.string())),
        /** Set where it only led to the exchange that counts (a hop, a challenge, an earlier try), and was held to nothing. */
        led: z.optional(z.literal(true)),
      }),
    ),
    /** Where it is not as the examples of its status: the nearest of them, and what differs. */
    example: z.optional(z.strictObject({ place, differences })),
  }),
  /** An operation that is no exchange of HTTP, in a form that holds for every kind. */
  z.strictObject({
    type: z.literal('operation'),
    ...operation,
    /** Of step. */
    kind: z.string(),
    /** Set where what came of the operation above it stays in sight: a script has no answer of its own. */
    beside: z.optional(z.literal(true)),
    /** In milliseconds: how long it waited for a connection that others had. It is not in its times. */
    queued: z.optional(duration),
    /** What was asked of what, as the method and the address of a request. */
    asked: z.strictObject({
      verb: z.string(),
      target: z.string(),
      fields: headers,
      body: z.optional(payload),
    }),
    /** What came: in a word, with more words behind it, as the status of a response. */
    answer: z.optional(
      z.strictObject({
        code: z.string(),
        words: z.string(),
        /** Whether it is one of those that say that something went wrong. */
        bad: z.optional(z.literal(true)),
        fields: headers,
        body: payload,
      }),
    ),
    /** What else came, by its name, also where there is a fault: what a command wrote to its standard error. */
    texts: z.optional(z.array(z.strictObject({ name: z.string(), body: payload }))),
  }),
  z.strictObject({
    type: z.literal('check'),
    ...base,
    place,
    text: z.string(),
    label: z.optional(z.string()),
    /** The settings that the check stands in, where it is not the case's own. */
    level: z.optional(z.string()),
    holds: z.enum(['yes', 'no', 'unknown']),
    expected: z.optional(z.string()),
    found: z.optional(z.string()),
    at: z.optional(z.string()),
    origins: z.optional(z.array(z.strictObject({ name: z.string(), value: z.string(), origin: z.string() }))),
    differences: z.optional(differences),
    nearest: z.optional(z.string()),
    nearestOf: z.optional(z.string()),
  }),
  z.strictObject({
    type: z.literal('case'),
    lane: z.optional(z.int()),
    round: z.int(),
    user: z.optional(z.int()),
    /** With load: the phase that its round belongs to, by its number. */
    phase: z.optional(z.int()),
    case: z.string(),
    /** For a case that runs for each row of a table or item of a list: which one, of how many, and what it gives. */
    row: z.optional(row),
    title: z.string(),
    /** When it began, in milliseconds since 1970; nothing for what did not begin. */
    at: z.optional(moment),
    place,
    tags: z.optional(z.array(z.string())),
    request: z.optional(z.string()),
    status: z.optional(z.int()),
    outcome: z.enum(outcomes),
    /** In milliseconds, from the first step to the last. */
    time: duration,
    /** What kept a step from being carried out. */
    problem: z.optional(
      z.strictObject({
        message: z.string(),
        place,
        /** The line of the page, where the place in it is worth to be marked. */
        line: z.optional(z.string()),
      }),
    ),
    /** The statement that ended it as skipped. */
    because: z.optional(z.string()),
    /** For a blocked case: the name that did not come about (nothing where the settings need the case), the case that
     * should have made it, and the first cause. */
    blocked: z.optional(z.strictObject({ name: z.optional(z.string()), by: z.string(), cause: z.string() })),
    /** What it kept, computed and used; a secret is masked, a long value cut. */
    values: z.optional(
      z.array(
        z.strictObject({
          name: z.string(),
          how: z.enum(['kept', 'computed', 'used']),
          value: z.string(),
          origin: z.string(),
        }),
      ),
    ),
    /** What the page says around it, as Markdown: told with the first time that it fails or is in error. */
    prose: z.optional(z.string()),
  }),
  figures,
  z.strictObject({
    type: z.literal('end'),
    at: instant,
    time: duration,
    /** With several users: within so many milliseconds the program got to what had come, 99 of 100 times. */
    lag: z.optional(duration),
    /** What ended it before everything had run. */
    stopped: z.optional(z.enum(stops)),
    /** Of a condition that ended it: what it was, and what was found. */
    because: z.optional(z.string()),
    /** What of it is missing, since a thread or a machine that was to carry it out was lost; as sentences. */
    missing: z.optional(z.array(z.string())),
    /** What was begun by a machine that was lost, and run again by another; as sentences. */
    leftBehind: z.optional(z.array(z.string())),
    /** The figures of the whole run, so that they can be told without reading all of it. */
    totals: z.strictObject({
      cases: z.record(z.enum(outcomes), z.int()),
      checks: z.int(),
      held: z.int(),
      requests: z.int(),
      /** Of them, those that were sent once more, over a fresh connection. */
      reconnects: z.optional(z.int()),
      /** Operations that are no requests: queries, commands, scripts. */
      steps: z.optional(z.int()),
      /** Bytes. */
      received: z.int(),
      /** The times within which half of the responses were there, and 95 of 100, in milliseconds. */
      p50: z.optional(duration),
      p95: z.optional(duration),
      /** How many of the cases that did not pass blocked others; nothing where cases run more than once. */
      causes: z.optional(z.int()),
      /** How many exchanges were held to each definition of an API, and how many could not be, with the first reasons. */
      definitions: z.optional(z.array(heldTotals)),
      /** How many examples of pages responses were not like, and the first of them as FILE:LINE. */
      outdated: z.optional(z.strictObject({ count: z.int(), places: z.array(z.string()) })),
      load: z.optional(endedLoad),
    }),
    /** What became of the bounds that apply. */
    bounds: z.optional(
      z.array(
        z.strictObject({
          text: z.string(),
          place,
          holds: z.enum(['yes', 'no', 'unknown']),
          found: z.string(),
        }),
      ),
    ),
  }),
]);

/** The schema and the types of the model say the same: where they do not, one of these two does not compile. */
type Told = z.infer<typeof eventSchema>;
const _schemaSaysTheTypes: (event: Told) => RunEvent = event => event;
const _typesSayTheSchema: (event: RunEvent) => Told = event => event;
void [_schemaSaysTheTypes, _typesSayTheSchema];
