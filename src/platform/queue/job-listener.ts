import { version } from '../version.ts';
import { type JobGate, RefusedJob, type SignedJob } from './job-keys.ts';
import {
  type Announcement,
  type Answer,
  type Availability,
  decode,
  encode,
  type Job,
  offersSubject,
  subjectsOf,
  type ToWorker,
} from './messages.ts';
import type { Queue } from './queue.ts';
import { KeyAgreement } from './seal.ts';
import { SealedChannel } from './sealed-channel.ts';

/** In milliseconds: so long it is waited for the job of a run that has been answered. */
const waitForJob = 60_000;

/** What a worker does with what comes behind its job. */
export interface JobHandler {
  /** Gives what it is answered with. */
  onMessage(message: ToWorker, bytes: Buffer): Promise<object>;
}

interface WhoListens {
  /** Its own among all workers. */
  readonly worker: string;
  /** As people call it. */
  readonly name: string;
  readonly cores: number;
}

interface OpenCall {
  readonly offer: string;
  readonly channel: SealedChannel;
  handler: JobHandler | undefined;
}

/** Hears of runs that look for workers, and takes one job at a time. */
export class JobListener<Work> {
  readonly #calls = new Map<string, OpenCall>();
  #isBusy = false;
  #end: (() => void) | undefined;

  constructor(
    readonly queue: Queue,
    readonly gate: JobGate,
    readonly who: WhoListens,
    /** Begins with a job; `ended` is to be called once there is nothing more of it. */
    readonly onJob: (job: Job<Work>, channel: SealedChannel, ended: () => void) => JobHandler,
    /** Hears why something that came was not taken. */
    readonly onRefused: (why: string) => void,
  ) {}

  listen(): void {
    this.#end = this.queue.answer(offersSubject, async data => this.#answerCall(data));
  }

  /** Takes no more jobs. */
  close(): void {
    this.#end?.();
  }

  get isBusy(): boolean {
    return this.#isBusy;
  }

  async #answerCall(data: Uint8Array): Promise<Uint8Array | undefined> {
    if (this.#isBusy) return undefined;
    const call = this.#open<Announcement>(() => JSON.parse(Buffer.from(data).toString('utf8')) as SignedJob);
    if (typeof call === 'string') {
      this.onRefused(call);
      return undefined;
    }
    if (!/^[0-9a-f]{1,64}$/.test(call.run)) return undefined;
    const { worker, name, cores } = this.who;
    const { offer } = this.#calls.get(call.run) ?? this.#answer(call);
    const available: Availability = { worker, name, offer, cores, tool: `mervok ${version}` };
    return Buffer.from(JSON.stringify(available));
  }

  #answer({ run, offer }: Announcement): OpenCall {
    const agreement = new KeyAgreement();
    const subjects = subjectsOf(run, this.who.worker);
    const ends = { toOther: subjects.run, toOwn: subjects.worker, about: run };
    const key = agreement.agree(offer, `${run} ${this.who.worker}`);
    const open: OpenCall = {
      offer: agreement.offer,
      channel: new SealedChannel(this.queue, key, ends, async data => {
        const { message, bytes } = decode<ToWorker>(data);
        return encode(await this.#take(run, open, message, bytes));
      }),
      handler: undefined,
    };
    this.#calls.set(run, open);
    setTimeout(() => {
      if (!open.handler) this.#forget(run);
    }, waitForJob).unref();
    return open;
  }

  async #take(run: string, open: OpenCall, message: ToWorker, bytes: Buffer): Promise<object> {
    if (open.handler) return open.handler.onMessage(message, bytes);
    const refuse = (refused: string): Answer => {
      this.onRefused(refused);
      return { refused };
    };
    if (message.type !== 'job') return refuse('there is no job yet');
    if (this.#isBusy) return { refused: 'it carries out another run' } satisfies Answer;
    const job = this.#open<Job<Work>>(() => message.job);
    if (typeof job === 'string') return refuse(job);
    if (job.run !== run || job.worker !== this.who.worker) return refuse('it is meant for another worker');
    this.#isBusy = true;
    open.handler = this.onJob(job, open.channel, () => {
      this.#isBusy = false;
      this.#forget(run);
    });
    return {} satisfies Answer;
  }

  #forget(run: string): void {
    this.#calls.get(run)?.channel.close();
    this.#calls.delete(run);
  }

  /** What was signed, or why it is not taken. */
  #open<Signed extends Announcement | Job<Work>>(read: () => SignedJob): Signed | string {
    try {
      return this.gate.open<Signed>(read());
    } catch (error) {
      if (error instanceof RefusedJob) return error.message;
      return 'it is no job';
    }
  }
}
