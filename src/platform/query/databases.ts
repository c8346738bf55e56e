import type {
  EndedQuery,
  FailedRows,
  FilledDatabase,
  KeptRows,
  MissingColumn,
  OutgoingQuery,
} from '../../core/steps/query/query-port.ts';
import { elapsed } from '../clock.ts';
import type { FilePlaces } from '../file-places.ts';
import { ConnectionPool, type DatabaseConnection } from './connection-pool.ts';
import { asideFault, interrupted } from './query-faults.ts';
import { SpoolFile } from './row-spool.ts';
import type { ValueReaders } from './value-readers.ts';

/** Opens connections; what speaks to a kind of database is loaded where there is one. */
async function openerFor(
  database: FilledDatabase,
  places: FilePlaces,
  readers: ValueReaders,
): Promise<() => DatabaseConnection> {
  switch (database.dialect) {
    case 'postgres': {
      const { PostgresConnection } = await import('./postgres.ts');
      return () => new PostgresConnection(database, places.root, readers);
    }
    case 'mariadb': {
      const { MariadbConnection } = await import('./mariadb.ts');
      return () => new MariadbConnection(database, places.root, readers);
    }
    case 'sqlite': {
      const { SqliteConnection } = await import('./sqlite.ts');
      return () => new SqliteConnection(database, places, readers);
    }
    default:
      return database.dialect satisfies never;
  }
}

/** The databases that the queries of a run ask, each with connections of its own. */
export class Databases {
  readonly #files = new Set<SpoolFile>();
  readonly #pools = new Map<string, Promise<ConnectionPool<DatabaseConnection>>>();

  constructor(
    readonly places: FilePlaces,
    readonly readers: ValueReaders,
  ) {}

  async run(query: OutgoingQuery, signal: AbortSignal): Promise<EndedQuery> {
    const pool = await this.#poolOf(query.database);
    const begin = elapsed();
    let waits = false;
    const connection = await pool.take(signal, () => {
      waits = true;
    });
    const queued = waits ? elapsed() - begin : undefined;
    if (!connection) return { fault: interrupted, time: 0, ...(queued !== undefined && { queued }) };
    const ended = await connection.ask(query, signal);
    void pool.giveBack(connection, query.leavesNothing && ended.fault === undefined);
    return queued === undefined ? ended : { ...ended, queued };
  }

  async rows(
    query: OutgoingQuery,
    columns: readonly string[],
    signal: AbortSignal,
  ): Promise<KeptRows | MissingColumn | FailedRows> {
    const { readJson } = this.readers;
    const connection = (await openerFor(query.database, this.places, this.readers))();
    let file: SpoolFile;
    try {
      file = new SpoolFile(this.#files);
    } catch (error) {
      return { fault: asideFault(error as Error) };
    }
    const into = { path: file.path, columns };
    const { count, missing, fault, at } = await connection.spool(query, into, signal);
    void connection.close();
    if (!fault && count > 0) return { count, rows: file.rows(readJson) };
    file.remove();
    if (missing) return { missing };
    return fault ? { fault, ...(at && { at }) } : { count, rows: nothing() };
  }

  #poolOf(database: FilledDatabase): Promise<ConnectionPool<DatabaseConnection>> {
    const key = JSON.stringify(database);
    let pool = this.#pools.get(key);
    if (!pool) {
      pool = openerFor(database, this.places, this.readers).then(
        open => new ConnectionPool(database.connections, open),
      );
      this.#pools.set(key, pool);
    }
    return pool;
  }

  async close(): Promise<void> {
    for (const pool of this.#pools.values()) await (await pool).close();
    // What nobody has read to its end.
    for (const file of [...this.#files]) file.remove();
  }
}

async function* nothing(): AsyncGenerator<never> {}
