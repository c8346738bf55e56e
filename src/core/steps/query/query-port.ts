import type { Value } from '../../model/value.ts';
import type { Dialect } from '../../settings/database.ts';
import type { OperationFault, OperationPort } from '../operation-port.ts';

/** A database with everything filled in. */
export interface FilledDatabase {
  readonly name: string;
  readonly dialect: Dialect;
  readonly host?: string;
  readonly port?: number;
  /** What it is called there, or the path of the file, from the root of the collection or absolute. */
  readonly database: string;
  readonly user?: string;
  readonly password?: string;
  readonly tls: 'none' | 'elsewhere' | { readonly [Key in 'ca' | 'cert' | 'key']?: string };
  readonly create: boolean;
  readonly connections: number;
}

/** A value on its way into a query, of a kind that databases have; a plain one is whatever the other side takes it for. */
export interface Parameter {
  readonly kind: 'number' | 'text' | 'plain' | 'boolean' | 'null' | 'json' | 'bytes' | 'date' | 'timestamp';
  readonly value: string | Uint8Array | null;
}

export interface OutgoingStatement {
  /** With a placeholder for each parameter, as the database writes it. */
  readonly text: string;
  readonly parameters: readonly Parameter[];
  /** Whether it says how many rows it matched to change. */
  readonly changes: boolean;
}

/** Statements that are one transaction, where there are several. */
export interface OutgoingQuery {
  readonly database: FilledDatabase;
  readonly statements: readonly OutgoingStatement[];
  /** Whether the session is after it as it was before. */
  readonly leavesNothing: boolean;
  /** In milliseconds. */
  readonly timeout: number;
  /** How many rows may come. */
  readonly rows: number;
}

/** Where a database says that a mistake is: in which statement, at which character of its text. */
export interface MistakePlace {
  readonly statement: number;
  readonly offset: number;
}

/** What came of the last statement. */
export interface EndedQuery {
  /** Nothing where it returns none by its nature. */
  readonly rows?: readonly { readonly [column: string]: Value }[];
  /** How many it matched to change; nothing where it changes nothing by its nature. */
  readonly changed?: number;
  readonly fault?: OperationFault;
  readonly at?: MistakePlace;
  /** In milliseconds, without what it waited for a connection. */
  readonly time: number;
  readonly queued?: number;
}

/** All rows of a query as they were at one moment, kept beside the run. */
export interface KeptRows {
  readonly fault?: undefined;
  readonly missing?: undefined;
  readonly count: number;
  /** To be read once: the values of the columns that were asked for, in their order. Throws TableError. */
  readonly rows: AsyncIterable<readonly Value[]>;
}

/** That a query returns no column that was asked for, and those that it returns. */
export interface MissingColumn {
  readonly fault?: undefined;
  readonly missing: { readonly column: string; readonly returned: readonly string[] };
}

/** Why there are no rows. */
export interface FailedRows extends Pick<EndedQuery, 'at'> {
  readonly fault: OperationFault;
}

/** What asks databases. */
export interface QueryPort extends OperationPort<undefined> {
  run(query: OutgoingQuery, signal: AbortSignal): Promise<EndedQuery>;
  /** Over a connection of its own, which is closed by then; however many there are, they take no memory. */
  rows(
    query: OutgoingQuery,
    columns: readonly string[],
    signal: AbortSignal,
  ): Promise<KeptRows | MissingColumn | FailedRows>;
}
