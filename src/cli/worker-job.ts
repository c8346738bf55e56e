import { rmSync } from 'node:fs';
import { isUsageError } from '../core/model/usage-error.ts';
import { elapsed } from '../platform/clock.ts';
import { hashOf, RefusedBundle, unpackCollection } from '../platform/queue/bundle.ts';
import type { JobHandler } from '../platform/queue/job-listener.ts';
import {
  type Answer,
  type Clock,
  type FromWorker,
  type Job,
  type MayBegin,
  patienceFor,
  type Secrets,
  type ToWorker,
} from '../platform/queue/messages.ts';
import type { Queue } from '../platform/queue/queue.ts';
import { SealingKey } from '../platform/queue/seal.ts';
import type { SealedChannel } from '../platform/queue/sealed-channel.ts';
import { ShareSource } from '../platform/queue/share-stream.ts';
import type { Fences } from './fences.ts';
import { makeJobFolder } from './job-folder.ts';
import { JobOutbox } from './job-outbox.ts';
import type { PartOfJob } from './job-part.ts';
import { inputOf, type JobWork } from './job-work.ts';
import { LoadJob } from './load-job.ts';
import { PagesJob } from './pages-job.ts';

/** What a worker lends to the jobs of others. */
export interface WorkerSettings {
  readonly name: string;
  readonly cores: number;
  readonly fences: Fences;
  /** What pages see of the environment of the process. */
  readonly environment: { readonly [name: string]: string };
  /** Tells whoever watches the worker. */
  readonly say: (line: string) => void;
}

/** In milliseconds: so often something is told of a job, or less often where its lease is short. */
const tellEvery = 1000;
/** In characters. */
const mostOfSecrets = 100_000;
/** In milliseconds: how often it is looked whether anybody hears what is told. */
const lookEvery = 200;

/** A job, from its beginning to when nothing is left of it. */
export class WorkerJob implements JobHandler {
  readonly #folder = makeJobFolder();
  readonly #outbox: JobOutbox;
  readonly #watch: NodeJS.Timeout;
  /** Secrets that have not been asked for yet. */
  readonly #unsaid: { readonly secret: string; readonly isOver: boolean }[] = [];
  #part: PartOfJob | undefined;
  #going: Promise<void> | undefined;
  #isOver = false;
  #isLost = false;
  #hasLeft = false;

  constructor(
    readonly job: Job<JobWork>,
    readonly channel: SealedChannel,
    readonly queue: Queue,
    readonly settings: WorkerSettings,
    readonly ended: () => void,
  ) {
    const times = { every: Math.min(tellEvery, job.lease / 6), patience: patienceFor(job.lease) };
    this.#outbox = new JobOutbox(channel, times);
    this.#watch = setInterval(() => this.#look(), lookEvery);
    // Whoever handed the job out is gone.
    void this.#outbox.ended.then(wasHeard => {
      if (!wasHeard) void this.#close('nobody hears what it has to tell');
    });
  }

  /** As much as fits into one answer. */
  #secrets(): Secrets {
    const { added, retired } = this.#part?.secrets() ?? { added: [], retired: [] };
    this.#unsaid.push(
      ...added.map(secret => ({ secret, isOver: false })),
      ...retired.map(secret => ({ secret, isOver: true })),
    );
    let size = 0;
    let count = 0;
    while (count < this.#unsaid.length && size < mostOfSecrets) size += this.#unsaid[count++]!.secret.length;
    const told = this.#unsaid.splice(0, count);
    const of = (isOver: boolean) => told.flatMap(each => (each.isOver === isOver ? [each.secret] : []));
    return { added: of(false), retired: of(true), ...(this.#unsaid.length > 0 && { more: true }) };
  }

  async onMessage(message: ToWorker, bytes: Buffer): Promise<object> {
    switch (message.type) {
      case 'job':
        return { refused: 'it has one' } satisfies Answer;
      case 'collection':
        return this.#take(bytes);
      case 'secrets':
        return this.#secrets();
      case 'clock':
        return { elapsed: elapsed(), now: Date.now() } satisfies Clock;
      case 'go':
        this.#go(message.begin);
        break;
      case 'take':
        this.#part?.take(message.share).catch(error => this.#fail(error));
        break;
      case 'stop':
        this.#part?.stop(message.reason);
        break;
      case 'end':
        this.end();
        break;
      case 'turn':
        this.#part?.turn(message.page);
        break;
      case 'close':
        // The answer goes out first.
        setTimeout(() => void this.#close(), 50);
        break;
      default:
        message satisfies never;
    }
    return {} satisfies Answer;
  }

  /** Ends it in order, since the worker leaves: what has been made is cleaned up. */
  leave(): void {
    this.#leave('is asked to leave', 'it leaves');
  }

  /** Cleaning up ends too. */
  end(): void {
    this.#part?.end();
  }

  #take(bundle: Buffer): Answer {
    const { job } = this;
    if (this.#part) return { refused: 'it has a collection' };
    try {
      if (hashOf(bundle) !== job.collection)
        throw new RefusedBundle('it is not the collection that was signed');
      unpackCollection(bundle, this.#folder);
      this.#part = this.#partOf();
    } catch (error) {
      if (!(error instanceof RefusedBundle) && !isUsageError(error)) throw error;
      void this.#close(error.message);
      return { refused: error.message };
    }
    this.#part.prepare().then(
      threads => this.#tell({ type: 'ready', threads }),
      error => this.#fail(error),
    );
    return {};
  }

  #partOf(): PartOfJob {
    const { job, queue, settings } = this;
    const { work, run, key, lease } = job;
    const { name, fences, environment, cores, say } = settings;
    const surroundings = {
      ...{ work, name, fences, environment, say },
      input: inputOf(work, this.#folder),
      threads: work.threads ?? cores,
      tell: (message: FromWorker) => this.#tell(message),
    };
    if (!work.shares) return new LoadJob(surroundings);
    const source = new ShareSource(queue, run, SealingKey.from(key));
    return new PagesJob(surroundings, source, lease, {
      heard: () => this.#outbox.flushed(),
      mayBegin: async attempt =>
        (await this.#outbox.ask<MayBegin>({ type: 'begun', attempt }))?.begin ?? 'not yet',
    });
  }

  #go(begin: number): void {
    this.settings.say(`begins with ${this.job.work.title}`);
    this.#going = this.#part!.go(begin).catch(error => this.#fail(error));
  }

  /** Of whom nobody has heard for long enough, others take over. */
  #look(): void {
    const { lease, work } = this.job;
    if (this.#isLost || elapsed() - this.#outbox.lastHeard < (2 * lease) / 3) return;
    // Shares of pages have a lease each.
    if (this.#going && work.shares) return;
    this.#isLost = true;
    if (this.#going) this.#leave('is not heard any more', 'nobody heard it');
    else void this.#close('nobody is there any more');
  }

  /** What it has come to is told all the same. */
  #leave(why: string, ended: string): void {
    this.settings.say(`${why}: it ends what it does, and cleans up`);
    this.#hasLeft = true;
    this.#part?.leave();
    void (this.#going ?? Promise.resolve()).then(() => this.#close(ended));
  }

  #tell(message: FromWorker): void {
    this.#outbox.add(message);
    if (message.type !== 'lines' && message.type !== 'figures') this.#outbox.hurry();
  }

  #fail(error: Error): void {
    // A mistake of our own says where it happened, and nothing of what it was working on.
    const why = isUsageError(error) ? error.message : `a mistake in Mervok itself (${error.name})`;
    this.#tell({ type: 'refused', why });
    this.settings.say(`refuses the job: ${why}`);
  }

  async #close(why?: string): Promise<void> {
    if (this.#isOver) return;
    this.#isOver = true;
    clearInterval(this.#watch);
    this.#part?.leave();
    // Whoever is gone, or has all it needs, hears no more.
    if (!this.#hasLeft) this.channel.close();
    await this.#going;
    await this.#outbox.close();
    await this.#part?.close();
    rmSync(this.#folder, { recursive: true, force: true });
    this.settings.say(why === undefined ? 'has done its part' : `ends the job: ${why}`);
    this.ended();
  }
}
