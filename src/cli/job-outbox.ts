import { elapsed } from '../platform/clock.ts';
import { decode, encode, type FromWorker } from '../platform/queue/messages.ts';
import type { SealedChannel } from '../platform/queue/sealed-channel.ts';

/** In bytes, about: what is told in one go. */
const atOnce = 4 * 1024 * 1024;

/** What a worker has to say, told again and again, and in order; where there is nothing, that it is there. */
export class JobOutbox {
  /** When it was heard last, by the clock that only goes forward. */
  lastHeard = elapsed();
  #waiting: FromWorker[] = [];
  /** How many messages have been handed in and heard, and who waits for that. */
  #added = 0;
  #told = 0;
  #onTold: { readonly count: number; readonly resume: () => void }[] = [];
  #isOver = false;
  #wake: () => void = () => undefined;
  /** Until nobody hears it any more, or it is closed; tells whether everything was heard. */
  readonly ended: Promise<boolean>;

  constructor(
    readonly channel: Pick<SealedChannel, 'ask'>,
    /** In milliseconds: between one time and the next, and how long it is tried to be heard. */
    readonly times: { readonly every: number; readonly patience: number },
  ) {
    this.ended = this.#go();
  }

  add(message: FromWorker): void {
    this.#waiting.push(message);
    this.#added++;
  }

  /** Asks something by itself; nothing where nobody answers any more. */
  async ask<Reply>(message: FromWorker): Promise<Reply | undefined> {
    try {
      const answer = await this.channel.ask(encode({ messages: [message] }), this.times.patience);
      return decode<Reply>(answer).message;
    } catch {
      return undefined;
    }
  }

  /** Tells what there is at once. */
  hurry(): void {
    this.#wake();
  }

  /** Until everything that was handed in has been heard, or never will be. */
  async flushed(): Promise<void> {
    const count = this.#added;
    if (this.#told >= count) return;
    this.#wake();
    const told = new Promise<void>(resume => this.#onTold.push({ count, resume }));
    await Promise.race([told, this.ended]);
  }

  /** Tells the rest; there is nothing more then. */
  async close(): Promise<boolean> {
    this.#isOver = true;
    this.#wake();
    return this.ended;
  }

  async #go(): Promise<boolean> {
    for (;;) {
      await this.#pause();
      const isLast = this.#isOver;
      do {
        const messages = this.#take();
        try {
          await this.channel.ask(encode({ messages }), this.times.patience);
          this.lastHeard = elapsed();
          this.#noteTold(messages.length);
        } catch {
          return false;
        }
      } while (isLast && this.#waiting.length > 0);
      if (isLast) return true;
    }
  }

  #pause(): Promise<void> {
    return new Promise(resume => {
      const timer = setTimeout(resume, this.times.every);
      this.#wake = () => {
        clearTimeout(timer);
        resume();
      };
      if (this.#isOver) this.#wake();
    });
  }

  #noteTold(count: number): void {
    this.#told += count;
    for (const each of this.#onTold) if (each.count <= this.#told) each.resume();
    this.#onTold = this.#onTold.filter(each => each.count > this.#told);
  }

  /** As much as is told in one go, and something at any rate. */
  #take(): FromWorker[] {
    let size = 0;
    let count = 0;
    for (const message of this.#waiting) {
      size += message.type === 'lines' ? message.lines.reduce((sum, { length }) => sum + length, 0) : 100;
      if (count > 0 && size > atOnce) break;
      count++;
    }
    return this.#waiting.splice(0, count);
  }
}
