import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, writeFileSync } from 'node:fs';
import { createServer, connect as dial, type Socket } from 'node:net';
import { join } from 'node:path';
import type { TestContext } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import { makeSigningKeys } from '../../src/platform/queue/job-keys.ts';
import { folderWith } from './folder.ts';
import { type Ended, mervok, program } from './program.ts';
import { closedPort } from './server.ts';

/** Where the queue's own program lies; nothing where it is not installed. */
export function queueProgram(): string | undefined {
  return ['/usr/sbin/nats-server', '/usr/bin/nats-server', '/usr/local/bin/nats-server'].find(existsSync);
}

export interface TestQueue {
  readonly url: string;
  readonly port: number;
  /** Of the keys, `jobs.key` and `jobs.pub`, and of what it keeps. */
  readonly folder: string;
  stop(signal?: NodeJS.Signals): Promise<void>;
  start(): Promise<void>;
}

/** A queue that none of us wrote. @param settings lines of its configuration */
export async function startQueue(
  t: TestContext,
  settings = '',
  scheme = 'nats',
  keepsStreams = true,
  host = '127.0.0.1',
): Promise<TestQueue> {
  const { privateKey, publicKey } = makeSigningKeys();
  const folder = folderWith(t, { 'jobs.key': privateKey, 'jobs.pub': publicKey });
  const port = await closedPort();
  const configuration = join(folder, 'queue.conf');
  writeFileSync(
    configuration,
    `listen: ${host}:${port}\n${keepsStreams ? `jetstream { store_dir: ${join(folder, 'streams')} }` : ''}\n${settings}\n`,
  );
  let child: ChildProcess | undefined;
  const start = async () => {
    child = spawn(queueProgram()!, ['-c', configuration], { stdio: ['ignore', 'ignore', 'pipe'] });
    let said = '';
    child.stderr!.on('data', chunk => (said += chunk));
    await until(
      () => said.includes('Server is ready'),
      () => `the queue does not start: ${said}`,
    );
  };
  const stop = async (signal: NodeJS.Signals = 'SIGTERM') => {
    const stopped = child;
    if (!stopped || stopped.exitCode !== null || stopped.signalCode !== null) return;
    const ended = new Promise(resolve => stopped.once('exit', resolve));
    stopped.kill(signal);
    await Promise.race([ended, delay(5000)]);
    stopped.kill('SIGKILL');
  };
  t.after(() => stop('SIGKILL'));
  await start();
  return { url: `${scheme}://127.0.0.1:${port}`, port, folder, start, stop };
}

export interface TestWorker {
  readonly child: ChildProcess;
  readonly name: string;
  said(): string;
  /** Until it has said something. */
  says(words: RegExp): Promise<void>;
  ended: Promise<number | null>;
}

/** A worker that waits for jobs. */
export async function startWorker(
  t: TestContext,
  queue: Pick<TestQueue, 'url' | 'folder'>,
  name: string,
  {
    args = [],
    environment = {},
    before = [],
  }: {
    readonly args?: readonly string[];
    readonly environment?: { readonly [name: string]: string };
    /** What starts it. */
    readonly before?: readonly string[];
  } = {},
): Promise<TestWorker> {
  const [command = '', ...words] = [
    ...before,
    ...[process.execPath, program, 'worker', '--queue', queue.url],
    ...['--trust', join(queue.folder, 'jobs.pub'), '--name', name, ...args],
  ];
  const child = spawn(command, words, {
    env: { ...process.env, ...environment },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  child.stdout.on('data', chunk => (said += chunk));
  child.stderr.on('data', chunk => (said += chunk));
  const ended = new Promise<number | null>(resolve => child.once('exit', resolve));
  t.after(async () => {
    child.kill('SIGKILL');
    await ended;
  });
  const says = (words: RegExp) =>
    until(
      () => words.test(said),
      () => `${name} does not say ${words}: ${said}`,
    );
  await says(/waits/);
  return { child, name, said: () => said, says, ended };
}

export const startWorkers = (t: TestContext, queue: TestQueue, count: number) =>
  Promise.all(Array.from({ length: count }, (_, index) => startWorker(t, queue, `quay-${index + 1}`)));

/** Runs something; what happens meanwhile is up to the test. */
export async function runWhile(
  folder: string,
  args: readonly string[],
  meanwhile: (child: ChildProcess) => Promise<void> = async () => undefined,
): Promise<Ended> {
  let doing: Promise<void> = Promise.resolve();
  const ended = await mervok(folder, ['run', ...args], {}, child => {
    doing = meanwhile(child);
  });
  await doing;
  return ended;
}

/** What `mervok run` needs to hand its work out. */
export function overQueue(
  { url, folder }: Pick<TestQueue, 'url' | 'folder'>,
  workers: number,
  lease = '2s',
): string[] {
  const sign = join(folder, 'jobs.key');
  return ['--queue', url, '--workers', String(workers), '--sign', sign, '--lease', lease];
}

/** A way to the queue that can be cut: nothing gets through, and nobody is told. */
export async function cuttableWay(
  t: TestContext,
  { port, folder }: TestQueue,
): Promise<Pick<TestQueue, 'url' | 'folder'> & { cut(): void; mend(): void }> {
  const sockets = new Set<Socket>();
  let isCut = false;
  const server = createServer(near => {
    const far = dial(port, '127.0.0.1');
    for (const [from, to] of [
      [near, far],
      [far, near],
    ] as const) {
      sockets.add(from);
      from.on('data', data => {
        if (!isCut) to.write(data);
      });
      from.on('error', () => undefined);
      from.on('close', () => {
        sockets.delete(from);
        if (!isCut) to.destroy();
      });
    }
  });
  await new Promise<void>(resolve => server.listen(0, '127.0.0.1', resolve));
  t.after(() => {
    server.close();
    for (const each of sockets) each.destroy();
  });
  const address = server.address() as { port: number };
  return {
    url: `nats://127.0.0.1:${address.port}`,
    folder,
    cut: () => {
      isCut = true;
    },
    mend: () => {
      isCut = false;
      for (const each of sockets) each.destroy();
    },
  };
}

export async function until(holds: () => boolean, why: () => string, most = 30_000): Promise<void> {
  const end = Date.now() + most;
  while (!holds()) {
    if (Date.now() > end) throw new Error(why());
    await delay(20);
  }
}
