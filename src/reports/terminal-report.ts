import type { CaseEvent, CheckEvent, EventOf, OperationEvent, RunEvent } from '../core/model/events.ts';
import type { RecordedLoad } from '../core/model/load-events.ts';
import { CaseGrouping, type EndedCase } from '../core/record/case-grouping.ts';
import { viewOf } from '../core/record/operations.ts';
import { RunStatistics } from '../core/record/run-statistics.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { counted } from '../core/text/words.ts';
import { detailLines } from './case-details.ts';
import { caseLine } from './case-line.ts';
import { blockedInWords, pageTitleOf, titleOf, whySkipped } from './cases.ts';
import { FailureText, indent } from './failure-text.ts';
import { LoadLog } from './load-log.ts';
import { endingLines } from './run-ending.ts';
import { fit, type Role, visible, wrap } from './style.ts';
import type { TerminalOptions } from './terminal-options.ts';
import { progressInWords, runInWords } from './verdict.ts';

/** So many passing cases of a page are told one by one, as long as there are not many pages of them. */
const toldOneByOne = 12;
const toldOneByOneInAll = 40;
/** So many failing cases are told in full; a long run would otherwise bury the verdict. */
const toldInFull = 40;
/** And so many of the same case, where cases run again and again. */
const toldOfEach = 3;
const eraseLine = '\u001b[K';

/** The view of a run while it goes: a line for a case that passed, all that is needed for one that did not. */
export class TerminalReport {
  readonly #width: number;
  readonly #failure: FailureText;
  #run: EventOf<'run'> | undefined;
  readonly #grouping: CaseGrouping;
  #hasBegun = false;
  #page: EventOf<'page'> | undefined;
  #pageTold = false;
  #passedOnPage = 0;
  #folded = 0;
  /** Rows of a page that are told together. */
  #foldedRows = 0;
  /** Whether the line above is one of a whole page, so that no gap is needed. */
  #foldedBefore = false;
  #gap = true;
  #blocked: CaseEvent[] = [];
  #toldInFull = 0;
  readonly #toldOf = new Map<string, number>();
  #untold = 0;
  #firstFailed: CaseEvent | undefined;
  readonly #titles = new Map<string, string>();
  #began = 0;
  #progressShown = false;
  #statistics: RunStatistics | undefined;
  /** Of a load. */
  #log: LoadLog | undefined;

  constructor(
    readonly options: TerminalOptions,
    readonly totals: RunTotals,
  ) {
    const { onOperation } = options;
    // Checks that hold are told by none of their own.
    this.#grouping = new CaseGrouping(event =>
      event.type === 'check' && event.holds === 'yes'
        ? onOperation !== undefined
        : event.type !== 'exchange' || onOperation !== undefined,
    );
    this.#width = Math.min(200, Math.max(60, options.width));
    const { paint, measure } = options;
    this.#failure = new FailureText({ paint, measure, width: this.#width }, text => this.#line(text));
  }

  add(event: RunEvent): void {
    this.#statistics?.add(event);
    switch (event.type) {
      case 'run':
        this.#run = event;
        if (this.#isLoad && !this.options.quiet && !this.options.onlyFailures) {
          this.#statistics = new RunStatistics();
          this.#statistics.add(event);
        }
        this.#began = this.options.live?.now() ?? 0;
        if (event.load && event.users === undefined) this.#beginLog(event, event.load);
        break;
      case 'figures':
        this.#log?.add(event);
        break;
      case 'page':
        if (!this.#hasBegun) this.#tellRun(this.#run!, event);
        this.#hasBegun = true;
        this.#grouping.add(event);
        this.#turnTo(event);
        if (this.#tellsEach) this.#tellPage();
        break;
      case 'exchange':
      case 'operation':
      case 'check':
      case 'case': {
        const ended = this.#grouping.add(event);
        if (!ended) break;
        this.#turnTo(ended.page);
        this.#case(ended);
        break;
      }
      case 'end':
        this.#log?.end();
        this.#endPage();
        this.#end();
        break;
      default:
    }
  }

  /** Of a load its phases are told; of its cases those that do not pass. */
  #beginLog(run: EventOf<'run'>, load: RecordedLoad): void {
    const { paint, measure } = this.options;
    const line = (text: string) => this.#line(text);
    this.#log = new LoadLog(load, { paint, measure, width: this.#width, line }, run.apdex);
    this.#hasBegun = true;
    this.#line(this.#paint('strong', visible(run.title)) + visible(runInWords(run)));
    this.#emptyLine();
  }

  /** What is told next is of this page. */
  #turnTo(page: EventOf<'page'>): void {
    if (page === this.#page) return;
    // The rows of a page that pass are told together.
    const isNextRow = page.rows !== undefined && page.file === this.#page?.file && !this.#pageTold;
    if (isNextRow) this.#tellBlocked();
    else this.#endPage();
    this.#page = page;
    if (page.rows && !page.cleanup) this.#foldedRows++;
    if (isNextRow) return;
    this.#pageTold = false;
    this.#passedOnPage = 0;
  }

  /** Whether cases run more than once, so that only what did not pass is worth a line. */
  get #repeats(): boolean {
    const { rounds, users, rows } = this.#run!;
    return this.options.onlyFailures === true || rounds !== 1 || users !== undefined || rows !== undefined;
  }

  /** Whether the same is done over and over, so that the same failure comes over and over too. */
  get #isLoad(): boolean {
    const { rounds, users } = this.#run!;
    return rounds !== 1 || users !== undefined;
  }

  /** A page that stands alone has said its title already. */
  #tellRun(run: EventOf<'run'>, first: EventOf<'page'>): void {
    const { title } = run;
    const about = visible(runInWords(run));
    if (about !== '' || title !== first.title) this.#line(this.#paint('strong', visible(title)) + about);
  }

  #case({ event, checks, operations }: EndedCase): void {
    this.#titles.set(event.case, event.title);
    if (event.outcome === 'blocked') {
      const [open] = this.#blocked;
      if (open && open.blocked!.cause !== event.blocked!.cause) this.#tellBlocked();
      this.#blocked.push(event);
      return;
    }
    this.#tellBlocked();
    if (event.outcome === 'passed') this.#passed(event);
    else if (event.outcome === 'skipped') this.#skipped(event);
    else
      this.#failed(
        event,
        checks.filter(({ holds }) => holds !== 'yes'),
        operations,
      );
    if (this.options.onOperation) this.#tellWhole(event, operations, checks);
  }

  #passed(event: CaseEvent): void {
    if (this.#repeats && !this.options.onOperation) return;
    this.#passedOnPage++;
    if (this.options.onOperation || (this.#tellsEach && this.#passedOnPage <= toldOneByOne))
      this.#tellPassed(event);
    else this.#folded++;
  }

  #skipped(event: CaseEvent): void {
    if (!this.#tellsEach) return;
    this.#tellCase(event);
    const why = whySkipped(event);
    if (why !== undefined)
      for (const line of this.#failure.wrapped(why, 0)) this.#line(indent + this.#paint('quiet', line));
  }

  #tellPassed(event: CaseEvent): void {
    this.#tellPage();
    this.#tellCase(event);
  }

  /** All that is known of a case, where that is asked for: what went over the wire, what was checked, which values it had. */
  #tellWhole(event: CaseEvent, operations: readonly OperationEvent[], checks: readonly CheckEvent[]): void {
    if (event.outcome === 'passed' || event.outcome === 'skipped') this.#gap = false;
    for (const operation of operations) {
      this.#emptyLine();
      for (const line of this.options.onOperation!(operation)) this.#line(`${' '.repeat(2)}${line}`);
    }
    this.#emptyLine();
    const held = checks.filter(({ holds }) => holds === 'yes');
    for (const line of detailLines(held, event.values ?? [], { ...this.options, width: this.#width }))
      this.#line(`  ${line}`);
    this.#emptyLine();
  }

  #failed(event: CaseEvent, failing: readonly CheckEvent[], operations: readonly OperationEvent[]): void {
    this.#firstFailed ??= event;
    if (!this.#isWorthTelling(event)) {
      this.#untold++;
      return;
    }
    this.#toldInFull++;
    this.#tellPage();
    this.#unfold();
    this.#tellCase(event);
    if (event.row) this.#tellRow(event.row);
    this.#failure.checks(failing);
    if (event.problem) {
      const { message, place, line } = event.problem;
      this.#failure.beside(message, place);
      if (line !== undefined) this.#failure.marked(line, place.column);
    }
    // All is told below where that is asked for.
    if (!this.options.onOperation)
      for (const operation of operations) this.#failure.texts(viewOf(operation).texts);
    this.#emptyLine();
  }

  /** A long run, or the same failure again and again, would bury the verdict. */
  #isWorthTelling({ case: address }: CaseEvent): boolean {
    const told = this.#toldOf.get(address) ?? 0;
    this.#toldOf.set(address, told + 1);
    return this.#toldInFull < toldInFull && !(this.#isLoad && told >= toldOfEach);
  }

  #tellRow({ number, total, values }: NonNullable<CaseEvent['row']>): void {
    for (const line of this.#failure.wrapped(`row ${number} of ${total}: ${values}`, 0))
      this.#line(indent + this.#paint('quiet', line));
  }

  #tellPage(): void {
    if (this.#pageTold || !this.#page) return;
    // What passed before may be of other rows.
    if (this.#page.rows) {
      this.#foldedRows = 0;
      this.#unfold();
    }
    this.#pageTold = true;
    this.#foldedBefore = false;
    this.#emptyLine();
    const { file, cleanup, rows = [] } = this.#page;
    const about = cleanup ? ', cleaning up' : '';
    const name = visible(pageTitleOf(this.#page, this.#run!.rounds !== 1));
    this.#line(this.#failure.apart(this.#paint('strong', name) + about, name + about, file, this.#width));
    for (const row of rows) this.#tellRow(row);
  }

  #tellCase(event: CaseEvent): void {
    this.#line(caseLine(event, { ...this.options, width: this.#width }));
  }

  #tellBlocked(): void {
    const [first, ...others] = this.#blocked;
    if (!first) return;
    this.#blocked = [];
    if (!this.#isWorthTelling(first)) return;
    this.#tellPage();
    this.#unfold();
    const { cause } = first.blocked!;
    const causeTitle = this.#titles.get(cause) ?? cause;
    const titles = [first, ...others].map(each => visible(titleOf(each))).join(', ');
    const text = `${titles}: ${blockedInWords(first.blocked!, causeTitle)}`;
    const [line, ...rest] = wrap(text, this.#width - indent.length, this.options.measure);
    this.#line(`${this.#paint('quiet', 'blocked ')} ${line}`);
    for (const each of rest) this.#line(indent + each);
    this.#emptyLine();
  }

  #endPage(): void {
    this.#tellBlocked();
    this.#unfold();
  }

  /** Whether there are so few cases that each gets a line of its own. */
  get #tellsEach(): boolean {
    return !this.#repeats && this.#run!.cases <= toldOneByOneInAll && this.#page?.rows === undefined;
  }

  /** What passed on a page that was not told of takes one line, its title in it. */
  #unfold(): void {
    if (this.#folded === 0) return;
    const passed = `${this.#paint('plain', 'passed  ')} `;
    const cases = counted(this.#folded, 'case');
    if (this.#pageTold)
      this.#line(passed + (this.#folded === this.#passedOnPage ? cases : `${this.#folded} more`));
    else {
      const { file, title, cleanup, rows } = this.#page!;
      const about = rows && this.#foldedRows > 0 ? `, ${counted(this.#foldedRows, 'row')}` : '';
      const what = `${visible(title)}${about}, ${cases}${cleanup && !rows ? ', cleaning up' : ''}`;
      if (!this.#foldedBefore) this.#emptyLine();
      this.#line(passed + this.#failure.apart(what, what, file, this.#width - indent.length));
      this.#foldedBefore = true;
    }
    this.#folded = 0;
    this.#foldedRows = 0;
  }

  #eraseProgress(): void {
    if (this.#progressShown) this.options.write(`\r${eraseLine}`);
    this.#progressShown = false;
  }

  #end(): void {
    this.#eraseProgress();
    this.#emptyLine();
    const view = { ...this.options, width: this.#width };
    const { failed, error } = this.totals.cases;
    const ending = {
      totals: this.totals,
      statistics: this.#statistics,
      // Of a load only some of them come here.
      untold: this.#log ? Math.max(0, failed + error - this.#toldInFull) : this.#untold,
      firstFailed: this.#firstFailed?.case,
      brought: this.#run?.brought ?? [],
    };
    for (const line of endingLines(ending, view)) this.options.write(`${line.trimEnd()}\n`);
  }

  #paint(role: Role, text: string): string {
    return this.options.paint(role, text);
  }

  /** How far the run is; the next line of output takes its place. To be called now and then on a terminal. */
  showProgress(): void {
    const { live, write, measure } = this.options;
    if (!live || !this.#run) return;
    const elapsed = live.now() - this.#began;
    const text = this.#log?.progress(elapsed) ?? progressInWords(this.#run, this.totals, elapsed);
    this.#progressShown = true;
    write(`\r${eraseLine}${this.#paint('quiet', fit(text, this.#width - 1, measure).trimEnd())}`);
  }

  #emptyLine(): void {
    if (!this.#gap) this.#line('');
  }

  #line(text: string): void {
    this.#gap = text === '';
    this.#eraseProgress();
    if (!this.options.quiet) this.options.write(`${text.trimEnd()}\n`);
  }
}
