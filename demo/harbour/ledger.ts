import { loadSqlite, type SqliteDatabase } from '../../src/platform/query/sqlite-library.ts';

/** What of a reservation is written down. */
interface Entry {
  readonly id: bigint;
  readonly berth: { readonly code: string; readonly tariff: number };
  readonly nights: number;
}

/** What the office writes down of its berths: a file of SQLite, which others can look into. */
export class Ledger {
  readonly #database: SqliteDatabase;

  /** Nothing where this machine has no SQLite. @param path of a file that is not there yet */
  static open(path: string): Ledger | undefined {
    const open = loadSqlite();
    return open && new Ledger(open(path, 1000));
  }

  private constructor(database: SqliteDatabase) {
    this.#database = database;
    // It is new at every start, as the office is, so nobody waits for the disk.
    database.exec('pragma synchronous = off');
    database.exec(
      'create table entries (number integer primary key, reservation integer, what text, berth text, nights integer, fee real)',
    );
  }

  enter(what: 'reserved' | 'changed' | 'cancelled', { id, berth, nights }: Entry): void {
    this.#database
      .prepare('insert into entries (reservation, what, berth, nights, fee) values (?, ?, ?, ?, ?)')
      .run([id, what, berth.code, nights, (nights * berth.tariff) / 100]);
  }

  close(): void {
    this.#database.close();
  }
}
