import { createRequire } from 'node:module';

// SQLite as the runtime has it, else as an optional package that brings a binary for most systems.

export type SqliteValue = string | number | bigint | Uint8Array | null;

export interface SqliteStatement {
  /** Names of the columns; none where it returns no rows by its nature. */
  readonly columns: readonly string[];
  rows(parameters: readonly SqliteValue[]): Iterable<readonly SqliteValue[]>;
  /** How many rows it changed. */
  run(parameters: readonly SqliteValue[]): number;
}

export interface SqliteDatabase {
  prepare(text: string): SqliteStatement;
  exec(text: string): void;
  close(): void;
}

/** Opens a file, which is made where it is not there. @param timeout how long locks of others are waited for, in milliseconds */
export type OpenSqlite = (path: string, timeout: number) => SqliteDatabase;

/** Nothing where this machine has none. */
export function loadSqlite(): OpenSqlite | undefined {
  return ofRuntime() ?? ofPackage();
}

interface RuntimeStatement {
  setReadBigInts(on: boolean): void;
  setReturnArrays(on: boolean): void;
  columns(): { name: string }[];
  iterate(...values: SqliteValue[]): Iterable<SqliteValue[]>;
  run(...values: SqliteValue[]): { changes: number | bigint };
}

/** Versions of the runtime whose statements cannot give rows as lists would hide one column of two. */
function ofRuntime(): OpenSqlite | undefined {
  const sqlite = unwarned(() => process.getBuiltinModule('node:sqlite' as 'node:fs')) as unknown as
    | {
        DatabaseSync: new (
          path: string,
          options: object,
        ) => { prepare(text: string): RuntimeStatement; exec(text: string): void; close(): void };
        StatementSync: { prototype: object };
      }
    | undefined;
  if (!sqlite || !('setReturnArrays' in sqlite.StatementSync.prototype)) return undefined;
  return (path, timeout) => {
    const database = new sqlite.DatabaseSync(path, { timeout, allowExtension: false });
    return {
      prepare(text) {
        const statement = database.prepare(text);
        statement.setReadBigInts(true);
        statement.setReturnArrays(true);
        return {
          columns: statement.columns().map(({ name }) => name),
          rows: parameters => statement.iterate(...parameters),
          run: parameters => Number(statement.run(...parameters).changes),
        };
      },
      exec: text => database.exec(text),
      close: () => database.close(),
    };
  };
}

/** Some versions of the runtime warn of it as an experiment, which is nothing that whoever runs a page could act on. */
function unwarned<Result>(load: () => Result): Result {
  const { emitWarning } = process;
  process.emitWarning = () => undefined;
  try {
    return load();
  } finally {
    process.emitWarning = emitWarning;
  }
}

interface PackageStatement {
  readonly reader: boolean;
  safeIntegers(on: boolean): void;
  raw(on: boolean): void;
  columns(): { name: string }[];
  iterate(values: readonly SqliteValue[]): Iterable<SqliteValue[]>;
  run(values: readonly SqliteValue[]): { changes: number };
}

function ofPackage(): OpenSqlite | undefined {
  let Database: new (
    path: string,
    options: object,
  ) => { prepare(text: string): PackageStatement; exec(text: string): void; close(): void };
  try {
    Database = createRequire(import.meta.url)('libsql');
  } catch {
    return undefined;
  }
  return (path, timeout) => {
    const database = new Database(path, { timeout });
    return {
      prepare(text) {
        const statement = database.prepare(text);
        statement.safeIntegers(true);
        if (statement.reader) statement.raw(true);
        return {
          columns: statement.reader ? statement.columns().map(({ name }) => name) : [],
          rows: parameters => statement.iterate(parameters),
          run: parameters => statement.run(parameters).changes,
        };
      },
      exec: text => database.exec(text),
      close: () => database.close(),
    };
  };
}
