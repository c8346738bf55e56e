import type { HeldTotals } from './held-totals.ts';
import type { EndedLoad, FiguresEvent, RecordedLoad } from './load-events.ts';
import type { Cause, Outcome, Stop } from './outcomes.ts';
import type { Place } from './place.ts';

// The record of a run: one JSON object a line, in the order in which things happened. What the runner emits is what is
// written; every report is made from it. The runner knows these types alone, so that a run does not load their schema.

export type { HeldTotals };

export type RunEvent =
  | RunBegin
  | PageEvent
  | ExchangeEvent
  | GenericOperationEvent
  | CheckEvent
  | CaseEvent
  | FiguresEvent
  | RunEnd;

export type EventOf<Type extends RunEvent['type']> = Extract<RunEvent, { type: Type }>;

/** What was done, and what statements look at: an exchange of HTTP, or an operation of another kind. */
export type OperationEvent = ExchangeEvent | GenericOperationEvent;

/** The first line. */
export interface RunBegin {
  type: 'run';
  /** Of the schema. */
  version: 3;
  /** Name and version of the program. */
  tool: string;
  /** As `2026-11-23T10:00:00.000Z`. */
  at: string;
  title: string;
  environment?: string | undefined;
  /** Of each user; 0 for as many as there is time for. */
  rounds: number;
  users?: number | undefined;
  /** How many machines shared it between them. */
  machines?: number | undefined;
  /** In milliseconds, where rounds begin until a time is over. */
  lasting?: number | undefined;
  seed?: string | undefined;
  /** How many pages run at once: their events then stand in the record as they happened. */
  jobs?: number | undefined;
  /** The table that the whole selection runs for each row of. */
  rows?: string | undefined;
  shard?: { index: number; of: number; share: string } | undefined;
  /** What was asked for, as on the command line; without it the whole collection. */
  selected?: string | undefined;
  /** What runs for others, though it was not asked for. */
  brought?: { case: string; for: string; because: string }[] | undefined;
  cases: number;
  /** The limits of the settings that the run is held to. */
  bounds?: { text: string; place: Mutable<Place> }[] | undefined;
  /** In milliseconds: the time within which an answer satisfies, for Apdex. */
  apdex?: number | undefined;
  /** Where it is one with load: figures then take the place of most lines. */
  load?: RecordedLoad | undefined;
}

/** A page begins. */
export interface PageEvent {
  type: 'page';
  lane?: number | undefined;
  round: number;
  user?: number | undefined;
  file: string;
  title: string;
  /** The rows that it runs for this time: of the whole selection, then of the page. */
  rows?: Row[] | undefined;
  /** Where it is the turn of its cases that clean up, at the end of an iteration. */
  cleanup?: true | undefined;
}

/** One of the rows that something runs for: which one, of how many, and what it gives. */
export interface Row {
  number: number;
  total: number;
  values: string;
}

/** What everything that happens in a case says. */
interface InCase {
  /** Where several pages run at once: the one that it belongs to, numbered in the order in which they are told. */
  lane?: number | undefined;
  round: number;
  /** From 1, where several users run at the same time. */
  user?: number | undefined;
  case: string;
  /** For a case that runs for each row: which one, from 1. */
  row?: number | undefined;
}

/** What all operations say. */
interface Operation extends InCase {
  /** Milliseconds since 1970. */
  at: number;
  place: Mutable<Place>;
  /** Why it took place, where it is not that of the case for the first time. */
  cause?: Cause | undefined;
  fault?: { kind: string; message: string } | undefined;
  times: EventTimes;
  /** Set for what only led to the one that counts: a hop, a challenge, a token. */
  part?: true | undefined;
  /** In milliseconds, where such parts came before it: of all of them together. */
  whole?: number | undefined;
  /** Bytes as they came over the connection, the head of a response included. */
  received: number;
}

/** In milliseconds, to the microsecond (`toMicrosecond`). Phases that did not take place (a connection that was still open) are left out. */
export interface EventTimes {
  lookup?: number | undefined;
  connect?: number | undefined;
  tls?: number | undefined;
  wait?: number | undefined;
  download?: number | undefined;
  total: number;
}

export type Fields = [name: string, value: string][];

/** A body: its true length in bytes, and what the record keeps of it. */
export interface Payload {
  size: number;
  /** As text, if it is valid UTF-8, else as base64. */
  text?: string | undefined;
  base64?: string | undefined;
  /** Set where less is kept than there was. */
  cut?: true | undefined;
  sha256?: string | undefined;
  /** The files that it was made of, which are not kept. */
  files?: string[] | undefined;
}

/** A request, and the response or the fault that came of it. */
export interface ExchangeEvent extends Operation {
  type: 'exchange';
  request: { method: string; url: string; headers: Fields; body?: Payload | undefined };
  response?:
    | {
        status: number;
        reason: string;
        headers: Fields;
        body: Payload;
        /** Bytes of the body as it came, where it was compressed. */
        encoded?: number | undefined;
        trailers?: Fields | undefined;
      }
    | undefined;
  /** Set where it was sent once more over a fresh connection: its own had been closed. */
  fresh?: true | undefined;
  /** With load, in milliseconds: how late its round began, where it is the first request of one that was due. */
  late?: number | undefined;
  /** With load, in milliseconds: how late Mervok itself was to begin and to read the answer, as far as that can be told. */
  lag?: number | undefined;
  connection?:
    | {
        protocol: string;
        remote?: string | undefined;
        certificate?: { subject: string; until: string } | undefined;
      }
    | undefined;
  /** Responses before the final one, such as 103. */
  interim?: { status: number; headers: Fields }[] | undefined;
  /** Where it falls under the definition of an API: what that is, and what of it was exercised. */
  definition?: DescribedExchange | undefined;
  /** Where it is not as the examples of its status: the nearest of them, and what differs. */
  example?: OutdatedExample | undefined;
}

/** An example of a page that a response is not like. */
export interface OutdatedExample {
  /** Of its first line. */
  place: Mutable<Place>;
  differences: { at: string; expected: string; found: string }[];
}

/** An exchange beside the definition of an API; names alone. */
export interface DescribedExchange {
  /** As the settings name it. */
  file: string;
  /** SHA-256 of the definition, as hexadecimal digits. */
  hash: string;
  /** `GET /berths/{berth}` */
  operation?: string | undefined;
  /** As it is described: `200`, `4XX`, `default`. */
  status?: string | undefined;
  /** Those that were sent: `query state`. */
  parameters?: string[] | undefined;
  /** Members of the body that was sent: `captain.name`. */
  sent?: string[] | undefined;
  /** Members of the response that a check or a keep looked at, as paths: `$.berths[*].code`. */
  looked?: string[] | undefined;
  /** Why it could not be held to the definition. */
  notHeld?: string | undefined;
  /** What is not described, and no defect. */
  notes?: string[] | undefined;
  /** Set where it only led to the exchange that counts (a hop, a challenge, an earlier try), and was held to nothing. */
  led?: true | undefined;
}

/** An operation that is no exchange of HTTP, in a form that holds for every kind. */
export interface GenericOperationEvent extends Operation {
  type: 'operation';
  /** Of step. */
  kind: string;
  /** Set where what came of the operation above it stays in sight: a script has no answer of its own. */
  beside?: true | undefined;
  /** In milliseconds: how long it waited for a connection that others had. It is not in its times. */
  queued?: number | undefined;
  /** What was asked of what, as the method and the address of a request. */
  asked: { verb: string; target: string; fields: Fields; body?: Payload | undefined };
  /** What came: in a word, with more words behind it, as the status of a response. */
  answer?:
    | {
        code: string;
        words: string;
        /** Whether it is one of those that say that something went wrong. */
        bad?: true | undefined;
        fields: Fields;
        body: Payload;
      }
    | undefined;
  /** What else came, by its name, also where there is a fault: what a command wrote to its standard error. */
  texts?: NamedText[] | undefined;
}

export interface NamedText {
  name: string;
  body: Payload;
}

export type Holds = 'yes' | 'no' | 'unknown';

/** What became of a check. */
export interface CheckEvent extends InCase {
  type: 'check';
  place: Mutable<Place>;
  /** As written. */
  text: string;
  label?: string | undefined;
  /** The settings that the check stands in, where it is not the case's own. */
  level?: string | undefined;
  holds: Holds;
  expected?: string | undefined;
  found?: string | undefined;
  /** Where in the document. */
  at?: string | undefined;
  origins?: { name: string; value: string; origin: string }[] | undefined;
  /** What of a larger value is not as it should be. */
  differences?: { at: string; expected: string; found: string }[] | undefined;
  /** The part of the response around what was found; `nearestOf` says of what it is one, where that is no response. */
  nearest?: string | undefined;
  nearestOf?: string | undefined;
}

/** A value that a case kept or computed, or that it used: of a variable, the command line, a row, another case. */
export interface CaseValue {
  name: string;
  how: 'kept' | 'computed' | 'used';
  /** As a message shows it, and no longer. */
  value: string;
  /** In words: `from environment local`. */
  origin: string;
}

/** A case ends. */
export interface CaseEvent {
  type: 'case';
  lane?: number | undefined;
  round: number;
  user?: number | undefined;
  /** With load: the phase that its round belongs to, by its number. */
  phase?: number | undefined;
  case: string;
  /** For a case that runs for each row of a table or item of a list: which one, of how many, and what it gives. */
  row?: Row | undefined;
  title: string;
  /** When it began, in milliseconds since 1970; nothing for what did not begin. */
  at?: number | undefined;
  place: Mutable<Place>;
  tags?: string[] | undefined;
  /** Its first operation as written: `GET /berths`. */
  request?: string | undefined;
  status?: number | undefined;
  outcome: Outcome;
  /** In milliseconds, from the first step to the last. */
  time: number;
  /** What kept a step from being carried out. */
  problem?: Problem | undefined;
  /** The statement that ended it as skipped. */
  because?: string | undefined;
  /**
   * For a blocked case: the name that did not come about (nothing where the settings need the case), the case that
   * should have made it, and the first cause.
   */
  blocked?: { name?: string | undefined; by: string; cause: string } | undefined;
  /** What it kept, computed and used. */
  values?: CaseValue[] | undefined;
  /** What the page says around it, as Markdown: told with the first time that it fails or is in error. */
  prose?: string | undefined;
}

export interface Problem {
  message: string;
  place: Mutable<Place>;
  /** The line of the page, where the place in it is worth to be marked. */
  line?: string | undefined;
}

/** The figures of a whole run, so that they can be told without reading all of it. */
export interface EndTotals {
  cases: { [outcome in Outcome]: number };
  checks: number;
  held: number;
  requests: number;
  /** Of them, those that were sent once more, over a fresh connection. */
  reconnects?: number | undefined;
  /** Operations that are no requests: queries, commands, scripts. */
  steps?: number | undefined;
  /** Bytes. */
  received: number;
  /** The times within which half of the responses were there, and 95 of 100, in milliseconds. */
  p50?: number | undefined;
  p95?: number | undefined;
  /** How many of the cases that did not pass blocked others; nothing where cases run more than once. */
  causes?: number | undefined;
  /** How many exchanges were held to each definition of an API, and how many could not be, with the first reasons. */
  definitions?: HeldTotals[] | undefined;
  /** How many examples of pages responses were not like, and the first of them as FILE:LINE. */
  outdated?: { count: number; places: string[] } | undefined;
  load?: EndedLoad | undefined;
}

/** The last line. */
export interface RunEnd {
  type: 'end';
  at: string;
  /** In milliseconds. */
  time: number;
  /** With several users: within so many milliseconds the program got to what had come, 99 of 100 times. */
  lag?: number | undefined;
  /** What ended it before everything had run. */
  stopped?: Stop | undefined;
  /** Of a condition that ended it: what it was, and what was found. */
  because?: string | undefined;
  /** What of it is missing, since a thread or a machine that was to carry it out was lost; as sentences. */
  missing?: string[] | undefined;
  /** What was begun by a machine that was lost, and run again by another; as sentences. */
  leftBehind?: string[] | undefined;
  totals: EndTotals;
  /** What became of the bounds that apply. */
  bounds?: { text: string; place: Mutable<Place>; holds: Holds; found: string }[] | undefined;
}

type Mutable<Type> = { -readonly [Key in keyof Type]: Type[Key] };
