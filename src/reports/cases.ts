import type { CaseEvent, CheckEvent, EventOf, ExchangeEvent, RunEvent } from '../core/model/events.ts';

export interface ReportedCase {
  readonly event: CaseEvent;
  readonly checks: readonly CheckEvent[];
  readonly exchanges: readonly ExchangeEvent[];
}

/** A page as it ran in one round. */
export interface ReportedPage {
  readonly page: EventOf<'page'>;
  readonly cases: readonly ReportedCase[];
}

type Frame = { readonly run: EventOf<'run'> } | { readonly end: EventOf<'end'> };
export type Part = Frame | ReportedPage;
export type CasePart = Frame | (ReportedCase & { readonly page: EventOf<'page'> });

/** Of a user: the page that it is at, and what has been told of the case that it is at. */
interface Lane {
  page?: EventOf<'page'>;
  checks: CheckEvent[];
  exchanges: ExchangeEvent[];
}

/** The same events, of which somebody else learns too. */
export async function* heardBy(
  hear: (event: RunEvent) => void,
  events: AsyncIterable<RunEvent>,
): AsyncGenerator<RunEvent> {
  for await (const event of events) {
    hear(event);
    yield event;
  }
}

/** Gathers the events of a record case by case, each as soon as it has ended. */
export async function* casesOf(events: AsyncIterable<RunEvent>): AsyncGenerator<CasePart> {
  const lanes = new Map<number, Lane>();
  for await (const event of events) {
    if (event.type === 'run') yield { run: event };
    else if (event.type === 'end') yield { end: event };
    else {
      const lane: Lane = lanes.get(event.user ?? 0) ?? { checks: [], exchanges: [] };
      lanes.set(event.user ?? 0, lane);
      if (event.type === 'page') lane.page = event;
      else if (event.type === 'exchange') lane.exchanges.push(event);
      else if (event.type === 'check') lane.checks.push(event);
      else {
        yield { page: lane.page!, event, checks: lane.checks, exchanges: lane.exchanges };
        lane.checks = [];
        lane.exchanges = [];
      }
    }
  }
}

/** Gathers the events of a record page by page, so that a report never holds more than one page of each user. */
export async function* pagesOf(events: AsyncIterable<RunEvent>): AsyncGenerator<Part> {
  const open = new Map<number, { page: EventOf<'page'>; cases: ReportedCase[] }>();
  for await (const part of casesOf(events)) {
    if ('run' in part) yield part;
    else if ('end' in part) {
      yield* open.values();
      yield part;
    } else {
      const { page, ...reported } = part;
      const user = page.user ?? 0;
      const known = open.get(user);
      if (known?.page === page) known.cases.push(reported);
      else {
        if (known) yield known;
        open.set(user, { page, cases: [reported] });
      }
    }
  }
}

/** A page as a report calls it, where it may come several times. */
export function pageTitleOf({ title, round, user, rows = [] }: EventOf<'page'>, several: boolean): string {
  const about = [
    ...(user === undefined ? [] : [`user ${user}`]),
    ...(several ? [`round ${round}`] : []),
    ...rows.map(({ number }) => `row ${number}`),
  ];
  return [title, ...about].join(', ');
}

/** A case as a report calls it; one that runs for each row, with its row. */
export function titleOf({ title, row }: Pick<CaseEvent, 'title' | 'row'>): string {
  return row ? `${title}, row ${row.number}` : title;
}

/** Why a case was skipped, as a sentence without its full stop. */
export function whySkipped({ because, blocked }: CaseEvent): string | undefined {
  if (because !== undefined) return because;
  return blocked && blockedInWords(blocked, blocked.by);
}

/** Why a case did not run, as a sentence without its full stop. */
export function blockedInWords({ name }: NonNullable<CaseEvent['blocked']>, by: string): string {
  return name === undefined ? `${by} did not pass` : `'${name}' did not come from ${by}`;
}
