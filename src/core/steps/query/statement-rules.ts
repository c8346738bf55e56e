import type { Dialect } from '../../settings/database.ts';
import { OffsetError } from '../offset-error.ts';
import type { SqlStatement, SqlWord } from './sql-text.ts';

// What may stand in a query, and what kind of statement it is, by the words that it begins with.

const reading = new Set([
  'select',
  'values',
  'table',
  'show',
  'describe',
  'desc',
  'explain',
  'with',
  'pragma',
]);
const changing = new Set(['insert', 'update', 'delete', 'merge', 'replace']);
/** Words of a statement that reads, in which it does more than that. */
const changingWithin = new Set([...changing, 'into', 'nextval', 'setval', 'share', 'analyze', 'analyse']);
const transactions = new Set([
  'begin',
  'start',
  'commit',
  'rollback',
  'abort',
  'end',
  'savepoint',
  'release',
  'xa',
  'prepare',
]);
/** Statements that end a transaction by themselves, or cannot stand in one. */
const alone: { readonly [dialect in Dialect]: RegExp } = {
  postgres:
    /^(?:vacuum|(?:create|drop) (?:database|tablespace|subscription)|alter system|reindex (?:database|system)|(?:create|drop) index concurrently|cluster)\b/,
  mariadb:
    /^(?:create|alter|drop|rename|truncate|grant|revoke|lock|unlock|analyze|optimize|repair|flush|set password)\b/,
  sqlite: /^vacuum\b/,
};

export function firstWords({ words }: SqlStatement, count = 3): string {
  return words
    .slice(0, count)
    .map(({ word }) => word)
    .join(' ');
}

/** The word that says what it does: of a statement that begins with `with`, the one behind that. */
function verbOf({ words }: SqlStatement): string {
  const [first] = words;
  if (first?.word !== 'with') return first?.word ?? '';
  const main = words.find(
    ({ word, depth }) =>
      depth === first.depth && (word === 'select' || word === 'values' || changing.has(word)),
  );
  return main?.word ?? 'select';
}

/** Whether it says how many rows it matched to change. */
export function changesRows(statement: SqlStatement): boolean {
  return changing.has(verbOf(statement));
}

/** Whether it changes nothing, as far as its words tell. */
export function onlyReads(statement: SqlStatement): boolean {
  const { words } = statement;
  const first = words[0]?.word ?? '';
  if (!reading.has(first)) return false;
  return !words.some(
    ({ word }, at) => changingWithin.has(word) || (word === 'update' && words[at - 1]?.word === 'for'),
  );
}

/** Functions that read or write files of the server, or carry out a text as SQL; by whatever quotes they are named. */
const reaching =
  /\b(?:pg_read_(?:binary_)?file|pg_stat_file|pg_ls_\w+|pg_file_\w+|lo_import|lo_export|load_file|dblink\w*|sys_exec|sys_eval|query_to_xml\w*|ts_stat|ts_rewrite)\b/i;

function hasWord({ words }: SqlStatement, ...wanted: string[]): boolean {
  return words.some(({ word }) => wanted.includes(word));
}

function isRoutine(words: readonly SqlWord[]): boolean {
  const [first, ...behind] = words.slice(0, 8).map(({ word }) => word);
  return first === 'create' && (behind.includes('function') || behind.includes('procedure'));
}

/**
 * Whether it reads or writes files of the server, or starts programs there; or carries out what nobody knows before: code
 * in a text, or names that are written by the numbers of their letters.
 */
export function reachesOut(statement: SqlStatement, text: string): boolean {
  const { words, start, end } = statement;
  const [first, second] = words.map(({ word }) => word);
  const has = (...wanted: string[]) => wanted.every(each => words.some(({ word }) => word === each));
  const written = text.slice(start, end);
  return (
    (first === 'copy' && !hasWord(statement, 'stdin', 'stdout')) ||
    (first === 'load' && (second === 'data' || second === 'xml')) ||
    first === 'do' ||
    (first === 'execute' && second === 'immediate') ||
    (isRoutine(words) && /\b(?:copy|execute)\b/i.test(written)) ||
    has('into', 'outfile') ||
    has('into', 'dumpfile') ||
    reaching.test(written) ||
    /\bu&"[^"]*\\/i.test(written)
  );
}

/** Pragmas of SQLite that only tell something. */
const tellingPragmas =
  /^(?:table_info|table_xinfo|table_list|index_list|index_info|index_xinfo|foreign_key_list|foreign_key_check|database_list|collation_list|function_list|pragma_list|compile_options|integrity_check|quick_check|encoding|user_version|schema_version|page_count|page_size|freelist_count|journal_mode|foreign_keys|application_id|data_version)$/;

/** Why a statement may not stand there. @param count how many there are in its fence */
export function refusalOf(
  statement: SqlStatement,
  text: string,
  dialect: Dialect,
  count: number,
): OffsetError | undefined {
  const [first] = statement.words;
  const begin = statement.start;
  const end = first?.end ?? begin + 1;
  if (!first || first.start !== begin) {
    if (text[begin] === '(') return undefined;
    return new OffsetError('A statement of SQL begins with a word.', begin, begin + 1);
  }
  const words = firstWords(statement);
  if (transactions.has(first.word) || /^set (?:session |local |global )?transaction\b/.test(words))
    return new OffsetError(
      'The statements of a fence are one transaction already; it ends with the fence.',
      begin,
      end,
      'Leave it out. What is to be a transaction of its own stands in a fence of its own.',
    );
  if (dialect === 'postgres' && first.word === 'copy' && hasWord(statement, 'stdin', 'stdout'))
    return new OffsetError(
      'Nothing is copied through a query: nobody would send the rows, or take them.',
      begin,
      end,
      'Ask for rows with select, enter them with insert.',
    );
  if (count > 1 && alone[dialect].test(words))
    return new OffsetError(
      'This statement ends the transaction that the statements of a fence are.',
      begin,
      end,
      'It stands in a fence of its own.',
    );
  return dialect === 'sqlite' ? refusedBySqlite(statement, text) : undefined;
}

/** What would lead out of the one file that a database of SQLite is. */
export function refusedBySqlite({ start, words }: SqlStatement, text: string): OffsetError | undefined {
  const [first, second] = words;
  const fail = (message: string) => new OffsetError(message, start, first!.end);
  if (first?.word === 'attach' || first?.word === 'detach')
    return fail('A database of SQLite is the one file that the settings name.');
  if (first?.word === 'vacuum' && words.some(({ word }) => word === 'into'))
    return fail('A database of SQLite is the one file that the settings name.');
  const loads = words.find(({ word }) => /^(?:load_extension|readfile|writefile|edit|fsdir)$/.test(word));
  if (loads) return new OffsetError('Nothing is loaded into a database here.', loads.start, loads.end);
  if (first?.word !== 'pragma') return undefined;
  const sets = text.slice(first.end).split(';', 1)[0]!.includes('=');
  if (!sets && second && tellingPragmas.test(second.word)) return undefined;
  return fail('Of pragmas only those are carried out that tell something.');
}

const plainVerbs = new Set(['select', 'values', 'with', 'table']);
/** Functions that look at nothing of the session and leave nothing in it. */
const plainFunctions = new Set(
  `abs avg bool_and bool_or cast ceil ceiling char_length coalesce concat concat_ws convert count date date_trunc exists
   extract floor greatest group_concat ifnull in json_agg json_array json_build_object json_extract json_object json_valid
   jsonb_agg jsonb_build_object least left length lower lpad ltrim max min mod nullif position power replace right round
   rpad rtrim sign sqrt string_agg strftime substr substring sum trim upper values year month day and or not as any all on
   using over then when else case where from by having limit offset between like join interval filter select lateral union except intersect`.split(
    /\s+/,
  ),
);

/** Whether the session is after it as it was before. What changes rows leaves at least the last number that was given. */
export function leavesNothing(statement: SqlStatement, text: string): boolean {
  const { words, calls, start, end } = statement;
  if (!plainVerbs.has(words[0]?.word ?? '') || !onlyReads(statement)) return false;
  return !text.slice(start, end).includes('@') && calls.every(({ word }) => plainFunctions.has(word));
}
