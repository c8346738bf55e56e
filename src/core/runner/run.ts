import type { Plan } from '../analysis/plan.ts';
import type { NamedTable } from '../analysis/tables.ts';
import type { EventOf, RunEvent } from '../model/events.ts';
import { recordVersion } from '../model/outcomes.ts';
import { RunTotals } from '../record/totals.ts';
import { Masker } from '../secrecy/masker.ts';
import { NamedValues } from '../secrecy/named-values.ts';
import { toMicrosecond } from '../text/to-microsecond.ts';
import type { CarriedOut } from './carried-out.ts';
import { carryOut } from './carry-out.ts';
import { addKnownSecrets } from './known-secrets.ts';
import { LoadOutput } from './load/load-output.ts';
import { plainLoad } from './load/plain-load.ts';
import { recordedLoad } from './load/recorded-load.ts';
import { carryOutOnWorkers } from './on-workers.ts';
import type { Ports } from './ports.ts';
import { RunControl } from './run-control.ts';
import type { RunOptions } from './run-options.ts';
import { RunOutput } from './run-output.ts';

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
  const {
    masker = new Masker(),
    totals = new RunTotals(),
    jobs = 1,
    timeout,
    workers,
    pageWorkers,
  } = options;
  const control = new RunControl(options.signal);
  const tell = (event: RunEvent) => {
    totals.add(event);
    onEvent(event);
  };
  const record = options.record ?? (() => undefined);
  const listeners = {
    record,
    onEvent: tell,
    deferred: options.deferred === true,
    keepsBodies: options.record === undefined || options.keepsBodies === true,
    onFailure: () => control.stop('interrupt'),
  };
  const output = options.load && !workers ? new LoadOutput(listeners) : new RunOutput(listeners);
  const begin = ports.elapsed() + (workers?.headStart ?? 0);
  addKnownSecrets(plan, new NamedValues(plan.secretNames, masker, 'lasting'), ports.external);
  const first = masker.deep(runEvent(plan, ports, options));
  record(jobs > 1 ? { ...first, jobs } : first);
  // What several threads or machines come to is told as figures, also where it is no load.
  const plain = workers !== undefined && options.load === undefined;
  tell(plain ? { ...first, load: recordedLoad(plan, plainLoad(options), workers.count) } : first);
  const unlimit = timeout === undefined ? undefined : control.limit(timeout, ports);
  let carried: CarriedOut = {};
  let time = 0;
  try {
    const surroundings = { control, output, masker, begin };
    if (workers) carried = await carryOutOnWorkers(plan, ports, options, { ...surroundings, workers });
    else if (pageWorkers) {
      const onEvent = (event: RunEvent) => output.emit(event, masker);
      carried = await pageWorkers.carryOut({ control, cleanUpSignal: options.cleanUpSignal, onEvent });
    } else carried = await carryOut(plan, ports, options, surroundings);
  } finally {
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
    ...(carried.lag !== undefined && { lag: toMicrosecond(carried.lag) }),
    ...(control.stopped && { stopped: control.stopped }),
    ...(carried.because !== undefined && { because: carried.because }),
    ...(carried.missing && carried.missing.length > 0 && { missing: [...carried.missing] }),
    ...(carried.leftBehind && carried.leftBehind.length > 0 && { leftBehind: [...carried.leftBehind] }),
    totals: plain ? withoutLoad(totals.recorded) : totals.recorded,
    ...(bounds.length > 0 && { bounds: [...bounds] }),
  });
  output.finish();
}

function withoutLoad({ load: _load, ...totals }: EventOf<'end'>['totals']): EventOf<'end'>['totals'] {
  return totals;
}

function runEvent(plan: Plan, ports: Ports, options: RunOptions): EventOf<'run'> {
  const { tool, rounds, users = 1, lasting, load, workers, pageWorkers, runDetails } = options;
  const machines = workers?.machines ?? pageWorkers?.machines;
  return {
    type: 'run',
    version: recordVersion,
    tool,
    at: isoTime(ports.now()),
    title: plan.title,
    ...(plan.environment !== undefined && { environment: plan.environment }),
    rounds: load ? 0 : (rounds ?? (lasting === undefined ? 1 : 0)),
    ...(users > 1 && { users }),
    ...(load && { load: recordedLoad(plan, load, workers?.count ?? 1) }),
    ...(machines !== undefined && { machines }),
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
