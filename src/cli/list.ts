import type { Plan } from '../core/analysis/plan.ts';
import { counted } from '../core/text/words.ts';
import { listJson, listText } from '../reports/list-text.ts';
import { createMeasure } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { type PlanFlags, type Prepared, preparePlan } from './prepare.ts';
import { readSelection, type SelectionFlags } from './run-choices.ts';
import type { Terminal } from './terminal.ts';

export async function listCommand(
  paths: readonly string[],
  flags: PlanFlags & SelectionFlags & { readonly json?: boolean },
  terminal: Terminal,
): Promise<void> {
  const prepared = await preparePlan(paths, flags, root => readSelection({ ...flags, alone: true }, root));
  const { plan } = prepared;
  if (flags.json) terminal.out(`${JSON.stringify(listJson(plan), undefined, 2)}\n`);
  else {
    const { paint, width } = terminal;
    const measure = await createMeasure(titlesOf(plan));
    terminal.out(`${listText(plan, { paint, measure, width }).join('\n')}\n`);
  }
  noteErrors(prepared, terminal);
}

function* titlesOf({ title, pages }: Plan): Generator<string> {
  yield title;
  for (const page of pages) {
    yield page.title;
    for (const { title: heading, request = '', tags } of page.cases) yield heading + request + tags.join('');
  }
}

/** What cannot be read cannot be shown; that is told, or it would seem not to be there. */
export function noteErrors({ findings }: Prepared, { err }: Terminal): void {
  const errors = findings.filter(each => each.severity === 'error').length;
  if (errors === 0) return;
  err(`${counted(errors, 'error')} in the pages, so this may not be all; mervok lint tells them.\n`);
  process.exitCode = exitCodes.nothingSent;
}
