import { isName } from '../../language/reference.ts';
import { SourceError } from '../../model/finding.ts';
import type { Excerpt, Range } from '../../model/source.ts';
import type { Dialect } from '../../settings/database.ts';
import { OffsetError } from '../offset-error.ts';
import type { OperationFence, ReadOperation, WrittenStep } from '../step.ts';
import { readSql, type SqlStatement } from './sql-text.ts';
import { refusalOf } from './statement-rules.ts';

/** A query as a page has it. What it speaks is known from the settings. */
export interface WrittenQuery extends WrittenStep {
  readonly type: 'query';
  readonly content: Excerpt;
  /** The name of the database. */
  readonly database: string;
  readonly databaseRange: Range;
}

// sql step :: sql step name
export function readQuery({ content, info, infoRange }: OperationFence): ReadOperation<WrittenQuery> {
  const [, begin = '', name = '', more = ''] = /^(sql\s+step\s*)(\S*)\s*(.*)$/.exec(info)!;
  const place = (start: number, length: number): Range => ({
    start: infoRange.start + start,
    end: infoRange.start + start + Math.max(1, length),
  });
  const errors: SourceError[] = [];
  const databaseRange = place(begin.length, name.length);
  if (!isName(name))
    errors.push(
      new SourceError(
        'query-form',
        name === '' ? infoRange : databaseRange,
        name === '' ? 'This query does not say which database it asks.' : `'${name}' cannot name a database.`,
        'Its name stands in the settings, under databases: sql step ledger',
      ),
    );
  else if (more !== '')
    errors.push(
      new SourceError(
        'query-form',
        place(info.length - more.length, more.length),
        `'${more}' is nothing that can stand here.`,
      ),
    );
  if (content.text.trim() === '')
    errors.push(new SourceError('query-form', infoRange, 'This query is empty.'));
  const range = content.range(0, content.text.trimEnd().length);
  const step = { type: 'query', range, content, database: name, databaseRange } as const;
  return { ...(errors.length === 0 && { step }), errors };
}

/** The statements of a query, and what is wrong with them. */
export interface ReadStatements {
  readonly statements: readonly SqlStatement[];
  readonly errors: readonly SourceError[];
}

const known = new WeakMap<Excerpt, Map<Dialect, ReadStatements>>();

/** They are read once for each way of speaking, though several stages ask. */
export function statementsOf({ content }: Pick<WrittenQuery, 'content'>, dialect: Dialect): ReadStatements {
  const ways = known.get(content) ?? new Map<Dialect, ReadStatements>();
  known.set(content, ways);
  let read = ways.get(dialect);
  if (!read) {
    read = readStatements(content, dialect);
    ways.set(dialect, read);
  }
  return read;
}

function readStatements(content: Excerpt, dialect: Dialect): ReadStatements {
  const asError = ({ message, start, end, remedy }: OffsetError) =>
    new SourceError('query-form', content.range(start, end), message, remedy);
  try {
    const statements = readSql(content.text, dialect, (start, end) => content.range(start, end));
    if (statements.length === 0)
      return {
        statements,
        errors: [new SourceError('query-form', content.range(0, 1), 'This query says nothing.')],
      };
    const refused = statements.flatMap(
      each => refusalOf(each, content.text, dialect, statements.length) ?? [],
    );
    return { statements, errors: refused.map(asError) };
  } catch (error) {
    if (!(error instanceof OffsetError)) throw error;
    return { statements: [], errors: [asError(error)] };
  }
}
