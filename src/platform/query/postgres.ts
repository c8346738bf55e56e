import type { OperationFault } from '../../core/steps/operation-port.ts';
import type { MistakePlace, OutgoingQuery, OutgoingStatement } from '../../core/steps/query/query-port.ts';
import { Client, Query } from './postgres-client.ts';
import { typeOfParameter, valueOfText } from './postgres-values.ts';
import { missingFault, noTlsFault, signInFault, statementFault } from './query-faults.ts';
import type { RowSink } from './row-sink.ts';
import { type Came, ServerConnection } from './server-connection.ts';
import { tlsOptions } from './tls-options.ts';

/** What every session begins with, and goes back to. */
const sessionOptions = [
  ...['TimeZone=UTC', 'DateStyle=ISO', 'IntervalStyle=iso_8601', 'bytea_output=hex', 'extra_float_digits=1'],
  ...['standard_conforming_strings=on'],
]
  .map(each => `-c ${each}`)
  .join(' ');

type PostgresClient = InstanceType<typeof Client>;

interface ServerError extends Error {
  readonly code?: string;
  readonly position?: string;
  readonly hint?: string;
  readonly detail?: string;
}

interface Field {
  readonly name: string;
  readonly dataTypeID: number;
}

interface Result {
  readonly command: string | null;
  readonly rowCount: number | null;
  readonly fields: readonly Field[];
}

export class PostgresConnection extends ServerConnection<PostgresClient> {
  protected make(): PostgresClient {
    const { host, port = 5432, user = '', password = '', database } = this.database;
    const ssl = tlsOptions(this.database, this.root) ?? false;
    const client = new Client({
      ...{ host, port, user, password, database, ssl: ssl as object | false },
      ...{ options: sessionOptions, application_name: 'mervok', client_encoding: 'UTF8' },
    });
    client.on('error', () => {
      this.isBroken = true;
    });
    return client;
  }

  protected async connect(client: PostgresClient): Promise<void> {
    await client.connect();
  }

  protected async say(client: PostgresClient, text: string): Promise<void> {
    await client.query(text);
  }

  protected clear(client: PostgresClient): Promise<void> {
    return this.say(client, 'discard all');
  }

  /** Values are taken as the server writes them, so that none loses anything on its way. */
  protected carryOut(client: PostgresClient, statement: OutgoingStatement, sink: RowSink): Promise<Came> {
    return new Promise((resolve, reject) => {
      const types = Object.assign(statement.parameters.map(typeOfParameter), {
        getTypeParser: () => (text: string) => text,
      });
      const values = statement.parameters.map(({ value }) =>
        value instanceof Uint8Array ? Buffer.from(value) : value,
      );
      const asked = new Query({
        text: statement.text,
        values,
        types,
        rowMode: 'array',
        queryMode: 'extended',
      });
      let hasBegun = false;
      const begin = ({ fields }: Result) => {
        if (hasBegun) return;
        hasBegun = true;
        this.heed(sink.begin(fields.map(({ name }) => name)));
      };
      asked.on('row', (texts: (string | null)[], result: Result) => {
        begin(result);
        const value = (text: string | null, at: number) =>
          valueOfText(text, result.fields[at]!.dataTypeID, this.readers);
        if (!this.isRefused) this.heed(sink.take(texts.map(value)));
      });
      asked.on('error', reject);
      asked.on('end', (result: Result) => {
        // A query that returns no rows by its nature has no columns.
        if (result.fields.length > 0) begin(result);
        resolve(cameOf(result));
      });
      client.query(asked as never);
    });
  }

  protected cancelling(client: PostgresClient): string | undefined {
    const { processID } = client as unknown as { processID: number | null };
    return processID ? `select pg_cancel_backend(${Number(processID)})` : undefined;
  }

  protected another(): PostgresConnection {
    return new PostgresConnection(this.database, this.root, this.readers);
  }

  protected destroy(client: PostgresClient): void {
    (client as unknown as { connection?: { stream: { destroy(): void } } }).connection?.stream.destroy();
  }

  protected end(client: PostgresClient): Promise<void> {
    return client.end();
  }

  protected meant({ code = '', message, hint, detail }: ServerError): OperationFault {
    if (/does not support SSL/.test(message)) {
      this.isBroken = true;
      return noTlsFault(this.database);
    }
    if (/^28/.test(code)) return signInFault(this.database, message);
    if (code === '3D000') return missingFault(this.database, message);
    if (/^57P0/.test(code)) {
      this.isBroken = true;
      return {
        kind: 'reset',
        message: `The database ${this.database.name} ended the connection: ${message}.`,
      };
    }
    if (code === '55P03' || code === '40P01')
      return { kind: 'locked', message: `The database says: ${message}.` };
    if (!/^[0-9A-Z]{5}$/.test(code)) this.isBroken = true;
    return statementFault(message, hint ?? detail);
  }

  /** Positions of the server count characters from 1. */
  protected placeOf(
    { position }: ServerError,
    statement: number,
    { statements }: OutgoingQuery,
  ): MistakePlace | undefined {
    if (position === undefined) return undefined;
    const before = [...statements[statement]!.text].slice(0, Number(position) - 1);
    return { statement, offset: before.join('').length };
  }
}

function cameOf({ command, rowCount }: Result): Came {
  const changes = command !== null && ['INSERT', 'UPDATE', 'DELETE', 'MERGE'].includes(command);
  return changes && rowCount !== null ? { changed: rowCount } : {};
}
