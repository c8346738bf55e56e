import { packagesOf } from '../../language/packages.ts';
import { referencesOf } from '../../language/templates/template.ts';
import { referencesIn } from '../../language/walk.ts';
import { SourceError } from '../../model/finding.ts';
import { placeOf } from '../../model/place.ts';
import { templatesOfDatabase } from '../../settings/database.ts';
import type { Effective, EffectiveDatabase } from '../../settings/effective.ts';
import { didYouMean, inWords } from '../../text/words.ts';
import { expectsFault } from '../operation.ts';
import { firstLine } from '../operation-event.ts';
import { planRepeat } from '../repetition.ts';
import type { Demands, OperationKind, PlannedStep, PrepareContext, UseReferences } from '../step.ts';
import { QueryStep } from './query-step.ts';
import { readQuery, statementsOf, type WrittenQuery } from './read-query.ts';
import { onlyReads, reachesOut } from './statement-rules.ts';

/** What statements below a query look at. */
const offers = ['path', 'changed', 'time', 'fault'];
const faults = [
  ...['statement', 'sign-in', 'missing', 'locked', 'limit', 'refused', 'name', 'tls', 'timeout', 'reset'],
];

export const queryKind: OperationKind<WrittenQuery> = {
  type: 'query',
  fence: 'sql step',
  read: readQuery,
  attachments: {},
  offers: () => offers,
  faults,
  title: titleOf,
  effect: query => (isReading(query) ? undefined : 'its query may change something'),
  runsAlone: query => !isReading(query),
  demands: demandsOfQuery,
  unchecked: query =>
    isReading(query)
      ? { message: 'Nothing is checked after this query.', remedy: 'Add for example: count $[*] = 1' }
      : undefined,
  uses(query, effective, use) {
    if (query.repeat) use(referencesIn(query.repeat));
    usesOfQuery(query, effective, use);
  },
  packages({ repeat }, _effective, needed) {
    if (repeat) packagesOf(repeat, needed);
  },
  prepare,
  // Braces of other notations are no references here either; the server says what it makes of them.
  foreignReferences: () => [],
};

function titleOf({ content }: WrittenQuery): string {
  return `sql ${firstLine(content.text, line => line.startsWith('--'))}`;
}

/** Whether it changes nothing, whatever it is asked of. */
function isReading(query: WrittenQuery): boolean {
  const { statements, errors } = statementsOf(query, 'postgres');
  return errors.length === 0 && statements.every(onlyReads);
}

/** Of a query, or of the rows of a table. */
export function demandsOfQuery(
  query: Pick<WrittenQuery, 'content' | 'database'>,
  { databases }: Effective,
): Demands {
  const found = databases.get(query.database);
  if (!found) return {};
  const { dialect } = found.database;
  const isFree = !statementsOf(query, dialect).statements.some(each => reachesOut(each, query.content.text));
  const permission = !isFree && ({ permission: 'commands' } as const);
  return { ...permission, ...(dialect === 'sqlite' && { needs: 'sqlite', ...fileOf(found) }) };
}

function prepare(query: WrittenQuery, context: PrepareContext): readonly PlannedStep[] {
  const { effective, source, add } = context;
  const found = effective.databases.get(query.database);
  if (!found) {
    add([unknownDatabase(query, effective)]);
    return [];
  }
  const { statements, errors } = statementsOf(query, found.database.dialect);
  add(errors);
  const repetition = query.repeat && planRepeat(query.repeat, context);
  if (errors.length > 0) return [];
  const { timeout, limits } = effective.transport;
  const step = new QueryStep(
    { title: titleOf(query), content: query.content, database: found.database, statements, timeout, limits },
    placeOf(source, query.range),
    expectsFault(context),
    repetition,
  );
  return [step];
}

/** What a query, or the rows of a table, uses beside what it is for: its references, and those of its database. */
export function usesOfQuery(
  query: Pick<WrittenQuery, 'content' | 'database'>,
  { databases }: Effective,
  use: UseReferences,
): void {
  const found = databases.get(query.database);
  if (!found) return;
  for (const { references } of statementsOf(query, found.database.dialect).statements)
    use(
      references.map(({ reference }) => reference),
      undefined,
      // It compares by kind.
      found.database.dialect === 'sqlite' ? 'kind' : undefined,
    );
  use(templatesOfDatabase(found.database).flatMap(referencesOf), found.level.source);
}

/** The file of a database, where no name stands in its path. */
function fileOf({ database, level }: EffectiveDatabase): Pick<Demands, 'file'> {
  const { parts } = database.database;
  if (parts.some(part => typeof part !== 'string')) return {};
  const path = database.pathBeside(parts.join(''));
  return { file: { path, source: level.source, range: database.range } };
}

export function unknownDatabase(
  { database, databaseRange }: Pick<WrittenQuery, 'database' | 'databaseRange'>,
  { databases }: Effective,
): SourceError {
  const known = [...databases.keys()];
  const all =
    known.length > 0
      ? `There are ${inWords(known)}.`
      : 'It stands in the settings: databases: { ledger: { url: "postgres://127.0.0.1/ledger" } }';
  return new SourceError(
    'database-unknown',
    databaseRange,
    `There is no database '${database}' in the settings.`,
    didYouMean(database, known) ?? all,
  );
}
