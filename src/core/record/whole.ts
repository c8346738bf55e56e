import type { CaseEvent, CheckEvent, EventOf, ExchangeEvent, RunEvent } from '../model/events.ts';
import type { Stop } from '../model/outcomes.ts';
import { grouped } from '../text/words.ts';
import { RunTotals } from './totals.ts';

type Totals = EventOf<'end'>['totals'];

/** Makes of what is wrong with a record (`is damaged: …`) what is thrown. */
export type Refuse = (why: string) => Error;

/**
 * A record from its beginning to its end. Lines that are gone from it are found out by what its end counts. Where the
 * record of a run that was killed breaks off, it gets the end that can be told: the cases that had begun did not end, and
 * it was over when something last happened.
 */
export async function* withEnd(events: AsyncIterable<RunEvent>, refuse: Refuse): AsyncGenerator<RunEvent> {
  const totals = new RunTotals();
  const pages = new Set<number>();
  const open = new Map<number, ExchangeEvent | CheckEvent>();
  const lost: (ExchangeEvent | CheckEvent)[] = [];
  let start = 0;
  let last = 0;
  for await (const event of events) {
    if (event.type === 'end') {
      const why = missingIn(totals.recorded, event.totals);
      if (why !== undefined) throw refuse(why);
      yield event;
      return;
    }
    totals.add(event);
    if (event.type === 'run') start = last = Date.parse(event.at);
    else {
      const { user = 0 } = event;
      last = Math.max(last, endOfEvent(event));
      // Of pages that ran at once, each may break off in a case of its own.
      const before = open.get(user);
      if (before && (event.type === 'page' || before.case !== event.case)) {
        open.delete(user);
        lost.push(before);
      }
      if (event.type === 'page') pages.add(user);
      else if (!pages.has(user)) throw refuse('is damaged: a page is missing');
      else if (event.type === 'case') open.delete(user);
      else open.set(user, event);
    }
    yield event;
  }
  for (const event of [...lost, ...open.values()]) {
    const broken = brokenOff(event);
    totals.add(broken);
    yield broken;
  }
  yield endOf(totals, start, last, 'killed');
}

function missingIn(held: Totals, counted: Totals): string | undefined {
  const cases = ({ cases }: Totals) => Object.values(cases).reduce((sum, count) => sum + count, 0);
  const counts: [what: string, held: number, counted: number][] = [
    ['cases', cases(held), cases(counted)],
    ['checks', held.checks, counted.checks],
    ['requests', held.requests, counted.requests],
  ];
  const wrong = counts.find(([, one, other]) => one !== other);
  return (
    wrong && `is damaged: it holds ${grouped(wrong[1])} ${wrong[0]}, and its end counts ${grouped(wrong[2])}`
  );
}

/** When something was over, in milliseconds since 1970; nothing is known of checks and pages. */
function endOfEvent(event: RunEvent): number {
  if (event.type === 'exchange') return event.at + event.times.total;
  return event.type === 'case' && event.at !== undefined ? event.at + event.time : 0;
}

function brokenOff({ round, user, case: address, place }: ExchangeEvent | CheckEvent): CaseEvent {
  const title = address.slice(address.indexOf('#') + 1);
  const problem = { message: 'The record breaks off before this case has ended.', place };
  const eventContext = user === undefined ? { round } : { round, user };
  return { type: 'case', ...eventContext, case: address, title, place, outcome: 'error', time: 0, problem };
}

function endOf(totals: RunTotals, start: number, last: number, stopped: Stop | undefined): EventOf<'end'> {
  const time = last - start;
  const bounds = totals.boundsAfter(time);
  return {
    type: 'end',
    at: new Date(last).toISOString(),
    time,
    ...(stopped !== undefined && { stopped }),
    totals: totals.recorded,
    ...(bounds.length > 0 && { bounds: [...bounds] }),
  };
}

export interface MergedRecord {
  readonly run: EventOf<'run'>;
  /** With its end. */
  readonly events: AsyncIterable<RunEvent>;
}

/**
 * Several records as one: what happened on several machines, each with users of its own. The events of one come behind
 * those of the other; times, and with them percentiles, are those of all of them.
 */
export async function* mergeRecords(records: readonly MergedRecord[]): AsyncGenerator<RunEvent> {
  const runs = records.map(({ run }) => run);
  const totals = new RunTotals();
  const told = (event: RunEvent) => {
    totals.add(event);
    return event;
  };
  yield told(mergedRun(runs));
  const several = runs.some(run => run.users !== undefined);
  let users = 0;
  let last = 0;
  let stopped: Stop | undefined;
  // What several shares of one selection needed is one case of it.
  const once =
    new Set(runs.map(({ shard }) => shard?.share)).size === 1 && runs[0]!.shard ? new Once() : undefined;
  for (const { run, events } of records) {
    for await (const event of once ? once.of(events) : events) {
      if (event.type === 'end') {
        stopped ??= event.stopped;
        last = Math.max(last, Date.parse(run.at) + event.time);
      } else if (event.type !== 'run')
        yield told(several ? { ...event, user: users + (event.user ?? 1) } : event);
    }
    users += run.users ?? 1;
  }
  yield endOf(totals, Math.min(...runs.map(({ at }) => Date.parse(at))), last, stopped);
}

/** Leaves out cases that another record has told already, unless they came to something worse here. */
class Once {
  readonly #told = new Map<string, CaseEvent['outcome']>();

  async *of(events: AsyncIterable<RunEvent>): AsyncGenerator<RunEvent> {
    const lanes = new Map<number, { page?: EventOf<'page'>; waiting: RunEvent[] }>();
    const before = new Map(this.#told);
    for await (const event of events) {
      if (event.type === 'run' || event.type === 'end') {
        yield event;
        continue;
      }
      const { user = 0 } = event;
      if (event.type === 'page') {
        lanes.set(user, { page: event, waiting: [] });
        continue;
      }
      const lane = lanes.get(user)!;
      lane.waiting.push(event);
      if (event.type !== 'case') continue;
      const key = [event.round, user, event.row?.number ?? 0, event.case].join(' ');
      const waiting = lane.waiting;
      lane.waiting = [];
      const known = before.get(key);
      if (known !== undefined && (known === event.outcome || isFine(event.outcome))) continue;
      this.#told.set(key, event.outcome);
      if (lane.page) yield lane.page;
      delete lane.page;
      yield* waiting;
    }
  }
}

function isFine(outcome: CaseEvent['outcome']): boolean {
  return outcome === 'passed' || outcome === 'skipped';
}

function mergedRun(runs: readonly EventOf<'run'>[]): EventOf<'run'> {
  const [first] = runs as [EventOf<'run'>];
  const shared = <Key extends keyof EventOf<'run'>>(key: Key) => {
    const same = first[key] !== undefined && runs.every(run => run[key] === first[key]);
    return same ? { [key]: first[key] } : {};
  };
  const users = runs.some(run => run.users !== undefined);
  const bounds = new Map(runs.flatMap(run => run.bounds ?? []).map(bound => [bound.text, bound]));
  const missing = missingShards(runs);
  return {
    type: 'run',
    version: first.version,
    tool: first.tool,
    at: runs.map(({ at }) => at).sort()[0]!,
    title: [...new Set(runs.map(({ title }) => title))].join(', '),
    ...shared('environment'),
    rounds: runs.some(({ rounds }) => rounds === 0) ? 0 : Math.max(...runs.map(({ rounds }) => rounds)),
    ...(users && { users: runs.reduce((sum, run) => sum + (run.users ?? 1), 0) }),
    ...shared('lasting'),
    ...shared('seed'),
    ...shared('rows'),
    ...(missing.length > 0 && { selected: `all but ${missing.join(', ')}` }),
    ...(runs.every(run => run.shard === undefined) && shared('selected')),
    cases: runs.reduce((sum, run) => sum + run.cases - (run.shard ? (run.brought?.length ?? 0) : 0), 0),
    ...(bounds.size > 0 && { bounds: [...bounds.values()] }),
    ...shared('apdex'),
  };
}

/** `shard 2 of 3`: what machines that shared a selection between them have not handed in. */
export function missingShards(runs: readonly EventOf<'run'>[]): string[] {
  const shards = runs.flatMap(run => run.shard ?? []);
  const of = shards[0]?.of ?? 0;
  return Array.from({ length: of }, (_, index) => index + 1)
    .filter(index => !shards.some(shard => shard.index === index))
    .map(index => `shard ${index} of ${of}`);
}
