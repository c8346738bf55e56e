import type { Plan } from '../analysis/plan.ts';
import type { NamedTable } from '../analysis/tables.ts';
import type { EventOf, RunEvent } from '../model/events.ts';
import { recordVersion } from '../model/outcomes.ts';
import { RunTotals } from '../record/totals.ts';
import { Masker } from '../secrecy/masker.ts';
import { NamedValues } from '../secrecy/named-values.ts';
import { toMicrosecond } from '../text/to-microsecond.ts';
import { addKnownSecrets } from './known-secrets.ts';
import { Lag } from './lag.ts';
import { LoadOutput } from './load/load-output.ts';
import { recordedLoad, runLoad } from './load/run-load.ts';
import { PageLock } from './page-lock.ts';
import type { Ports } from './ports.ts';
import { ResponseQueue } from './response-queue.ts';
import { RunControl } from './run-control.ts';
import type { RunOptions } from './run-options.ts';
import { RunOutput } from './run-output.ts';
import { runUser, type SharedByUsers } from './run-user.ts';

/**
 * Carries out a plan. Everything that happens comes out as events, in order, with the secrets masked; those of several
 * users come as they happen. What goes wrong in a case is an event too; only our own errors are thrown.
 */
export async function run(
  plan: Plan,
  ports: Ports,
  options: RunOptions,
  onEvent: (event: RunEvent) => void,
): Promise<void> {
  const { masker = new Masker(), totals = new RunTotals(), users = 1, jobs = 1, timeout } = options;
  const control = new RunControl(options.signal);
  const tell = (event: RunEvent) => {
    totals.add(event);
    onEvent(event);
  };
  const record = options.record ?? (() => undefined);
  const { load } = options;
  const listeners = {
    record,
    onEvent: tell,
    deferred: options.deferred === true,
    keepsBodies: options.record === undefined || options.keepsBodies === true,
    onFailure: () => control.stop('interrupt'),
  };
  const counted = load && new LoadOutput(listeners);
  const output = counted ?? new RunOutput(listeners);
  const begin = ports.elapsed();
  addKnownSecrets(plan, new NamedValues(plan.secretNames, masker, 'lasting'), ports.external);
  const first = masker.deep(runEvent(plan, ports, options));
  record(jobs > 1 ? { ...first, jobs } : first);
  tell(first);
  const several = users > 1 || load !== undefined;
  const shared = {
    ...{ plan, ports, options, masker, output, control, begin },
    explained: new Set<string>(),
    lanes: { next: 1 },
    queue: several ? new ResponseQueue(() => ports.elapsed()) : undefined,
    lock: (several || jobs > 1) && plan.pages.some(({ alone }) => alone) ? new PageLock() : undefined,
  };
  const lag = several ? new Lag(ports, load && closeLook) : undefined;
  const unlimit = timeout === undefined ? undefined : control.limit(timeout, ports);
  let late: number | undefined;
  let because: string | undefined;
  let time = 0;
  try {
    if (counted)
      because = await runLoad(load, { ...shared, output: counted, recorded: first.load!, lag: lag! });
    else await runUsers(users, shared);
  } finally {
    late = lag?.end();
    unlimit?.();
    control.close();
    time = toMicrosecond(ports.elapsed() - begin);
    output.finish();
  }
  const bounds = totals.boundsAfter(time);
  output.emit({
    type: 'end',
    at: isoTime(ports.now()),
    time,
    ...(late !== undefined && { lag: toMicrosecond(late) }),
    ...(control.stopped && { stopped: control.stopped }),
    ...(because !== undefined && { because }),
    totals: totals.recorded,
    ...(bounds.length > 0 && { bounds: [...bounds] }),
  });
  output.finish();
}

async function runUsers(users: number, shared: SharedByUsers): Promise<void> {
  const all = Array.from({ length: users }, (_, index) => runUser(users > 1 ? index + 1 : undefined, shared));
  // What goes wrong with one of them must not leave the others running.
  for (const each of all) each.catch(() => shared.control.stop('interrupt'));
  for (const ended of await Promise.allSettled(all)) if (ended.status === 'rejected') throw ended.reason;
}

/** In milliseconds, between two looks at how late the program is where times have to be true under load. */
const closeLook = 5;

function runEvent(plan: Plan, ports: Ports, options: RunOptions): EventOf<'run'> {
  const { tool, rounds, users = 1, lasting, load, runDetails } = options;
  return {
    type: 'run',
    version: recordVersion,
    tool,
    at: isoTime(ports.now()),
    title: plan.title,
    ...(plan.environment !== undefined && { environment: plan.environment }),
    rounds: rounds ?? (lasting === undefined ? 1 : 0),
    ...(users > 1 && { users }),
    ...(load && { load: recordedLoad(plan, load) }),
    ...(lasting !== undefined && { lasting }),
    ...(plan.rows && { rows: plan.rows.name }),
    ...(plan.shard && { shard: plan.shard }),
    ...runDetails,
    ...(plan.brought.length > 0 && { brought: [...plan.brought] }),
    cases: casesIn(plan),
    ...(plan.bounds.length > 0 && { bounds: plan.bounds.map(({ text, place }) => ({ text, place })) }),
    ...(plan.apdex !== undefined && { apdex: plan.apdex }),
  };
}

/** In one iteration, as far as it is known before: the rows of a table count one by one. */
function casesIn({ pages, rows }: Plan): number {
  const inPages = pages.reduce((sum, page) => {
    const own = page.cases.reduce(
      (count, { each }) => count + (each?.kind === 'rows' ? rowsKnownOf(each.table) : 1),
      0,
    );
    return sum + own * (page.rows ? rowsKnownOf(page.rows) : 1);
  }, 0);
  return inPages * (rows?.count ?? 1);
}

/** One, where only asking tells. */
function rowsKnownOf(table: NamedTable): number {
  return 'ask' in table ? 1 : table.count;
}

function isoTime(milliseconds: number): string {
  return new Date(milliseconds).toISOString();
}
