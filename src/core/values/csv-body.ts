import { Plain, type Value } from '../model/value.ts';
import { columnsOf, delimiterOf, reasonOf, TableError } from './table-reader.ts';

let library: typeof import('csv-parse/sync') | undefined;

/** To be awaited before `readCsvBody()`. */
export async function loadCsv(): Promise<void> {
  library ??= await import('csv-parse/sync');
}

/** A table with a header as a list of objects; cells are plain values. Throws TableError. */
export function readCsvBody(text: string): Value {
  if (!library) throw new TypeError('loadCsv() comes before readCsvBody().');
  let records: string[][];
  try {
    records = library.parse(text, {
      bom: true,
      delimiter: delimiterOf(text),
      skip_empty_lines: true,
      trim: true,
    });
  } catch (error) {
    throw reasonOf(error);
  }
  const [head, ...rows] = records;
  if (!head) throw new TableError('it is empty');
  const columns = columnsOf(head);
  return rows.map(cells => Object.fromEntries(columns.map((name, at) => [name, new Plain(cells[at] ?? '')])));
}
