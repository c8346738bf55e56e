import type { EndedQuery, MissingColumn, OutgoingQuery } from '../../core/steps/query/query-port.ts';

/** The file that rows go to, and which columns of them. */
export interface Spool {
  readonly path: string;
  readonly columns: readonly string[];
}

/** How many rows went there, or why there are none. */
export interface Spooled extends Pick<EndedQuery, 'fault' | 'at'> {
  readonly count: number;
  readonly missing?: MissingColumn['missing'] | undefined;
}

/** A connection to a database, for one query at a time. */
export interface DatabaseConnection {
  /** Carries out a query; never throws. */
  ask(query: OutgoingQuery, signal: AbortSignal): Promise<EndedQuery>;
  /** The same, with its rows in a file rather than in memory. */
  spool(query: OutgoingQuery, into: Spool, signal: AbortSignal): Promise<Spooled>;
  /** Takes away what the query has left in the session; whether it can be used again. */
  reset(): Promise<boolean>;
  close(): Promise<void>;
}

/** The connections to one database: so many at the most, each handed on as it was opened. */
export class ConnectionPool<Connection extends DatabaseConnection> {
  readonly #idle: Connection[] = [];
  readonly #waiting: (() => void)[] = [];
  readonly #all = new Set<Connection>();
  #open = 0;
  /** How many are being made fit to be used again. */
  #clearing = 0;

  constructor(
    readonly most: number,
    readonly open: () => Connection,
  ) {}

  /** @param onWait called where somebody has to wait for it */
  async take(signal: AbortSignal, onWait: () => void): Promise<Connection | undefined> {
    while (!signal.aborted) {
      const idle = this.#idle.pop();
      if (idle) return idle;
      // Whoever asks one thing after the other has one connection, which is clear by then.
      if (this.#open < this.most && this.#clearing === 0) {
        this.#open++;
        const connection = this.open();
        this.#all.add(connection);
        return connection;
      }
      if (this.#clearing === 0) onWait();
      await this.#turn(signal);
    }
    return undefined;
  }

  #turn(signal: AbortSignal): Promise<void> {
    return new Promise(resolve => {
      const go = () => {
        signal.removeEventListener('abort', go);
        const at = this.#waiting.indexOf(go);
        if (at >= 0) this.#waiting.splice(at, 1);
        resolve();
      };
      this.#waiting.push(go);
      signal.addEventListener('abort', go);
    });
  }

  /** Nobody waits for what it takes to make a connection fit to be used again but those who want one. */
  async giveBack(connection: Connection, isClean: boolean): Promise<void> {
    const isUsable = isClean || (await this.#clear(connection));
    if (isUsable) this.#idle.push(connection);
    else {
      this.#open--;
      this.#all.delete(connection);
      void connection.close();
    }
    this.#waiting[0]?.();
  }

  async #clear(connection: Connection): Promise<boolean> {
    this.#clearing++;
    try {
      return await connection.reset();
    } finally {
      this.#clearing--;
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#all].map(each => each.close()));
  }
}
