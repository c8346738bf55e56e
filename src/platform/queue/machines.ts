import { UsageError } from '../../core/model/usage-error.ts';
import type { CarryingOut } from '../../core/runner/run-workers.ts';
import { elapsed } from '../clock.ts';
import { type FromWorker, patienceFor, type Secrets, type ToWorker } from './messages.ts';
import type { Queue } from './queue.ts';
import type { RemoteSecrets } from './remote-secrets.ts';
import type { WorkerLink } from './worker-link.ts';

/** In milliseconds: how often it is looked whether one is lost. */
const lookEvery = 200;
/** In milliseconds: so long workers may take to make everything ready. */
const readyWithin = 120_000;
/** In milliseconds: secrets are asked for at least as often, so that a worker that is lost takes few with it. */
const askEvery = 1000;
/** In milliseconds. */
const goodByeWithin = 2000;

/** The workers of a run: who is ready, who is lost. */
export class Machines {
  /** Gives what the worker is answered with, where it is a question. */
  onMessage: (message: FromWorker, link: WorkerLink) => object | undefined = () => undefined;
  /** Nothing has been heard of it for the time of a lease. */
  onLost: (link: WorkerLink) => void = () => undefined;
  /** Whether no time is left to wait for a queue that is away. */
  #isHurried = false;
  readonly #watch: NodeJS.Timeout;
  /** What waits until all have told what nobody may see. */
  #held: (() => void)[] = [];
  #releasing: Promise<void> | undefined;
  #askedAt = elapsed();

  constructor(
    readonly queue: Queue,
    readonly links: readonly WorkerLink[],
    /** In milliseconds. */
    readonly lease: number,
    readonly secrets: RemoteSecrets,
  ) {
    for (const link of links) link.onMessage = message => this.onMessage(message, link);
    this.#watch = setInterval(() => this.#look(), lookEvery);
  }

  get there(): WorkerLink[] {
    return this.links.filter(({ isGone }) => !isGone);
  }

  /** Until all have made everything ready, and it is known what time each has. Throws UsageError. */
  async ready(signal: AbortSignal): Promise<void> {
    const waiting = new Set(this.links);
    let late: NodeJS.Timeout | undefined;
    await new Promise<void>((resolve, reject) => {
      const fail = (why: string) => reject(new UsageError(`${why}\nNothing was sent.`));
      signal.addEventListener('abort', () => fail('It was interrupted.'));
      late = setTimeout(
        () => fail(`${[...waiting][0]?.name} is not ready after ${readyWithin / 1000} s.`),
        readyWithin,
      );
      this.onLost = link => fail(`${link.name} was lost before the run began.`);
      this.onMessage = (message, link) => {
        if (message.type === 'refused') fail(`${link.name} refuses the job: ${message.why}`);
        if (message.type !== 'ready') return undefined;
        link.threads = message.threads;
        waiting.delete(link);
        if (waiting.size === 0) resolve();
        return undefined;
      };
    }).finally(() => clearTimeout(late));
    await Promise.all(this.links.map(link => link.setClock()));
  }

  tell(message: ToWorker): void {
    for (const link of this.there) link.tell(message);
  }

  /** Tells all of them when the run is over, and when cleaning up is. @returns what ends that */
  follow({ control, cleanUpSignal }: CarryingOut): () => void {
    const onOver = () => {
      this.#isHurried = true;
      if (control.stopped) this.tell({ type: 'stop', reason: control.stopped });
    };
    const onEnd = () => this.tell({ type: 'end' });
    control.overSignal.addEventListener('abort', onOver);
    cleanUpSignal?.addEventListener('abort', onEnd);
    if (control.isOver) onOver();
    return () => {
      control.overSignal.removeEventListener('abort', onOver);
      cleanUpSignal?.removeEventListener('abort', onEnd);
    };
  }

  /**
   * Releases what has come from one worker once all others have told what nobody may see: what they have come by may stand
   * in it.
   */
  hold(release: () => void): void {
    this.#held.push(release);
    this.#releasing ??= this.#release();
  }

  /** Until nothing is held any more. */
  async released(): Promise<void> {
    await this.#releasing;
  }

  /** Nothing more is to be done. */
  async close(): Promise<void> {
    clearInterval(this.#watch);
    const told = this.there.map(link => link.ask({ type: 'close' }).catch(() => undefined));
    // Whoever does not hear it ends by itself.
    await Promise.race([Promise.all(told), new Promise(resume => setTimeout(resume, goodByeWithin).unref())]);
    for (const link of this.links) link.close();
  }

  async #release(): Promise<void> {
    while (this.#held.length > 0) {
      const held = this.#held.splice(0);
      this.#askedAt = elapsed();
      await Promise.all(this.there.map(link => this.#askSecrets(link)));
      for (const release of held) release();
    }
    this.#releasing = undefined;
  }

  async #askSecrets(link: WorkerLink): Promise<void> {
    try {
      for (let goesOn = true; goesOn; ) {
        const secrets = await link.ask<Secrets>({ type: 'secrets' });
        this.secrets.hear(secrets);
        goesOn = secrets.more === true;
      }
    } catch {
      // Of one that is lost nothing more is learned.
    }
  }

  #look(): void {
    const now = elapsed();
    const { awaySince, backSince } = this.queue;
    // While the queue is away nobody can be heard.
    const patience = this.#isHurried ? this.lease : patienceFor(this.lease);
    if (awaySince !== undefined && now - awaySince < patience) return;
    for (const link of this.there) {
      if (now - Math.max(link.lastHeard, backSince) < this.lease) continue;
      link.close();
      this.onLost(link);
    }
    if (now - this.#askedAt > askEvery) this.hold(() => undefined);
  }
}
