import { type FlowEdge, type FlowGraph, pageOfCase } from '../core/analysis/flow-graph.ts';
import type { PlannedCase } from '../core/analysis/plan.ts';
import { type Measure, type Paint, visible, wrap } from './style.ts';

/** The flow for people: page by page, what each case gives to which others. */
export function graphText(
  { pages, edges }: FlowGraph,
  { paint, measure, width }: { readonly paint: Paint; readonly measure: Measure; readonly width: number },
): string[] {
  const lines: string[] = [];
  const column = Math.max(5, ...edges.map(({ name = '' }) => measure(name))) + 2;
  for (const page of pages) {
    const own = edges.filter(edge => pageOfCase(edge.from) === page.file);
    if (own.length === 0) continue;
    lines.push('', `${paint('strong', visible(page.title))}  ${paint('quiet', page.file)}`);
    let last: PlannedCase | undefined;
    for (const edge of own) {
      if (edge.from !== last) lines.push(`  ${visible(edge.from.title)}`);
      last = edge.from;
      const label =
        edge.name === undefined ? paint('quiet', 'first'.padEnd(column)) : edge.name.padEnd(column);
      const [first = '', ...rest] = wrap(usersInWords(edge), Math.max(60, width) - column - 9, measure);
      lines.push(`    ${label}${paint('quiet', 'to')}  ${first}`);
      for (const line of rest) lines.push(`    ${' '.repeat(column + 4)}${line}`);
    }
  }
  return lines.slice(1);
}

/** Cases of the same page by their headings, those of others page by page. */
function usersInWords({ from, to }: FlowEdge): string {
  const own = pageOfCase(from);
  const byPage = new Map<string, PlannedCase[]>();
  for (const user of to) byPage.set(pageOfCase(user), [...(byPage.get(pageOfCase(user)) ?? []), user]);
  return [...byPage]
    .map(([page, cases]) => {
      const slugs = cases.map(({ address }) => address.slice(address.indexOf('#')));
      return page === own ? slugs.join(', ') : `${page} ${slugs.join(', ')}`;
    })
    .join('; ');
}
