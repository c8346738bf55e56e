import type { Plan } from '../../analysis/plan.ts';
import { lengthOfLoad } from '../../language/load/load.ts';
import type { RecordedLoad } from '../../model/load-events.ts';
import { FiguredIndex } from '../../record/load/figured-parts.ts';
import { FigureGathering } from '../../record/load/gather-figures.ts';
import { StopWatch } from '../../record/load/stop-watch.ts';
import { defaultApdex } from '../../record/request-statistics.ts';
import type { Lag } from '../lag.ts';
import type { Ports } from '../ports.ts';
import type { LoadOptions } from '../run-options.ts';
import type { SharedByUsers } from '../run-user.ts';
import { stretchesOf } from './arrivals.ts';
import { ClosedUsers } from './closed-users.ts';
import { DueRounds } from './due-rounds.ts';
import type { LoadOutput } from './load-output.ts';
import { LoadRun } from './load-run.ts';
import { LoadUsers } from './load-users.ts';
import { mostUsersIn, takeUserRows } from './user-rows.ts';

/** In milliseconds: how often it is looked whether a second is over. */
const tick = 100;

interface SharedByLoad extends SharedByUsers {
  readonly output: LoadOutput;
  /** The load as the first line of the record has it. */
  readonly recorded: RecordedLoad;
  readonly lag: Pick<Lag, 'now'>;
}

/**
 * Carries out the phases of a load, one after the other; at the end every round that has begun ends. Gives the condition
 * that ended it before its time, and what was found, if one did.
 */
export async function runLoad(load: LoadOptions, shared: SharedByLoad): Promise<string | undefined> {
  const { plan, ports, control, output, options, begin, recorded, lag } = shared;
  const threshold = plan.apdex ?? defaultApdex;
  const now = () => ports.elapsed() - begin;
  const stops = new StopWatch(load.stops, threshold, warmUpOf(load));
  let because: string | undefined;
  const figures = new FigureGathering({
    ...{ index: new FiguredIndex(recorded), threshold, now },
    phasesAtWork: () => run.phasesAtWork(),
    users: phase => run.usersIn(phase),
    tell: told => {
      output.emit(told);
      stops.add(told);
    },
  });
  output.figures = figures;
  const chance = ports.clockAndRandomFor(0, 0, 0, 'rows of users');
  // Where the unit changes, users of both may be there for a while.
  const rows = load.rows && (await takeUserRows(load.rows, 2 * mostUsersIn(load), chance));
  const share = { index: 0, of: 1 };
  const run = new LoadRun({
    ...shared,
    options: { ...options, cleanUpSignal: cleanUpSignal(shared, load) },
    figures,
    mostUsers: Math.min(load.mostUsers, rows?.length ?? load.mostUsers),
    sample: load.sample,
    lagNow: () => Math.max(lag.now, shared.queue?.lag() ?? 0),
    users: new LoadUsers(share, rows),
  });
  const watching = everySoOften(ports, () => {
    figures.tick();
    const met = control.isOver ? undefined : stops.met(now());
    if (!met) return;
    because = `${met.text}, found ${met.found}`;
    control.stop('condition');
  });
  const all: { ended(): Promise<void> }[] = [];
  let unlimit: (() => void) | undefined;
  try {
    for (const phases of stretchesOf(load.phases)) {
      const stretch =
        phases[0]!.phase.unit === 'users' ? new ClosedUsers(phases, run) : new DueRounds(phases, run);
      all.push(stretch);
      await stretch.go();
    }
    unlimit = cutOffAfter(load.grace, shared);
    await Promise.all(all.map(each => each.ended()));
  } finally {
    unlimit?.();
    watching.end();
    figures.finish();
  }
  run.throwFailure();
  return because;
}

/** Until it is ended. */
function everySoOften(ports: Pick<Ports, 'sleep'>, look: () => void): { end(): void } {
  const over = new AbortController();
  const go = async () => {
    while (!over.signal.aborted) {
      await ports.sleep(tick, over.signal);
      if (!over.signal.aborted) look();
    }
  };
  void go();
  return { end: () => over.abort() };
}

/** In milliseconds: before that nothing is measured. */
function warmUpOf({ phases }: LoadOptions): number {
  return lengthOfLoad({ phases: phases.filter(({ number }) => number === 0) });
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
  const limit = new AbortController();
  process.getBuiltinModule('node:events').setMaxListeners(0, limit.signal);
  control.signal.addEventListener('abort', () => {
    if (control.stopped === undefined) void ports.sleep(grace, limit.signal).then(() => limit.abort());
  });
  const outer = options.cleanUpSignal;
  return outer ? AbortSignal.any([outer, limit.signal]) : limit.signal;
}

/** What the record says of a load before it begins. */
export function recordedLoad(plan: Plan, load: LoadOptions): RecordedLoad {
  const cases = plan.pages.flatMap(page => page.cases.map(each => ({ page, each })));
  const hasDueRounds = load.phases.some(({ unit }) => unit === 'rounds');
  return {
    phases: load.phases.map(({ number, label, text, unit, from, to, lasting }) => ({
      ...{ number, text, unit, from, to, lasting },
      ...(label !== undefined && { label }),
    })),
    ...(load.stops.length > 0 && { stops: load.stops.map(({ text }) => text) }),
    ...(load.rows && { rows: load.rows.table.name }),
    sample: load.sample,
    ...(hasDueRounds && { mostUsers: load.mostUsers }),
    requests: cases.flatMap(({ each: { address, title, steps } }) =>
      steps.flatMap(step =>
        step.kind === 'http' ? [{ case: address, title, request: step.title ?? '', place: step.place }] : [],
      ),
    ),
    cases: cases.map(({ page, each: { address, title } }) => ({ case: address, title, page: page.file })),
  };
}
