import type { CaseEvent, EventOf, OperationEvent, RunEvent } from '../core/model/events.ts';
import type { Outcome } from '../core/model/outcomes.ts';
import type { EndedCase } from '../core/record/case-grouping.ts';
import { DurationHistogram } from '../core/record/duration-histogram.ts';
import type { CaseMark, LoadStatistics } from '../core/record/load/load-statistics.ts';
import { viewOf, withoutContents } from '../core/record/operations.ts';
import { RunStatistics } from '../core/record/run-statistics.ts';
import type { RunTotals } from '../core/record/totals.ts';
import { casesOf, heardBy, type ReportedCase } from './cases.ts';

/** Everything that a report for people tells of a run; what it holds of the exchanges does not grow with their number. */
export interface Digest {
  readonly run: EventOf<'run'>;
  readonly end: EventOf<'end'>;
  readonly totals: RunTotals;
  /** Where the requests went, the most often used first: `https://skerry.example`. */
  readonly endpoints: readonly string[];
  /** The cases that did not pass, each with everything that is known of it, as far as they are told. */
  readonly failures: readonly DigestedFailure[];
  /** Of those, how many are not told. */
  readonly untold: number;
  /** By the address of the case that is the cause. */
  readonly blocked: ReadonlyMap<string, readonly BlockedCase[]>;
  readonly pages: readonly DigestedPage[];
  readonly statistics: RunStatistics;
}

export interface DigestedFailure extends ReportedCase {
  readonly page: EventOf<'page'>;
  /** What the page says around the case, as Markdown. */
  readonly prose?: string;
}

export interface BlockedCase {
  readonly event: CaseEvent;
  /** How often it was blocked by this cause. */
  count: number;
}

export interface DigestedPage {
  readonly file: string;
  readonly title: string;
  readonly cases: readonly DigestedCase[];
}

/** A case, all its rounds, users and rows together. */
export interface DigestedCase {
  readonly address: string;
  readonly title: string;
  readonly tags: readonly string[];
  readonly request?: string;
  readonly outcomes: { [outcome in Outcome]?: number };
  /** How often it ran; of a load more than is on record line by line. */
  readonly count: number;
  /** Of a load: when it ended, in so many equal parts of the run. */
  readonly marks?: readonly CaseMark[];
  /** From the first step to the last, in milliseconds; of those that were carried out. */
  readonly times: DurationHistogram;
  /** The first time that it ran. */
  readonly first: ReportedCase;
  readonly occurrences: Occurrences;
}

/** From grave to harmless. */
export const gravest: readonly Outcome[] = ['error', 'failed', 'blocked', 'passed', 'skipped'];

/** What a case is called that may have run more than once. */
export function gravestOf({ outcomes }: Pick<DigestedCase, 'outcomes'>): Outcome {
  return gravest.find(each => outcomes[each])!;
}

/** Each time that a case ran, as columns, of which there may be very many. */
export interface Occurrences {
  readonly round: number[];
  readonly user: number[];
  readonly outcome: Outcome[];
  /** When it began, in milliseconds since the run did; -1 where it did not begin. */
  readonly at: number[];
  readonly time: number[];
  readonly status: number[];
  /** What the rows that it ran for give. */
  readonly row: string[];
}

export interface DigestLimits {
  /** So many failures are told in all, and so many of the same case. */
  readonly failures: number;
  readonly ofEach: number;
  /** So many characters of requests and responses of cases that passed are kept. */
  readonly kept: number;
}

export async function digest(
  events: AsyncIterable<RunEvent>,
  totals: RunTotals,
  limits: DigestLimits,
): Promise<Digest> {
  const digester = new Digester(limits);
  let run: EventOf<'run'> | undefined;
  let end: EventOf<'end'> | undefined;
  for await (const part of casesOf(heardBy(event => digester.statistics.add(event), events))) {
    if ('run' in part) {
      run = part.run;
      digester.start = Date.parse(part.run.at);
    } else if ('end' in part) end = part.end;
    else digester.add(part);
  }
  const { failures, statistics } = digester;
  statistics.timeline.gather();
  const { load } = statistics;
  const pages = load && run && end ? pagesOfLoad(digester.pages(), load, run, end) : digester.pages();
  const untold = load ? load.bad - failures.length : digester.untold;
  return {
    run: run!,
    end: end!,
    totals,
    endpoints: digester.endpoints(),
    failures,
    untold,
    blocked: digester.blocked(),
    pages,
    statistics,
  };
}

type Ran = EndedCase;

/** Of a load figures tell how often a case came to what, and when; its lines are a sample. */
function pagesOfLoad(
  pages: readonly DigestedPage[],
  load: LoadStatistics,
  { load: recorded }: EventOf<'run'>,
  { time }: EventOf<'end'>,
): DigestedPage[] {
  const known = new Map(pages.flatMap(page => page.cases.map(each => [each.address, each] as const)));
  const files = new Map(pages.map(page => [page.file, page.title]));
  const byFile = new Map<string, DigestedCase[]>();
  for (const { case: address, title, page } of recorded?.cases ?? []) {
    const outcomes = load.cases.get(address);
    if (!outcomes) continue;
    const count = Object.values(outcomes).reduce((sum, each) => sum + each, 0);
    const marks = load.marksOf(address, time);
    const each = known.get(address) ?? neverOnRecord(address, title, page, outcomes);
    byFile.set(page, [...(byFile.get(page) ?? []), { ...each, outcomes, count, marks }]);
  }
  return [...byFile].map(([file, cases]) => ({ file, title: files.get(file) ?? file, cases }));
}

function neverOnRecord(
  address: string,
  title: string,
  file: string,
  outcomes: DigestedCase['outcomes'],
): DigestedCase {
  const outcome = gravest.find(each => outcomes[each])!;
  const event: CaseEvent = {
    type: 'case',
    round: 1,
    case: address,
    title,
    place: { file, line: 1, column: 1 },
    outcome,
    time: 0,
  };
  const occurrences = { round: [], user: [], outcome: [], at: [], time: [], status: [], row: [] };
  const first = { event, checks: [], operations: [] };
  return { address, title, tags: [], outcomes, count: 0, times: new DurationHistogram(), first, occurrences };
}

class Digester {
  readonly statistics = new RunStatistics();
  readonly failures: DigestedFailure[] = [];
  readonly #blocked = new Map<string, Map<string, BlockedCase>>();
  untold = 0;
  start = 0;
  readonly #pages = new Map<string, { title: string; cases: Map<string, Omit<DigestedCase, 'count'>> }>();
  readonly #toldOf = new Map<string, number>();
  readonly #prose = new Map<string, string>();
  readonly #origins = new Map<string, number>();
  #kept: number;

  constructor(readonly limits: DigestLimits) {
    this.#kept = limits.kept;
  }

  add(ran: Ran): void {
    const { event, operations } = ran;
    for (const operation of operations) this.#countOrigin(operation);
    if (event.prose !== undefined) this.#prose.set(event.case, event.prose);
    const known = this.#caseOf(ran);
    known.outcomes[event.outcome] = (known.outcomes[event.outcome] ?? 0) + 1;
    if (event.at !== undefined) known.times.add(event.time);
    this.#addOccurrence(known.occurrences, ran);
    if (event.outcome === 'blocked') this.#addBlocked(event);
    else if (event.outcome === 'failed' || event.outcome === 'error') this.#addFailure(ran);
  }

  endpoints(): string[] {
    return [...this.#origins].sort(([, a], [, b]) => b - a).map(([origin]) => origin);
  }

  blocked(): Map<string, BlockedCase[]> {
    return new Map([...this.#blocked].map(([cause, cases]) => [cause, [...cases.values()]]));
  }

  pages(): DigestedPage[] {
    return [...this.#pages].map(([file, { title, cases }]) => ({
      file,
      title,
      cases: [...cases.values()].map(each => ({ ...each, count: each.occurrences.outcome.length })),
    }));
  }

  #countOrigin(operation: OperationEvent): void {
    const origin = originOf(viewOf(operation).target);
    if (origin !== undefined && operation.cause !== 'token')
      this.#origins.set(origin, (this.#origins.get(origin) ?? 0) + 1);
  }

  #caseOf({ page, event, checks, operations }: Ran): Omit<DigestedCase, 'count'> {
    const pageOf = this.#pages.get(page.file) ?? { title: page.title, cases: new Map() };
    this.#pages.set(page.file, pageOf);
    let known = pageOf.cases.get(event.case);
    if (!known) {
      const { case: address, title, tags = [], request } = event;
      const first = { event, checks, operations: this.#asFarAsRoom(operations) };
      const occurrences = { round: [], user: [], outcome: [], at: [], time: [], status: [], row: [] };
      const base = { address, title, tags, outcomes: {}, times: new DurationHistogram(), first, occurrences };
      known = request === undefined ? base : { ...base, request };
      pageOf.cases.set(event.case, known);
    }
    return known;
  }

  /** Heads and bodies as long as there is room for them; what went where and how long it took in any case. */
  #asFarAsRoom(operations: readonly OperationEvent[]): OperationEvent[] {
    return operations.map(operation => {
      if (this.#kept > 0) {
        this.#kept -= lengthOf(operation);
        if (this.#kept >= 0) return operation;
      }
      return withoutContents(operation);
    });
  }

  #addOccurrence(occurrences: Occurrences, { event, page }: Ran): void {
    occurrences.round.push(event.round);
    occurrences.user.push(event.user ?? 0);
    occurrences.outcome.push(event.outcome);
    occurrences.at.push(event.at === undefined ? -1 : Math.max(0, event.at - this.start));
    occurrences.time.push(event.time);
    occurrences.status.push(event.status ?? 0);
    const rows = [...(page.rows ?? []), ...(event.row ? [event.row] : [])];
    occurrences.row.push(rows.map(({ values }) => values).join('; '));
  }

  #addBlocked(event: CaseEvent): void {
    const cause = event.blocked?.cause ?? '';
    const cases = this.#blocked.get(cause) ?? new Map<string, BlockedCase>();
    this.#blocked.set(cause, cases);
    const same = cases.get(event.case);
    if (same) same.count++;
    else cases.set(event.case, { event, count: 1 });
  }

  #addFailure({ page, event, checks, operations }: Ran): void {
    const told = this.#toldOf.get(event.case) ?? 0;
    this.#toldOf.set(event.case, told + 1);
    if (told >= this.limits.ofEach || this.failures.length >= this.limits.failures) {
      this.untold++;
      return;
    }
    const prose = this.#prose.get(event.case);
    this.failures.push({ page, event, checks, operations, ...(prose !== undefined && { prose }) });
  }
}

/** Where a request went; nothing where its address is none. */
export function originOf(url: string): string | undefined {
  return /^[a-z]+:\/\/[^/?#]*/i.exec(url)?.[0];
}

/** About how many characters it takes to tell of an operation. */
function lengthOf(operation: OperationEvent): number {
  const { fields, body, answer } = viewOf(operation);
  const shown = fields.length + (answer?.fields.length ?? 0);
  const texts = [body, answer?.body].map(payload => payload?.text?.length ?? 0);
  return 300 + shown * 60 + texts[0]! + texts[1]!;
}
