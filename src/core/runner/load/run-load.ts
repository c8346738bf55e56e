import { FiguredIndex } from '../../record/load/figured-parts.ts';
import { FigureGathering } from '../../record/load/gather-figures.ts';
import { StopWatch } from '../../record/load/stop-watch.ts';
import { defaultApdex } from '../../record/request-statistics.ts';
import type { Lag } from '../lag.ts';
import type { LoadOptions } from '../run-options.ts';
import type { SharedByUsers } from '../run-user.ts';
import { type LoadShare, stretchesOf } from './arrivals.ts';
import { ClosedUsers } from './closed-users.ts';
import { DueRounds } from './due-rounds.ts';
import type { LoadOutput } from './load-output.ts';
import { LoadRun } from './load-run.ts';
import { LoadUsers } from './load-users.ts';
import { figuredParts } from './recorded-load.ts';
import { takeUserRows } from './user-rows.ts';
import { warmUpOf, watchStops } from './watch-stops.ts';

interface SharedByLoad extends SharedByUsers {
  readonly output: LoadOutput;
  readonly lag: Pick<Lag, 'now'>;
  /** Which part of the load is carried out here. */
  readonly share: LoadShare;
}

/**
 * Carries out the phases of a load, one after the other; at the end every round that has begun ends. Gives the condition
 * that ended it before its time, and what was found, if one did.
 */
export async function runLoad(load: LoadOptions, shared: SharedByLoad): Promise<string | undefined> {
  const { plan, ports, output, options, begin, lag, share } = shared;
  const threshold = plan.apdex ?? defaultApdex;
  const now = () => ports.elapsed() - begin;
  const stops = new StopWatch(load.stops, threshold, warmUpOf(load));
  const figures = new FigureGathering({
    ...{ index: new FiguredIndex(figuredParts(plan)), threshold, now },
    phasesAtWork: () => run.phasesAtWork(),
    users: phase => ({ users: run.usersIn(phase), mostUsers: run.takeMostUsers(phase) }),
    tell: told => {
      output.emit(told);
      stops.add(told);
    },
  });
  output.figures = figures;
  const rows = load.rows && (await takeUserRows(load.rows));
  const run = new LoadRun({
    ...shared,
    options: { ...options, cleanUpSignal: cleanUpSignal(shared, load) },
    figures,
    mostUsers: Math.min(load.mostUsers, rows?.length ?? load.mostUsers),
    sample: load.sample,
    roundsOfEach: load.rounds ?? Number.POSITIVE_INFINITY,
    lagNow: () => Math.max(lag.now, shared.queue?.lag() ?? 0),
    users: new LoadUsers(share, rows),
  });
  const watching = watchStops(stops, shared, () => figures.tick());
  const all: { ended(): Promise<void> }[] = [];
  let unlimit: (() => void) | undefined;
  try {
    for (const phases of stretchesOf(load.phases)) {
      const stretch =
        phases[0]!.phase.unit === 'users' ? new ClosedUsers(phases, run) : new DueRounds(phases, run);
      all.push(stretch);
      await stretch.go();
    }
    unlimit = load.grace === undefined ? undefined : cutOffAfter(load.grace, shared);
    await Promise.all(all.map(each => each.ended()));
  } finally {
    unlimit?.();
    watching.end();
    figures.finish();
  }
  run.throwFailure();
  return watching.because;
}

/** What does not come to its end is ended after a time. */
function cutOffAfter(grace: number, { ports, control }: SharedByUsers): () => void {
  const over = new AbortController();
  void ports.sleep(grace, over.signal).then(() => {
    if (!over.signal.aborted) control.cutOff();
  });
  return () => over.abort();
}

/** Cleaning up behind rounds that were cut off has an end too. */
function cleanUpSignal({ ports, control, options }: SharedByUsers, { grace }: LoadOptions): AbortSignal {
  const outer = options.cleanUpSignal;
  if (grace === undefined) return outer ?? control.signal;
  const limit = new AbortController();
  process.getBuiltinModule('node:events').setMaxListeners(0, limit.signal);
  control.signal.addEventListener('abort', () => {
    if (control.stopped === undefined) void ports.sleep(grace, limit.signal).then(() => limit.abort());
  });
  return outer ? AbortSignal.any([outer, limit.signal]) : limit.signal;
}
