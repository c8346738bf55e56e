import { elapsed } from '../clock.ts';
import { type Answer, type Clock, decode, encode, type FromWorker, type ToWorker } from './messages.ts';
import { NoAnswer } from './queue.ts';
import type { SealedChannel } from './sealed-channel.ts';

/** So often it is asked what time it is; the quickest answer counts. */
const looksAtClock = 8;

/** How far a clock of another machine is ahead of the same here, in milliseconds. */
export interface ClockOffset {
  readonly elapsed: number;
  readonly now: number;
  /** How long the quickest answer took: the offset is off by half of it at the most. */
  readonly roundTrip: number;
}

/** One worker of a run, as the machine that the run is started on sees it. */
export class WorkerLink {
  /** When it was heard last, by the clock that only goes forward. */
  lastHeard = elapsed();
  /** Whether nothing is expected of it any more. */
  isGone = false;
  threads = 1;
  offset: ClockOffset = { elapsed: 0, now: 0, roundTrip: 0 };
  /** Gives what the worker is answered with, where it is a question. */
  onMessage: (message: FromWorker) => object | undefined = () => undefined;
  channel: SealedChannel | undefined;

  constructor(
    readonly name: string,
    /** In milliseconds: so long it is tried to reach it. */
    readonly patience: number,
  ) {}

  /** Whatever it says, for its channel. */
  hear(data: Buffer): Uint8Array {
    if (this.isGone) throw new NoAnswer('it counts as lost');
    const { message } = decode<{ messages: FromWorker[] }>(data);
    this.lastHeard = elapsed();
    let answer: object | undefined;
    for (const each of message.messages) answer = this.onMessage(each) ?? answer;
    return encode(answer ?? {});
  }

  /** Throws NoAnswer. */
  async ask<Reply = Answer>(message: ToWorker, bytes?: Uint8Array): Promise<Reply> {
    if (!this.channel || this.isGone) throw new NoAnswer('it is gone');
    return decode<Reply>(await this.channel.ask(encode(message, bytes), this.patience)).message;
  }

  /** The same where it does not matter whether it is still there. */
  tell(message: ToWorker): void {
    this.ask(message).catch(() => undefined);
  }

  /** Throws NoAnswer. */
  async setClock(): Promise<void> {
    let best: ClockOffset | undefined;
    for (let look = 0; look < looksAtClock; look++) {
      const begin = elapsed();
      const here = Date.now();
      const there = await this.ask<Clock>({ type: 'clock' });
      const roundTrip = elapsed() - begin;
      if (best && best.roundTrip <= roundTrip) continue;
      best = {
        elapsed: there.elapsed - (begin + roundTrip / 2),
        now: there.now - (here + roundTrip / 2),
        roundTrip,
      };
    }
    this.offset = best!;
  }

  /** An event that it has told of, as a line, by the clock of this machine. */
  atOwnTime(line: string): string {
    const event = JSON.parse(line) as { at?: unknown };
    if (typeof event.at === 'number') event.at = Math.round(event.at - this.offset.now);
    return JSON.stringify(event);
  }

  /** It has said its last, and that is answered first. */
  closeSoon(): void {
    setImmediate(() => this.close());
  }

  close(): void {
    this.isGone = true;
    this.channel?.close();
  }
}
