import type { CollectionCase, CollectionPage } from './collection.ts';

/** One of several shares of a selection, each run by a machine of its own. */
export interface Shard {
  /** From 1. */
  readonly index: number;
  readonly of: number;
  /** How long cases took when they last ran, in milliseconds, by their address. */
  readonly durations: ReadonlyMap<string, number>;
}

/** For the record; `share` names how all of the cases are shared out, so that machines that do it otherwise are found out. */
export interface TakenShard {
  readonly index: number;
  readonly of: number;
  readonly share: string;
}

/**
 * The cases of one share. Whole pages are shared out, the heaviest first, each to the share that has the least so far,
 * so that the same pages and durations always give the same shares. Durations count only if they are known of every
 * page; else the numbers of cases do, which every machine knows.
 */
export function shareOf(
  cases: readonly CollectionCase[],
  { index, of, durations }: Shard,
): { cases: CollectionCase[]; shard: TakenShard } {
  const pages = new Map<CollectionPage, CollectionCase[]>();
  for (const each of cases) pages.set(each.page, [...(pages.get(each.page) ?? []), each]);
  const known = [...pages.values()].every(own => own.some(each => durations.has(each.address)));
  const weightOf = (own: readonly CollectionCase[]) =>
    known ? own.reduce((sum, each) => sum + (durations.get(each.address) ?? 0), 0) : own.length;
  const byWeight = [...pages]
    .map(([page, own]) => ({ file: page.page.source.file, own, weight: weightOf(own) }))
    .sort((a, b) => b.weight - a.weight || (a.file < b.file ? -1 : 1));
  const shares = Array.from({ length: of }, () => ({ weight: 0, cases: [] as CollectionCase[] }));
  for (const { own, weight } of byWeight) {
    const lightest = shares.reduce((best, share) => (share.weight < best.weight ? share : best));
    // A page that took no time at all still takes a place.
    lightest.weight += Math.max(weight, Number.MIN_VALUE);
    lightest.cases.push(...own);
  }
  const mine = new Set(shares[index - 1]?.cases);
  const addresses = shares.map(share => share.cases.map(each => each.address).join('\n')).join('\n\n');
  const { createHash } = process.getBuiltinModule('node:crypto');
  const share = createHash('sha256').update(addresses).digest('hex').slice(0, 6);
  return { cases: cases.filter(each => mine.has(each)), shard: { index, of, share } };
}
