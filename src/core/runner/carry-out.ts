import type { Plan } from '../analysis/plan.ts';
import type { Masker } from '../secrecy/masker.ts';
import type { CarriedOut } from './carried-out.ts';
import { Lag } from './lag.ts';
import type { LoadShare } from './load/arrivals.ts';
import { LoadOutput } from './load/load-output.ts';
import { runLoad } from './load/run-load.ts';
import { PageLock, type PageTurns } from './page-lock.ts';
import type { Ports } from './ports.ts';
import { ResponseQueue } from './response-queue.ts';
import type { RunControl } from './run-control.ts';
import type { RunOptions } from './run-options.ts';
import type { RunOutput } from './run-output.ts';
import { runUser, type SharedByUsers } from './run-user.ts';

/** What the rounds of a run have to do with, whoever carries them out. */
export interface RunSurroundings {
  readonly control: RunControl;
  readonly output: RunOutput;
  readonly masker: Masker;
  /** When the run began, by the clock that only goes forward. */
  readonly begin: number;
  /** Which part of it is to be carried out here, where others carry out the rest. */
  readonly share?: LoadShare;
  /** Where pages wait for each other, of whatever user. */
  readonly turns?: PageTurns | undefined;
}

/** Carries out the rounds of a run, or a share of them. What happens goes to the output. */
export async function carryOut(
  plan: Plan,
  ports: Ports,
  options: RunOptions,
  { control, output, masker, begin, share = { index: 0, of: 1 }, turns }: RunSurroundings,
): Promise<CarriedOut> {
  const { users = 1, jobs = 1, load } = options;
  const several = users > 1 || load !== undefined;
  const shared = {
    ...{ plan, ports, options, masker, output, control, begin },
    explained: new Set<string>(),
    lanes: { next: 1 },
    queue: several ? new ResponseQueue(() => ports.elapsed()) : undefined,
    lock: turns ?? ((several || jobs > 1) && needsTurns(plan) ? new PageLock() : undefined),
  };
  if (!several) {
    await runUser(undefined, shared);
    return {};
  }
  const lag = new Lag(ports, load && closeLook);
  let because: string | undefined;
  try {
    if (load && output instanceof LoadOutput)
      because = await runLoad(load, { ...shared, output, lag, share });
    else await runUsers(users, shared);
  } finally {
    lag.end();
  }
  return { lag: lag.percentile, because };
}

/** Whether pages have to wait for each other. */
export function needsTurns({ pages }: Plan): boolean {
  return pages.some(({ alone }) => alone);
}

async function runUsers(users: number, shared: SharedByUsers): Promise<void> {
  const all = Array.from({ length: users }, (_, index) => runUser(index + 1, shared));
  // What goes wrong with one of them must not leave the others running.
  for (const each of all) each.catch(() => shared.control.stop('interrupt'));
  for (const ended of await Promise.allSettled(all)) if (ended.status === 'rejected') throw ended.reason;
}

/** In milliseconds, between two looks at how late the program is where times have to be true under load. */
const closeLook = 5;
