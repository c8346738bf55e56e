import { kindsIn, type Plan } from '../core/analysis/plan.ts';
import { inWords } from '../core/text/words.ts';
import { countFindings, findingsText } from '../reports/findings-text.ts';
import { createMeasure, createPaint } from '../reports/style.ts';
import type { Prepared } from './prepare.ts';

/** What a machine carries out of what others send it. */
export interface Fences {
  /** Whether programs, scripts and queries of pages are. */
  readonly commands: boolean;
}

/** Kinds of steps that do more than send requests. */
const fenced: ReadonlyMap<string, string> = new Map([
  ['command', 'commands (`sh step`)'],
  ['script', 'scripts (`js step`)'],
  ['query', 'queries (`sql step`)'],
]);

/** Why a collection is not carried out here; nothing where it is. */
export async function refusalOf(
  { plan, findings }: Pick<Prepared, 'plan' | 'findings'>,
  { commands }: Fences,
): Promise<string | undefined> {
  const errors = findings.filter(({ severity }) => severity === 'error');
  if (errors.length > 0) {
    const measure = await createMeasure(errors.map(({ source }) => source.text));
    return `${findingsText(errors, { paint: createPaint({ colour: false }), width: 100, measure })}\n${countFindings(errors)}`;
  }
  if (commands) return undefined;
  const kinds = new Set(kindsIn(plan));
  if (asksDatabases(plan)) kinds.add('query');
  const refused = [...fenced].flatMap(([kind, words]) => (kinds.has(kind) ? [words] : []));
  if (refused.length === 0) return undefined;
  return `It runs no ${inWords(refused)} of others: allow it there by 'mervok worker --commands', or leave them out by --without.`;
}

/** Whether rows are asked for from a database. */
function asksDatabases({ pages }: Plan): boolean {
  return pages.some(
    ({ rows, cases }) =>
      (rows && 'ask' in rows) || cases.some(({ each }) => each?.kind === 'rows' && 'ask' in each.table),
  );
}
