import { unzipSync } from 'fflate';

export { default as readWorkbook, readSheet, SheetNotFoundError } from 'read-excel-file/universal';

/** A sheet of a workbook that would fill the memory; the message says why. */
export class SheetTooLarge extends Error {}

/** So many cells a sheet may span, empty ones counted, and so many bytes its parts may come to. */
const [mostCells, mostBytes] = [5_000_000, 256 * 1024 * 1024];

/** The reader lays out every cell up to the furthest one: a single far one would take all memory. */
export function refuseLargeSheets(workbook: Uint8Array): void {
  let bytes = 0;
  const sheets = unzipSync(workbook, {
    filter: ({ name, originalSize }) => {
      bytes += originalSize;
      if (bytes > mostBytes)
        throw new SheetTooLarge('its parts come to more than 256 MiB once they are unpacked');
      return /^xl\/worksheets\/[^/]+\.xml$/i.test(name);
    },
  });
  for (const sheet of Object.values(sheets)) {
    const text = Buffer.from(sheet).toString('latin1');
    let [columns, rows] = [0, 0];
    for (const [, letters, digits] of text.matchAll(
      /<(?:\w+:)?c\b[^>]*?\br=["']([A-Za-z]{1,3})(\d{1,7})["']/g,
    )) {
      columns = Math.max(columns, columnOf(letters!));
      rows = Math.max(rows, Number(digits));
    }
    if (columns * rows > mostCells)
      throw new SheetTooLarge(
        `a sheet spans ${rows} rows and ${columns} columns, which is more than five million cells`,
      );
  }
}

function columnOf(letters: string): number {
  let column = 0;
  for (const letter of letters.toUpperCase()) column = column * 26 + letter.charCodeAt(0) - 64;
  return column;
}
