import { elapsed } from '../clock.ts';
import { NoAnswer, type Queue } from './queue.ts';
import type { SealingKey } from './seal.ts';

/** In milliseconds: so long an answer is waited for before the same is sent again. */
const tryFor = 1500;
const pause = 200;
/** In bytes: the head of a message, with which one of how many, and which part of it. */
const headSize = 12;

/** What a channel is between. */
export interface ChannelEnds {
  /** Where what is said here is heard, and where this end hears. */
  readonly toOther: string;
  readonly toOwn: string;
  /** What everything that goes over it belongs to. */
  readonly about: string;
}

/**
 * Messages between two machines, each of which is answered. They arrive in order and once each, however often the queue
 * loses one or is away for a while; nobody else can read, change or repeat them.
 */
export class SealedChannel {
  #sent = 0;
  #last: Promise<unknown> = Promise.resolve();
  #taken = 0;
  #parts: Buffer[] = [];
  #reply: Promise<Uint8Array> | undefined;
  #isClosed = false;
  readonly #end: () => void;

  constructor(
    readonly queue: Pick<Queue, 'request' | 'answer' | 'room'>,
    readonly key: SealingKey,
    readonly ends: ChannelEnds,
    /** Gives what a message is answered with. */
    readonly onMessage: (message: Buffer) => Promise<Uint8Array> | Uint8Array,
  ) {
    this.#end = queue.answer(ends.toOwn, async data => this.#take(Buffer.from(data)));
  }

  /**
   * Says something, behind all that was said before, and gives the answer.
   * @param patience in milliseconds: so long it is tried. Throws NoAnswer.
   */
  ask(message: Uint8Array, patience: number): Promise<Buffer> {
    const asked = this.#last.then(() => this.#ask(message, patience));
    this.#last = asked.catch(() => undefined);
    return asked;
  }

  close(): void {
    this.#isClosed = true;
    this.#end();
  }

  async #ask(message: Uint8Array, patience: number): Promise<Buffer> {
    const number = ++this.#sent;
    const room = this.queue.room;
    const parts = Math.max(1, Math.ceil(message.length / room));
    let reply: Buffer = Buffer.alloc(0);
    for (let part = 0; part < parts; part++) {
      const content = message.subarray(part * room, (part + 1) * room);
      reply = await this.#askPart({ number, part, parts }, content, patience);
    }
    return reply;
  }

  async #askPart(head: Head, content: Uint8Array, patience: number): Promise<Buffer> {
    const about = `${this.ends.about} ${this.ends.toOther} ${head.number} ${head.part} ${head.parts}`;
    const data = Buffer.concat([written(head), this.key.seal(content, about)]);
    const until = elapsed() + patience;
    for (;;) {
      if (this.#isClosed) throw new NoAnswer('the channel is closed');
      const begin = elapsed();
      try {
        const reply = await this.queue.request(this.ends.toOther, data, Math.min(tryFor, patience));
        return this.key.open(reply, `${about} reply`);
      } catch (error) {
        if (elapsed() >= until)
          throw error instanceof NoAnswer ? error : new NoAnswer('the answer is not whole');
        if (elapsed() - begin < pause) await new Promise(resume => setTimeout(resume, pause));
      }
    }
  }

  async #take(data: Buffer): Promise<Uint8Array | undefined> {
    const head = headOf(data);
    if (!head) return undefined;
    const { number, part, parts } = head;
    const about = `${this.ends.about} ${this.ends.toOwn} ${number} ${part} ${parts}`;
    let content: Buffer;
    try {
      content = this.key.open(data.subarray(headSize), about);
    } catch {
      // Whoever sent it does not have the key.
      return undefined;
    }
    const answer = (reply: Uint8Array) => this.key.seal(reply, `${about} reply`);
    const isLast = part === parts - 1;
    // One that has come before was answered, and the answer was lost.
    if (number === this.#taken && isLast && this.#reply) return answer(await this.#reply);
    if (number !== this.#taken + 1) return undefined;
    this.#parts[part] = content;
    if (!isLast) return answer(new Uint8Array());
    const message = Buffer.concat(this.#parts);
    this.#parts = [];
    this.#taken = number;
    this.#reply = (async () => this.onMessage(message))();
    return answer(await this.#reply);
  }
}

interface Head {
  readonly number: number;
  readonly part: number;
  readonly parts: number;
}

function written({ number, part, parts }: Head): Buffer {
  const head = Buffer.alloc(headSize);
  for (const [index, value] of [number, part, parts].entries()) head.writeUInt32BE(value, 4 * index);
  return head;
}

function headOf(data: Buffer): Head | undefined {
  if (data.length <= headSize) return undefined;
  const [number, part, parts] = [0, 4, 8].map(at => data.readUInt32BE(at)) as [number, number, number];
  return part < parts && parts <= mostParts ? { number, part, parts } : undefined;
}

/** More of one message would be more than a collection may take. */
const mostParts = 4096;
