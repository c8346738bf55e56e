import type { EvaluationContext } from '../../language/evaluation-context.ts';
import { TemplateError } from '../../language/templates/render.ts';
import { SourceError } from '../../model/finding.ts';
import type { Excerpt } from '../../model/source.ts';
import type { DatabaseSetting } from '../../settings/database.ts';
import type { Effective } from '../../settings/effective.ts';
import { defaultTimeout } from '../../settings/transport.ts';
import { inWords } from '../../text/words.ts';
import { type Row, TableError } from '../../values/table-reader.ts';
import type { AskedTable } from '../asked-table.ts';
import { type FilledStatement, faultInPage, fillDatabase, fillStatement } from './fill-query.ts';
import { unknownDatabase } from './query.ts';
import { statementsOf } from './read-query.ts';
import type { WrittenRows } from './read-rows.ts';
import type { SqlStatement } from './sql-text.ts';
import { onlyReads, reachesOut } from './statement-rules.ts';

/** Makes a table of a query. Throws SourceError. */
export function planRows(written: WrittenRows, effective: Effective): AskedTable {
  const { content, columns } = written;
  const found = effective.databases.get(written.database);
  if (!found) throw unknownDatabase(written, effective);
  const { database } = found;
  const statement = statementIn(written, database);
  const { timeout } = effective.transport;
  return {
    columns,
    async ask({ ports, evaluation, signal, conceal }) {
      const filled = fill(statement, content, database, evaluation);
      if (filled.database.password !== undefined) conceal(filled.database.password);
      const query = { ...filled, leavesNothing: true, timeout: timeout.total ?? defaultTimeout };
      const came = await ports.query.rows({ ...query, rows: Number.POSITIVE_INFINITY }, columns, signal);
      if (came.fault) {
        const { message, place, line } = faultInPage(came, filled.statements, content)!;
        throw new TableError(withinSentence(message), undefined, place && { place, line: line! });
      }
      if (came.missing)
        throw new TableError(
          `the query returns no column '${came.missing.column}', but ${inWords(came.missing.returned)}`,
        );
      if (came.count === 0) throw new TableError('the query returns no rows, so nothing would be run');
      return { count: came.count, rows: named(columns, came.rows) };
    },
  };
}

async function* named(
  columns: readonly string[],
  rows: AsyncIterable<readonly unknown[]>,
): AsyncGenerator<Row> {
  for await (const values of rows) yield new Map(columns.map((name, at) => [name, values[at] as never]));
}

function statementIn(written: WrittenRows, { dialect }: DatabaseSetting): SqlStatement {
  const { statements, errors } = statementsOf(written, dialect);
  if (errors.length > 0) throw errors[0]!;
  const { content } = written;
  const [statement, second] = statements;
  const fail = (at: SqlStatement, message: string, remedy: string) => {
    const range = content.range(at.start, at.words[0]?.end ?? at.start + 1);
    return new SourceError('query-form', range, message, remedy);
  };
  if (second)
    throw fail(
      second,
      'The rows of a table come of one statement.',
      'What prepares them is a step: sql step',
    );
  if (!onlyReads(statement!))
    throw fail(
      statement!,
      'A statement that may change something gives no rows of a table: they are asked for as often as they are wanted.',
      'It is a step of a case: sql step; a table begins with select, values or with.',
    );
  if (reachesOut(statement!, content.text))
    throw fail(
      statement!,
      'The rows of a table reach no files of a machine.',
      'It is a step of a case: sql step',
    );
  return statement!;
}

function fill(
  statement: SqlStatement,
  content: Excerpt,
  database: DatabaseSetting,
  evaluation: EvaluationContext,
): { database: ReturnType<typeof fillDatabase>; statements: [FilledStatement] } {
  try {
    return {
      database: fillDatabase(database, evaluation),
      statements: [fillStatement(statement, content.text, database.dialect, evaluation)],
    };
  } catch (error) {
    if (!(error instanceof TemplateError)) throw error;
    throw new TableError(withinSentence(error.message));
  }
}

/** Without the letter that begins it and the stop that ends it. */
function withinSentence(message: string): string {
  return message.replace(/^[A-Z](?=[a-z ])/, letter => letter.toLowerCase()).replace(/\.$/, '');
}
