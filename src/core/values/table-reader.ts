import type { CsvError } from 'csv-parse';
import type { Place } from '../model/place.ts';
import { isObject, kindInWords, kindOf, Plain, type Value } from '../model/value.ts';
import { withoutPrototype } from '../text/without-prototype.ts';
import { JsonError, readJson } from './json-document.ts';
import { readSheet } from './workbook.ts';

/** A row of a table: values by the names of the columns. */
export type Row = ReadonlyMap<string, Value>;

/** Rows with named values, read anew as often as they are wanted, and never all at once. */
export interface Table {
  readonly columns: readonly string[];
  readonly count: number;
  /** Throws TableError where they are no longer as they were. */
  rows(): AsyncIterable<Row>;
}

export type TableForm = 'csv' | 'json' | 'ndjson' | 'xlsx';

/** The bytes of a table; each call begins at the beginning. */
export interface Chunks {
  (): AsyncIterable<Uint8Array>;
  /** Throws TableError where they are no longer what they were. */
  readonly check?: () => void;
}

/** Why something is no table, and on which line of it, where that is known. */
export class TableError extends Error {
  constructor(
    message: string,
    readonly line?: number,
    /** In a page, with the text of its line. */
    readonly inPage?: { readonly place: Place; readonly line: string },
  ) {
    super(message);
  }
}

/** Goes through a table once, so that what is wrong with it is known before any row of it is used. Throws TableError. */
export async function openTable(chunks: Chunks, form: TableForm, sheet?: string): Promise<Table> {
  const rows = () => readers[form](chunks(), sheet);
  const { columns, count } = form === 'csv' ? await lookThroughCsv(chunks()) : await lookThrough(rows());
  if (count === 0) throw new TableError('it holds no rows, so nothing would be run');
  // What is read ahead must not hide that the rest has changed.
  const checked = async function* () {
    for await (const row of rows()) {
      chunks.check?.();
      yield row;
    }
  };
  return { columns, count, rows: checked };
}

async function lookThrough(rows: AsyncIterable<Row>): Promise<Pick<Table, 'columns' | 'count'>> {
  const columns = new Set<string>();
  let count = 0;
  for await (const row of rows) {
    for (const name of row.keys()) columns.add(name);
    count++;
  }
  return { columns: [...columns], count };
}

/** Nobody asks for the cells of a table that is only looked through. */
async function lookThroughCsv(chunks: AsyncIterable<Uint8Array>): Promise<Pick<Table, 'columns' | 'count'>> {
  let columns: string[] | undefined;
  let count = 0;
  for await (const records of recordsOf(chunks)) {
    columns ??= columnsOf(records.shift()!.record);
    count += records.length;
  }
  if (!columns) throw new TableError('it is empty');
  return { columns, count };
}

/** A table that is a text. */
export function chunksOf(text: string): Chunks {
  return async function* () {
    yield Buffer.from(text);
  };
}

const readers: {
  readonly [form in TableForm]: (
    chunks: AsyncIterable<Uint8Array>,
    sheet: string | undefined,
  ) => AsyncGenerator<Row>;
} = { csv: readCsv, json: readList, ndjson: readLines, xlsx: readWorkbook };

/** The first line names the columns. Cells are plain values; one in quotes stays a text where JSON is written. */
async function* readCsv(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Row> {
  let columns: string[] | undefined;
  for await (const records of recordsOf(chunks)) {
    columns ??= columnsOf(records.shift()!.record);
    for (const { record, raw, delimiter } of records) {
      const quoted = raw.includes('"') ? quotedCells(raw, delimiter) : undefined;
      const row = new Map<string, Value>();
      for (let at = 0; at < columns.length; at++)
        row.set(columns[at]!, new Plain(record[at] ?? '', quoted?.[at] === true));
      yield row;
    }
  }
  if (!columns) throw new TableError('it is empty');
}

/** A record of a table in text: its cells, and how they are written. */
interface TextRecord {
  readonly record: string[];
  readonly raw: string;
  readonly delimiter: string;
}

/**
 * As many records at a time as are there. The package would say of each cell whether it stood in quotes, which takes ten
 * times as long as all the rest.
 */
async function* recordsOf(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<TextRecord[]> {
  const { parse } = await import('csv-parse');
  const { texts, delimiter } = await peek(textsOf(chunks));
  const { Readable, pipeline } = process.getBuiltinModule('node:stream');
  const parser = parse({ bom: true, delimiter, raw: true, skip_empty_lines: true, trim: true });
  let hasEnded = false;
  const ended = new Promise<void>((resolve, reject) => {
    // What goes wrong with the source is thrown where the rows are read.
    pipeline(Readable.from(texts), parser, error => {
      hasEnded = true;
      if (error) reject(error);
      else resolve();
    });
  });
  // Whoever reads hears of it with the records before it.
  ended.catch(() => undefined);
  try {
    for (;;) {
      const records: TextRecord[] = [];
      for (let next = parser.read(); next !== null; next = parser.read())
        records.push({ record: next.record, raw: next.raw, delimiter });
      if (records.length > 0) yield records;
      else if (hasEnded) return await ended;
      else await Promise.race([ended, new Promise(readable => parser.once('readable', readable))]);
    }
  } catch (error) {
    throw reasonOf(error);
  } finally {
    parser.destroy();
  }
}

/** Which cells of a record stand in quotes. */
function quotedCells(raw: string, delimiter: string): boolean[] {
  const quoted: boolean[] = [];
  for (let at = 0; at <= raw.length; ) {
    let from = at;
    while (/\s/.test(raw[from] ?? 'x') && raw[from] !== delimiter) from++;
    const isQuoted = raw[from] === '"';
    quoted.push(isQuoted);
    if (isQuoted) from = closingQuote(raw, from) + 1;
    const end = raw.indexOf(delimiter, from);
    if (end < 0) return quoted;
    at = end + 1;
  }
  return quoted;
}

/** Two quotes are one that belongs to the cell. */
function closingQuote(raw: string, opening: number): number {
  for (let at = raw.indexOf('"', opening + 1); at >= 0; at = raw.indexOf('"', at + 2))
    if (raw[at + 1] !== '"') return at;
  return raw.length;
}

/** Why the package cannot read a table; any other error as it is. */
export function reasonOf(error: unknown): unknown {
  const { code, lines } = error as CsvError & { lines?: number };
  // Of its own making are those that know the line.
  if (typeof code !== 'string' || lines === undefined) return error;
  return new TableError(reasons[code] ?? (error as Error).message, lines);
}

/** Throws TableError. */
export function columnsOf(names: readonly string[]): string[] {
  const empty = names.indexOf('');
  if (empty >= 0) throw new TableError(`column ${empty + 1} has no name`, 1);
  const twice = names.find((name, index) => names.indexOf(name) !== index);
  if (twice !== undefined) throw new TableError(`two columns have the name '${twice}'`, 1);
  return [...names];
}

function rowOf(columns: readonly string[], cells: readonly Value[]): Row {
  return new Map(columns.map((name, index) => [name, cells[index] ?? null]));
}

const reasons: { readonly [code: string]: string } = withoutPrototype({
  CSV_RECORD_INCONSISTENT_FIELDS_LENGTH: 'this row has more or fewer cells than the first line names columns',
  CSV_QUOTE_NOT_CLOSED: 'a quote is opened and not closed',
  INVALID_OPENING_QUOTE: 'a quote stands inside of a cell; a cell with quotes stands in quotes as a whole',
  CSV_INVALID_CLOSING_QUOTE:
    'something stands behind a closing quote; a quote inside of a cell is written twice',
  CSV_NON_TRIMABLE_CHAR_AFTER_CLOSING_QUOTE:
    'something stands behind a closing quote; a quote inside of a cell is written twice',
});

/** Texts as they come; a character whose bytes are cut in two is put together. */
async function* textsOf(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<string> {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  try {
    for await (const chunk of chunks) yield decoder.decode(chunk, { stream: true });
    yield decoder.decode();
  } catch (error) {
    if ((error as { code?: string }).code !== 'ERR_ENCODING_INVALID_ENCODED_DATA') throw error;
    throw new TableError('it is no text in UTF-8');
  }
}

/** The texts anew, and the delimiter that the first of them show. */
async function peek(
  texts: AsyncGenerator<string>,
): Promise<{ texts: AsyncIterable<string>; delimiter: string }> {
  let beginning = '';
  while (!beginning.includes('\n')) {
    const { done, value } = await texts.next();
    if (done) break;
    beginning += value;
  }
  const all = async function* () {
    if (beginning !== '') yield beginning;
    yield* texts;
  };
  return { texts: all(), delimiter: delimiterOf(beginning) };
}

/** The mark that comes most often in the first line, outside of quotes. */
export function delimiterOf(text: string): string {
  const first = text.split('\n', 1)[0]!.replace(/"[^"]*"/g, '');
  const counts = [',', ';', '\t', '|'].map(mark => ({ mark, count: first.split(mark).length - 1 }));
  return counts.reduce((best, each) => (each.count > best.count ? each : best)).mark;
}

async function* readList(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Row> {
  let text = '';
  for await (const part of textsOf(chunks)) text += part;
  const list = document(text);
  if (!Array.isArray(list))
    throw new TableError(`it is ${kindInWords(kindOf(list))}, and a list of objects is wanted`);
  for (const [index, item] of list.entries()) yield rowOfItem(item, index + 1);
}

async function* readLines(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Row> {
  let [open, line, row] = ['', 0, 0];
  const read = (text: string): Row | undefined => {
    line++;
    return text.trim() === '' ? undefined : rowOfItem(document(text, line), ++row);
  };
  for await (const part of textsOf(chunks)) {
    const lines = (open + part).split('\n');
    open = lines.pop()!;
    for (const text of lines) {
      const item = read(text);
      if (item) yield item;
    }
  }
  const last = read(open);
  if (last) yield last;
}

function document(text: string, line?: number): Value {
  try {
    return readJson(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    throw new TableError(error.message, line ?? text.slice(0, error.offset).split('\n').length);
  }
}

/** The members of all objects together are the columns. */
function rowOfItem(item: Value, number: number): Row {
  if (isObject(item)) return new Map(Object.entries(item));
  throw new TableError(
    `row ${number} is ${kindInWords(kindOf(item))}, and an object is wanted; a list of other values is named by a variable: each {list} as name`,
  );
}

async function* readWorkbook(
  chunks: AsyncIterable<Uint8Array>,
  sheet: string | undefined,
): AsyncGenerator<Row> {
  const parts: Uint8Array[] = [];
  for await (const chunk of chunks) parts.push(chunk);
  const cells = await readSheet(Buffer.concat(parts), sheet, message => new TableError(message));
  const [head, ...rows] = cells;
  if (!head) throw new TableError('it is empty');
  const columns = columnsOf(head.map(cell => (cell instanceof Plain ? cell.text : String(cell ?? ''))));
  for (const row of rows) if (row.some(cell => cell !== null)) yield rowOf(columns, row);
}
