import type { PageShare } from '../../core/analysis/page-shares.ts';
import type { RunEvent } from '../../core/model/events.ts';
import type { PageWorkers } from '../../core/runner/run-workers.ts';
import { inWords } from '../../core/text/words.ts';
import type { Machines } from './machines.ts';
import type { Attempt, FromWorker, MayBegin } from './messages.ts';
import type { ShareStream } from './share-stream.ts';
import type { WorkerLink } from './worker-link.ts';

type Hooks = Parameters<PageWorkers['carryOut']>[0];

/** Other machines that share the pages of a run. */
export class MachinesOfPages implements PageWorkers {
  readonly machines: number;

  constructor(
    readonly all: Machines,
    readonly stream: ShareStream,
    readonly shares: readonly PageShare[],
  ) {
    this.machines = all.links.length;
  }

  carryOut(hooks: Hooks): ReturnType<PageWorkers['carryOut']> {
    return new PagesOnMachines(this, hooks).carryOut();
  }
}

/** A share as one of them carries it out. */
interface OpenAttempt {
  readonly link: WorkerLink;
  readonly share: number;
  readonly lines: string[];
  hasEnded: boolean;
}

/** So often a share is begun at the most; what takes its machines down with it is not handed out for ever. */
const mostAttempts = 4;
/** In milliseconds: between two tries to hand out a share. */
const tryEvery = 250;

class PagesOnMachines {
  /** By the worker and its own number of the attempt. */
  readonly #attempts = new Map<string, OpenAttempt>();
  /** The attempt that counts, by the share. */
  readonly #finished = new Map<number, OpenAttempt>();
  readonly #handedOut = new Set<number>();
  readonly #missing: string[] = [];
  readonly #ended = new Set<WorkerLink>();
  #resolve: () => void = () => undefined;
  #isOver = false;

  constructor(
    readonly machines: MachinesOfPages,
    readonly hooks: Hooks,
  ) {}

  async carryOut(): Promise<{ missing: string[]; leftBehind: string[] }> {
    const { all } = this.machines;
    all.onMessage = (message, link) => this.#hear(message, link);
    all.onLost = link => this.#lose(link);
    const ended = new Promise<void>(resolve => {
      this.#resolve = resolve;
    });
    for (const link of all.there) link.tell({ type: 'go', begin: 0 });
    const unfollow = all.follow(this.hooks);
    try {
      this.#look();
      await ended;
      await all.released();
      this.#noteUnfinished();
      return { missing: this.#missing, leftBehind: this.#leftBehind() };
    } finally {
      this.#isOver = true;
      unfollow();
    }
  }

  #hear(message: FromWorker, link: WorkerLink): object | undefined {
    switch (message.type) {
      case 'begun':
        return { begin: this.#mayBegin(link, message.attempt) } satisfies MayBegin;
      case 'lines':
        if (message.attempt) this.#attempt(link, message.attempt).lines.push(...message.lines);
        break;
      case 'done':
        this.#finish(this.#attempt(link, message.attempt), message.isWhole);
        break;
      case 'stopped':
        this.hooks.control.stop(message.reason);
        break;
      case 'ended':
        this.#missing.push(...message.missing);
        this.#ended.add(link);
        if (message.left) link.closeSoon();
        break;
      case 'refused':
        this.#missing.push(`${link.name} could not go on: ${message.why}`);
        this.#ended.add(link);
        break;
      default:
        // Users alone wait for turns and are counted.
        break;
    }
    this.#look();
    return undefined;
  }

  /** The queue may give a share twice, and others may put there what they have seen. */
  #mayBegin(link: WorkerLink, attempt: Attempt): MayBegin['begin'] {
    if (this.#finished.has(attempt.share) || !this.#handedOut.has(attempt.share)) return 'never';
    const isAtWork = [...this.#attempts.values()].some(
      other => other.share === attempt.share && !other.hasEnded && !this.#isGone(other.link),
    );
    if (isAtWork || this.hooks.control.isOver) return 'not yet';
    this.#attempt(link, attempt);
    return 'now';
  }

  #attempt(link: WorkerLink, { share, number }: Attempt): OpenAttempt {
    const key = `${this.machines.all.links.indexOf(link)} ${number}`;
    const known = this.#attempts.get(key);
    if (known) return known;
    const attempt = { link, share, lines: [], hasEnded: false };
    this.#attempts.set(key, attempt);
    return attempt;
  }

  /** The first whole one of a share counts; where everything is to end, also one that was ended. */
  #finish(attempt: OpenAttempt, isWhole: boolean): void {
    attempt.hasEnded = true;
    const { control, onEvent } = this.hooks;
    const counts = isWhole || control.isOver;
    if (!counts || this.#finished.has(attempt.share)) return;
    this.#finished.set(attempt.share, attempt);
    const lines = attempt.lines.splice(0);
    this.machines.all.hold(() => {
      for (const line of lines) onEvent(JSON.parse(attempt.link.atOwnTime(line)) as RunEvent);
    });
  }

  #lose(link: WorkerLink): void {
    this.#ended.add(link);
    this.#look();
  }

  /** What comes next: shares to hand out, or the end. */
  #look(): void {
    const { all, shares } = this.machines;
    const { control } = this.hooks;
    const isDone = this.#finished.size === shares.length && !control.isOver;
    const areGone = all.links.every(link => this.#isGone(link));
    const isHopeless =
      !control.isOver && [...this.#open()].some(share => this.#lostOf(share) >= mostAttempts);
    if (isDone || areGone || isHopeless) {
      this.#resolve();
      return;
    }
    if (control.isOver) return;
    const together = [...shares.keys()].filter(share => !shares[share]!.alone);
    for (const share of together) this.#handOut(share);
    // Those that run alone come behind all others, one after the other.
    if (!together.every(share => this.#finished.has(share))) return;
    const next = [...shares.keys()].find(share => shares[share]!.alone && !this.#finished.has(share));
    if (next !== undefined) this.#handOut(next);
  }

  #isGone(link: WorkerLink): boolean {
    return link.isGone || this.#ended.has(link);
  }

  *#open(): Generator<number> {
    for (const share of this.machines.shares.keys()) if (!this.#finished.has(share)) yield share;
  }

  /** How many attempts at a share came to nothing. */
  #lostOf(share: number): number {
    const own = [...this.#attempts.values()].filter(each => each.share === share);
    return own.filter(({ hasEnded, link }) => hasEnded || this.#isGone(link)).length;
  }

  #handOut(share: number): void {
    if (this.#handedOut.has(share)) return;
    this.#handedOut.add(share);
    const go = async () => {
      while (!this.#isOver && !this.hooks.control.isOver)
        try {
          await this.machines.stream.add(share);
          return;
        } catch {
          // The queue is away for a while.
          await new Promise(resume => setTimeout(resume, tryEvery));
        }
    };
    void go();
  }

  #noteUnfinished(): void {
    if (this.hooks.control.isOver) return;
    const pages = [...this.#open()].flatMap(share => this.machines.shares[share]!.pages);
    if (pages.length === 0) return;
    const isLast = this.machines.all.links.every(link => this.#isGone(link));
    const why = isLast
      ? 'no worker is left'
      : `it was begun ${mostAttempts} times, and never came to its end`;
    this.#missing.push(`${inWords(pages)} ${pages.length === 1 ? 'is' : 'are'} missing: ${why}.`);
  }

  /** Of attempts whose end nobody has heard of: what they had come to. */
  #leftBehind(): string[] {
    return [...this.#attempts.values()].flatMap(attempt => {
      if (attempt.hasEnded) return [];
      const { link, share, lines } = attempt;
      const counted = this.#finished.get(share);
      const pages = inWords(this.machines.shares[share]!.pages);
      const again = counted ? `; ${counted.link.name} ran it again from the beginning` : '';
      const last = lastCase(lines);
      const heard =
        last === undefined ? 'nothing had been heard of it' : `it was last heard of behind ${last}`;
      return [
        `${link.name} ${this.#isGone(link) ? 'was lost' : 'fell behind'} with ${pages}${again}. What it had made may still be there: ${heard}.`,
      ];
    });
  }
}

function lastCase(lines: readonly string[]): string | undefined {
  for (const line of lines.toReversed()) {
    const event = JSON.parse(line) as RunEvent;
    if (event.type === 'case') return event.case;
  }
  return undefined;
}
