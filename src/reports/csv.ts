import { stringify } from 'csv-stringify/sync';
import type { RunEvent } from '../core/model/events.ts';
import { viewOf } from '../core/record/operations.ts';
import { casesOf } from './cases.ts';
import { operationColumns } from './operation-columns.ts';
import { visible } from './style.ts';

/**
 * A line for each exchange (RFC 4180; times in milliseconds). A text that a spreadsheet would take for a formula gets an
 * apostrophe before it, so that opening the file carries nothing out.
 */
export async function* csvReport(events: AsyncIterable<RunEvent>): AsyncGenerator<string> {
  yield line(Object.keys(operationColumns));
  for await (const part of casesOf(events)) {
    if (!('event' in part)) continue;
    for (const operation of part.operations)
      yield line(
        Object.values(operationColumns).map(read =>
          cell(read({ ...part, operation, view: viewOf(operation) })),
        ),
      );
  }
}

function line(values: readonly (string | number | undefined)[]): string {
  return stringify([values as unknown[]], { escape_formulas: true, record_delimiter: '\r\n' });
}

function cell(value: string | number | undefined): string | number | undefined {
  return typeof value === 'string' ? visible(value) : value;
}
