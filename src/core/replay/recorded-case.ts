import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type {
  CaseEvent,
  CaseValue,
  CheckEvent,
  ExchangeEvent,
  OperationEvent,
  RunEvent,
} from '../model/events.ts';
import { CaseGrouping, type EndedCase } from '../record/case-grouping.ts';
import { HttpStep } from '../steps/http/http-step.ts';
import type { PlannedStep } from '../steps/step.ts';

import { type RecordedAnswer, recordedAnswer } from './recorded-exchange.ts';
import { type KnownNames, recordedEntry } from './recorded-names.ts';

/** A case as it has passed in a run, beside what its page says now. */
export interface RecordedCase {
  readonly planned: PlannedCase;
  readonly page: string;
  readonly row: CaseEvent['row'];
  /** By the requests of the case; of other operations the record does not keep what statements look at. */
  readonly answers: ReadonlyMap<PlannedStep, RecordedAnswer>;
  /** What had a value when it began. */
  readonly known: KnownNames;
  /** What it has kept and computed, as the record tells it. */
  readonly made: ReadonlyMap<string, CaseValue>;
  readonly checks: readonly CheckEvent[];
}

/** A case of the plan that nothing can be said of, and why. */
export interface LeftOutCase {
  readonly address: string;
  readonly reason: string;
}

export interface RecordedCases {
  /** All times that each has passed, in the order of the record. */
  readonly cases: readonly RecordedCase[];
  readonly leftOut: readonly LeftOutCase[];
}

/** So many times that one case has passed are looked at. */
const mostPasses = 50;

/** What a record holds of the cases of a plan. Of many rounds and users those of the first alone have values. */
export async function readRecordedCases(plan: Plan, events: AsyncIterable<RunEvent>): Promise<RecordedCases> {
  const planned = new Map(
    plan.pages.flatMap(({ file, cases }) => cases.map(each => [each.address, { file, each }] as const)),
  );
  const grouping = new CaseGrouping();
  const pages = new PageNames(new Map(plan.pages.map(({ file, sources }) => [file, sources])));
  const cases: RecordedCase[] = [];
  const reasons = new Map<string, string>();
  const counts = new Map<string, number>();
  for await (const event of events) {
    if (event.type === 'page') pages.open(event.file);
    const ended = grouping.add(event);
    if (!ended || ended.event.round > 1 || (ended.event.user ?? 1) > 1) continue;
    const known = pages.take(ended);
    const own = planned.get(ended.event.case);
    if (!own) continue;
    const passes = (counts.get(own.each.address) ?? 0) + 1;
    counts.set(own.each.address, passes);
    if (passes > mostPasses) continue;
    const recorded = recordedCase(own.each, own.file, ended, known);
    if (typeof recorded === 'string') reasons.set(own.each.address, recorded);
    else cases.push(recorded);
  }
  const there = new Set(cases.map(each => each.planned.address));
  const leftOut = [...planned.keys()].flatMap(address =>
    there.has(address) ? [] : [{ address, reason: reasons.get(address) ?? 'not in this run' }],
  );
  return { cases, leftOut };
}

/** What earlier cases have made: a case tells of what it has used, and not of what it makes anew. */
class PageNames {
  #file = '';
  #names = new Map<string, Entry>();
  /** By page: what others can take. */
  readonly #kept = new Map<string, Map<string, Entry>>();

  /** @param sources of each page those that it takes something from */
  constructor(readonly sources: ReadonlyMap<string, readonly string[]>) {}

  open(file: string): void {
    this.#file = file;
    this.#names = new Map();
  }

  /** The names that a case begins with; those that it makes are there for the next one. */
  take({ event: { values = [] } }: EndedCase): KnownNames {
    const offered = (this.sources.get(this.#file) ?? []).flatMap(file => [...(this.#kept.get(file) ?? [])]);
    const known = new Map([...offered, ...this.#names]);
    for (const value of values) {
      const entry = recordedEntry(value);
      if (value.how === 'used') known.set(value.name, entry);
      else this.#names.set(value.name, entry);
      if (value.how === 'kept') this.#keep(value.name, entry);
    }
    return known;
  }

  #keep(name: string, entry: Entry): void {
    const own = this.#kept.get(this.#file) ?? new Map<string, Entry>();
    this.#kept.set(this.#file, own.set(name, entry));
  }
}

const notPassed: { readonly [outcome in CaseEvent['outcome']]: string | undefined } = {
  passed: undefined,
  failed: 'failed in this run',
  error: 'could not be carried out in this run',
  blocked: 'blocked in this run',
  skipped: 'skipped in this run',
};

function recordedCase(
  planned: PlannedCase,
  page: string,
  { event, checks, operations }: EndedCase,
  known: KnownNames,
): RecordedCase | string {
  const why = notPassed[event.outcome];
  if (why !== undefined) return why;
  const answers = answersOf(planned, operations);
  if (!answers || event.request !== planned.request)
    return 'the page asks for something else than it did in this run';
  const made = new Map(
    (event.values ?? []).flatMap(value => (value.how === 'used' ? [] : [[value.name, value] as const])),
  );
  return { planned, page, row: event.row, answers, known, made, checks };
}

/** What came of each request, found by the order in which they were asked; nothing where that is another one now. */
function answersOf(
  { steps }: PlannedCase,
  operations: readonly OperationEvent[],
): ReadonlyMap<PlannedStep, RecordedAnswer> | undefined {
  const asked: OperationEvent[][] = [];
  for (const event of operations) {
    const same = asked.at(-1);
    const isSame = same !== undefined && same[0]!.place.line === event.place.line;
    if (isSame) same.push(event);
    else asked.push([event]);
  }
  const own = steps.filter(({ operation }) => operation !== undefined);
  if (own.length !== asked.length) return undefined;
  const answers = new Map<PlannedStep, RecordedAnswer>();
  for (const [index, step] of own.entries()) {
    const events = asked[index]!;
    const isRequest = events[0]!.type === 'exchange';
    if (isRequest !== step instanceof HttpStep) return undefined;
    if (!isRequest) continue;
    const answer = recordedAnswer(events as ExchangeEvent[]);
    if (!isMethodOf(step, events as ExchangeEvent[])) return undefined;
    answers.set(step, answer);
  }
  return answers;
}

/** Whether a request goes out by the method of its step; what a redirect has made of it does not count. */
function isMethodOf({ operation }: PlannedStep, events: readonly ExchangeEvent[]): boolean {
  return events.some(({ request }) => request.method === operation);
}
