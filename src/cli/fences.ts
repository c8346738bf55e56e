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
  const refused = commands ? [] : fencedIn(plan);
  if (refused.length > 0)
    return `It runs no ${inWords(refused)} of others: allow it there by 'mervok worker --commands', or leave them out by --without.`;
  const errors = findings.filter(({ severity }) => severity === 'error');
  if (errors.length === 0) return undefined;
  const measure = await createMeasure(errors.map(({ source }) => source.text));
  const told = findingsText(errors, { paint: createPaint({ colour: false }), width: 100, measure });
  const ofOs = errors.some(({ code }) => code === 'os-unset')
    ? "\nOf the environment of its machine a worker gives what it was told to alone: 'mervok worker --allow-os NAME'."
    : '';
  return `\n${told}\n${countFindings(errors)}${ofOs}`;
}

/** What of a plan goes beyond requests, in words. */
function fencedIn(plan: Plan): string[] {
  const kinds = new Set(kindsIn(plan));
  if (asksDatabases(plan)) kinds.add('query');
  return [...fenced].flatMap(([kind, words]) => (kinds.has(kind) ? [words] : []));
}

/** Whether rows are asked for from a database. */
function asksDatabases({ pages }: Plan): boolean {
  return pages.some(
    ({ rows, cases }) =>
      (rows && 'ask' in rows) || cases.some(({ each }) => each?.kind === 'rows' && 'ask' in each.table),
  );
}
