import type { ClockAndRandom } from '../../model/clock-and-random.ts';
import { UsageError } from '../../model/usage-error.ts';
import { counted } from '../../text/words.ts';
import { rowsIn, type TableRow } from '../rows.ts';
import type { LoadOptions } from '../run-options.ts';

/**
 * A row for each user, no two the same: the first ones of the table, or some of all.
 * @param users how many there are at the most
 * Throws UsageError, TableError
 */
export async function takeUserRows(
  { table, order }: NonNullable<LoadOptions['rows']>,
  users: number,
  chance: Pick<ClockAndRandom, 'random'>,
): Promise<TableRow[]> {
  if (table.count === 0)
    throw new UsageError(`${table.name} has no rows, so there is none for a user to take.`);
  const rows: TableRow[] = [];
  for await (const row of rowsIn(table)) {
    if (rows.length < users) rows.push(row);
    else if (order === 'in turn') break;
    else {
      // Each row has the same chance to be among those that are taken (reservoir sampling).
      const at = Math.floor(chance.random() * row.number);
      if (at < users) rows[at] = row;
    }
  }
  return order === 'in turn' ? rows : shuffled(rows, chance);
}

function shuffled(rows: readonly TableRow[], { random }: Pick<ClockAndRandom, 'random'>): TableRow[] {
  const mixed = [...rows];
  for (let at = mixed.length - 1; at > 0; at--) {
    const other = Math.floor(random() * (at + 1));
    [mixed[at], mixed[other]] = [mixed[other]!, mixed[at]!];
  }
  return mixed;
}

/** Closed phases have as many users as they say. Throws UsageError. */
export function refuseTooFewRows({ rows, phases }: Pick<LoadOptions, 'rows' | 'phases'>): void {
  if (!rows) return;
  const { name, count } = rows.table;
  const most = Math.max(
    0,
    ...phases.map(({ unit, from, to }) => (unit === 'users' ? Math.max(from, to) : 0)),
  );
  if (most > count)
    throw new UsageError(
      `Each user takes a row of ${name} of its own: ${counted(most, 'user')} need as many rows, and it has ${count}.`,
    );
}

/** How many users there are at the most. */
export function mostUsersIn({ phases, mostUsers }: Pick<LoadOptions, 'phases' | 'mostUsers'>): number {
  return Math.max(...phases.map(({ unit, from, to }) => (unit === 'users' ? Math.max(from, to) : mostUsers)));
}
