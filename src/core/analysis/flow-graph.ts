import type { Plan, PlannedCase, PlannedPage } from './plan.ts';

/** What goes from one case to others. */
export interface FlowEdge {
  readonly from: PlannedCase;
  /** The name that is taken; nothing where the settings need the case. */
  readonly name?: string;
  readonly to: readonly PlannedCase[];
}

/** Which case feeds which, in the order in which they run. */
export interface FlowGraph {
  readonly pages: readonly PlannedPage[];
  readonly edges: readonly FlowEdge[];
}

export function graphOf({ pages }: Plan): FlowGraph {
  const cases = pages.flatMap(page => page.cases);
  const byAddress = new Map(cases.map(each => [each.address, each]));
  const edges = new Map<string, { from: PlannedCase; name?: string; to: PlannedCase[] }>();
  const add = (address: string, to: PlannedCase, name?: string) => {
    const from = byAddress.get(address);
    if (!from) return;
    const key = `${address} ${name ?? ''}`;
    const edge = edges.get(key) ?? { from, to: [], ...(name !== undefined && { name }) };
    edges.set(key, edge);
    edge.to.push(to);
  };
  for (const each of cases) {
    for (const { name, producers } of each.needs) for (const address of producers) add(address, each, name);
    for (const address of each.after) add(address, each);
  }
  const place = new Map(cases.map((each, index) => [each, index]));
  return { pages, edges: [...edges.values()].sort((a, b) => place.get(a.from)! - place.get(b.from)!) };
}

export function pageOfCase({ address }: PlannedCase): string {
  return address.slice(0, address.indexOf('#'));
}

/** How many pages stand before each one in its longest chain, by its file. */
export function depthsOf(pages: readonly PlannedPage[]): Map<string, number> {
  const depths = new Map<string, number>();
  // Each page stands after those that it takes from.
  for (const { file, sources } of pages)
    depths.set(file, Math.max(-1, ...sources.map(source => depths.get(source) ?? -1)) + 1);
  return depths;
}
