import { CalendarDate, Plain, Timestamp, type Value } from '../model/value.ts';
import { readNumber } from './number.ts';

const day = 86_400_000;

/**
 * The cells of a sheet of an XLSX workbook, row by row; the first sheet where none is named. Numbers, truth values and
 * dates are such; a text is as a quoted cell of CSV; an empty cell is null. What is no workbook is thrown as `refuse` makes it.
 */
export async function readSheet(
  workbook: Uint8Array,
  sheet: string | undefined,
  refuse: (message: string) => Error,
): Promise<Value[][]> {
  const library = await import('./workbook-library.ts');
  const bytes = new Uint8Array(workbook).buffer;
  try {
    library.refuseLargeSheets(workbook);
    const rows = await library.readSheet(bytes, sheet ?? 1, { parseNumber: readNumber });
    return rows.map(row => row.map(cell => valueOfCell(cell)));
  } catch (error) {
    if (error instanceof library.SheetTooLarge) throw refuse(error.message);
    const names = error instanceof library.SheetNotFoundError ? await namesIn(bytes, library) : [];
    if (names.length === 0) throw refuse('it is no workbook in the format XLSX, or a damaged one');
    throw refuse(`it has no sheet '${sheet}', but ${names.join(', ')}`);
  }
}

/** None where the workbook is damaged so that they cannot be told either. */
async function namesIn(
  bytes: ArrayBuffer,
  { readWorkbook }: typeof import('./workbook-library.ts'),
): Promise<string[]> {
  try {
    return (await readWorkbook(bytes)).map(each => `'${each.sheet}'`);
  } catch {
    return [];
  }
}

function valueOfCell(cell: unknown): Value {
  if (typeof cell === 'string') return Plain.quoted(cell);
  if (cell instanceof Date) {
    const time = cell.getTime();
    return time % day === 0 ? new CalendarDate(time) : new Timestamp(time);
  }
  return (cell ?? null) as Value;
}
