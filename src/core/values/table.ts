import type { CsvError, Info } from 'csv-parse';
import { JsonMistake, readJson } from './json.ts';
import { isObject, kindInWords, kindOf, Plain, type Value } from './value.ts';

let parse: typeof import('csv-parse/sync').parse | undefined;

/** Loads what reads CSV. To be awaited before the first `readTable` of such a text. */
export async function loadCsv(): Promise<void> {
  parse ??= (await import('csv-parse/sync')).parse;
}

/** Rows with named values. */
export interface Table {
  readonly columns: readonly string[];
  readonly rows: readonly ReadonlyMap<string, Value>[];
}

export type TableForm = 'csv' | 'json' | 'ndjson';

/** Why a text is no table, and on which line of it, where that is known. */
export class TableMistake extends Error {
  constructor(
    message: string,
    readonly line?: number,
  ) {
    super(message);
  }
}

/** Throws TableMistake. */
export function readTable(text: string, form: TableForm): Table {
  const table =
    form === 'csv' ? readCsv(text) : listAsTable(form === 'json' ? readList(text) : readLines(text));
  if (table.rows.length === 0) throw new TableMistake('it holds no rows, so nothing would be run');
  return table;
}

/** The first line names the columns. Cells are plain values; one in quotes stays a text where JSON is written. */
function readCsv(text: string): Table {
  if (!parse) throw new TypeError('loadCsv() comes before readTable().');
  let records: { record: Plain[]; info: Info }[];
  try {
    records = parse(text, {
      bom: true,
      delimiter: delimiterOf(text),
      info: true,
      skip_empty_lines: true,
      trim: true,
      cast: (cell, { quoting }) => new Plain(cell, quoting) as never,
    }) as unknown as typeof records;
  } catch (error) {
    const { code, lines } = error as CsvError & { lines?: number };
    if (typeof code !== 'string') throw error;
    throw new TableMistake(reasons[code] ?? (error as Error).message, lines);
  }
  const [head, ...rows] = records;
  if (!head) throw new TableMistake('it is empty');
  const columns = head.record.map(({ text: name }) => name);
  const empty = columns.indexOf('');
  if (empty >= 0) throw new TableMistake(`column ${empty + 1} has no name`, 1);
  const twice = columns.find((name, index) => columns.indexOf(name) !== index);
  if (twice !== undefined) throw new TableMistake(`two columns have the name '${twice}'`, 1);
  return {
    columns,
    rows: rows.map(({ record }) => new Map(columns.map((name, index) => [name, record[index]!]))),
  };
}

const reasons: { readonly [code: string]: string } = {
  CSV_RECORD_INCONSISTENT_FIELDS_LENGTH: 'this row has more or fewer cells than the first line names columns',
  CSV_QUOTE_NOT_CLOSED: 'a quote is opened and not closed',
  INVALID_OPENING_QUOTE: 'a quote stands inside of a cell; a cell with quotes stands in quotes as a whole',
  CSV_INVALID_CLOSING_QUOTE:
    'something stands behind a closing quote; a quote inside of a cell is written twice',
  CSV_NON_TRIMABLE_CHAR_AFTER_CLOSING_QUOTE:
    'something stands behind a closing quote; a quote inside of a cell is written twice',
};

/** The one that comes most often in the first line, outside of quotes. */
function delimiterOf(text: string): string {
  const first = text.split('\n', 1)[0]!.replace(/"[^"]*"/g, '');
  const counts = [',', ';', '\t', '|'].map(mark => ({ mark, count: first.split(mark).length - 1 }));
  return counts.reduce((best, each) => (each.count > best.count ? each : best)).mark;
}

function readList(text: string): Value[] {
  const list = document(text);
  if (!Array.isArray(list))
    throw new TableMistake(`it is ${kindInWords(kindOf(list))}, and a list of objects is wanted`);
  return list;
}

function readLines(text: string): Value[] {
  return text
    .split('\n')
    .map((line, index) => ({ line, number: index + 1 }))
    .filter(({ line }) => line.trim() !== '')
    .map(({ line, number }) => document(line, number));
}

function document(text: string, line?: number): Value {
  try {
    return readJson(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    if (!(error instanceof JsonMistake)) throw error;
    throw new TableMistake(error.message, line ?? text.slice(0, error.offset).split('\n').length);
  }
}

/** The members of all objects together are the columns. */
function listAsTable(list: readonly Value[]): Table {
  const columns = new Set<string>();
  const rows = list.map((item, index) => {
    if (!isObject(item))
      throw new TableMistake(
        `row ${index + 1} is ${kindInWords(kindOf(item))}, and an object is wanted; a list of other values is named by a variable: each {list} as name`,
      );
    for (const name of Object.keys(item)) columns.add(name);
    return new Map(Object.entries(item));
  });
  return { columns: [...columns], rows };
}
