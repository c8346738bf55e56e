import type { Plan, PlannedCase, PlannedPage, PlannedRows } from '../analysis/plan.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { EventOf, RunEvent } from '../model/events.ts';
import { NamedValues } from '../secrecy/named-values.ts';
import { type Lane, OrderedEvents } from './ordered-events.ts';
import { brokenOff, type TableRow, type TakenRow, takeRow, takeRows } from './rows.ts';
import { rowsRequest } from './rows-request.ts';
import { runCase } from './run-case.ts';
import { type CaseOutcomes, type IterationBase, RunContext } from './run-context.ts';
import type { RunControl } from './run-control.ts';
import { IterationScope, type PageScope } from './scope.ts';

/** A page that has run. */
interface RunPage {
  readonly page: PlannedPage;
  readonly scope: PageScope;
  /** What it ran for. */
  readonly row?: TakenRow;
}

/** A lane with its number in the record. */
interface NumberedLane extends Lane<RunEvent> {
  readonly number: number;
}

/** A page that runs, or that is cleaned up, at the same time as others. */
interface Job {
  /** Pages that must have run. */
  readonly needs: readonly string[];
  readonly lane: NumberedLane;
  readonly go: (lane: NumberedLane) => Promise<void>;
  /** The page that has run then. */
  readonly file: string | undefined;
}

/** One iteration over the selection. */
export class Iteration {
  readonly #scope: IterationScope;
  readonly #values: NamedValues;
  readonly #row: TakenRow | undefined;
  readonly #ended: CaseOutcomes = new Map();
  /** Pages that are cleaned up before the end, the latest first, and those that have been. */
  #early: readonly PlannedPage[] | undefined;
  readonly #cleaned = new Set<PlannedPage>();

  constructor(
    readonly plan: Plan,
    /** What the iteration is for one row of. */
    row: TableRow | undefined,
    readonly control: RunControl,
    readonly base: IterationBase,
  ) {
    this.#values = new NamedValues(plan.secretNames, base.masker, 'passing');
    this.#row = row && takeRow(row, this.#values);
    this.#scope = new IterationScope(plan, base.ports.external, {
      values: this.#values,
      row: this.#row?.entries,
      chanceFor: name => this.#chanceFor(`{${name}}`),
    });
  }

  readonly #emit = (event: RunEvent) => this.base.output.emit(event, this.base.masker);

  async run(): Promise<void> {
    const { jobs = 1 } = this.base.options;
    if (jobs > 1) await this.#runSeveral(jobs);
    else
      for (const page of this.plan.pages) {
        await this.#runPage(page, this.#contextOf(page));
        for (const each of this.#toCleanAfter(page)) await this.#cleanUpEarly(each, this.#emit);
      }
    await this.#cleanUp();
  }

  /** Of the pages that need not wait for the end, those whose last user a page is; the latest first. */
  #toCleanAfter({ file }: PlannedPage): readonly PlannedPage[] {
    const { pages } = this.plan;
    this.#early ??= pages.filter(({ cleanedAfter }) => cleanedAfter !== undefined).reverse();
    if (this.#early.length === 0) return this.#early;
    const last = (each: PlannedPage) =>
      pages.findLast(other => other === each || each.cleanedAfter!.includes(other.file))!;
    return this.#early.filter(each => last(each).file === file);
  }

  /** The earliest page that can run goes first, as long as fewer run than may at once. */
  async #runSeveral(jobs: number): Promise<void> {
    const order = new OrderedEvents((event: RunEvent) => this.base.output.tell(event));
    const job = (
      needs: readonly string[],
      go: (lane: NumberedLane) => Promise<void>,
      file?: string,
    ): Job => ({
      needs,
      lane: { ...order.lane(), number: this.base.lanes.next++ },
      go,
      file,
    });
    // Each has its place among the others before any of them begins.
    const waiting = this.plan.pages.flatMap(page => [
      job(page.sources, lane => this.#runPage(page, this.#contextOf(page, lane)), page.file),
      ...this.#toCleanAfter(page).map(each =>
        job([each.file, ...each.cleanedAfter!], lane => this.#cleanUpEarly(each, this.#emitterFor(lane))),
      ),
    ]);
    const open = new Set(this.plan.pages.map(({ file }) => file));
    const running = new Set<Promise<void>>();
    try {
      while (waiting.length > 0 || running.size > 0) {
        const at = waiting.findIndex(({ needs }) => !needs.some(file => open.has(file)));
        if (at >= 0 && running.size < jobs) {
          const [{ lane, go, file }] = waiting.splice(at, 1) as [Job];
          const going: Promise<void> = go(lane)
            .finally(() => lane.end())
            .then(() => {
              if (file !== undefined) open.delete(file);
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

  #contextOf(page: PlannedPage, lane?: NumberedLane): RunContext {
    const { control, base } = this;
    return new RunContext(base, {
      signal: control.signal,
      clockAndRandom: this.#chanceFor(page.file),
      emit: lane ? this.#emitterFor(lane) : this.#emit,
      control,
      lane,
    });
  }

  #emitterFor({ number, ...lane }: NumberedLane): RunContext['emit'] {
    const { masker, output } = this.base;
    return event => lane.emit(output.record(masker.deep(event), number));
  }

  /** The chance of a page, or of a variable that is computed. */
  #chanceFor(what: string): ClockAndRandom {
    const { user = 1, round } = this.base.chance ?? this.base.eventContext;
    return this.base.ports.clockAndRandomFor(user, round, this.#row?.recorded.number ?? 0, what);
  }

  async #runPage(page: PlannedPage, context: RunContext): Promise<void> {
    if (context.isOver) return;
    const leave = await this.base.lock?.enter(page.alone === true);
    try {
      if (!context.isOver) await this.#runPageNow(page, context);
    } finally {
      leave?.();
    }
  }

  async #runPageNow(page: PlannedPage, context: RunContext): Promise<void> {
    if (page.rows) {
      await this.#runPageRows(page, page.rows, context);
      return;
    }
    const scope = this.#scope.openPage(page, context.ports.operations);
    await this.#runCases(page, scope, this.#ended, context);
  }

  /** Each row is an iteration of its own for the page, with its own names and cookies, cleaned up behind. */
  async #runPageRows(page: PlannedPage, rows: PlannedRows, context: RunContext): Promise<void> {
    const worst: CaseOutcomes = new Map();
    const add = (address: string, outcome: Parameters<CaseOutcomes['set']>[1]) => {
      if ((worst.get(address)?.outcome ?? 'passed') === 'passed') worst.set(address, outcome);
    };
    try {
      for await (const row of takeRows(rows, this.#values, () =>
        rowsRequest(this.#scope, page.variables, context),
      )) {
        if (context.isOver) break;
        for (const [address, outcome] of await this.#runPageRow(page, row, context)) add(address, outcome);
      }
    } catch (error) {
      const [told, event] = brokenOff(page, context.eventContext, error);
      context.emit(told);
      context.emit(event);
      add(event.case, event);
      context.onFailure();
    }
    for (const [address, outcome] of worst) this.#ended.set(address, outcome);
  }

  async #runPageRow(page: PlannedPage, row: TakenRow, context: RunContext): Promise<CaseOutcomes> {
    const scope = this.#scope.openPage(page, context.ports.operations, row.entries);
    const ended: CaseOutcomes = new Map(this.#ended);
    await this.#runCases(page, scope, ended, context, row);
    await this.#cleanUpPage({ page, scope, row }, ended, context.emit);
    return new Map(
      page.cases.flatMap(({ address }) => (ended.has(address) ? [[address, ended.get(address)!]] : [])),
    );
  }

  /** A page of which only what cleans up has been chosen has nothing to say yet. */
  async #runCases(
    page: PlannedPage,
    scope: PageScope,
    ended: CaseOutcomes,
    context: RunContext,
    row?: TakenRow,
  ): Promise<void> {
    if (page.cases.some(({ cleanup }) => !cleanup)) this.#tellPage(page, context, { row });
    for (const planned of page.cases) {
      if (context.isOver) return;
      if (!planned.cleanup) await runCase(planned, scope, ended, context);
    }
  }

  #tellPage(
    { file, title }: PlannedPage,
    { emit, eventContext }: RunContext,
    { row, cleanup }: { readonly row?: TakenRow | undefined; readonly cleanup?: boolean } = {},
  ) {
    const event: EventOf<'page'> = { type: 'page', ...eventContext, file, title };
    if (this.#row || row) event.rows = [this.#row, row].flatMap(each => each?.recorded ?? []);
    if (cleanup) event.cleanup = cleanup;
    emit(event);
  }

  /** At the end of an iteration, also where it was interrupted: the latest page first. */
  async #cleanUp(): Promise<void> {
    for (const page of this.plan.pages.toReversed()) {
      if (!this.#cleaned.has(page)) await this.#cleanUpWhole(page, this.#emit);
    }
  }

  /** Before the end; where the run is over, it is left to that. */
  async #cleanUpEarly(page: PlannedPage, emit: RunContext['emit']): Promise<void> {
    if (this.control.isOver) return;
    this.#cleaned.add(page);
    await this.#cleanUpWhole(page, emit);
  }

  async #cleanUpWhole(page: PlannedPage, emit: RunContext['emit']): Promise<void> {
    const scope = page.rows ? undefined : this.#scope.page(page.file);
    if (!scope) return;
    const leave = await this.base.lock?.enter(page.alone === true);
    try {
      await this.#cleanUpPage({ page, scope }, this.#ended, emit);
    } finally {
      leave?.();
    }
  }

  async #cleanUpPage(
    { page, scope, row }: RunPage,
    ended: CaseOutcomes,
    emit: RunContext['emit'],
  ): Promise<void> {
    const cases: PlannedCase[] = page.cases.filter(({ cleanup }) => cleanup);
    if (cases.length === 0) return;
    const { cleanUpSignal = this.control.signal } = this.base.options;
    const context = new RunContext(this.base, {
      signal: cleanUpSignal,
      clockAndRandom: this.#chanceFor(page.file),
      emit,
      control: undefined,
      lane: undefined,
    });
    this.#tellPage(page, context, { row, cleanup: true });
    for (const planned of cases) {
      if (context.isOver) return;
      await runCase(planned, scope, ended, context);
    }
  }
}
