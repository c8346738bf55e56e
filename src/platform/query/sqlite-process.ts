import type { MissingColumn, OutgoingQuery, Parameter } from '../../core/steps/query/query-port.ts';
import { columnFault } from './query-faults.ts';
import { SpoolWriter } from './row-spool.ts';
import { loadSqlite, type SqliteDatabase, type SqliteValue } from './sqlite-library.ts';

// The process that asks a file of SQLite, query by query: one that does not end can only be ended with its process.

/** What it is told, and what it answers. */
export interface SqliteTask {
  readonly path: string;
  readonly query: Pick<OutgoingQuery, 'statements' | 'rows'>;
  /** How long locks of others are waited for, in milliseconds. */
  readonly patience: number;
  /** Where its rows go instead of into the answer. */
  readonly spool?: { readonly path: string; readonly columns: readonly string[] };
}

export type SqliteAnswer =
  | {
      readonly columns?: readonly string[];
      readonly rows?: readonly (readonly SqliteValue[])[];
      readonly changed?: number;
    }
  | { readonly failed: string; readonly code: string; readonly statement: number }
  | { readonly spooled: number; readonly missing?: MissingColumn['missing'] }
  | { readonly refused: string }
  | { readonly tooMany: true };

const open = loadSqlite();

process.on('message', (task: SqliteTask) => {
  process.send!(answerTo(task));
});
process.on('disconnect', () => process.exit());

function answerTo({ path, query, patience, spool }: SqliteTask): SqliteAnswer {
  let database: SqliteDatabase | undefined;
  let statement = 0;
  try {
    // Nothing of a session is left behind where each query has its own.
    database = open!(path, patience);
    if (spool) return fillSpool(database, query.statements[0]!, spool);
    const several = query.statements.length > 1;
    if (several) database.exec('begin');
    let answer: SqliteAnswer = {};
    for (; statement < query.statements.length; statement++) {
      answer = carryOut(database, query.statements[statement]!, query.rows);
      if ('refused' in answer || 'tooMany' in answer) return answer;
    }
    if (several) database.exec('commit');
    return answer;
  } catch (error) {
    const { message, code = '' } = error as Error & { code?: string };
    return { failed: message, code, statement };
  } finally {
    // What was not finished is rolled back with it.
    try {
      database?.close();
    } catch {
      process.exitCode = 0;
    }
  }
}

function carryOut(
  database: SqliteDatabase,
  { text, parameters, changes }: OutgoingQuery['statements'][number],
  most: number,
): SqliteAnswer {
  const statement = database.prepare(text);
  const { columns } = statement;
  const given = parameters.map(bound);
  if (columns.length === 0) {
    const changed = statement.run(given);
    return changes ? { changed } : {};
  }
  const twice = columnFault(columns);
  if (twice) return { refused: twice.message };
  const rows: (readonly SqliteValue[])[] = [];
  for (const row of statement.rows(given)) {
    if (rows.length === most) return { tooMany: true };
    rows.push(row);
  }
  // What returns the rows that it changed says by them how many there are.
  return changes ? { columns, rows, changed: rows.length } : { columns, rows };
}

function fillSpool(
  database: SqliteDatabase,
  { text, parameters }: OutgoingQuery['statements'][number],
  { path, columns }: NonNullable<SqliteTask['spool']>,
): SqliteAnswer {
  const statement = database.prepare(text);
  const writer = new SpoolWriter(path, columns, jsonOf);
  let fault = writer.begin(statement.columns);
  if (writer.missing) return { spooled: 0, missing: writer.missing };
  if (!fault)
    for (const row of statement.rows(parameters.map(bound))) {
      fault = writer.take(row);
      if (fault) break;
    }
  fault ??= writer.end();
  return fault ? { refused: fault.message } : { spooled: writer.count };
}

/** What JSON has no number for is a text; bytes are in base64. */
function jsonOf(value: SqliteValue): string {
  if (typeof value === 'bigint') return String(value);
  if (value instanceof Uint8Array) return JSON.stringify(Buffer.from(value).toString('base64'));
  return JSON.stringify(typeof value === 'number' && !Number.isFinite(value) ? String(value) : value);
}

function bound({ kind, value }: Parameter): SqliteValue {
  if (value === null || value instanceof Uint8Array) return value;
  if (kind === 'boolean') return value === 'true' ? 1n : 0n;
  if (kind !== 'number') return value;
  return /^-?\d+$/.test(value) ? BigInt(value) : Number(value);
}
