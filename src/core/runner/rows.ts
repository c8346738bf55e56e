import type { PlannedCase, PlannedPage, PlannedRows } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import type { EventContext } from '../model/event-context.ts';
import type { CaseEvent, EventOf } from '../model/events.ts';
import type { Value } from '../model/value.ts';
import type { NamedValues } from '../secrecy/named-values.ts';
import { cut, describe } from '../values/describe.ts';
import { TableError } from '../values/table-reader.ts';
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
  readonly values: ReadonlyMap<string, Value>;
  readonly table: PlannedRows;
}

/** The names that a row, or an item of a list, gives. */
export interface TakenRow {
  readonly entries: RowEntries;
  readonly recorded: RecordedRow;
}

/** The rows of a table one after the other, never all at once. Throws TableError where they have changed. */
export async function* rowsIn(table: PlannedRows): AsyncGenerator<TableRow> {
  let number = 0;
  for await (const values of table.rows()) {
    if (number === table.most) return;
    number++;
    yield { number, values, table };
  }
}

export function takeRow({ number, values: row, table }: TableRow, values: NamedValues): TakenRow {
  const origin = `from row ${number} of ${table.name}`;
  const entries = new Map<string, Entry>();
  for (const [name, value] of row) entries.set(name, values.make(name, value, { origin }));
  return { entries, recorded: { number, total: table.count, values: rowInWords(entries) } };
}

/** The rows of a table, each with its names. */
export async function* takeRows(table: PlannedRows, values: NamedValues): AsyncGenerator<TakenRow> {
  for await (const row of rowsIn(table)) yield takeRow(row, values);
}

/** What is told where the rows of a page, or of everything, cannot be read any further: its first case could not run. */
export function brokenOff(
  { file, title, cases }: PlannedPage,
  eventContext: EventContext,
  { name }: PlannedRows,
  error: unknown,
): [EventOf<'page'>, CaseEvent] {
  if (!(error instanceof TableError)) throw error;
  const [first] = cases as [PlannedCase];
  const problem = { message: `${name} cannot be read any further: ${error.message}.`, place: first.place };
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
