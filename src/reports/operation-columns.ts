import type { OperationEvent } from '../core/model/events.ts';
import type { EndedCase } from '../core/record/case-grouping.ts';
import type { OperationView } from '../core/record/operations.ts';

/** What is told of each operation: the name of the column, and its value. */
export const operationColumns: {
  readonly [name: string]: (of: OperationRow) => string | number | undefined;
} = {
  started: ({ operation }) => new Date(operation.at).toISOString(),
  page: ({ page }) => page.title,
  case: ({ event }) => event.title,
  address: ({ event }) => event.case,
  round: ({ event }) => event.round,
  user: ({ event }) => event.user,
  row: ({ event, page }) => event.row?.values ?? page.rows?.map(({ values }) => values).join('; '),
  outcome: ({ event }) => event.outcome,
  cause: ({ operation }) => operation.cause,
  method: ({ view }) => view.verb,
  url: ({ view }) => view.target,
  status: ({ view }) => view.answer?.code,
  fault: ({ operation }) => operation.fault?.kind,
  milliseconds: ({ operation }) => operation.times.total,
  lookup: ({ operation }) => operation.times.lookup,
  connect: ({ operation }) => operation.times.connect,
  tls: ({ operation }) => operation.times.tls,
  wait: ({ operation }) => operation.times.wait,
  download: ({ operation }) => operation.times.download,
  sent_bytes: ({ view }) => view.body?.size,
  body_bytes: ({ view }) => view.answer?.body.size,
  received_bytes: ({ operation }) => operation.received,
};

export interface OperationRow extends EndedCase {
  readonly operation: OperationEvent;
  readonly view: OperationView;
}
