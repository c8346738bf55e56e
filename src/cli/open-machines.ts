import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { pageShares } from '../core/analysis/page-shares.ts';
import type { Plan } from '../core/analysis/plan.ts';
import { UsageError } from '../core/model/usage-error.ts';
import type { RunOptions } from '../core/runner/run-options.ts';
import { Masker } from '../core/secrecy/masker.ts';
import { counted, inWords } from '../core/text/words.ts';
import { sizeText } from '../core/values/text.ts';
import { gitIgnoreAround } from '../platform/git-ignore.ts';
import { hashOf, packCollection } from '../platform/queue/bundle.ts';
import { findWorkers } from '../platform/queue/find-workers.ts';
import { readSigningKey } from '../platform/queue/job-keys.ts';
import { Machines } from '../platform/queue/machines.ts';
import { MachinesOfLoad } from '../platform/queue/machines-of-load.ts';
import { MachinesOfPages } from '../platform/queue/machines-of-pages.ts';
import { Queue } from '../platform/queue/queue.ts';
import { RemoteSecrets } from '../platform/queue/remote-secrets.ts';
import { SealingKey } from '../platform/queue/seal.ts';
import { ShareStream } from '../platform/queue/share-stream.ts';
import { filesOfJob, type JobWork, workOf } from './job-work.ts';
import type { PlanInput } from './prepare.ts';
import type { ChosenMachines } from './queue-options.ts';
import { durationsKnown } from './run-choices.ts';
import type { Terminal } from './terminal.ts';

/** What is shared out, and how. */
export interface WorkForMachines
  extends Pick<JobWork, 'options' | 'seed' | 'rowNumbers' | 'tells' | 'threads'> {
  readonly chosen: ChosenMachines;
  readonly input: PlanInput;
  /** Whether users are shared out; else pages are. */
  readonly byUsers: boolean;
}

/** Other machines, for a run. */
export interface OpenMachines extends Pick<RunOptions, 'workers' | 'pageWorkers'> {
  readonly masker: Masker;
  close(): Promise<void>;
}

/** So many shares there are for each worker, so that the last one to end is not long alone. */
const sharesOfEach = 8;

/**
 * Finds the workers, hands out what they need, and waits until all are ready. Throws UsageError; whatever it is, where
 * it was interrupted.
 */
export async function openMachines(
  plan: Plan,
  { chosen, input, byUsers, options, seed, rowNumbers, tells, threads }: WorkForMachines,
  { err }: Pick<Terminal, 'err'>,
  signal: AbortSignal,
): Promise<OpenMachines> {
  const sign = readSigningKey(chosen.sign);
  const { flags, besides } = filesOfJob(input);
  const isIgnored = await gitIgnoreAround(input.root);
  const own = new Set([...input.files.pages, ...input.files.settings].map(({ path }) => path));
  if (input.files.secrets) own.add(input.files.secrets.path);
  const goes = (path: string) => own.has(path) || !isIgnored?.(join(input.root, path), 'file');
  const bundle = packCollection({ root: input.root, goes, besides });
  const shares = byUsers
    ? []
    : pageShares(plan, sharesOfEach * chosen.count, await durationsKnown(input.root));
  const common: JobWork = {
    ...(await workOf(input, flags)),
    ...{ title: plan.title, options, seed, rowNumbers, tells },
    ...(threads !== undefined && { threads }),
    ...(!byUsers && { shares: shares.map(({ pages }) => pages) }),
  };
  const run = randomBytes(8).toString('hex');
  const key = SealingKey.random();
  const queue = await Queue.open(chosen.access);
  const opened: { close(): unknown }[] = [{ close: () => queue.close() }];
  const close = async () => {
    for (const each of opened.toReversed()) await each.close();
  };
  try {
    const { lease, count } = chosen;
    const stream = byUsers ? undefined : await openStream(queue, run, key, lease);
    if (stream)
      opened.push({
        close: () =>
          stream.remove().catch(() => {
            err(
              `What the run has left in the queue was not removed (the stream mervok-${run}); one of the runs after a day does that.\n`,
            );
          }),
      });
    const work = (index: number): JobWork => (byUsers ? { ...common, share: { index, of: count } } : common);
    const job = { run, key: key.base64, lease, bundle, hash: hashOf(bundle), sign, work };
    const links = await findWorkers(queue, count, job, signal);
    const secrets = new RemoteSecrets();
    const machines = new Machines(queue, links, lease, secrets);
    opened.push(machines);
    const told = links.map(({ name }) => name);
    err(
      `${counted(count, 'worker')}: ${inWords(told)}. Each is sent the collection: ${sizeText(bundle.length)}.\n`,
    );
    await machines.ready(signal);
    return {
      masker: new Masker(undefined, secrets),
      ...(stream
        ? { pageWorkers: new MachinesOfPages(machines, stream, shares) }
        : { workers: new MachinesOfLoad(machines) }),
      close,
    };
  } catch (error) {
    await close();
    throw error;
  }
}

async function openStream(queue: Queue, run: string, key: SealingKey, lease: number): Promise<ShareStream> {
  try {
    return await ShareStream.open(queue, run, key, lease);
  } catch (error) {
    const why = /jetstream.*not enabled|no responders|503/i.test((error as Error).message)
      ? 'it keeps no streams. Start it with them: nats-server --jetstream'
      : (error as Error).message;
    throw new UsageError(`Pages cannot be shared out over ${queue.name}: ${why}. Nothing was sent.`);
  }
}
