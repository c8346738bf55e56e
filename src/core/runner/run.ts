import type { Plan } from '../analysis/plan.ts';
import type { RunEvent } from '../model/events.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { recordVersion } from '../model/outcomes.ts';
import { RunTotals } from '../record/totals.ts';
import { Masker } from '../secrecy/masker.ts';
import { passwordsIn } from '../secrecy/passwords.ts';
import { toMicrosecond } from '../text/to-microsecond.ts';
import { textOf } from '../values/text.ts';
import { DeferredEvents } from './deferred-events.ts';
import { type EventOutput, Iteration } from './iteration.ts';
import { Lag } from './lag.ts';
import type { Ports } from './ports.ts';
import { ResponseQueue } from './response-queue.ts';
import { brokenOff, type TakenRow, takeRows } from './rows.ts';
import { RunControl } from './run-control.ts';

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
  /** In milliseconds, between one case and the next. */
  readonly pause?: number;
  /** Whether the first case that does not pass ends the run. */
  readonly failFast?: boolean;
  /** In milliseconds: how long the run may take. */
  readonly timeout?: number;
  /** For the record: what chance begins with, what was asked for. */
  readonly runDetails?: Pick<Extract<RunEvent, { type: 'run' }>, 'seed' | 'selected'>;
  /** Whether exchanges carry their bodies: needed where a record is written. */
  readonly bodies: boolean;
  /** The record: hears of everything as it happens, also of pages that are told later. */
  readonly record?: (event: RunEvent) => void;
  /** Whether bodies are told too, so that they are kept where events have to wait for their turn. */
  readonly keepsBodies?: boolean;
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

/**
 * Carries out a plan. Everything that happens comes out as events, in order, with the secrets masked; those of several
 * users come as they happen. What goes wrong in a case is an event too; only our own errors are thrown.
 */
export async function run(
  plan: Plan,
  ports: Ports,
  options: RunOptions,
  hear: (event: RunEvent) => void,
): Promise<void> {
  const { masker = new Masker(), totals = new RunTotals() } = options;
  const control = new RunControl(options.signal);
  const tell = (event: RunEvent) => {
    totals.add(event);
    hear(event);
  };
  const record = options.record ?? (() => undefined);
  const deliver = (one: RunEvent | OfLane | Due) => {
    if (one instanceof OfLane) record(withLane(one.event, one.lane));
    else if (one instanceof Due) tell(one.event);
    else {
      record(one);
      tell(one);
    }
  };
  const deferred = options.deferred
    ? new DeferredEvents(deliver, () => control.stop('interrupt'))
    : undefined;
  const add = deferred ? (one: RunEvent | OfLane | Due) => deferred.add(one) : deliver;
  const output = {
    emit: add,
    record: (event: RunEvent, lane: number) => add(new OfLane(event, lane)),
    onEvent: (event: RunEvent) => add(new Due(event)),
  };
  const { emit } = output;
  const begin = ports.elapsed();
  addKnownSecrets(plan, masker, ports.external);
  const { tool, rounds, jobs = 1, users = 1, lasting, timeout, runDetails } = options;
  const first: RunEvent = {
    type: 'run',
    version: recordVersion,
    tool,
    at: isoTime(ports.now()),
    title: plan.title,
    ...(plan.environment !== undefined && { environment: plan.environment }),
    rounds: rounds ?? (lasting === undefined ? 1 : 0),
    ...(users > 1 && { users }),
    ...(lasting !== undefined && { lasting }),
    ...(plan.rows && { rows: plan.rows.name }),
    ...(plan.shard && { shard: plan.shard }),
    ...runDetails,
    ...(plan.brought.length > 0 && { brought: [...plan.brought] }),
    cases: casesIn(plan),
    ...(plan.bounds.length > 0 && { bounds: plan.bounds.map(({ text, place }) => ({ text, place })) }),
    ...(plan.apdex !== undefined && { apdex: plan.apdex }),
  };
  const begun = masker.deep(first) as Extract<RunEvent, { type: 'run' }>;
  record(jobs > 1 ? { ...begun, jobs } : begun);
  tell(begun);
  const explained = new Set<string>();
  const lanes = { next: 1 };
  const queue = new ResponseQueue(() => ports.elapsed());
  let time = 0;
  const lag = users > 1 ? new Lag(() => ports.elapsed()) : undefined;
  let late: number | undefined;
  const unlimit = timeout === undefined ? undefined : control.limit(timeout, ports);
  try {
    const all = Array.from({ length: users }, (_, index) =>
      runUser(plan, users > 1 ? index + 1 : undefined, begin, control, {
        ports,
        options,
        masker,
        output,
        explained,
        lanes,
        ...(users > 1 && { queue }),
      }),
    );
    // What goes wrong with one of them must not leave the others running.
    for (const each of all) each.catch(() => control.stop('interrupt'));
    for (const ended of await Promise.allSettled(all)) if (ended.status === 'rejected') throw ended.reason;
  } finally {
    late = lag?.end();
    unlimit?.();
    control.close();
    time = toMicrosecond(ports.elapsed() - begin);
    deferred?.finish();
  }
  const bounds = totals.boundsAfter(time);
  emit({
    type: 'end',
    at: isoTime(ports.now()),
    time,
    ...(late !== undefined && { lag: toMicrosecond(late) }),
    ...(control.stopped && { stopped: control.stopped }),
    totals: totals.recorded,
    ...(bounds.length > 0 && { bounds: [...bounds] }),
  });
  deferred?.finish();
}

interface Base {
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly output: Pick<EventOutput, 'emit' | 'record' | 'onEvent'>;
  readonly lanes: { next: number };
  readonly queue?: ResponseQueue;
  /** The addresses of cases whose prose has been told. */
  readonly explained: Set<string>;
}

/** The rounds of one user, each of them an iteration, or an iteration for each row. */
async function runUser(
  plan: Plan,
  user: number | undefined,
  begin: number,
  control: RunControl,
  { ports, options, masker, output, explained, lanes, queue }: Base,
): Promise<void> {
  const isLight = options.record !== undefined && !options.keepsBodies;
  const { lasting, rounds = lasting === undefined ? 1 : Number.POSITIVE_INFINITY } = options;
  const isOver = () => control.stopped !== undefined;
  const pace = { begun: false };
  // Connections that are all opened in one go would seem to take as long as that takes.
  await queue?.next();
  for (let round = 1; round <= rounds && !isOver(); round++) {
    if (lasting !== undefined && round > 1 && ports.elapsed() - begin >= lasting) return;
    const eventContext = user === undefined ? { round } : { round, user };
    const runIteration = async (row: TakenRow | undefined) => {
      const own = options.masker ?? masker.forIteration();
      const base = {
        ports,
        options,
        masker: own,
        eventContext,
        pace,
        explained,
        lanes,
        ...(queue && { queue }),
        ...output,
        mask: (event: RunEvent) => (own.isEmpty ? event : own.deep(event)),
        withoutBodies: (event: RunEvent) => (isLight ? withoutBodies(event) : event),
      };
      await new Iteration(plan, row, control, base).run();
      own.end();
    };
    if (!plan.rows) {
      await runIteration(undefined);
      continue;
    }
    try {
      for await (const row of takeRows(plan.rows, name => plan.secretNames.has(name))) {
        if (isOver()) return;
        await runIteration(row);
      }
    } catch (error) {
      for (const event of brokenOff(plan.pages[0]!, eventContext, plan.rows, error))
        output.emit(masker.deep(event));
      return;
    }
  }
}

/** What happened in one of several pages that run at once, for the record. */
class OfLane {
  constructor(
    readonly event: RunEvent,
    readonly lane: number,
  ) {}
}

/** The same once it is its turn to be told. */
class Due {
  constructor(readonly event: RunEvent) {}
}

/** Behind the type, so that a reader of lines finds it soon. */
function withLane(event: RunEvent, lane: number): RunEvent {
  const { type, ...rest } = event;
  return { type, lane, ...rest } as RunEvent;
}

/** What waits for its turn is only counted, and told in a line. */
function withoutBodies(event: RunEvent): RunEvent {
  if (event.type !== 'exchange') return event;
  const { request, response, interim: _interim, ...rest } = event;
  return {
    ...rest,
    request: { ...request, headers: [] },
    ...(response && { response: { ...response, headers: [], body: { size: response.body.size } } }),
  };
}

/** In one iteration, as far as it is known before: the rows of a table count one by one. */
function casesIn({ pages, rows }: Plan): number {
  const inPages = pages.reduce((sum, page) => {
    const own = page.cases.reduce((count, { each }) => count + (each?.kind === 'rows' ? each.count : 1), 0);
    return sum + own * (page.rows?.count ?? 1);
  }, 0);
  return inPages * (rows?.count ?? 1);
}

/** Secret variables are masked from the first line on, also where no request refers to them. */
export function addKnownSecrets(
  { pages, given, secretNames }: Plan,
  masker: Masker,
  external: ExternalSources,
): void {
  for (const [name, { value }] of given) {
    if (secretNames.has(name)) masker.addValue(value, 'lasting');
    for (const password of passwordsIn(textOf(value) ?? '')) masker.addValue(password, 'lasting');
  }
  // Most cases share what their levels give.
  const levels = new Set(pages.flatMap(page => page.cases.flatMap(({ near, outer }) => [near, outer])));
  for (const definition of new Set([...levels].flatMap(level => [...level.values()]))) {
    const { name, references, computed, literal } = definition;
    for (const password of passwordsIn(literal ?? '')) masker.addValue(password, 'lasting');
    if (!secretNames.has(name) || references.length > 0 || computed) continue;
    try {
      masker.addValue(definition.resolve({ lookup: () => undefined }, external).value, 'lasting');
    } catch {
      // Where its value is missing, the step that needs it says so.
    }
  }
}

function isoTime(milliseconds: number): string {
  return new Date(milliseconds).toISOString();
}
