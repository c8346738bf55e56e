import type { LoadShare } from '../core/runner/load/arrivals.ts';
import type { PageTurns } from '../core/runner/page-lock.ts';
import { RunControl } from '../core/runner/run-control.ts';
import type { FromWorker, Secrets } from '../platform/queue/messages.ts';
import { ThreadsOfRun } from '../platform/threads/run-on-threads.ts';
import type { JobSurroundings, PartOfJob } from './job-part.ts';
import type { ThreadWork } from './thread-work.ts';

/** A share of the users of a run, carried out by the threads of this machine; and what others have lost of theirs. */
export class LoadJob implements PartOfJob {
  readonly #control = new RunControl(new AbortController().signal);
  readonly #cleanUp = new AbortController();
  readonly #turns: RemoteTurns;
  readonly #all: ThreadsOfRun<ThreadWork>[] = [];
  readonly #ended: Promise<void>[] = [];
  readonly #missing: string[] = [];
  #begin = 0;
  #hasLeft = false;
  #lag: number | undefined;
  #first: ThreadsOfRun<ThreadWork> | undefined;

  constructor(readonly surroundings: JobSurroundings) {
    this.#turns = new RemoteTurns(surroundings.tell);
    this.#control.overSignal.addEventListener('abort', () => {
      const { stopped } = this.#control;
      if (stopped && !this.#hasLeft) surroundings.tell({ type: 'stopped', reason: stopped });
    });
  }

  async prepare(): Promise<number> {
    const { work, threads } = this.surroundings;
    this.#first = await this.#open(work.share!, threads);
    return threads;
  }

  async go(begin: number): Promise<void> {
    this.#begin = begin;
    this.#carryOut(this.#first!);
    // Shares of others may come while it goes.
    for (let at = 0; at < this.#ended.length; at++) await this.#ended[at];
    this.surroundings.tell({
      type: 'ended',
      ...(this.#lag !== undefined && { lag: this.#lag }),
      missing: this.#missing,
      ...(this.#hasLeft && { left: true }),
    });
  }

  async take(share: LoadShare): Promise<void> {
    const opening = this.#open(share, 1).then(threads => this.#carryOut(threads));
    this.#ended.push(opening);
    await opening;
  }

  stop(reason: Parameters<PartOfJob['stop']>[0]): void {
    this.#control.stop(reason);
  }

  leave(): void {
    this.#hasLeft = !this.#control.isOver;
    this.#control.stop('interrupt');
  }

  end(): void {
    this.#cleanUp.abort();
  }

  turn(page: number): void {
    this.#turns.onTurn(page);
  }

  secrets(): Secrets {
    const added: string[] = [];
    const retired: string[] = [];
    for (const { secrets } of this.#all)
      secrets?.take(
        secret => added.push(secret),
        gone => retired.push(...gone),
      );
    return { added, retired };
  }

  async close(): Promise<void> {
    await Promise.all(this.#all.map(each => each.close()));
  }

  async #open(share: LoadShare, count: number): Promise<ThreadsOfRun<ThreadWork>> {
    const { work, input, fences, environment, tell } = this.surroundings;
    const { options, seed, rowNumbers, tells } = work;
    const threads = await ThreadsOfRun.started<ThreadWork>({
      count,
      program: new URL('./cli-run-thread.cjs', import.meta.url),
      workOf: () => ({ input, options, seed, rowNumbers, tells, segment: undefined, share, fences }),
      onProblem: problem => tell({ type: 'ended', missing: [problem] }),
      turns: this.#turns,
      environment,
      listens: true,
    });
    this.#all.push(threads);
    return threads;
  }

  #carryOut(threads: ThreadsOfRun<ThreadWork>): void {
    const { tell, name } = this.surroundings;
    const hooks = {
      ...{ begin: this.#begin, control: this.#control, cleanUpSignal: this.#cleanUp.signal },
      onFigures: (figures: Extract<FromWorker, { type: 'figures' }>['figures']) =>
        tell({ type: 'figures', figures }),
      onTold: (lines: readonly string[]) => tell({ type: 'lines', lines }),
    };
    const ended = threads.carryOut(hooks).then(({ lag, missing }) => {
      if (lag !== undefined) this.#lag = Math.max(lag, this.#lag ?? 0);
      this.#missing.push(...missing.map(each => `On ${name}: ${each}`));
    });
    this.#ended.push(ended);
  }
}

/** Pages wait for their turn where the pages of all machines do. */
class RemoteTurns implements PageTurns {
  #pages = 0;
  readonly #waiting = new Map<number, () => void>();

  constructor(readonly tell: (message: FromWorker) => void) {}

  async enter(alone: boolean): Promise<() => void> {
    const page = ++this.#pages;
    await new Promise<void>(resume => {
      this.#waiting.set(page, resume);
      this.tell({ type: 'turn', page, alone });
    });
    return () => this.tell({ type: 'left', page });
  }

  onTurn(page: number): void {
    this.#waiting.get(page)?.();
    this.#waiting.delete(page);
  }
}
