import type { Worker } from 'node:worker_threads';
import type { Stop } from '../core/model/outcomes.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { elapsed } from '../platform/clock.ts';
import type { Attempt, MayBegin, Secrets } from '../platform/queue/messages.ts';
import type { ShareSource, TakenShare } from '../platform/queue/share-stream.ts';
import { ownMistake } from '../platform/threads/own-mistake.ts';
import { startThread } from '../platform/threads/start-thread.ts';
import type { JobSurroundings, PartOfJob } from './job-part.ts';
import type { FromShareThread, SharesToRun, ToShareThread } from './share-work.ts';

/** In milliseconds: so long a share is waited for each time. */
const lookFor = 1000;

/** Shares of the pages of a run, one after the other, as long as there are any. */
export class PagesJob implements PartOfJob {
  #thread: Worker | undefined;
  #stopped: Stop | undefined;
  #hasLeft = false;
  #attempt = 0;
  #current:
    | { readonly number: number; readonly share: number; resolve(stopped: Stop | undefined): void }
    | undefined;
  #failure: Error | undefined;
  #secrets: { added: string[]; retired: string[] } = { added: [], retired: [] };

  constructor(
    readonly surroundings: JobSurroundings,
    readonly source: ShareSource,
    /** In milliseconds. */
    readonly lease: number,
    readonly told: {
      /** Everything that was told has been heard. */
      readonly heard: () => Promise<void>;
      readonly mayBegin: (attempt: Attempt) => Promise<MayBegin['begin']>;
    },
  ) {}

  async prepare(): Promise<number> {
    const { work, input, fences, environment } = this.surroundings;
    const { options, seed, shares } = work;
    const toRun: SharesToRun = { input, fences, options, seed, shares: shares! };
    const thread = startThread(new URL('./cli-share-thread.cjs', import.meta.url), toRun, environment);
    this.#thread = thread;
    await new Promise<void>((resolve, reject) => {
      const fail = (error: Error) => {
        this.#failure ??= error;
        this.#current?.resolve('interrupt');
        reject(error);
      };
      thread.on('message', (message: FromShareThread) => {
        if (message.type === 'ready') resolve();
        else if (message.type === 'refused') fail(new UsageError(message.why));
        else if (message.type === 'failed') fail(ownMistake(message));
        else this.#hear(message);
      });
      thread.on('error', fail);
      thread.on('exit', code => fail(new Error(`exit code ${code}`)));
    });
    return 1;
  }

  async go(): Promise<void> {
    while (!this.#isOver) {
      const taken = await this.source.next(lookFor);
      if (!taken) continue;
      if (this.#isOver) taken.giveBack();
      else await this.#carryOut(taken);
    }
    // Others take over what it has not done.
    const left = this.#hasLeft || this.#failure !== undefined;
    if (this.#failure) this.surroundings.say(`has lost its thread (${this.#failure.message})`);
    this.surroundings.tell({ type: 'ended', missing: [], ...(left && { left: true }) });
  }

  async take(): Promise<void> {}

  stop(reason: Stop): void {
    this.#stopped ??= reason;
    this.#post({ type: 'stop', reason });
  }

  leave(): void {
    this.#hasLeft = true;
    this.#post({ type: 'stop', reason: 'interrupt' });
  }

  end(): void {
    this.#post({ type: 'end' });
  }

  turn(): void {}

  async close(): Promise<void> {
    this.#thread?.removeAllListeners('exit');
    await this.#thread?.terminate();
  }

  secrets(): Secrets {
    const secrets = this.#secrets;
    this.#secrets = { added: [], retired: [] };
    return secrets;
  }

  get #isOver(): boolean {
    return this.#stopped !== undefined || this.#failure !== undefined || this.#hasLeft;
  }

  async #carryOut(taken: TakenShare): Promise<void> {
    const { tell } = this.surroundings;
    const attempt = { share: taken.share, number: ++this.#attempt };
    // It counts from when the queue has given it.
    const lease = new Lease(taken, this.lease, () => this.#post({ type: 'stop', reason: 'interrupt' }));
    const may = await this.told.mayBegin(attempt);
    if (may !== 'now') {
      await lease.end(may === 'never', this.lease / 6);
      return;
    }
    if (this.#isOver || lease.isLost) {
      tell({ type: 'done', attempt, isWhole: false });
      await lease.end(false);
      return;
    }
    const stopped = await new Promise<Stop | undefined>(resolve => {
      this.#current = { ...attempt, resolve };
      this.#post({ type: 'share', attempt: attempt.number, share: attempt.share });
    });
    this.#current = undefined;
    const isWhole = stopped === undefined && !lease.isLost;
    // Of a thread that has died nobody has cleaned up.
    if (this.#failure) {
      await lease.end(false);
      return;
    }
    const isOwn = stopped !== undefined && !lease.isLost && !this.#hasLeft;
    if (isOwn && this.#stopped === undefined) {
      this.#stopped = stopped;
      tell({ type: 'stopped', reason: stopped });
    }
    tell({ type: 'done', attempt, isWhole });
    await this.told.heard();
    await lease.end(isWhole || this.#stopped !== undefined);
  }

  #hear(message: Exclude<FromShareThread, { type: 'ready' | 'refused' | 'failed' }>): void {
    switch (message.type) {
      case 'secrets':
        this.#secrets.added.push(...message.added);
        this.#secrets.retired.push(...message.retired);
        break;
      case 'lines': {
        const { lines } = message;
        if (!this.#current) break;
        const { number, share } = this.#current;
        this.surroundings.tell({ type: 'lines', attempt: { number, share }, lines });
        break;
      }
      case 'done':
        this.#current?.resolve(message.stopped);
        break;
      default:
        message satisfies never;
    }
  }

  #post(message: ToShareThread): void {
    this.#thread?.postMessage(message);
  }
}

/** A share that is one's own as long as the queue says so. */
class Lease {
  isLost = false;
  /** When it ends, if nobody says that it goes on; by the clock that only goes forward. */
  #until: number;
  readonly #timer: NodeJS.Timeout;
  readonly #watch: NodeJS.Timeout;

  constructor(
    readonly taken: TakenShare,
    /** In milliseconds. */
    readonly lease: number,
    /** Two thirds of its time are over, and nobody has said that it goes on. */
    readonly onLost: () => void,
  ) {
    this.#until = elapsed() + (2 * lease) / 3;
    this.#timer = setInterval(() => this.#keep(), Math.min(lease / 3, 5000));
    this.#watch = setInterval(() => {
      if (this.isLost || elapsed() < this.#until) return;
      this.isLost = true;
      onLost();
    }, 100);
  }

  /** @param after in milliseconds: where it is not done, so much later another one may have it */
  async end(isDone: boolean, after?: number): Promise<void> {
    clearInterval(this.#timer);
    clearInterval(this.#watch);
    if (isDone) await this.taken.done().catch(() => undefined);
    else this.taken.giveBack(after);
  }

  #keep(): void {
    const asked = elapsed();
    this.taken.keep().then(
      () => {
        this.#until = asked + (2 * this.lease) / 3;
      },
      () => undefined,
    );
  }
}
