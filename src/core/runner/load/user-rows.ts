import type { Load, UserRows } from '../../language/load/load.ts';
import type { ClockAndRandom } from '../../model/clock-and-random.ts';
import { UsageError } from '../../model/usage-error.ts';
import { counted } from '../../text/words.ts';
import { rowsIn, type TableRow } from '../rows.ts';
import type { LoadOptions } from '../run-options.ts';

/**
 * Which rows of a table users take, by their numbers from 1, in the order in which they come; no two the same.
 * @param count how many there are
 * @param users how many of them are wanted at the most
 */
export function rowNumbers(
  order: UserRows['order'],
  count: number,
  users: number,
  { random }: Pick<ClockAndRandom, 'random'>,
): number[] {
  if (order === 'in turn') return Array.from({ length: Math.min(count, users) }, (_, index) => index + 1);
  const numbers = new Set<number>();
  // Nearly all of them are shuffled; of many a few are drawn.
  if (users * 2 < count) {
    while (numbers.size < users) numbers.add(Math.floor(random() * count) + 1);
    return [...numbers];
  }
  const all = Array.from({ length: count }, (_, index) => index + 1);
  for (let at = count - 1; at > 0; at--) {
    const other = Math.floor(random() * (at + 1));
    [all[at], all[other]] = [all[other]!, all[at]!];
  }
  return all.slice(0, users);
}

/** The rows that users take, in the order in which they come. Throws TableError. */
export async function takeUserRows({
  table,
  numbers,
}: NonNullable<LoadOptions['rows']>): Promise<TableRow[]> {
  const places = new Map(numbers.map((number, index) => [number, index]));
  const rows: TableRow[] = [];
  let left = places.size;
  for await (const row of rowsIn(table)) {
    const place = places.get(row.number);
    if (place === undefined) continue;
    rows[place] = row;
    if (--left === 0) break;
  }
  return rows;
}

/** Closed phases have as many users as they say. Throws UsageError. */
export function refuseTooFewRows({ rows, phases }: Pick<LoadOptions, 'rows' | 'phases'>): void {
  if (!rows) return;
  const { name, count } = rows.table;
  const most = Math.max(
    1,
    ...phases.map(({ unit, from, to }) => (unit === 'users' ? Math.max(from, to) : 1)),
  );
  if (most > count)
    throw new UsageError(
      `Each user takes a row of ${name} of its own: ${counted(most, 'user')} need as many rows, and it has ${count}.`,
    );
}

/** How many users there are at the most. */
export function mostUsersIn({ phases }: Pick<Load, 'phases'>, mostUsers: number): number {
  return Math.max(...phases.map(({ unit, from, to }) => (unit === 'users' ? Math.max(from, to) : mostUsers)));
}
