import type { PlannedCase, PlannedPage, PlannedRows } from '../analysis/plan.ts';
import type { NamedTable, WrittenTable } from '../analysis/tables.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type { EventContext } from '../model/event-context.ts';
import type { CaseEvent, EventOf } from '../model/events.ts';
import type { Value } from '../model/value.ts';
import type { NamedValues } from '../secrecy/named-values.ts';
import type { RowsRequest } from '../steps/asked-table.ts';
import { cut, describe } from '../values/describe.ts';
import { type Row, TableError } from '../values/table-reader.ts';
import { textOf } from '../values/text.ts';
import { caseEvent } from './case-event.ts';
import type { RowEntries } from './scope.ts';

/** What the record says of a row. */
export interface RecordedRow {
  number: number;
  total: number;
  values: string;
}

/** A row of a table as it is read. */
export interface TableRow {
  /** From 1 on. */
  readonly number: number;
  readonly total: number;
  readonly values: ReadonlyMap<string, Value>;
  /** Of its table. */
  readonly name: string;
}

/** The names that a row, or an item of a list, gives. */
export interface TakenRow {
  readonly entries: RowEntries;
  readonly recorded: RecordedRow;
}

/** The rows of a table one after the other, never all at once. Throws TableError. */
export async function* rowsIn({ name, ...table }: WrittenTable): AsyncGenerator<TableRow> {
  yield* numbered(name, table.count, table.rows());
}

async function* numbered(name: string, total: number, rows: AsyncIterable<Row>): AsyncGenerator<TableRow> {
  let number = 0;
  try {
    for await (const values of rows) yield { number: ++number, total, values, name };
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    throw new TableError(`${name} cannot be read any further: ${error.message}`);
  }
}

export function takeRow(
  { number, total, values: row, name: table }: TableRow,
  values: NamedValues,
): TakenRow {
  const origin = `from row ${number} of ${table}`;
  const entries = new Map<string, Entry>();
  for (const [name, value] of row) entries.set(name, values.make(name, value, { origin }));
  return { entries, recorded: { number, total, values: rowInWords(entries) } };
}

/** The rows of a table, each with its names. @param request made where they have to be asked for. Throws TableError. */
export async function* takeRows(
  table: PlannedRows,
  values: NamedValues,
  request: () => RowsRequest,
): AsyncGenerator<TakenRow> {
  const rows = 'ask' in table ? await askRows(table, request()) : rowsIn(table);
  for await (const row of rows) {
    if (row.number > (table.most ?? row.number)) return;
    yield takeRow(row, values);
  }
}

async function askRows(
  { name, ask }: Extract<NamedTable, { ask: unknown }>,
  request: RowsRequest,
): Promise<AsyncIterable<TableRow>> {
  try {
    const { count, rows } = await ask(request);
    return numbered(name, count, rows);
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    throw new TableError(`${name} cannot be asked for: ${error.message}`, undefined, error.inPage);
  }
}

/** What is told where the rows of a page, or of everything, cannot be read any further: its first case could not run. */
export function brokenOff(
  { file, title, cases }: PlannedPage,
  eventContext: EventContext,
  error: unknown,
): [EventOf<'page'>, CaseEvent] {
  if (!(error instanceof TableError)) throw error;
  const [first] = cases as [PlannedCase];
  const problem = {
    message: `${error.message.replace(/^the /, 'The ')}.`,
    place: first.place,
    ...error.inPage,
  };
  return [
    { type: 'page', ...eventContext, file, title },
    { ...caseEvent(first, eventContext, 'error'), problem },
  ];
}

export function rowInWords(row: RowEntries): string {
  return cut(
    [...row]
      .map(
        ([name, { value, secret }]) => `${name} ${secret ? '[secret]' : (textOf(value) ?? describe(value))}`,
      )
      .join(', '),
    80,
  );
}
