import type { PlanOptions } from '../../src/core/analysis/analysis.ts';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { type CollectionFiles, readCollection } from '../../src/core/analysis/collection.ts';
import type { Plan, PlannedCase } from '../../src/core/analysis/plan.ts';
import { type Finding, sortFindings } from '../../src/core/model/finding.ts';
import type { Value } from '../../src/core/model/value.ts';
import { hearPlan, sidesOf } from './whole.ts';
import { Words } from './words.ts';

/** Files by their path; fences are written with ~~~ so that they can stand in a test. */
export type Texts = { readonly [path: string]: string };

export function filesOf(texts: Texts): CollectionFiles {
  const all = Object.entries(texts).map(([path, text]) => ({ path, text }));
  const secrets = all.find(file => file.path === 'mervok.secret.yaml');
  return {
    settings: all.filter(file => file.path.endsWith('mervok.yaml')),
    pages: all.filter(file => file.path.endsWith('.md')),
    ...(secrets && { secrets }),
  };
}

/** Values as the command line gives them. */
export function givenBySet(pairs: Iterable<readonly [string, Value]>): PlanOptions['given'] {
  return new Map([...pairs].map(([name, value]) => [name, { value, origin: 'given by --set' }]));
}

const words = new Words('findings');

/** @param byChance whether nobody has to know the words of what is said */
export async function planOf(
  texts: Texts,
  options: Partial<PlanOptions> = {},
  byChance = false,
): Promise<{ plan: Plan; findings: Finding[] }> {
  const collection = await readCollection(filesOf(texts));
  const { plan, flow, findings } = await buildPlan(collection, { paths: [], given: new Map(), ...options });
  const sorted = sortFindings(findings);
  if (byChance) return { plan, findings: sorted };
  for (const { source, range, code, severity, message, remedy } of findings)
    words.hear(`${severity} ${code}`, source.text.slice(range.start, range.end), message, remedy);
  for (const each of plan.pages.flatMap(page => page.cases)) hearCase(each);
  const users = collection.pages.flatMap(page => page.cases);
  if (Words.count) hearPlan(plan, sidesOf(plan, flow, users, sorted));
  return { plan, findings: sorted };
}

const cases = new Words('cases');

/** A collection from every side, whatever is wrong with it. */
export async function everySideOf(texts: Texts, options: Partial<PlanOptions> = {}): Promise<unknown[]> {
  const collection = await readCollection(filesOf(texts));
  const { plan, flow, findings } = await buildPlan(collection, { paths: [], given: new Map(), ...options });
  const users = collection.pages.flatMap(page => page.cases);
  return [
    ...findings.map(({ code, message, remedy }) => [code, message, remedy]),
    ...sidesOf(plan, flow, users, sortFindings(findings)),
  ];
}

/** A case made ready, in a line. */
function hearCase({ address, needs, after, cleanup, tags, each, steps }: PlannedCase): void {
  const told = steps.map(({ kind, checks, gives, place }) =>
    [kind, checks, gives?.map(({ name }) => name).join(), place.line].join(' '),
  );
  const about = [cleanup && 'cleanup', each && `${each.kind} ${each.text}`, ...tags].filter(Boolean);
  cases.hear(address, JSON.stringify(needs), after.join(), about.join(), told.join(', '));
}

/** Findings as `file:line:column code`. */
export function told(findings: readonly Finding[]): string[] {
  return findings.map(({ source, range, code }) => {
    const { line, column } = source.position(range.start);
    return `${source.file}:${line}:${column} ${code}`;
  });
}

/** A case with one request. */
export function caseText(title: string, request: string, statements: string): string {
  return `## ${title}\n\n~~~http\n${request}\n~~~\n\n~~~mervok\n${statements}\n~~~\n\n`;
}

/** The same at the end of an iteration. */
export function cleaning(text: string): string {
  return text.replace('~~~http', '~~~mervok\ncleanup\n~~~\n\n~~~http');
}

export function fence(info: string, content: string): string {
  return `~~~${info}\n${content}\n~~~\n\n`;
}

/** A case with whatever fences. */
export function caseOf(title: string, ...fences: [info: string, content: string][]): string {
  return `## ${title}\n\n${fences.map(([info, content]) => fence(info, content)).join('')}`;
}
