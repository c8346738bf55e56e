import type { EventOf, ExchangeEvent } from '../core/model/events.ts';
import type { ReportedCase } from './cases.ts';

/** What is told of each exchange: the name of the column, and its value. */
export const exchangeColumns: { readonly [name: string]: (of: ExchangeRow) => string | number | undefined } =
  {
    started: ({ exchange }) => new Date(exchange.at).toISOString(),
    page: ({ page }) => page.title,
    case: ({ event }) => event.title,
    address: ({ event }) => event.case,
    round: ({ event }) => event.round,
    user: ({ event }) => event.user,
    row: ({ event, page }) => event.row?.values ?? page.rows?.map(({ values }) => values).join('; '),
    outcome: ({ event }) => event.outcome,
    cause: ({ exchange }) => exchange.cause,
    method: ({ exchange }) => exchange.request.method,
    url: ({ exchange }) => exchange.request.url,
    status: ({ exchange }) => exchange.response?.status,
    fault: ({ exchange }) => exchange.fault?.kind,
    milliseconds: ({ exchange }) => exchange.times.total,
    lookup: ({ exchange }) => exchange.times.lookup,
    connect: ({ exchange }) => exchange.times.connect,
    tls: ({ exchange }) => exchange.times.tls,
    wait: ({ exchange }) => exchange.times.wait,
    download: ({ exchange }) => exchange.times.download,
    sent_bytes: ({ exchange }) => exchange.request.body?.size,
    body_bytes: ({ exchange }) => exchange.response?.body.size,
    received_bytes: ({ exchange }) => exchange.received,
  };

export interface ExchangeRow extends ReportedCase {
  readonly page: EventOf<'page'>;
  readonly exchange: ExchangeEvent;
}
