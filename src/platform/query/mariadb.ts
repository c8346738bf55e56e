import type { Connection, ConnectionOptions } from 'mysql2';
import type { Value } from '../../core/model/value.ts';
import type { OperationFault } from '../../core/steps/operation-port.ts';
import { isExactDouble } from '../../core/steps/query/exact-double.ts';
import type {
  MistakePlace,
  OutgoingQuery,
  OutgoingStatement,
  Parameter,
} from '../../core/steps/query/query-port.ts';
import { isNumberText } from '../../core/values/number.ts';
import { createConnection } from './mariadb-client.ts';
import { missingFault, noTlsFault, signInFault, statementFault } from './query-faults.ts';
import type { RowSink } from './row-sink.ts';
import { type Came, ServerConnection } from './server-connection.ts';
import { tlsOptions } from './tls-options.ts';
import type { ValueReaders } from './value-readers.ts';

interface ServerError extends Error {
  readonly code?: string;
  readonly sqlMessage?: string;
}

interface Field {
  readonly name: string;
  readonly columnType: number;
}

export class MariadbConnection extends ServerConnection<Connection> {
  protected make(): Connection {
    const { host = '', port = 3306, user = '', password = '', database } = this.database;
    const ssl = tlsOptions(this.database, this.root);
    const connection = createConnection({
      ...{ host, port, user, password, database },
      ...(ssl && { ssl: ssl as NonNullable<ConnectionOptions['ssl']> }),
      ...{ supportBigNumbers: true, bigNumberStrings: true, dateStrings: true, jsonStrings: true },
      ...{ rowsAsArray: true, charset: 'utf8mb4', timezone: 'Z', flags: ['-LOCAL_FILES'] },
    });
    connection.on('error', () => {
      this.isBroken = true;
    });
    return connection;
  }

  protected async connect(connection: Connection): Promise<void> {
    await settled(done => connection.connect(done));
    await this.#begin(connection);
  }

  /** What every session begins with. */
  #begin(connection: Connection): Promise<void> {
    return this.say(connection, "set time_zone = '+00:00'");
  }

  protected say(connection: Connection, statement: string): Promise<void> {
    return settled(done => void connection.query(statement, done));
  }

  protected async clear(connection: Connection): Promise<void> {
    await settled(done => (connection as Connection & { reset(done: Done): void }).reset(done));
    await this.#begin(connection);
  }

  protected carryOut(connection: Connection, statement: OutgoingStatement, sink: RowSink): Promise<Came> {
    return new Promise((resolve, reject) => {
      const asked = connection.execute({ sql: statement.text, values: statement.parameters.map(given) });
      let fields: readonly Field[] = [];
      let changed: number | undefined;
      asked.on('fields', (told: readonly Field[] | undefined) => {
        if (!told) return;
        fields = told;
        this.heed(sink.begin(told.map(({ name }) => name)));
      });
      asked.on('result', (row: unknown[] | { affectedRows: number }) => {
        if (!Array.isArray(row)) changed = row.affectedRows;
        else if (!this.isRefused)
          this.heed(sink.take(row.map((value, at) => taken(value, fields[at]!.columnType, this.readers))));
      });
      asked.on('error', reject);
      // What returns the rows that it changed says by them how many there are.
      asked.on('end', () => resolve(statement.changes ? { changed: changed ?? sink.count } : {}));
    });
  }

  protected cancelling({ threadId }: Connection): string | undefined {
    return threadId ? `kill query ${Number(threadId)}` : undefined;
  }

  protected another(): MariadbConnection {
    return new MariadbConnection(this.database, this.root, this.readers);
  }

  protected destroy(connection: Connection): void {
    connection.destroy();
  }

  protected end(connection: Connection): Promise<void> {
    return settled(done => connection.end(done));
  }

  protected meant({ code = '', message, sqlMessage = message }: ServerError): OperationFault {
    if (code === 'HANDSHAKE_NO_SSL_SUPPORT') {
      this.isBroken = true;
      return noTlsFault(this.database);
    }
    if (/^ER_(?:ACCESS_DENIED|DBACCESS_DENIED|HOST_)/.test(code))
      return signInFault(this.database, sqlMessage);
    if (code === 'ER_BAD_DB_ERROR') return missingFault(this.database, sqlMessage);
    if (code === 'ER_LOCK_WAIT_TIMEOUT' || code === 'ER_LOCK_DEADLOCK')
      return { kind: 'locked', message: `The database says: ${sqlMessage}.` };
    if (code === 'ER_SERVER_SHUTDOWN' || code === 'ER_CONNECTION_KILLED') {
      this.isBroken = true;
      return {
        kind: 'reset',
        message: `The database ${this.database.name} ended the connection: ${sqlMessage}.`,
      };
    }
    if (!/^ER_|^WARN_/.test(code)) this.isBroken = true;
    return statementFault(sqlMessage.replace(manual, ''));
  }

  /** The server quotes the text that begins where it stumbled; of names it tells the name. */
  protected placeOf(
    { sqlMessage = '' }: ServerError,
    statement: number,
    { statements }: OutgoingQuery,
  ): MistakePlace | undefined {
    const { text } = statements[statement]!;
    const [, near] = /near '([\s\S]*)' at line \d+$/.exec(sqlMessage) ?? [];
    if (near !== undefined) {
      const at = near === '' ? text.length - 1 : text.lastIndexOf(near.slice(0, 80));
      return at < 0 ? undefined : { statement, offset: at };
    }
    const [, name] = /^(?:Table|Unknown column|FUNCTION) '?(?:[\w$]+\.)?([\w$]+)/.exec(sqlMessage) ?? [];
    const at = name === undefined ? -1 : text.search(new RegExp(`\\b${name.replaceAll('$', '\\$')}\\b`));
    return at < 0 ? undefined : { statement, offset: at };
  }
}

/** What it says to everybody who has mistyped something. */
const manual = / check the manual that corresponds to your \S+ server version for the right syntax to use/;

type Done = (error: Error | null) => void;

function settled(go: (done: Done) => void): Promise<void> {
  return new Promise((resolve, reject) => go(error => (error ? reject(error) : resolve())));
}

function given({ kind, value }: Parameter): string | number | Buffer | null {
  if (value === null) return null;
  if (value instanceof Uint8Array) return Buffer.from(value);
  if (kind === 'number') return isExactDouble(value) ? Number(value) : value;
  if (kind === 'boolean') return value === 'true' ? 1 : 0;
  // Its own form has neither T nor Z.
  return kind === 'timestamp' ? value.replace('T', ' ').replace(/Z$/, '') : value;
}

/** Types of columns, as the protocol numbers them. */
const [decimal, float, timestamp, datetime, newDecimal, json] = [0, 4, 7, 12, 246, 245];

function taken(value: unknown, type: number, { readNumber, readJson }: ValueReaders): Value {
  if (value === null || value === undefined) return null;
  if (value instanceof Uint8Array) return Buffer.from(value).toString('base64');
  if (typeof value === 'number') return type === float ? Number(value.toPrecision(6)) : value;
  if (typeof value === 'bigint') return readNumber(String(value));
  if (typeof value !== 'string') return readJson(JSON.stringify(value));
  if (type === json) return readJson(value);
  if (type === datetime) return value.replace(' ', 'T');
  if (type === timestamp) return `${value.replace(' ', 'T')}Z`;
  const isNumber = type === decimal || type === newDecimal || (type >= 1 && type <= 9 && type !== 6);
  return isNumber && isNumberText(value) ? readNumber(value) : value;
}
