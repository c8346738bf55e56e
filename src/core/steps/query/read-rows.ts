import { isName } from '../../language/reference.ts';
import { SourceError } from '../../model/finding.ts';
import type { Excerpt, Range } from '../../model/source.ts';
import type { OperationFence } from '../step.ts';

/** A table that is asked for, as a page has it: `sql rows berths ledger (code, depth)`. */
export interface WrittenRows {
  readonly content: Excerpt;
  /** The name of the database. */
  readonly database: string;
  readonly databaseRange: Range;
  /** The columns that the query returns, by which statements name its values. */
  readonly columns: readonly string[];
}

const remedy = 'It names its database, and the columns that it returns: sql rows berths ledger (code, depth)';

// sql rows :: sql rows name name ( column , … )
export function readRows({ content, info, infoRange }: OperationFence): WrittenRows | SourceError {
  const [, begin = '', database = '', rest = ''] = /^(sql\s+rows\s+\S+\s*)([^\s(]*)\s*(.*)$/.exec(info) ?? [];
  const place = (start: number, length: number): Range => ({
    start: infoRange.start + start,
    end: infoRange.start + start + Math.max(1, length),
  });
  const databaseRange = place(begin.length, database.length);
  const fail = (range: Range, message: string, how = remedy) =>
    new SourceError('query-form', range, message, how);
  if (database === '') return fail(infoRange, 'These rows do not say which database they are asked of.');
  if (!isName(database)) return fail(databaseRange, `'${database}' cannot name a database.`);
  const [, list] = /^\(([^()]*)\)$/.exec(rest) ?? [];
  const ofRest = place(info.length - rest.length, rest.length);
  if (list === undefined)
    return fail(rest === '' ? infoRange : ofRest, 'These rows do not say which columns they have.');
  const columns = list.split(',').map(each => each.trim());
  const wrong = columns.find(each => !isName(each));
  if (wrong !== undefined)
    return fail(
      ofRest,
      wrong === '' ? 'A name of a column is missing.' : `'${wrong}' cannot be the name of a column here.`,
      'Statements refer to it by its name, of letters, digits and _; the query can give it one: … as depth',
    );
  const twice = columns.find((each, at) => columns.indexOf(each) !== at);
  if (twice !== undefined) return fail(ofRest, `Two columns are called '${twice}'.`);
  return { content, database, databaseRange, columns };
}
