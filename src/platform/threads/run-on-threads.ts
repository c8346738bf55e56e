import type { Worker } from 'node:worker_threads';
import type { Stop } from '../../core/model/outcomes.ts';
import { UsageError } from '../../core/model/usage-error.ts';
import { PageLock, type PageTurns } from '../../core/runner/page-lock.ts';
import type { RunWorkers } from '../../core/runner/run-workers.ts';
import type { FromThread, ToThread } from './messages.ts';
import { ownMistake } from './own-mistake.ts';
import { forgetReader, openSecretMemory, type SecretMemory, SecretRing } from './secret-ring.ts';
import { startThread } from './start-thread.ts';

/** What a thread is started with. */
export interface ThreadData<Work> {
  readonly thread: number;
  readonly of: number;
  readonly secrets: SecretMemory;
  readonly work: Work;
}

export interface ThreadsToStart<Work> {
  readonly count: number;
  /** The program of each of them. */
  readonly program: URL;
  /** What the thread of a number, from 0, does, as plain data. */
  readonly workOf: (thread: number) => Work;
  /** Hears why the record of one is not whole. */
  readonly onProblem: (problem: string) => void;
  /** Where pages wait for each other, if not only those of these threads do. */
  readonly turns?: PageTurns | undefined;
  /** Whether the one that starts them asks for their secrets: what nobody asks for must not wait for that. */
  readonly listens?: boolean;
  /** What they see of the environment of the process; nothing for all of it. */
  readonly environment?: { readonly [name: string]: string } | undefined;
}

type Hooks = Parameters<RunWorkers['carryOut']>[0];

/** Threads of the processor that each carry out their share of the users of a run. */
export class ThreadsOfRun<Work> implements RunWorkers {
  readonly count: number;
  readonly keepRecord = true;
  /** What the threads have come by that is secret, for one who asks for it again and again. */
  readonly secrets: SecretRing | undefined;
  readonly #memory: SecretMemory;
  readonly #all: readonly RunThread[];
  readonly #missing: string[] = [];

  private constructor(readonly toStart: ThreadsToStart<Work>) {
    const { count, onProblem, turns = new PageLock(), listens = false } = toStart;
    this.count = count;
    this.#memory = openSecretMemory(listens ? count + 1 : count);
    this.secrets = listens ? new SecretRing(this.#memory, count) : undefined;
    this.#all = Array.from({ length: count }, (_, thread) => {
      const onLost = (why: string) => {
        forgetReader(this.#memory, thread);
        this.#missing.push(
          `Thread ${thread + 1} of ${count} ended before its time (${why}), and its users are missing from then on.`,
        );
      };
      return new RunThread(this.#start(thread), turns, { onLost, onProblem });
    });
  }

  /**
   * Those that have made everything ready: the time of a run begins when nobody is waited for any more. Throws UsageError
   * where one of them does not do what it is to.
   */
  static async started<Work>(toStart: ThreadsToStart<Work>): Promise<ThreadsOfRun<Work>> {
    const threads = new ThreadsOfRun(toStart);
    try {
      await Promise.all(threads.#all.map(each => each.ready));
    } catch (error) {
      await threads.close();
      throw error;
    }
    return threads;
  }

  async carryOut(hooks: Hooks): Promise<{ lag: number | undefined; missing: string[] }> {
    const all = this.#all;
    const { control, cleanUpSignal } = hooks;
    const tell = (message: ToThread) => {
      for (const each of all) each.tell(message);
    };
    const onOver = () => control.stopped && tell({ type: 'stop', reason: control.stopped });
    const onEnd = () => tell({ type: 'end' });
    control.overSignal.addEventListener('abort', onOver);
    cleanUpSignal?.addEventListener('abort', onEnd);
    try {
      for (const each of all) each.hooks = hooks;
      tell({ type: 'go', begin: hooks.begin });
      if (control.isOver) onOver();
      const lags = await Promise.all(all.map(each => each.ended));
      const known = lags.filter(each => each !== undefined);
      return { lag: known.length > 0 ? Math.max(...known) : undefined, missing: this.#missing };
    } finally {
      control.overSignal.removeEventListener('abort', onOver);
      cleanUpSignal?.removeEventListener('abort', onEnd);
      await this.close();
    }
  }

  async close(): Promise<void> {
    await Promise.all(this.#all.map(each => each.close()));
  }

  #start(thread: number): Worker {
    const secrets = this.#memory;
    const { count: of, program, workOf, environment } = this.toStart;
    const data: ThreadData<Work> = { thread, of, secrets, work: workOf(thread) };
    return startThread(program, data, environment);
  }
}

interface ThreadHooks {
  readonly onLost: (why: string) => void;
  readonly onProblem: (problem: string) => void;
}

class RunThread {
  readonly ready: Promise<void>;
  /** How late it was, 99 of 100 times, in milliseconds. */
  readonly ended: Promise<number | undefined>;
  /** Who hears of what it does, once it is to. */
  hooks: Hooks | undefined;
  #isOver = false;
  /** What pages do that have their turn, to leave it. */
  readonly #leave = new Map<number, () => void>();

  constructor(
    readonly worker: Worker,
    readonly turns: PageTurns,
    readonly ownHooks: ThreadHooks,
  ) {
    let onReady: () => void = () => undefined;
    let onRefused: (error: Error) => void = () => undefined;
    this.ready = new Promise((resolve, reject) => {
      onReady = resolve;
      onRefused = reject;
    });
    this.ended = new Promise((resolve, reject) => {
      const lost = (why: string) => {
        if (this.#isOver) return;
        this.#isOver = true;
        // Pages that it was in must not keep those of others waiting.
        for (const leave of this.#leave.values()) leave();
        ownHooks.onLost(why);
        onReady();
        resolve(undefined);
      };
      worker.on('message', (message: FromThread) => {
        if (message.type === 'ready') onReady();
        else if (message.type === 'refused') {
          this.#isOver = true;
          const refused = new UsageError(message.why);
          onRefused(refused);
          reject(refused);
        } else if (message.type === 'failed') {
          this.#isOver = true;
          onReady();
          reject(ownMistake(message));
        } else if (message.type === 'ended') {
          this.#isOver = true;
          if (message.problem !== undefined) ownHooks.onProblem(message.problem);
          resolve(message.lag);
        } else this.#hear(message);
      });
      worker.on('error', error => lost((error as NodeJS.ErrnoException).code ?? error.name));
      worker.on('exit', code => lost(`exit code ${code}`));
    });
    // Whoever is ready waits for the others before looking at it.
    this.ended.catch(() => undefined);
  }

  tell(message: ToThread): void {
    this.worker.postMessage(message);
  }

  async close(): Promise<void> {
    this.#isOver = true;
    await this.worker.terminate();
  }

  #hear(message: Exclude<FromThread, { type: 'ready' | 'refused' | 'failed' | 'ended' }>): void {
    if (!this.hooks) return;
    const { control, onFigures, onTold } = this.hooks;
    switch (message.type) {
      case 'figures':
        onFigures(message.figures);
        break;
      case 'told':
        onTold(message.lines);
        break;
      case 'stopped':
        control.stop(message.reason satisfies Stop);
        break;
      case 'turn':
        void this.#giveTurn(message.page, message.alone);
        break;
      case 'left':
        this.#leave.get(message.page)?.();
        this.#leave.delete(message.page);
        break;
      default:
        message satisfies never;
    }
  }

  async #giveTurn(page: number, alone: boolean): Promise<void> {
    const leave = await this.turns.enter(alone);
    if (this.#isOver) leave();
    else {
      this.#leave.set(page, leave);
      this.tell({ type: 'turn', page });
    }
  }
}
