import { type FlowGraph, graphOf } from '../core/analysis/flow-graph.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { withoutPrototype } from '../core/text/without-prototype.ts';
import { didYouMean } from '../core/text/words.ts';
import { writeWhole } from '../platform/recorder.ts';
import { graphMermaid } from '../reports/graph-mermaid.ts';
import { graphSvg } from '../reports/graph-svg.ts';
import { graphText } from '../reports/graph-text.ts';
import { createMeasure, plainPaint } from '../reports/style.ts';
import { noteErrors } from './list.ts';
import { type PlanFlags, preparePlan } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface GraphFlags extends PlanFlags {
  readonly as?: string;
  readonly output?: string;
}

const endings: { readonly [ending: string]: string } = withoutPrototype({
  '.svg': 'svg',
  '.mmd': 'mermaid',
  '.txt': 'text',
});
const forms = ['text', 'mermaid', 'svg'];

/** Draws which case feeds which. */
export async function graphCommand(
  paths: readonly string[],
  flags: GraphFlags,
  terminal: Terminal,
): Promise<void> {
  const { output } = flags;
  const form = readForm(flags);
  const prepared = await preparePlan(paths, flags);
  const graph = graphOf(prepared.plan);
  const text = await draw(graph, form, output === undefined ? terminal : undefined, terminal.width);
  if (output === undefined) terminal.out(text);
  else {
    try {
      await writeWhole(output, [text]);
    } catch (error) {
      throw new UsageError(`'${output}' could not be written: ${(error as Error).message}`);
    }
  }
  noteErrors(prepared, terminal);
}

async function draw(
  graph: FlowGraph,
  form: string,
  terminal: Terminal | undefined,
  width: number,
): Promise<string> {
  if (form === 'svg') return graphSvg(graph);
  if (form === 'mermaid') return graphMermaid(graph);
  if (graph.edges.length === 0) return 'No case takes anything from another one.\n';
  const measure = await createMeasure(graph.pages.flatMap(page => page.cases.map(each => each.title)));
  const view = { paint: terminal?.paint ?? plainPaint, measure, width };
  return `${graphText(graph, view).join('\n')}\n`;
}

function readForm({ as, output }: GraphFlags): string {
  const ending = output === undefined ? undefined : (/\.[^./\\]+$/.exec(output)?.[0].toLowerCase() ?? '');
  if (ending !== undefined && as === undefined && !Object.hasOwn(endings, ending))
    throw new UsageError(`No drawing has the ending of '${output}'. There are .svg, .mmd and .txt.`);
  const form = as ?? (ending === undefined ? 'text' : endings[ending]!);
  if (!forms.includes(form))
    throw new UsageError(
      `'${form}' is no form of a graph. ${didYouMean(form, forms) ?? 'There are text, mermaid and svg.'}`,
    );
  return form;
}
