import type { Plan, PlannedPage } from './plan.ts';

/** Pages that one machine runs, in their order. */
export interface PageShare {
  readonly pages: readonly string[];
  /** Whether nothing else runs while they do. */
  readonly alone: boolean;
}

/**
 * Shares out pages so that none takes anything from a page of another share: names, cookies, what it needs, and whatever
 * is cleaned up behind it. The heaviest come first, and those that run alone last.
 * @param most so many shares, those that run alone not counted
 * @param durations how long cases took when they last ran, in milliseconds, by their address; they count if they are known
 * of every page
 */
export function pageShares(
  { pages }: Pick<Plan, 'pages'>,
  most: number,
  durations: ReadonlyMap<string, number> = new Map(),
): PageShare[] {
  const known = pages.every(({ cases }) => cases.some(({ address }) => durations.has(address)));
  const weightOf = ({ cases }: PlannedPage) =>
    known ? cases.reduce((sum, { address }) => sum + (durations.get(address) ?? 0), 0) : cases.length;
  const groups = groupsOf(pages).map(own => ({
    pages: own,
    alone: own.some(({ alone }) => alone),
    weight: own.reduce((sum, page) => sum + weightOf(page), 0),
  }));
  const together = groups.filter(({ alone }) => !alone).sort((a, b) => b.weight - a.weight);
  const shares = Array.from({ length: Math.min(most, together.length) }, () => ({
    weight: 0,
    pages: [] as PlannedPage[],
    alone: false,
  }));
  for (const group of together) {
    const lightest = shares.reduce((best, share) => (share.weight < best.weight ? share : best));
    // A page that took no time at all still takes a place.
    lightest.weight += Math.max(group.weight, Number.MIN_VALUE);
    lightest.pages.push(...group.pages);
  }
  const place = new Map(pages.map((page, index) => [page, index]));
  return [...shares, ...groups.filter(({ alone }) => alone)].map(({ pages: own, alone }) => ({
    pages: own.toSorted((a, b) => place.get(a)! - place.get(b)!).map(({ file }) => file),
    alone,
  }));
}

/** Pages that hang together, directly or by way of others. */
function groupsOf(pages: readonly PlannedPage[]): PlannedPage[][] {
  const byFile = new Map(pages.map(page => [page.file, page]));
  const linked = new Map(pages.map(page => [page, new Set<PlannedPage>()]));
  for (const page of pages)
    for (const file of [...page.sources, ...(page.cleanedAfter ?? [])]) {
      const other = byFile.get(file);
      if (!other) continue;
      linked.get(page)!.add(other);
      linked.get(other)!.add(page);
    }
  const seen = new Set<PlannedPage>();
  const groups: PlannedPage[][] = [];
  for (const first of pages) {
    if (seen.has(first)) continue;
    const group: PlannedPage[] = [];
    const open = [first];
    seen.add(first);
    for (let page = open.pop(); page; page = open.pop()) {
      group.push(page);
      for (const other of linked.get(page)!)
        if (!seen.has(other)) {
          seen.add(other);
          open.push(other);
        }
    }
    groups.push(group);
  }
  return groups;
}
