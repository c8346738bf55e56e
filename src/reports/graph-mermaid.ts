import type { FlowGraph } from '../core/analysis/flow-graph.ts';
import type { PlannedCase } from '../core/analysis/plan.ts';

/** The flow as a Mermaid flowchart: a subgraph for each page, an arrow for each name. */
export function graphMermaid({ pages, edges }: FlowGraph): string {
  const taking = new Set(edges.flatMap(({ from, to }) => [from, ...to]));
  const ids = new Map<PlannedCase, string>();
  const lines = ['flowchart LR'];
  for (const [index, page] of pages.entries()) {
    const cases = page.cases.filter(each => taking.has(each));
    if (cases.length === 0) continue;
    lines.push(`  subgraph p${index + 1}[${quoted(page.title)}]`);
    for (const each of cases) {
      ids.set(each, `c${ids.size + 1}`);
      lines.push(`    ${ids.get(each)}[${quoted(each.title)}]`);
    }
    lines.push('  end');
  }
  for (const { from, name, to } of edges)
    for (const user of to)
      lines.push(
        `  ${ids.get(from)} ${name === undefined ? '-.->|"first"|' : `-->|${quoted(name)}|`} ${ids.get(user)}`,
      );
  return `${lines.join('\n')}\n`;
}

function quoted(text: string): string {
  return `"${text.replaceAll('#', '#35;').replaceAll('"', '#quot;').replace(/\s+/g, ' ')}"`;
}
