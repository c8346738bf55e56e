import { type ChildProcess, fork } from 'node:child_process';
import { existsSync, realpathSync, statSync } from 'node:fs';
import { basename, dirname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Value } from '../../core/model/value.ts';
import type { OperationFault } from '../../core/steps/operation-port.ts';
import type {
  EndedQuery,
  FilledDatabase,
  MistakePlace,
  OutgoingQuery,
} from '../../core/steps/query/query-port.ts';
import { after, elapsed, longestTimer } from '../clock.ts';
import type { FilePlaces } from '../file-places.ts';
import type { DatabaseConnection, Spool, Spooled } from './connection-pool.ts';
import { interrupted, missingFault, rowsFault, statementFault, timeFault } from './query-faults.ts';
import { rowObject } from './row-object.ts';
import type { SqliteValue } from './sqlite-library.ts';
import type { SqliteAnswer, SqliteTask } from './sqlite-process.ts';
import type { ValueReaders } from './value-readers.ts';

/** In milliseconds: so much before its time is over a query stops to wait for the locks of others. */
const spare = 100;

/** A file that a process of its own asks, so that a query that does not end can be ended. */
export class SqliteConnection implements DatabaseConnection {
  #process: ChildProcess | undefined;
  #isBroken = false;

  constructor(
    readonly database: FilledDatabase,
    readonly places: FilePlaces,
    readonly readers: ValueReaders,
  ) {}

  async ask(query: OutgoingQuery, signal: AbortSignal): Promise<EndedQuery> {
    const begin = elapsed();
    const answer = await this.#hand(query, signal);
    return { ...this.#endedBy(answer, query), time: elapsed() - begin };
  }

  async spool(query: OutgoingQuery, into: Spool, signal: AbortSignal): Promise<Spooled> {
    const answer = await this.#hand(query, signal, into);
    if ('spooled' in answer) return { count: answer.spooled, missing: answer.missing };
    const { fault, at } = this.#endedBy(answer, query);
    return { count: 0, ...(fault && { fault }), ...(at && { at }) };
  }

  /** Has the process answer. */
  async #hand(
    query: OutgoingQuery,
    signal: AbortSignal,
    spool?: Spool,
  ): Promise<SqliteAnswer | OperationFault> {
    const path = this.#locate();
    if (typeof path !== 'string') return path;
    this.#process ??= this.#start();
    const child = this.#process;
    child.ref();
    const { statements, rows, timeout } = query;
    const patience = Math.min(longestTimer, Math.max(10, timeout - spare));
    const answer = await new Promise<SqliteAnswer | OperationFault>(settle => {
      const done = (came: SqliteAnswer | OperationFault) => {
        cancelTimer();
        signal.removeEventListener('abort', onAbort);
        child.off('exit', onExit);
        child.off('message', done);
        settle(came);
      };
      const end = (fault: OperationFault) => {
        this.#isBroken = true;
        child.kill('SIGKILL');
        done(fault);
      };
      const cancelTimer = after(timeout, () => end(timeFault(query)));
      const onAbort = () => end(interrupted);
      const onExit = () =>
        end({
          kind: 'reset',
          message: `The process that asks the database ${this.database.name} has ended.`,
        });
      signal.addEventListener('abort', onAbort);
      child.once('exit', onExit);
      child.once('message', done);
      const task: SqliteTask = { path, query: { statements, rows }, patience, ...(spool && { spool }) };
      if (signal.aborted) end(interrupted);
      else child.send(task);
    });
    child.unref();
    return answer;
  }

  #endedBy(answer: SqliteAnswer | OperationFault, query: OutgoingQuery): Omit<EndedQuery, 'time'> {
    if ('kind' in answer) return { fault: answer };
    if ('tooMany' in answer) return { fault: rowsFault(query) };
    if ('refused' in answer) return { fault: { kind: 'statement', message: answer.refused } };
    if ('failed' in answer) return this.#failed(answer, query);
    if ('spooled' in answer) return {};
    const { columns, rows, changed } = answer;
    return {
      ...(columns &&
        rows && {
          rows: rows.map(row =>
            rowObject(
              columns,
              row.map(value => taken(value, this.readers)),
            ),
          ),
        }),
      ...(changed !== undefined && { changed }),
    };
  }

  #failed(
    { failed, code, statement }: { failed: string; code: string; statement: number },
    { statements }: OutgoingQuery,
  ): Omit<EndedQuery, 'time'> {
    // A statement that failed may stay open in there, with its locks.
    this.#isBroken = true;
    if (/BUSY|LOCKED/.test(code) || /database (?:table )?is locked/.test(failed)) {
      return {
        fault: {
          kind: 'locked',
          message: `The database ${this.database.name} is locked: another program writes it.`,
        },
      };
    }
    if (/CANTOPEN|Unable to open/.test(`${code} ${failed}`))
      return { fault: missingFault(this.database, 'it cannot be opened') };
    if (/NOTADB/.test(code))
      return { fault: missingFault(this.database, 'the file is no database of SQLite') };
    const at = placeOf(failed, statement, statements[statement]!.text);
    return { fault: statementFault(failed), ...(at && { at }) };
  }

  /** Where the file lies, links followed; or why it must not be asked. */
  #locate(): string | OperationFault {
    const { root, anywhere } = this.places;
    const { database, create } = this.database;
    const written = resolve(root, database);
    const folder = dirname(written);
    if (!existsSync(written) && !(create && existsSync(folder)))
      return missingFault(
        this.database,
        `there is no file '${database}'${create ? ', nor the folder that it would lie in' : '; create: true makes one'}`,
      );
    const real = existsSync(written) ? realpathSync(written) : join(realpathSync(folder), basename(written));
    if (existsSync(real) && !statSync(real).isFile())
      return missingFault(this.database, `'${database}' is no file`);
    const way = relative(realpathSync(root), real);
    if (!anywhere && (way.split(sep)[0] === '..' || isAbsolute(way)))
      return missingFault(
        this.database,
        `'${database}' lies outside of the collection, which only --files-anywhere allows`,
      );
    return real;
  }

  #start(): ChildProcess {
    const child = fork(fileURLToPath(new URL('./platform-query-sqlite-process.cjs', import.meta.url)), {
      serialization: 'advanced',
      execArgv: [],
      env: {},
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
    });
    child.once('exit', () => {
      this.#isBroken = true;
    });
    child.on('error', () => undefined);
    return child;
  }

  async reset(): Promise<boolean> {
    return !this.#isBroken;
  }

  async close(): Promise<void> {
    if (this.#process?.connected) this.#process.disconnect();
  }
}

function taken(value: SqliteValue, { readNumber }: ValueReaders): Value {
  if (typeof value === 'bigint') return readNumber(String(value));
  if (value instanceof Uint8Array) return Buffer.from(value).toString('base64');
  return typeof value === 'number' && !Number.isFinite(value) ? String(value) : value;
}

/** It names what it stumbled over. */
function placeOf(said: string, statement: number, text: string): MistakePlace | undefined {
  const [, near, missing] =
    /near "([^"]+)"|no such (?:table|column|function): (?:\w+\.)?(\S+)/.exec(said) ?? [];
  const word = near ?? missing;
  const at = word === undefined ? -1 : text.indexOf(word);
  return at < 0 ? undefined : { statement, offset: at };
}
