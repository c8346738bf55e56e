import { availableParallelism, hostname } from 'node:os';
import { UsageError } from '../core/model/usage-error.ts';
import { JobGate, readTrustedKey } from '../platform/queue/job-keys.ts';
import { JobListener } from '../platform/queue/job-listener.ts';
import { isWorkerName } from '../platform/queue/messages.ts';
import { Queue, QueueAway } from '../platform/queue/queue.ts';
import type { QueueAccess } from '../platform/queue/queue-access.ts';
import { visible } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { listenForInterrupt } from './interrupt.ts';
import { removeLeftFolders } from './job-folder.ts';
import type { JobWork } from './job-work.ts';
import { type QueueFlags, queueAccess } from './queue-options.ts';
import type { Terminal } from './terminal.ts';
import { WorkerJob } from './worker-job.ts';

export interface WorkerFlags extends QueueFlags {
  readonly queue?: string;
  readonly trust?: string;
  readonly name?: string;
  readonly allowOs?: readonly string[];
  readonly commands?: boolean;
  readonly once?: boolean;
}

/** Carries out what runs elsewhere hand out, one job at a time, until it is interrupted. */
export async function workerCommand(flags: WorkerFlags, { err }: Terminal): Promise<void> {
  const access = queueAccess(flags);
  if (flags.trust === undefined)
    throw new UsageError(
      'A worker needs to know whose jobs it carries out: --trust PUBLIC-KEY-FILE, of the key that they are signed with.',
    );
  const trusted = readTrustedKey(flags.trust);
  const name = flags.name ?? hostname();
  if (!isWorkerName(name))
    throw new UsageError(`--name takes up to 64 letters in a line, not '${name.slice(0, 70)}'.`);
  const say = (line: string) => err(visible(`${new Date().toISOString().slice(11, 19)} ${name} ${line}\n`));
  const interrupt = listenForInterrupt();
  removeLeftFolders();
  try {
    const queue = await openPatiently(access, interrupt.signal, say);
    if (!queue) return;
    const commands = flags.commands === true;
    const settings = {
      ...{ name, say, fences: { commands } },
      cores: availableParallelism(),
      environment: environmentOf(flags.allowOs ?? [], commands),
    };
    let current: WorkerJob | undefined;
    await new Promise<void>(resolve => {
      const who = { worker: crypto.randomUUID(), name, cores: settings.cores };
      const gate = new JobGate(trusted, Date.now);
      const listener = new JobListener<JobWork>(
        queue,
        gate,
        who,
        (job, channel, ended) => {
          current = new WorkerJob(job, channel, queue, settings, () => {
            ended();
            current = undefined;
            if (flags.once || interrupt.signal.aborted) resolve();
          });
          return current;
        },
        why => say(`refuses a job: ${why}`),
      );
      // What it is in comes to its end first.
      interrupt.signal.addEventListener('abort', () => {
        listener.close();
        if (current) current.leave();
        else resolve();
      });
      interrupt.cleanUpSignal.addEventListener('abort', () => current?.end());
      listener.listen();
      say(`waits for jobs at ${queue.name}`);
    });
    await queue.close();
    if (interrupt.signal.aborted) process.exitCode = exitCodes.interrupted;
  } finally {
    interrupt.stop();
  }
}

/** Without these few programs work. */
const neededByPrograms = ['PATH', 'LANG', 'TMPDIR'];

/** What pages see of the environment of the process: what was allowed, and what programs need, where those run. */
function environmentOf(allowed: readonly string[], commands: boolean): { [name: string]: string } {
  const names = commands ? [...allowed, ...neededByPrograms] : allowed;
  return Object.fromEntries(
    names.flatMap(name => (process.env[name] === undefined ? [] : [[name, process.env[name]]])),
  );
}

/** In milliseconds. */
const tryEvery = 1000;

/** Waits for a queue that is not there yet; nothing where the worker was interrupted while it did. */
async function openPatiently(
  access: QueueAccess,
  signal: AbortSignal,
  say: (line: string) => void,
): Promise<Queue | undefined> {
  let told = '';
  while (!signal.aborted) {
    try {
      return await Queue.open(access);
    } catch (error) {
      if (!(error instanceof QueueAway)) throw error;
      if (told !== error.message) say(`waits. ${error.message}`);
      told = error.message;
      await new Promise(resume => setTimeout(resume, tryEvery));
    }
  }
  return undefined;
}
