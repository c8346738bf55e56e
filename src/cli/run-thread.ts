import { parentPort, workerData } from 'node:worker_threads';
import { kindsIn } from '../core/analysis/plan.ts';
import { isUsageError } from '../core/model/usage-error.ts';
import { carryOut } from '../core/runner/carry-out.ts';
import { addKnownSecrets } from '../core/runner/known-secrets.ts';
import type { LoadShare } from '../core/runner/load/arrivals.ts';
import { LoadOutput } from '../core/runner/load/load-output.ts';
import { plainLoad } from '../core/runner/load/plain-load.ts';
import { mostUsersIn } from '../core/runner/load/user-rows.ts';
import type { PageTurns } from '../core/runner/page-lock.ts';
import { RunControl } from '../core/runner/run-control.ts';
import type { LoadOptions } from '../core/runner/run-options.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { NamedValues } from '../core/secrecy/named-values.ts';
import { openPorts } from '../platform/ports.ts';
import { Recorder } from '../platform/recorder.ts';
import type { FromThread, ToThread } from '../platform/threads/messages.ts';
import type { ThreadData } from '../platform/threads/run-on-threads.ts';
import { SecretRing } from '../platform/threads/secret-ring.ts';
import type { StartedWith } from '../platform/threads/start-thread.ts';
import { setFlags } from '../platform/tuning.ts';
import { version } from '../platform/version.ts';
import { refuseTooManyUsers } from './descriptors.ts';
import { refusalOf } from './fences.ts';
import { prepareInput } from './prepare.ts';
import type { ThreadWork } from './thread-work.ts';
import { ToldCases } from './told-cases.ts';

// A thread that carries out its share of the users of a run. The plan is made again here, of the same texts.

const { flags, work: given } = workerData as StartedWith<ThreadData<ThreadWork>>;
const { thread, of, secrets, work } = given;
// Everything of the runtime is there by now.
setFlags(flags);
const port = parentPort!;
const tell = (message: FromThread) => port.postMessage(message);

/** Pages wait for their turn where all threads do. */
class SharedTurns implements PageTurns {
  #pages = 0;
  readonly #waiting = new Map<number, () => void>();

  async enter(alone: boolean): Promise<() => void> {
    const page = ++this.#pages;
    await new Promise<void>(resume => {
      this.#waiting.set(page, resume);
      tell({ type: 'turn', page, alone });
    });
    return () => tell({ type: 'left', page });
  }

  onTurn(page: number): void {
    this.#waiting.get(page)?.();
    this.#waiting.delete(page);
  }
}

async function main(): Promise<void> {
  const { input, options, seed, rowNumbers, segment, tells, fences } = work;
  const ready = await prepareInput(input);
  const refusal = fences && (await refusalOf(ready, fences));
  if (refusal !== undefined) {
    tell({ type: 'refused', why: refusal });
    return;
  }
  const { plan, places, load: prepared } = ready;
  const load = withRows(prepared ?? plainLoad(options), rowNumbers);
  if (work.share) refuseTooLargeShare(load, work.share);
  const ports = await openPorts(places, kindsIn(plan), seed);
  const recorder = segment === undefined ? undefined : Recorder.segment(segment);
  const turns = new SharedTurns();
  const interrupt = new AbortController();
  const cleanUp = new AbortController();
  const control = new RunControl(interrupt.signal);
  const begun = new Promise<number>(resolve => {
    port.on('message', (message: ToThread) => {
      if (message.type === 'go') resolve(message.begin);
      else if (message.type === 'stop') control.stop(message.reason);
      else if (message.type === 'end') cleanUp.abort();
      else turns.onTurn(message.page);
    });
  });
  control.overSignal.addEventListener('abort', () => {
    if (control.stopped) tell({ type: 'stopped', reason: control.stopped });
  });
  const masker = new Masker(undefined, new SecretRing(secrets, thread));
  addKnownSecrets(plan, new NamedValues(plan.secretNames, masker, 'lasting'), ports.external);
  const told = new ToldCases(tells, lines => tell({ type: 'told', lines }));
  const output = new LoadOutput({
    record: event => {
      if (event.type !== 'figures') recorder?.add(event);
    },
    onEvent: event => {
      if (event.type === 'figures') tell({ type: 'figures', figures: event });
      else told.add(event);
    },
    deferred: true,
    keepsBodies: true,
    onFailure: () => control.stop('interrupt'),
  });
  tell({ type: 'ready' });
  const begin = await begun;
  await ports.sleep(begin - ports.elapsed(), control.overSignal);
  const { lag } = await carryOut(
    plan,
    ports,
    { ...options, load, tool: `mervok ${version}`, signal: interrupt.signal, cleanUpSignal: cleanUp.signal },
    {
      control,
      output,
      masker,
      begin,
      share: partOf(work.share),
      turns: plan.pages.some(({ alone }) => alone) ? turns : undefined,
    },
  );
  output.finish();
  told.finish();
  recorder?.finish();
  await ports.close();
  tell({ type: 'ended', lag, problem: recorder?.problem });
}

/** This machine may carry less than the one that the run was started on. Throws UsageError. */
function refuseTooLargeShare(load: LoadOptions, share: LoadShare): void {
  const users = Math.ceil(mostUsersIn(load, load.mostUsers) / share.of);
  refuseTooManyUsers(users, `A share of ${users} users needs`);
}

/** Of what the threads divide between them, the part of this one. */
function partOf({ index, of: shares, from }: LoadShare = { index: 0, of: 1 }): LoadShare {
  return { index: index + shares * thread, of: shares * of, ...(from !== undefined && { from }) };
}

/** What ends it before its time is watched where all figures come together. */
function withRows(load: LoadOptions, numbers: readonly number[] | undefined): LoadOptions {
  return { ...load, stops: [], ...(load.rows && numbers && { rows: { ...load.rows, numbers } }) };
}

main().catch((error: Error) => {
  if (isUsageError(error)) tell({ type: 'refused', why: error.message });
  else tell({ type: 'failed', name: error.name, stack: error.stack ?? '' });
});
