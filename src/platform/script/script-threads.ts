import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { EndedScript, OutgoingScript, ScriptFault } from '../../core/steps/script/script-port.ts';
import { after, elapsed } from '../clock.ts';
import { leaveTuning, setFlags } from '../tuning.ts';
import { type ThreadAnswer, timeFault } from './script-faults.ts';

/**
 * So much longer than it may take a script is waited for, in milliseconds, and then once more: what the engine can end by
 * itself, it does, and where the whole process had no processor, the thread has a moment to answer.
 */
const grace = 200;

/** The threads that scripts run in: as many as are wanted at once, and no more than there are cores. */
export class ScriptThreads {
  readonly #idle: ScriptThread[] = [];
  readonly #all = new Set<ScriptThread>();
  readonly #waiting: ((thread: ScriptThread) => void)[] = [];
  readonly #most = availableParallelism();

  /** Starts a thread, so that the first script finds one. */
  prepare(): void {
    if (this.#all.size === 0) this.#free(this.#start());
  }

  async run(script: OutgoingScript, signal: AbortSignal): Promise<EndedScript> {
    const thread = await this.#take();
    const ended = await thread.run(script, signal);
    if (thread.isUsable) this.#free(thread);
    else {
      this.#all.delete(thread);
      void thread.end();
      // Who waits must not wait for ever.
      if (this.#waiting.length > 0) this.#free(this.#start());
    }
    return ended;
  }

  async close(): Promise<void> {
    await Promise.all([...this.#all].map(thread => thread.end()));
  }

  #take(): ScriptThread | Promise<ScriptThread> {
    const idle = this.#idle.pop();
    if (idle) return idle;
    if (this.#all.size < this.#most) return this.#start();
    return new Promise(resolve => this.#waiting.push(resolve));
  }

  #start(): ScriptThread {
    const thread = new ScriptThread();
    this.#all.add(thread);
    return thread;
  }

  #free(thread: ScriptThread): void {
    const next = this.#waiting.shift();
    if (next) next(thread);
    else this.#idle.push(thread);
  }
}

class ScriptThread {
  readonly #worker: Worker;
  readonly #ready: Promise<void>;
  /** What is done with what it says of the script that runs. */
  #settle: ((answer: ThreadAnswer) => void) | undefined;
  /** Whether it can take another script. */
  isUsable = true;

  constructor() {
    const flags = leaveTuning();
    this.#worker = new Worker(new URL('./platform-script-worker.cjs', import.meta.url), {
      workerData: flags,
      env: {},
      argv: [],
      execArgv: [],
      // What the engine says when it comes to its end is nobody's output.
      stdout: true,
      stderr: true,
    });
    this.#ready = new Promise(resolve => {
      this.#worker.on('message', (answer: ThreadAnswer | 'ready') => {
        if (answer === 'ready') resolve();
        else this.#settle?.(answer);
      });
      const onLost = () => {
        setFlags(flags);
        resolve();
        this.isUsable = false;
        this.#settle?.(withFault(lostFault));
      };
      this.#worker.on('error', onLost);
      this.#worker.on('exit', onLost);
    });
    this.#worker.unref();
  }

  async run(script: OutgoingScript, signal: AbortSignal): Promise<EndedScript> {
    this.#worker.ref();
    await this.#ready;
    const begin = elapsed();
    const { promise, resolve } = withResolver<ThreadAnswer>();
    this.#settle = resolve;
    const onAbort = () => resolve(withFault(interruptedFault));
    const limit = script.limits.time;
    let cancelTimer = after(limit + grace, () => {
      cancelTimer = after(grace, () => resolve(withFault(timeFault(limit))));
    });
    signal.addEventListener('abort', onAbort);
    if (signal.aborted) onAbort();
    else if (!this.isUsable) resolve(withFault(lostFault));
    else this.#worker.postMessage(script);
    const { ended, spent } = await promise;
    this.#settle = undefined;
    cancelTimer();
    signal.removeEventListener('abort', onAbort);
    this.#worker.unref();
    if (spent) this.isUsable = false;
    return ended.time < 0 ? { ...ended, time: elapsed() - begin } : ended;
  }

  async end(): Promise<void> {
    await this.#worker.terminate();
  }
}

/** A promise, and what settles it. */
function withResolver<Result>(): { promise: Promise<Result>; resolve: (result: Result) => void } {
  let resolve: (result: Result) => void = () => undefined;
  const promise = new Promise<Result>(settle => {
    resolve = settle;
  });
  return { promise, resolve };
}

/** Of a thread that goes on with what nobody waits for any more; how long it took is known to who waited. */
function withFault(fault: ScriptFault): ThreadAnswer {
  return { ended: { checks: [], console: '', fault, time: -1 }, spent: true };
}

const interruptedFault: ScriptFault = {
  kind: 'interrupted',
  message: 'The run was interrupted before the script had ended.',
  through: [],
};

const lostFault: ScriptFault = {
  kind: 'limit',
  message: 'The thread that the script ran in came to its end: it takes more than this machine gives.',
  through: [],
};
