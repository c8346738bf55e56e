import { SourceError } from '../model/finding.ts';
import type { Excerpt, Range } from '../model/source.ts';
import { Missing } from '../model/value.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import type { AskedTable } from '../steps/asked-table.ts';
import { planRows } from '../steps/query/ask-rows.ts';
import { resolvePath } from '../text/paths.ts';
import { withoutPrototype } from '../text/without-prototype.ts';
import { didYouMean, inWords } from '../text/words.ts';
import {
  type Chunks,
  chunksOf,
  openTable,
  type Table,
  TableError,
  type TableForm,
} from '../values/table-reader.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';

/** Opens a file of the collection, by its path from the root; a Missing says why it cannot be read. */
export type OpenFile = (path: string) => Chunks | Missing;

/** What a table is called in messages: `vessels.csv`, `the rows fees`. */
interface Named {
  readonly name: string;
}

/** A table of a file, or of a page. */
export type WrittenTable = Table & Named;
/** One with rows that are known only when they are asked for. */
export type NamedTable = WrittenTable | (AskedTable & Named);

export interface Tables {
  /** That a case is carried out for each row of. */
  readonly ofCase: ReadonlyMap<CollectionCase, NamedTable>;
  /** That a page runs once for each row of. */
  readonly ofPage: ReadonlyMap<CollectionPage, NamedTable>;
  /** Why a table cannot be used, by who names it. */
  readonly errors: ReadonlyMap<CollectionCase | CollectionPage, SourceError>;
}

export const noTables: Tables = { ofCase: new Map(), ofPage: new Map(), errors: new Map() };

/** Goes through the tables of all pages, and of all cases that run for each row of one. */
export async function readTables(collection: Collection, openFile: OpenFile): Promise<Tables> {
  const ofCase = new Map<CollectionCase, NamedTable>();
  const ofPage = new Map<CollectionPage, NamedTable>();
  const errors = new Map<CollectionCase | CollectionPage, SourceError>();
  const known = new Map<string, Promise<NamedTable | undefined>>();
  const read = async <User extends CollectionCase | CollectionPage>(
    user: User,
    into: Map<User, NamedTable>,
    key: string,
    open: () => Promise<NamedTable | undefined>,
  ) => {
    try {
      if (!known.has(key)) known.set(key, open());
      const table = await known.get(key)!;
      if (table) into.set(user, table);
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      errors.set(user, error);
    }
  };
  for (const page of collection.pages) {
    const { rows } = page;
    if (rows) {
      const { text, range } = rows.table;
      const { file } = rows.level.source;
      await read(page, ofPage, `${file} ${text}`, () =>
        openTableOf({ name: text, range, file }, page, openFile),
      );
    }
    for (const each of page.cases) {
      const statement = each.written.each;
      if (statement?.type !== 'each-row') continue;
      const { table, range } = statement;
      const { file } = page.page.source;
      await read(each, ofCase, `${file} ${table}`, () =>
        openTableOf({ name: table, range, file }, page, openFile),
      );
    }
  }
  return { ofCase, ofPage, errors };
}

interface TableReference {
  readonly name: string;
  readonly range: Range;
  /** Where it is named; its path is relative to that file. */
  readonly file: string;
}

async function openTableOf(
  { name, range, file }: TableReference,
  { page, levels }: CollectionPage,
  openFile: OpenFile,
): Promise<NamedTable | undefined> {
  const { tables } = page;
  const fence = tables.get(name);
  if (fence && 'database' in fence)
    return { ...planRows(fence, mergeLevels(levels)), name: `the rows ${name}` };
  if (fence) return { ...(await openFence(fence)), name: `the rows ${name}` };
  if (tables.has(name)) return undefined;
  if (!formOf(name))
    throw new SourceError(
      'file-missing',
      range,
      `There is no \`csv rows ${name}\` or \`sql rows ${name}\` on this page.`,
      didYouMean(name, tables.keys()) ??
        (tables.size > 0 ? `There are ${inWords([...tables.keys()])}.` : `A file has an ending: ${endings}.`),
    );
  const [, folder = ''] = /^(.*\/)?/.exec(file)!;
  const chunks = openFile(resolvePath(folder, withoutSheet(name)));
  if (chunks instanceof Missing)
    throw new SourceError(
      'file-missing',
      range,
      `${chunks.reason}.`,
      'Its path is relative to the file that names it.',
    );
  try {
    return await openNamed(name, chunks);
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    throw new SourceError('table-form', range, `${error.message}.`);
  }
}

/**
 * Opens the table in a file.
 * @param name with its ending, which says what it is; behind a '#' the sheet of a workbook
 * Throws TableError, with the name in its message.
 */
export async function openNamed(name: string, chunks: Chunks): Promise<WrittenTable> {
  const [, sheet] = name.split('#');
  const form = formOf(name);
  if (!form) throw new TableError(`'${name}' is no table: it ends in none of ${endings}`);
  try {
    return { name, ...(await openTable(chunks, form, sheet)) };
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    const where = error.line === undefined ? withoutSheet(name) : `${name}:${error.line}`;
    throw new TableError(`${where} cannot be used: ${error.message}`);
  }
}

async function openFence(fence: Excerpt): Promise<Table> {
  try {
    return await openTable(chunksOf(fence.text), 'csv');
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    const lines = fence.text.split('\n');
    const line = Math.min(error.line ?? 1, lines.length);
    const start = lines.slice(0, line - 1).join('\n').length + (line > 1 ? 1 : 0);
    const range = fence.range(start, start + lines[line - 1]!.length);
    throw new SourceError('table-form', range, `These rows cannot be used: ${error.message}.`);
  }
}

const endings = '.csv, .tsv, .json, .ndjson and .xlsx';

const forms: { readonly [ending: string]: TableForm } = withoutPrototype({
  csv: 'csv',
  tsv: 'csv',
  txt: 'csv',
  json: 'json',
  ndjson: 'ndjson',
  jsonl: 'ndjson',
  xlsx: 'xlsx',
});

function formOf(name: string): TableForm | undefined {
  const ending = /\.([a-z]+)$/i.exec(withoutSheet(name))?.[1]?.toLowerCase();
  return ending === undefined ? undefined : forms[ending];
}

/** `tariffs.xlsx#Quay 2` */
export function withoutSheet(name: string): string {
  return name.replace(/(\.xlsx)#.*$/i, '$1');
}
