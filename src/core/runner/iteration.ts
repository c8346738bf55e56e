import type { Plan, PlannedCase, PlannedPage, PlannedRows } from '../analysis/plan.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { CaseEvent, EventOf, RunEvent } from '../model/events.ts';
import type { Masker } from '../secrecy/masker.ts';
import { type Lane, OrderedEvents } from './ordered-events.ts';
import type { Ports } from './ports.ts';
import type { ResponseQueue } from './response-queue.ts';
import { brokenOff, type TakenRow, takeRows } from './rows.ts';
import type { RunOptions } from './run.ts';
import { runCase } from './run-case.ts';
import type { RunControl } from './run-control.ts';
import { IterationScope, type PageScope } from './scope.ts';

/** What an iteration knows of the cases that have ended. */
export type CaseOutcomes = Map<string, Pick<CaseEvent, 'outcome' | 'blocked'>>;

/** What every event of an iteration says. */
export interface EventContext {
  readonly round: number;
  /** From 1, where there are several. */
  readonly user?: number;
}

/** What all cases of an iteration have to do with. */
interface IterationBase {
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly eventContext: EventContext;
  /** Whether the user has begun with a case. */
  readonly pace: { begun: boolean };
  /** The addresses of cases whose prose has been told. */
  readonly explained: Set<string>;
  /** Where several run at the same time. */
  readonly queue?: ResponseQueue;
  /** Numbers the pages of a run that run at once. */
  readonly lanes: { next: number };
}

/** Who hears of what happens in an iteration. */
export interface EventOutput {
  readonly mask: (event: RunEvent) => RunEvent;
  /** Notes it in the record, and tells it. */
  readonly emit: (event: RunEvent) => void;
  /** Notes what happens in one of several pages that run at once. */
  readonly record: (event: RunEvent, lane: number) => void;
  /** Tells it when it is its turn. */
  readonly onEvent: (event: RunEvent) => void;
  /** What has to be kept of an event that waits for its turn. */
  readonly withoutBodies: (event: RunEvent) => RunEvent;
}

/** All that a case has to do with. One is made for each page of each iteration, so it holds no functions of its own. */
export class RunContext {
  readonly ports: Ports;
  readonly options: RunOptions;
  readonly masker: Masker;
  readonly eventContext: EventContext;
  readonly queue: ResponseQueue | undefined;
  readonly #explained: Set<string>;
  readonly #pace: IterationBase['pace'];

  constructor(
    base: IterationBase,
    /** Ends what is being waited for. */
    readonly signal: AbortSignal,
    /** The present, and the chance of this page. */
    readonly clockAndRandom: ClockAndRandom,
    readonly emit: (event: RunEvent) => void,
    /** Nothing where it cleans up: whatever has happened does not keep it from that. */
    readonly control?: RunControl,
    readonly lane?: Lane<RunEvent>,
  ) {
    this.ports = base.ports;
    this.options = base.options;
    this.masker = base.masker;
    this.eventContext = base.eventContext;
    this.queue = base.queue;
    this.#explained = base.explained;
    this.#pace = base.pace;
  }

  /** Whether nothing more is to be begun. */
  get isOver(): boolean {
    return this.control ? this.control.stopped !== undefined : this.signal.aborted;
  }

  /** Waits where that is wanted between two cases, or where too much has been said that nobody has heard yet. */
  beforeCase(): Promise<void> | undefined {
    const { pause } = this.options;
    const isFirst = !this.#pace.begun;
    this.#pace.begun = true;
    if (pause === undefined || isFirst) return this.lane?.room();
    return this.ports.sleep(pause, this.signal).then(() => this.lane?.room());
  }

  /** What the page says of a case that did not pass; once in a run. */
  proseOf({ address, prose }: PlannedCase): string | undefined {
    if (this.#explained.has(address)) return undefined;
    this.#explained.add(address);
    const text = prose();
    return text === '' ? undefined : text;
  }

  onFailure(): void {
    if (this.options.failFast) this.control?.stop('failure');
  }
}

/** One iteration over the selection. */
export class Iteration {
  readonly #scope: IterationScope;
  readonly #ended: CaseOutcomes = new Map();

  constructor(
    readonly plan: Plan,
    /** What the iteration is for one row of. */
    readonly row: TakenRow | undefined,
    readonly control: RunControl,
    readonly base: IterationBase & EventOutput,
  ) {
    const { masker, ports } = base;
    for (const { value, secret } of row?.entries.values() ?? [])
      if (secret) masker.addValue(value, 'passing');
    const onSecret = (value: Parameters<Masker['addValue']>[0]) => masker.addValue(value, 'passing');
    const { user = 1, round } = base.eventContext;
    const chanceFor = (name: string) =>
      ports.clockAndRandomFor(user, round, row?.recorded.number ?? 0, `{${name}}`);
    this.#scope = new IterationScope(plan, ports.external, onSecret, row?.entries, chanceFor);
  }

  readonly #emit = (event: RunEvent) => this.base.emit(this.base.mask(event));

  async run(): Promise<void> {
    const { jobs = 1 } = this.base.options;
    if (jobs > 1) await this.#runSeveral(jobs);
    else for (const page of this.plan.pages) await this.#runPage(page, this.#contextOf(page));
    await this.#cleanUp();
  }

  /** The earliest page that can run goes first, as long as fewer run than may at once. */
  async #runSeveral(jobs: number): Promise<void> {
    const order = new OrderedEvents(this.base.onEvent);
    const waiting = this.plan.pages.map(page => ({ page, lane: order.lane() }));
    const open = new Set(waiting.map(({ page }) => page.file));
    const running = new Set<Promise<void>>();
    try {
      while (waiting.length > 0 || running.size > 0) {
        const at = waiting.findIndex(({ page }) => !page.sources.some(source => open.has(source)));
        if (at >= 0 && running.size < jobs) {
          const [{ page, lane }] = waiting.splice(at, 1) as [(typeof waiting)[number]];
          const going: Promise<void> = this.#runPage(page, this.#contextOf(page, lane))
            .finally(() => lane.end())
            .then(() => {
              open.delete(page.file);
              running.delete(going);
            });
          running.add(going);
        } else if (running.size > 0) await Promise.race(running);
        else throw new Error('No page can run before another one.');
      }
    } finally {
      // Where one of them threw, nothing of the others may be left behind.
      await Promise.allSettled(running);
    }
  }

  #contextOf(page: PlannedPage, lane?: Lane<RunEvent>): RunContext {
    const { control, base } = this;
    if (!lane) return new RunContext(base, control.signal, this.#chanceOf(page), this.#emit, control);
    const number = base.lanes.next++;
    const emit = (event: RunEvent) => {
      const masked = base.mask(event);
      base.record(masked, number);
      lane.emit(base.withoutBodies(masked));
    };
    return new RunContext(base, control.signal, this.#chanceOf(page), emit, control, lane);
  }

  #chanceOf({ file }: PlannedPage): ClockAndRandom {
    const { user = 1, round } = this.base.eventContext;
    return this.base.ports.clockAndRandomFor(user, round, this.row?.recorded.number ?? 0, file);
  }

  async #runPage(page: PlannedPage, context: RunContext): Promise<void> {
    if (context.isOver) return;
    if (page.rows) {
      await this.#runPageRows(page, page.rows, context);
      return;
    }
    const scope = this.#scope.openPage(page, context.ports.openJar);
    this.#tellPage(page, context);
    await this.#runCases(page, scope, this.#ended, context);
  }

  /** Each row is an iteration of its own for the page, with its own names and cookies, cleaned up behind. */
  async #runPageRows(page: PlannedPage, rows: PlannedRows, context: RunContext): Promise<void> {
    const worst: CaseOutcomes = new Map();
    const add = (address: string, outcome: Parameters<CaseOutcomes['set']>[1]) => {
      if ((worst.get(address)?.outcome ?? 'passed') === 'passed') worst.set(address, outcome);
    };
    try {
      for await (const row of takeRows(rows, name => this.#scope.isSecret(name))) {
        if (context.isOver) break;
        for (const [address, outcome] of await this.#runPageRow(page, row, context)) add(address, outcome);
      }
    } catch (error) {
      const [told, event] = brokenOff(page, context.eventContext, rows, error);
      context.emit(told);
      context.emit(event);
      add(event.case, event);
      context.onFailure();
    }
    for (const [address, outcome] of worst) this.#ended.set(address, outcome);
  }

  async #runPageRow(page: PlannedPage, row: TakenRow, context: RunContext): Promise<CaseOutcomes> {
    const scope = this.#scope.openPage(page, context.ports.openJar, row.entries);
    for (const { value, secret } of row.entries.values())
      if (secret) context.masker.addValue(value, 'passing');
    const ended: CaseOutcomes = new Map(this.#ended);
    this.#tellPage(page, context, row);
    await this.#runCases(page, scope, ended, context);
    await this.#cleanUpPage(page, scope, ended, context.emit, row);
    return new Map(
      page.cases.flatMap(({ address }) => (ended.has(address) ? [[address, ended.get(address)!]] : [])),
    );
  }

  async #runCases(
    page: PlannedPage,
    scope: PageScope,
    ended: CaseOutcomes,
    context: RunContext,
  ): Promise<void> {
    for (const planned of page.cases) {
      if (context.isOver) return;
      if (!planned.cleanup) await runCase(planned, scope, ended, context);
    }
  }

  #tellPage(
    { file, title }: PlannedPage,
    { emit, eventContext }: RunContext,
    row?: TakenRow,
    cleanup = false,
  ) {
    const event: EventOf<'page'> = { type: 'page', ...eventContext, file, title };
    if (this.row || row) event.rows = [this.row, row].flatMap(each => each?.recorded ?? []);
    if (cleanup) event.cleanup = cleanup;
    emit(event);
  }

  /** At the end of an iteration, also where it was interrupted: the latest page first. */
  async #cleanUp(): Promise<void> {
    for (const page of this.plan.pages.toReversed()) {
      const scope = page.rows ? undefined : this.#scope.page(page.file);
      if (scope) await this.#cleanUpPage(page, scope, this.#ended, this.#emit);
    }
  }

  async #cleanUpPage(
    page: PlannedPage,
    scope: PageScope,
    ended: CaseOutcomes,
    emit: RunContext['emit'],
    row?: TakenRow,
  ): Promise<void> {
    const cases: PlannedCase[] = page.cases.filter(({ cleanup }) => cleanup);
    if (cases.length === 0) return;
    const { cleanUpSignal = this.control.signal } = this.base.options;
    const context = new RunContext(this.base, cleanUpSignal, this.#chanceOf(page), emit);
    this.#tellPage(page, context, row, true);
    for (const planned of cases) {
      if (context.isOver) return;
      await runCase(planned, scope, ended, context);
    }
  }
}
