import type { Place } from '../core/plan/plan.ts';
import type { CaseEvent, CheckEvent, EventOf, RunEvent } from '../core/record/events.ts';
import type { Tally } from '../core/record/tally.ts';
import { counted, grouped } from '../core/text/nearest.ts';
import { durationText } from '../core/values/text.ts';
import { titleOf, whySkipped } from './cases.ts';
import { fit, type Measure, type Paint, type Role, visible, wrap } from './style.ts';
import { figuresInWords, nextInWords, verdictInWords } from './verdict.ts';

export interface TerminalOptions {
  readonly write: (text: string) => void;
  readonly paint: Paint;
  readonly measure: Measure;
  /** Columns of the terminal. */
  readonly width: number;
  /** Only the verdict. */
  readonly quiet: boolean;
  /** Where output can be taken back: a line of progress shows how far a run of many rounds is. */
  readonly live?: { readonly now: () => number };
  /** What stands before a case in the command that runs it again; without it no command is told. */
  readonly pathPrefix?: string;
}

/** So many passing cases of a page are told one by one, as long as there are not many pages of them. */
const toldOneByOne = 12;
const toldOneByOneInAll = 40;
/** So many failing cases are told in full; a long run would otherwise bury the verdict. */
const toldInFull = 40;
const eraseLine = '\u001b[K';
const indent = ' '.repeat(9);

const roles: { [outcome in CaseEvent['outcome']]: Role } = {
  passed: 'plain',
  failed: 'failed',
  error: 'error',
  blocked: 'quiet',
  skipped: 'quiet',
};

/** The view of a run while it goes: a line for a case that passed, all that is needed for one that did not. */
export class TerminalReport {
  readonly #width: number;
  #run: EventOf<'run'> | undefined;
  #page: EventOf<'page'> | undefined;
  #pageTold = false;
  #failing: CheckEvent[] = [];
  #passedOnPage = 0;
  #folded = 0;
  /** Whether the line above is one of a whole page, so that no gap is needed. */
  #foldedBefore = false;
  #gap = true;
  /** The part of the response that was shown last for this case. */
  #shownPart: string | undefined;
  #blocked: CaseEvent[] = [];
  #toldInFull = 0;
  #untold = 0;
  #firstFailed: CaseEvent | undefined;
  readonly #titles = new Map<string, string>();
  #nextProgress = 0;
  #progressShown = false;

  constructor(
    readonly options: TerminalOptions,
    readonly tally: Tally,
  ) {
    this.#width = Math.min(200, Math.max(60, options.width));
  }

  add(event: RunEvent): void {
    switch (event.type) {
      case 'run':
        this.#run = event;
        break;
      case 'page':
        this.#endPage();
        if (!this.#page) this.#tellRun(this.#run!, event);
        this.#showProgress(event.round);
        this.#page = event;
        this.#pageTold = false;
        this.#passedOnPage = 0;
        if (event.round === 1 && this.#run!.rounds === 1 && this.#tellsEach) this.#tellPage();
        break;
      case 'check':
        if (event.holds !== 'yes') this.#failing.push(event);
        break;
      case 'case':
        this.#case(event);
        break;
      case 'end':
        this.#endPage();
        this.#end();
        break;
      default:
    }
  }

  /** A page that stands alone has said its title already. */
  #tellRun({ title, environment, rounds }: EventOf<'run'>, first: EventOf<'page'>): void {
    const inEnvironment = environment === undefined ? '' : `, environment ${environment}`;
    const about = inEnvironment + (rounds > 1 ? `, ${grouped(rounds)} rounds` : '');
    if (about !== '' || title !== first.title) this.#line(this.#paint('strong', visible(title)) + about);
  }

  #case(event: CaseEvent): void {
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
    else this.#failed(event);
    this.#failing = [];
  }

  #passed(event: CaseEvent): void {
    if (this.#run!.rounds > 1) return;
    this.#passedOnPage++;
    if (this.#tellsEach && this.#passedOnPage <= toldOneByOne) this.#tellCase(event);
    else this.#folded++;
  }

  #skipped(event: CaseEvent): void {
    if (!this.#tellsEach) return;
    this.#tellCase(event);
    const why = whySkipped(event);
    if (why !== undefined)
      for (const line of this.#wrapped(why, 0)) this.#line(indent + this.#paint('quiet', line));
  }

  #failed(event: CaseEvent): void {
    this.#firstFailed ??= event;
    if (this.#toldInFull >= toldInFull) {
      this.#untold++;
      return;
    }
    this.#toldInFull++;
    this.#tellPage();
    this.#unfold();
    this.#tellCase(event);
    if (event.row) this.#tellRow(event.row);
    this.#tellChecks(this.#failing);
    if (event.problem) {
      const { message, place } = event.problem;
      this.#beside(message, place);
    }
    this.#emptyLine();
  }

  #tellRow({ number, total, values }: NonNullable<CaseEvent['row']>): void {
    for (const line of this.#wrapped(`row ${number} of ${total}: ${values}`, 0))
      this.#line(indent + this.#paint('quiet', line));
  }

  #tellPage(): void {
    if (this.#pageTold || !this.#page) return;
    this.#pageTold = true;
    this.#foldedBefore = false;
    this.#emptyLine();
    const { title, file, round, cleanup } = this.#page;
    const about = (this.#run!.rounds > 1 ? `, round ${round}` : '') + (cleanup ? ', cleaning up' : '');
    const name = visible(title);
    this.#line(this.#apart(this.#paint('strong', name) + about, name + about, file, this.#width));
  }

  #tellCase(event: CaseEvent): void {
    const { outcome, request = '', status, time } = event;
    const title = titleOf(event);
    const { measure } = this.options;
    const inner = this.#width - indent.length - 16;
    const withRequest = inner >= 50;
    const titleWidth = withRequest ? Math.min(44, Math.floor(inner * 0.45)) : inner;
    const middle =
      fit(visible(title), titleWidth, measure) +
      (withRequest
        ? `  ${this.#paint('quiet', fit(visible(request), inner - titleWidth - 2, measure))}`
        : '');
    const figures = `  ${String(status ?? '').padStart(3)}  ${durationText(time).padStart(8)}`;
    this.#line(`${this.#paint(roles[outcome], outcome.padEnd(8))} ${middle}${figures.padStart(16)}`);
  }

  /** Once the status is not the expected one, checks that find nothing only follow from it: they are told in short. */
  #tellChecks(checks: readonly CheckEvent[]): void {
    this.#shownPart = undefined;
    const wrongStatus = checks.find(check => check.holds === 'no' && /^status\b/.test(check.text));
    const follows = (check: CheckEvent) =>
      wrongStatus !== undefined &&
      (check.holds === 'unknown'
        ? /^(?:nothing|cannot be decided)/.test(check.found ?? '')
        : check.differences?.every(({ found }) => found.startsWith('nothing')) === true);
    for (const check of checks) if (!follows(check)) this.#tellCheck(check);
    const rest = checks.filter(follows).map(check => check.text);
    if (rest.length > 0) this.#entry('undecided', rest.join('; '), 'quiet');
  }

  #tellCheck(check: CheckEvent): void {
    const { place, level, label } = check;
    this.#beside(label === undefined ? check.text : `"${label}": ${check.text}`, place);
    if (level !== undefined) this.#entry('set in', level);
    if (check.expected !== undefined) this.#entry('expected', check.expected);
    if (check.found !== undefined)
      this.#entry('found', check.found, check.holds === 'no' ? 'failed' : 'error');
    if (check.differences) this.#tellDifferences(check.differences);
    if (check.at !== undefined && !check.differences) this.#entry('at', check.at);
    for (const { name, value, origin } of check.origins ?? [])
      this.#entry(`{${name}}`, `${value}, ${origin}`);
    if (check.nearest === undefined || check.nearest === this.#shownPart) return;
    this.#shownPart = check.nearest;
    this.#entry('response', check.nearest, 'quiet');
  }

  /** What differs under what should be there, so that the eye compares them. */
  #tellDifferences(differences: NonNullable<CheckEvent['differences']>): void {
    const { measure } = this.options;
    const column = Math.min(32, Math.max(...differences.map(({ at }) => measure(visible(at)))));
    for (const { at, expected, found } of differences) {
      this.#entry(visible(at).padEnd(column), `expected ${expected}`);
      this.#entry(' '.repeat(Math.max(column, measure(visible(at)))), `found    ${found}`, 'failed');
    }
  }

  /** A label and its value; values stand under each other, so that the eye compares them. */
  #entry(label: string, value: string, role: Role = 'plain'): void {
    const column = Math.max(11, this.options.measure(label) + 2);
    const [first, ...rest] = this.#wrapped(value, column + 2);
    this.#line(
      `${indent}  ${this.#paint('quiet', fit(label, column, this.options.measure))}${this.#paint(role, first ?? '')}`,
    );
    for (const line of rest) this.#line(`${indent}  ${' '.repeat(column)}${this.#paint(role, line)}`);
  }

  #tellBlocked(): void {
    const [first, ...others] = this.#blocked;
    if (!first) return;
    this.#blocked = [];
    if (this.#toldInFull >= toldInFull) return;
    this.#tellPage();
    this.#unfold();
    const { name, cause } = first.blocked!;
    const causeTitle = this.#titles.get(cause) ?? cause;
    const titles = [first, ...others].map(each => visible(titleOf(each))).join(', ');
    const text = `${titles}: '${name}' did not come from ${causeTitle}`;
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
    return this.#run!.cases <= toldOneByOneInAll;
  }

  /** What passed on a page that was not told of takes one line, its title in it. */
  #unfold(): void {
    if (this.#folded === 0) return;
    const passed = `${this.#paint('plain', 'passed  ')} `;
    const cases = counted(this.#folded, 'case');
    if (this.#pageTold)
      this.#line(passed + (this.#folded === this.#passedOnPage ? cases : `${this.#folded} more`));
    else {
      const { title, file, cleanup } = this.#page!;
      const what = `${visible(title)}, ${cases}${cleanup ? ', cleaning up' : ''}`;
      if (!this.#foldedBefore) this.#emptyLine();
      this.#line(passed + this.#apart(what, what, file, this.#width - indent.length));
      this.#foldedBefore = true;
    }
    this.#folded = 0;
  }

  #end(): void {
    const { tally, options } = this;
    if (this.#untold > 0)
      this.#line(`${this.#untold} more cases did not pass; a report tells all of them: -o run.json`);
    this.#emptyLine();
    const verdict = verdictInWords(tally);
    for (const line of wrap(verdict, this.#width, options.measure)) {
      if (options.quiet) options.write(`${line}\n`);
      else this.#line(this.#paint(tally.passed ? 'strong' : 'failed', line));
    }
    for (const line of wrap(figuresInWords(tally), this.#width, options.measure)) this.#line(line);
    const next =
      options.pathPrefix === undefined ? undefined : nextInWords(this.#firstFailed?.case, options.pathPrefix);
    if (next !== undefined) this.#line(this.#paint('quiet', next));
  }

  #wrapped(text: string, taken: number): string[] {
    return wrap(visible(text), this.#width - indent.length - taken, this.options.measure);
  }

  /** A text of a failure, and where it is written at the right edge of its first line. */
  #beside(text: string, { file, line }: Place): void {
    const where = `${file}:${line}`;
    const width = this.#width - indent.length;
    const [first = '', ...rest] = this.#wrapped(text, where.length + 2);
    this.#line(indent + this.#apart(first, first, where, width));
    for (const each of rest) this.#line(indent + each);
  }

  #apart(painted: string, plain: string, right: string, width: number): string {
    const gap = width - this.options.measure(plain) - this.options.measure(right);
    return gap < 2
      ? `${painted}\n${indent}${this.#paint('quiet', right)}`
      : painted + ' '.repeat(gap) + this.#paint('quiet', right);
  }

  #paint(role: Role, text: string): string {
    return this.options.paint(role, text);
  }

  /** At most five times a second; the next line of output takes its place. */
  #showProgress(round: number): void {
    const { live, quiet, write } = this.options;
    const rounds = this.#run?.rounds ?? 1;
    if (!live || quiet || rounds === 1 || live.now() < this.#nextProgress) return;
    this.#nextProgress = live.now() + 200;
    this.#progressShown = true;
    write(`\r${eraseLine}round ${grouped(round)} of ${grouped(rounds)}`);
  }

  #emptyLine(): void {
    if (!this.#gap) this.#line('');
  }

  #line(text: string): void {
    this.#gap = text === '';
    if (this.#progressShown) this.options.write(`\r${eraseLine}`);
    this.#progressShown = false;
    if (!this.options.quiet) this.options.write(`${text.trimEnd()}\n`);
  }
}
