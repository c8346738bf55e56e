import type { CaseEvent, CheckEvent, EventOf, ExchangeEvent, RunEvent } from '../core/record/events.ts';

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

export type Part = { readonly run: EventOf<'run'> } | ReportedPage | { readonly end: EventOf<'end'> };

/** Of a user: the page that it is at, and what has been told of the case that it is at. */
interface Lane {
  page?: EventOf<'page'>;
  cases: ReportedCase[];
  checks: CheckEvent[];
  exchanges: ExchangeEvent[];
}

/** Gathers the events of a record page by page, so that a report never holds more than one page of each user. */
export async function* pagesOf(events: AsyncIterable<RunEvent>): AsyncGenerator<Part> {
  const lanes = new Map<number, Lane>();
  for await (const event of events) {
    if (event.type === 'run') yield { run: event };
    else if (event.type === 'end') {
      for (const { page, cases } of lanes.values()) if (page) yield { page, cases };
      yield { end: event };
    } else {
      const lane = lanes.get(event.user ?? 0) ?? { cases: [], checks: [], exchanges: [] };
      lanes.set(event.user ?? 0, lane);
      if (event.type === 'exchange') lane.exchanges.push(event);
      else if (event.type === 'check') lane.checks.push(event);
      else if (event.type === 'case') {
        lane.cases.push({ event, checks: lane.checks, exchanges: lane.exchanges });
        lane.checks = [];
        lane.exchanges = [];
      } else {
        if (lane.page) yield { page: lane.page, cases: lane.cases };
        lane.page = event;
        lane.cases = [];
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
