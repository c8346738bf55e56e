import {
  AckPolicy,
  type Consumer,
  type JetStreamManager,
  RetentionPolicy,
  StorageType,
} from '@nats-io/jetstream';
import { NoAnswer, type Queue } from './queue.ts';
import type { SealingKey } from './seal.ts';

// Shares of a run as a stream that each of them is taken from once: whoever has one keeps it by saying so again and again;
// of whom nothing is heard for the time of a lease, the share is given to another.

/** In milliseconds: what a run that is gone has left goes then. */
const longestLife = 24 * 3_600_000;
const answerWithin = 2000;
const prefix = 'mervok-';

function namesOf(run: string): { stream: string; subject: string; consumer: string } {
  return { stream: `${prefix}${run}`, subject: `mervok.v1.run.${run}.shares`, consumer: 'workers' };
}

/** The side that hands shares out. */
export class ShareStream {
  private constructor(
    readonly queue: Queue,
    readonly run: string,
    readonly key: SealingKey,
  ) {}

  /** @param lease in milliseconds. Throws what the engine says. */
  static async open(queue: Queue, run: string, key: SealingKey, lease: number): Promise<ShareStream> {
    const { stream, subject, consumer } = namesOf(run);
    const manager = await queue.streams().manager();
    await removeOldOnes(manager);
    await manager.streams.add({
      name: stream,
      subjects: [subject],
      retention: RetentionPolicy.Workqueue,
      storage: StorageType.File,
      max_age: longestLife * 1e6,
    });
    await manager.consumers.add(stream, {
      durable_name: consumer,
      ack_policy: AckPolicy.Explicit,
      ack_wait: lease * 1e6,
    });
    return new ShareStream(queue, run, key);
  }

  /** Once, however often it is tried. Throws what the engine says. */
  async add(share: number): Promise<void> {
    const data = this.key.seal(Buffer.from(String(share)), aboutShare(this.run));
    await this.queue.streams().client.publish(namesOf(this.run).subject, data, { msgID: String(share) });
  }

  /** Throws what the engine says. */
  async remove(): Promise<void> {
    const manager = await this.queue.streams().manager();
    await manager.streams.delete(namesOf(this.run).stream);
  }
}

/** Those of runs that were killed, or that had lost the queue at their end. */
async function removeOldOnes({ streams }: JetStreamManager): Promise<void> {
  for await (const { config, created } of streams.list())
    if (config.name.startsWith(prefix) && Date.now() - Date.parse(created) > longestLife)
      await streams.delete(config.name).catch(() => undefined);
}

function aboutShare(run: string): string {
  return `${run} share`;
}

/** A share that was taken. */
export interface TakenShare {
  readonly share: number;
  /** For one more time of a lease. Throws NoAnswer. */
  keep(): Promise<void>;
  /** It is done: nobody is to do it again. Throws NoAnswer. */
  done(): Promise<void>;
  /** It is to be done by another, or later: after a while, in milliseconds. */
  giveBack(after?: number): void;
}

/** The side that takes them. */
export class ShareSource {
  #consumer: Consumer | undefined;

  constructor(
    readonly queue: Queue,
    readonly run: string,
    readonly key: SealingKey,
  ) {}

  /** The next one, or nothing for now. @param wait in milliseconds */
  async next(wait: number): Promise<TakenShare | undefined> {
    const { stream, consumer } = namesOf(this.run);
    try {
      this.#consumer ??= await this.queue.streams().client.consumers.get(stream, consumer);
      const message = await this.#consumer.next({ expires: Math.max(1000, wait) });
      if (!message) return undefined;
      let share: number;
      try {
        share = Number(this.key.open(message.data, aboutShare(this.run)).toString('utf8'));
      } catch {
        // Somebody has put there what is no share: nobody is to have it again.
        message.term();
        return undefined;
      }
      const say = (word: string) =>
        this.queue.request(replyOf(message), Buffer.from(word), answerWithin).then(() => undefined);
      return {
        share,
        keep: () => say('+WPI'),
        done: () => say('+ACK'),
        giveBack: after => message.nak(after),
      };
    } catch {
      // The queue is away for a while, or the stream is gone.
      this.#consumer = undefined;
      await new Promise(resume => setTimeout(resume, Math.min(wait, 250)));
      return undefined;
    }
  }
}

/** Where the engine hears what becomes of a message. */
function replyOf(message: object): string {
  const { reply } = message as { reply?: string };
  if (!reply) throw new NoAnswer('the message bears no address');
  return reply;
}
