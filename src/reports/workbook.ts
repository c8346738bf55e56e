import { Zip, ZipDeflate } from 'fflate';
import { escapeXml } from './xml-escape.ts';

// A workbook that is written while its rows come, so that what is held does not grow with them (ECMA-376, part 1:
// SpreadsheetML; its texts stand in their cells, so that no table of all of them has to be kept).

export interface Styled {
  readonly text: string;
  readonly style: 'bold' | 'heading';
}

/** Nothing is an empty cell. */
export type Cell = string | number | Styled | undefined;

/** What a cell can hold (ECMA-376: ST_Xstring as applications read it). */
const longestText = 32_767;
/** What a sheet can hold. */
const mostRows = 1_048_576;
/** So many characters are handed to the compression at a time. */
const portion = 1 << 16;

/** A table of a workbook. */
export class Sheet {
  #text: string;
  #count = 0;
  /** Rows for which there was no more room. */
  left = 0;

  constructor(
    readonly name: string,
    widths: readonly number[],
    isTable: boolean,
    readonly file: ZipDeflate,
  ) {
    const columns = widths.map(
      (width, index) => `<col min="${index + 1}" max="${index + 1}" width="${width}" customWidth="1"/>`,
    );
    this.#text = `${xml}<worksheet xmlns="${main}">${isTable ? frozen : ''}<cols>${columns.join('')}</cols><sheetData>`;
  }

  add(cells: readonly Cell[]): void {
    // The last row is kept for what tells of those that are missing.
    if (this.#count >= mostRows - 1) this.left++;
    else this.#write(cells);
  }

  end(note?: string): void {
    if (note !== undefined) this.#write([note]);
    this.file.push(bytes(`${this.#text}</sheetData></worksheet>`), true);
    this.#text = '';
  }

  #write(cells: readonly Cell[]): void {
    const number = ++this.#count;
    let row = `<row r="${number}">`;
    for (let index = 0; index < cells.length; index++)
      row += cellOf(cells[index], `${letters(index)}${number}`);
    this.#text += `${row}</row>`;
    if (this.#text.length < portion) return;
    this.file.push(bytes(this.#text));
    this.#text = '';
  }
}

/** Sheets can be filled in any order, all at the same time. */
export class Workbook {
  readonly sheets: Sheet[] = [];
  #chunks: Uint8Array[] = [];
  readonly #zip = new Zip((error, chunk) => {
    if (error) throw error;
    this.#chunks.push(chunk);
  });

  /**
   * @param widths of its columns, in characters
   * @param isTable whether its first row names the columns, and stays in sight
   */
  sheet(name: string, widths: readonly number[], isTable: boolean): Sheet {
    const file = new ZipDeflate(`xl/worksheets/sheet${this.sheets.length + 1}.xml`);
    this.#zip.add(file);
    const sheet = new Sheet(name, widths, isTable, file);
    this.sheets.push(sheet);
    return sheet;
  }

  /** What can be written by now. */
  take(): Uint8Array[] {
    const chunks = this.#chunks;
    this.#chunks = [];
    return chunks;
  }

  /** Once every sheet has ended. */
  end(): Uint8Array[] {
    for (const [path, text] of partsOf(this.sheets.map(({ name }) => name))) {
      const file = new ZipDeflate(path);
      this.#zip.add(file);
      file.push(bytes(xml + text), true);
    }
    this.#zip.end();
    return this.take();
  }
}

const encoder = new TextEncoder();

function bytes(text: string): Uint8Array {
  return encoder.encode(text);
}

function cellOf(cell: Cell, place: string): string {
  if (cell === undefined) return '';
  if (typeof cell === 'number') return Number.isFinite(cell) ? `<c r="${place}"><v>${cell}</v></c>` : '';
  const [text, style] = typeof cell === 'string' ? [cell, ''] : [cell.text, ` s="${styles[cell.style]}"`];
  return `<c r="${place}" t="inlineStr"${style}><is><t xml:space="preserve">${textOf(text)}</t></is></c>`;
}

/** A text is written as one, so that no program takes it for a formula. */
function textOf(text: string): string {
  const short = text.length > longestText ? `${text.slice(0, longestText - 2)} …` : text;
  // What looks like the code of a character is read as that character (ECMA-376, ST_Xstring).
  return escapeXml(short).replace(/_(?=x[\da-f]{4}_)/gi, '_x005F_');
}

/** `A`, `B` and so on, `AA` behind `Z`. */
function letters(index: number): string {
  const last = String.fromCharCode(65 + (index % 26));
  return index < 26 ? last : letters(Math.floor(index / 26) - 1) + last;
}

const styles = { bold: 1, heading: 2 } as const;

const xml = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const relations = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const packages = 'http://schemas.openxmlformats.org/package/2006';
const types = 'application/vnd.openxmlformats-officedocument.spreadsheetml';

const frozen =
  '<sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews>';

/** What a workbook is made of beside its sheets: the path of each part, and its content. */
function partsOf(names: readonly string[]): [path: string, text: string][] {
  const each = (write: (number: number, name: string) => string) =>
    names.map((name, index) => write(index + 1, name)).join('');
  const relation = (id: string, type: string, target: string) =>
    `<Relationship Id="${id}" Type="${relations}/${type}" Target="${target}"/>`;
  return [
    [
      'xl/workbook.xml',
      `<workbook xmlns="${main}" xmlns:r="${relations}"><sheets>${each((number, name) => `<sheet name="${escapeXml(name)}" sheetId="${number}" r:id="sheet${number}"/>`)}</sheets></workbook>`,
    ],
    [
      'xl/_rels/workbook.xml.rels',
      `<Relationships xmlns="${packages}/relationships">${each(number => relation(`sheet${number}`, 'worksheet', `worksheets/sheet${number}.xml`))}${relation('styles', 'styles', 'styles.xml')}</Relationships>`,
    ],
    [
      'xl/styles.xml',
      `<styleSheet xmlns="${main}"><fonts count="3"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="14"/><name val="Calibri"/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="3">${[0, 1, 2].map(font => `<xf numFmtId="0" fontId="${font}" fillId="0" borderId="0" xfId="0" applyFont="1"/>`).join('')}</cellXfs><cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>`,
    ],
    [
      '_rels/.rels',
      `<Relationships xmlns="${packages}/relationships">${relation('workbook', 'officeDocument', 'xl/workbook.xml')}</Relationships>`,
    ],
    [
      '[Content_Types].xml',
      `<Types xmlns="${packages}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="${types}.sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="${types}.styles+xml"/>${each(number => `<Override PartName="/xl/worksheets/sheet${number}.xml" ContentType="${types}.worksheet+xml"/>`)}</Types>`,
    ],
  ];
}
