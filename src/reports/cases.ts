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

/** Gathers the events of a record page by page, so that a report never holds more than one page. */
export async function* pagesOf(events: AsyncIterable<RunEvent>): AsyncGenerator<Part> {
  let page: EventOf<'page'> | undefined;
  let cases: ReportedCase[] = [];
  let checks: CheckEvent[] = [];
  let exchanges: ExchangeEvent[] = [];
  for await (const event of events) {
    if ((event.type === 'page' || event.type === 'end') && page) {
      yield { page, cases };
      cases = [];
    }
    if (event.type === 'run') yield { run: event };
    else if (event.type === 'page') page = event;
    else if (event.type === 'exchange') exchanges.push(event);
    else if (event.type === 'check') checks.push(event);
    else if (event.type === 'case') {
      cases.push({ event, checks, exchanges });
      checks = [];
      exchanges = [];
    } else yield { end: event };
  }
}

/** A case as a report calls it; one that runs for each row, with its row. */
export function titleOf({ title, row }: Pick<CaseEvent, 'title' | 'row'>): string {
  return row ? `${title}, row ${row.number}` : title;
}

/** Why a case was skipped, as a sentence without its full stop. */
export function whySkipped({ because, blocked }: CaseEvent): string | undefined {
  if (because !== undefined) return because;
  return blocked && `'${blocked.name}' did not come from ${blocked.by}`;
}
