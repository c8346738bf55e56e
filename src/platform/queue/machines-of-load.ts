import type { LoadShare } from '../../core/runner/load/arrivals.ts';
import { PageLock } from '../../core/runner/page-lock.ts';
import type { RunWorkers } from '../../core/runner/run-workers.ts';
import { durationText } from '../../core/values/text.ts';
import { elapsed } from '../clock.ts';
import type { Machines } from './machines.ts';
import type { FromWorker } from './messages.ts';
import type { WorkerLink } from './worker-link.ts';

/** In milliseconds: so much later than others the last worker may hear that it goes on, besides the way there. */
const spare = 100;

/** Other machines that share the users of a run. */
export class MachinesOfLoad implements RunWorkers {
  readonly machines: number;
  readonly count: number;
  readonly headStart: number;
  readonly keepRecord = false;

  constructor(readonly all: Machines) {
    const { links } = all;
    this.machines = links.length;
    this.count = links.reduce((sum, { threads }) => sum + threads, 0);
    this.headStart = spare + 3 * Math.max(...links.map(({ offset }) => offset.roundTrip));
  }

  carryOut(hooks: Parameters<RunWorkers['carryOut']>[0]): ReturnType<RunWorkers['carryOut']> {
    return new LoadOnMachines(this.all, hooks).carryOut();
  }
}

/** What one of them has of the load, and how far it has come. */
interface Part {
  readonly shares: LoadShare[];
  /** In seconds since the run began: what has been told of. */
  told: number;
  hasEnded: boolean;
  readonly leave: Map<number, () => void>;
}

class LoadOnMachines {
  readonly #parts: ReadonlyMap<WorkerLink, Part>;
  readonly #missing: string[] = [];
  readonly #lock = new PageLock();
  #lag: number | undefined;
  #resolve: () => void = () => undefined;

  constructor(
    readonly all: Machines,
    readonly hooks: Parameters<RunWorkers['carryOut']>[0],
  ) {
    const of = all.links.length;
    this.#parts = new Map(
      all.links.map((link, index) => [
        link,
        { shares: [{ index, of }], told: 0, hasEnded: false, leave: new Map() },
      ]),
    );
  }

  async carryOut(): Promise<{ lag: number | undefined; missing: string[] }> {
    const { all, hooks } = this;
    const { begin } = hooks;
    all.onMessage = (message, link) => {
      this.#hear(message, link);
      return undefined;
    };
    all.onLost = link => this.#lose(link, 'was lost');
    const ended = new Promise<void>(resolve => {
      this.#resolve = resolve;
    });
    for (const link of all.there) link.tell({ type: 'go', begin: begin + link.offset.elapsed });
    const unfollow = all.follow(hooks);
    // One may have been lost since all were ready.
    for (const link of all.links) if (link.isGone) this.#lose(link, 'was lost');
    try {
      this.#look();
      await ended;
      await all.released();
      return { lag: this.#lag, missing: this.#missing };
    } finally {
      unfollow();
    }
  }

  #hear(message: FromWorker, link: WorkerLink): void {
    const part = this.#parts.get(link)!;
    const { onFigures, onTold, control } = this.hooks;
    switch (message.type) {
      case 'figures':
        part.told = Math.max(part.told, message.figures.from + 1000);
        onFigures(message.figures);
        break;
      case 'lines':
        this.all.hold(() => onTold(message.lines.map(line => link.atOwnTime(line))));
        break;
      case 'stopped':
        control.stop(message.reason);
        break;
      case 'turn':
        void this.#giveTurn(link, message);
        break;
      case 'left':
        part.leave.get(message.page)?.();
        part.leave.delete(message.page);
        break;
      case 'ended':
        this.#missing.push(...message.missing);
        if (message.lag !== undefined) this.#lag = Math.max(message.lag, this.#lag ?? 0);
        if (message.left) {
          this.#lose(link, 'has left');
          link.closeSoon();
        }
        part.hasEnded = true;
        this.#look();
        break;
      case 'refused':
        this.#missing.push(`${link.name} could not go on: ${message.why}`);
        this.#lose(link, 'has left');
        break;
      case 'ready':
      case 'begun':
      case 'done':
        break;
      default:
        message satisfies never;
    }
  }

  /** What it had is spread over the rest. */
  #lose(link: WorkerLink, how: string): void {
    const part = this.#parts.get(link)!;
    // Whoever has ended has nothing to lose any more.
    if (part.hasEnded) return;
    part.hasEnded = true;
    const now = Math.max(0, elapsed() - this.hooks.begin);
    for (const leave of part.leave.values()) leave();
    const rest = this.all.there.filter(each => each !== link && !this.#parts.get(each)!.hasEnded);
    const isOver = this.hooks.control.isOver || rest.length === 0;
    if (!isOver)
      for (const share of part.shares)
        for (const [place, other] of rest.entries()) {
          // Of every n-th of one, every m-th.
          const own = { index: share.index + share.of * place, of: share.of * rest.length, from: now };
          this.#parts.get(other)!.shares.push(own);
          other.tell({ type: 'take', share: own });
        }
    const then = isOver ? 'nobody took over its share' : `the others took over its share then`;
    this.#missing.push(
      `${link.name} ${how} ${roundText(now)} after the beginning: what it did after ${roundText(part.told)} is missing, and ${then}.`,
    );
    this.#look();
  }

  #look(): void {
    const isOver = [...this.#parts].every(([link, { hasEnded }]) => hasEnded || link.isGone);
    if (isOver) this.#resolve();
  }

  async #giveTurn(link: WorkerLink, { page, alone }: { page: number; alone: boolean }): Promise<void> {
    const leave = await this.#lock.enter(alone);
    const part = this.#parts.get(link)!;
    if (part.hasEnded) leave();
    else {
      part.leave.set(page, leave);
      link.tell({ type: 'turn', page });
    }
  }
}

function roundText(milliseconds: number): string {
  return durationText(Math.round(milliseconds / 100) * 100);
}
