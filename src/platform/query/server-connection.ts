import type { OperationFault } from '../../core/steps/operation-port.ts';
import type {
  EndedQuery,
  FilledDatabase,
  MistakePlace,
  OutgoingQuery,
  OutgoingStatement,
} from '../../core/steps/query/query-port.ts';
import { after, elapsed } from '../clock.ts';
import type { DatabaseConnection, Spool, Spooled } from './connection-pool.ts';
import { connectionFault, interrupted, timeFault } from './query-faults.ts';
import { RowCollector, type RowSink } from './row-sink.ts';
import { SpoolWriter } from './row-spool.ts';
import type { ValueReaders } from './value-readers.ts';

/** In milliseconds: so long a query that is ended at the server is waited for, before its connection is given up. */
const patience = 1000;

/** What a statement came to, beside its rows. */
export interface Came {
  readonly changed?: number;
}

/** Ends a query with a fault of its own. */
export class QueryEnded extends Error {
  constructor(readonly fault: OperationFault) {
    super(fault.message);
  }
}

/** What all servers have in common: transactions, limits of time that end a query at the server, and faults. */
export abstract class ServerConnection<Client> implements DatabaseConnection {
  protected client: Client | undefined;
  /** Whether it must not be used again. */
  protected isBroken = false;
  /** Goes off where a query that was ended at the server does not end. */
  #givenUp: NodeJS.Timeout | undefined;
  #onGivenUp: () => void = () => undefined;
  /** The one that is carried out. */
  #statement = 0;
  /** What ends it at the server, while that goes on. */
  #ending: Promise<void> | undefined;
  /** Why what it returns is not wanted. */
  #refusal: OperationFault | undefined;

  constructor(
    readonly database: FilledDatabase,
    /** Of the collection. */
    readonly root: string,
    readonly readers: ValueReaders,
  ) {}

  /** Makes a client; what it does not know of itself is set in `begin`. */
  protected abstract make(): Client;
  protected abstract connect(client: Client): Promise<void>;
  /** Carries out a statement that nobody asks an answer of. */
  protected abstract say(client: Client, text: string): Promise<void>;
  /** Sets the session back to what it begins with. */
  protected abstract clear(client: Client): Promise<void>;
  protected abstract carryOut(client: Client, statement: OutgoingStatement, sink: RowSink): Promise<Came>;
  /** What ends the query of this connection, said over another one; nothing where it has none yet. */
  protected abstract cancelling(client: Client): string | undefined;
  protected abstract another(): ServerConnection<Client>;
  protected abstract destroy(client: Client): void;
  protected abstract end(client: Client): Promise<void>;
  /** What the server, or its client, means by an error. */
  protected abstract meant(error: Error & { readonly code?: string }): OperationFault;
  protected abstract placeOf(error: Error, statement: number, query: OutgoingQuery): MistakePlace | undefined;

  async ask(query: OutgoingQuery, signal: AbortSignal): Promise<EndedQuery> {
    let last = new RowCollector(query);
    const ended = await this.#ask(query, signal, () => {
      last = new RowCollector(query);
      return last;
    });
    return { ...ended, ...(!ended.fault && last.rows && { rows: last.rows }) };
  }

  async spool(query: OutgoingQuery, { path, columns }: Spool, signal: AbortSignal): Promise<Spooled> {
    const writer = new SpoolWriter(path, columns, this.readers.writeJson);
    const { fault, at } = await this.#ask(query, signal, () => writer);
    const late = writer.end();
    const { count, missing } = writer;
    return { count, missing, ...((fault ?? late) && { fault: fault ?? late! }), ...(at && { at }) };
  }

  /** @param sinkFor made for each statement */
  async #ask(query: OutgoingQuery, signal: AbortSignal, sinkFor: () => RowSink): Promise<EndedQuery> {
    const begin = elapsed();
    let fault: OperationFault | undefined;
    const end = (why: OperationFault) => {
      if (fault) return;
      fault = why;
      this.#cancel();
    };
    const onAbort = () => end(interrupted);
    const cancelTimer = after(query.timeout, () => end(timeFault(query)));
    signal.addEventListener('abort', onAbort);
    this.#statement = 0;
    this.#refusal = undefined;
    this.#ending = undefined;
    // A client that is given up need not say so.
    const givenUp = new Promise<never>((_, reject) => {
      this.#onGivenUp = () => reject(new QueryEnded(fault ?? this.#refusal ?? interrupted));
    });
    try {
      const came = await Promise.race([this.#carryOutAll(query, sinkFor, () => fault), givenUp]);
      const time = elapsed() - begin;
      await this.#hasEnded(givenUp);
      return { ...came, time };
    } catch (error) {
      const time = elapsed() - begin;
      await this.#hasEnded(givenUp);
      const statement = this.#statement;
      const found = this.#refusal ?? this.#faultOf(error as Error);
      if (!this.isBroken && query.statements.length > 1) await this.#rollBack();
      const at =
        fault || this.#refusal || error instanceof QueryEnded
          ? undefined
          : this.placeOf(error as Error, statement, query);
      return { fault: fault ?? found, time, ...(at && { at }) };
    } finally {
      cancelTimer();
      clearTimeout(this.#givenUp);
      signal.removeEventListener('abort', onAbort);
    }
  }

  /** What ends a query must not meet the next one instead. */
  async #hasEnded(givenUp: Promise<never>): Promise<void> {
    if (this.#ending && !this.isBroken) await Promise.race([this.#ending, givenUp.catch(() => undefined)]);
  }

  async #carryOutAll(
    query: OutgoingQuery,
    sinkFor: () => RowSink,
    endedBy: () => OperationFault | undefined,
  ): Promise<Came> {
    const client = await this.open();
    const fault = endedBy();
    if (fault) throw new QueryEnded(fault);
    let came: Came = {};
    const several = query.statements.length > 1;
    if (several) await this.say(client, 'begin');
    for (; this.#statement < query.statements.length; this.#statement++)
      came = await this.#carryOutOne(client, query.statements[this.#statement]!, sinkFor());
    if (several) await this.say(client, 'commit');
    return came;
  }

  async #carryOutOne(client: Client, statement: OutgoingStatement, sink: RowSink): Promise<Came> {
    const came = await this.carryOut(client, statement, sink);
    if (this.#refusal) throw new QueryEnded(this.#refusal);
    return came;
  }

  /** What a sink says of what came: once it does not want it, the rest does not come. */
  protected heed(fault: OperationFault | undefined): void {
    if (!fault || this.#refusal) return;
    this.#refusal = fault;
    this.#cancel();
  }

  protected get isRefused(): boolean {
    return this.#refusal !== undefined;
  }

  protected async open(): Promise<Client> {
    if (this.client) return this.client;
    const client = this.make();
    this.client = client;
    try {
      await this.connect(client);
    } catch (error) {
      this.isBroken = true;
      throw error;
    }
    return client;
  }

  #cancel(): void {
    this.#ending ??= this.#endAtServer();
  }

  /** At the server, from a connection of its own; where that does not help, by giving the connection up. */
  async #endAtServer(): Promise<void> {
    const { client } = this;
    const statement = client && this.cancelling(client);
    if (statement === undefined) return this.#giveUp();
    this.#givenUp = setTimeout(() => this.#giveUp(), patience);
    const other = this.another();
    try {
      await other.say(await other.open(), statement);
    } catch {
      this.#giveUp();
    } finally {
      await other.close();
    }
  }

  #giveUp(): void {
    this.isBroken = true;
    if (this.client) this.destroy(this.client);
    this.#onGivenUp();
  }

  async #rollBack(): Promise<void> {
    try {
      await this.say(this.client!, 'rollback');
    } catch {
      this.isBroken = true;
    }
  }

  #faultOf(error: Error): OperationFault {
    if (error instanceof QueryEnded) return error.fault;
    const ofConnection = connectionFault(this.database, error);
    if (ofConnection) this.isBroken = true;
    return ofConnection ?? this.meant(error);
  }

  async reset(): Promise<boolean> {
    if (this.isBroken || !this.client) return false;
    try {
      await this.clear(this.client);
      return !this.isBroken;
    } catch {
      return false;
    }
  }

  async close(): Promise<void> {
    if (!this.client) return;
    if (this.isBroken) this.destroy(this.client);
    else {
      const { client } = this;
      const timer = setTimeout(() => this.destroy(client), patience);
      await this.end(client).catch(() => undefined);
      clearTimeout(timer);
    }
  }
}
