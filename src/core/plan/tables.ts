import type { EachRow } from '../language/ast.ts';
import { Mistake } from '../text/finding.ts';
import { didYouMean, inWords } from '../text/nearest.ts';
import type { Excerpt } from '../text/source.ts';
import { loadCsv, readTable, type Table, type TableForm, TableMistake } from '../values/table.ts';
import { Missing } from '../values/value.ts';
import type { Collection, CollectionCase } from './collection.ts';
import { resolvePath } from './prepare-body.ts';

/** Reads a text file of the collection, by its path from the root; a Missing says why it cannot be read. */
export type ReadFile = (path: string) => string | Missing;

/** The table that a case is carried out for each row of. */
export interface CaseTable {
  /** As messages call it: `vessels.csv`, `the rows fees`. */
  readonly name: string;
  readonly table: Table;
}

export interface CaseTables {
  readonly of: ReadonlyMap<CollectionCase, CaseTable>;
  /** Why a table cannot be used, by the case that names it. */
  readonly mistakes: ReadonlyMap<CollectionCase, Mistake>;
}

/** Reads the tables of all cases that run for each row of one. */
export async function readTables(collection: Collection, readFile: ReadFile): Promise<CaseTables> {
  const of = new Map<CollectionCase, CaseTable>();
  const mistakes = new Map<CollectionCase, Mistake>();
  for (const page of collection.pages) {
    for (const each of page.cases) {
      if (each.written.each?.type !== 'each-row') continue;
      try {
        of.set(each, await readTableOf(each.written.each, each, readFile));
      } catch (error) {
        if (!(error instanceof Mistake)) throw error;
        mistakes.set(each, error);
      }
    }
  }
  return { of, mistakes };
}

async function readTableOf(
  statement: EachRow,
  { page }: CollectionCase,
  readFile: ReadFile,
): Promise<CaseTable> {
  const { table: name, range } = statement;
  const { tables, source } = page.page;
  const fence = tables.get(name);
  if (fence) {
    await loadCsv();
    return { name: `the rows ${name}`, table: readFence(fence) };
  }
  const form = formOf(name);
  if (!form)
    throw new Mistake(
      'file-missing',
      range,
      `There is no \`csv rows ${name}\` on this page.`,
      didYouMean(name, tables.keys()) ??
        (tables.size > 0
          ? `There are ${inWords([...tables.keys()])}.`
          : 'A file has an ending: .csv, .json or .ndjson.'),
    );
  const text = readFile(resolvePath(source.file.replace(/[^/]*$/, ''), name));
  if (text instanceof Missing)
    throw new Mistake('file-missing', range, `${text.reason}.`, 'Its path is relative to the page.');
  if (form === 'csv') await loadCsv();
  try {
    return { name, table: readTable(text, form) };
  } catch (error) {
    if (!(error instanceof TableMistake)) throw error;
    const where = error.line === undefined ? name : `${name}:${error.line}`;
    throw new Mistake('table-form', range, `${where} cannot be used: ${error.message}.`);
  }
}

function readFence(fence: Excerpt): Table {
  try {
    return readTable(fence.text, 'csv');
  } catch (error) {
    if (!(error instanceof TableMistake)) throw error;
    const lines = fence.text.split('\n');
    const line = Math.min(error.line ?? 1, lines.length);
    const start = lines.slice(0, line - 1).join('\n').length + (line > 1 ? 1 : 0);
    const range = fence.range(start, start + lines[line - 1]!.length);
    throw new Mistake('table-form', range, `These rows cannot be used: ${error.message}.`);
  }
}

function formOf(name: string): TableForm | undefined {
  const ending = /\.([a-z]+)$/i.exec(name)?.[1]?.toLowerCase();
  if (ending === 'csv' || ending === 'tsv' || ending === 'txt') return 'csv';
  if (ending === 'json') return 'json';
  return ending === 'ndjson' || ending === 'jsonl' ? 'ndjson' : undefined;
}
