import type { CaseEvent, EventOf, RunEvent } from '../model/events.ts';
import { ByUser } from './by-user.ts';
import { endOf, type HowItEnded } from './end-event.ts';
import { RunTotals } from './totals.ts';

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
  const begin = Math.min(...runs.map(({ at }) => Date.parse(at)));
  let users = 0;
  let last = 0;
  const ends: EventOf<'end'>[] = [];
  // What several shares of one selection needed is one case of it.
  const once =
    new Set(runs.map(({ shard }) => shard?.share)).size === 1 && runs[0]!.shard ? new Once() : undefined;
  for (const { run, events } of records) {
    for await (const event of once ? once.of(events) : events) {
      if (event.type === 'end') {
        ends.push(event);
        last = Math.max(last, Date.parse(run.at) + event.time);
      } else if (event.type === 'figures')
        yield told({ ...event, from: event.from + Date.parse(run.at) - begin });
      else if (event.type !== 'run')
        yield told(several ? { ...event, user: users + (event.user ?? 1) } : event);
    }
    users += run.users ?? 1;
  }
  yield endOf(totals, begin, last, howAllEnded(ends));
}

/** The first reason counts; what is missing of one is missing of all. */
function howAllEnded(ends: readonly EventOf<'end'>[]): HowItEnded {
  const { stopped, because } = ends.find(end => end.stopped !== undefined) ?? {};
  const missing = ends.flatMap(end => end.missing ?? []);
  const leftBehind = ends.flatMap(end => end.leftBehind ?? []);
  return {
    ...(stopped !== undefined && { stopped }),
    ...(because !== undefined && { because }),
    ...(missing.length > 0 && { missing }),
    ...(leftBehind.length > 0 && { leftBehind }),
  };
}

/** Leaves out cases that another record has told already, unless they came to something worse here. */
class Once {
  readonly #told = new Map<string, CaseEvent['outcome']>();

  async *of(events: AsyncIterable<RunEvent>): AsyncGenerator<RunEvent> {
    const lanes = new ByUser<{ page?: EventOf<'page'>; waiting: RunEvent[] }>(() => ({ waiting: [] }));
    const before = new Map(this.#told);
    for await (const event of events) {
      if (event.type === 'run' || event.type === 'figures' || event.type === 'end') {
        yield event;
        continue;
      }
      const lane = lanes.of(event);
      if (event.type === 'page') {
        lane.page = event;
        lane.waiting = [];
        continue;
      }
      lane.waiting.push(event);
      if (event.type !== 'case') continue;
      const key = [event.round, event.user ?? 0, event.row?.number ?? 0, event.case].join(' ');
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
    ...(first.load && { load: first.load }),
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
