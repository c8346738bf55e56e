import { loadPatterns } from '../language/patterns.ts';
import { usesPatterns } from '../language/walk.ts';
import type { Level } from '../settings/level.ts';
import { type Code, type Finding, finding, sortFindings } from '../text/finding.ts';
import { didYouMean, inWords } from '../text/nearest.ts';
import type { Value } from '../values/value.ts';
import type { VariableDefinition } from '../variables/definition.ts';
import type { Collection, CollectionCase } from './collection.ts';
import { Flow } from './flow.ts';
import { orderPages, withNeeded } from './order.ts';
import type { Need, Plan, PlannedCase } from './plan.ts';
import { placeOf, prepareSteps } from './prepare-case.ts';
import { SelectionMistake, select } from './select.ts';

export interface PlanOptions {
  /** Paths relative to the root of the collection; none for all of it. */
  readonly paths: readonly string[];
  readonly environment?: string;
  readonly given: ReadonlyMap<string, Value>;
}

/**
 * Makes a run ready: chooses the cases, adds those whose values they need, puts the pages in order and compiles every
 * step. A plan may be carried out only if no finding is an error. Throws SelectionMistake.
 */
export async function buildPlan(
  collection: Collection,
  options: PlanOptions,
): Promise<{ plan: Plan; findings: Finding[] }> {
  const findings = [...collection.findings];
  const name = options.environment ?? collection.root.environment?.name;
  const environment = readEnvironment(collection, name, options.environment !== undefined, findings);
  const flow = new Flow(collection, environment, new Set(options.given.keys()));
  const { pages: named, cases: asked } = select(collection, options.paths);
  const all = withNeeded([...asked], flow);
  const { pages, findings: circles } = orderPages(collection.pages, all, flow);
  if ([...all].some(usesPattern)) await loadPatterns();
  // A page that was named counts also where no case of it could be read.
  const reported = [...new Set([...named, ...pages])];
  findings.push(
    ...reported.flatMap(page => page.findings),
    ...circles,
    ...(options.paths.length === 0 ? flow.unused() : []),
  );
  const planned = pages.map(page => ({
    file: page.page.source.file,
    title: page.title,
    cases: page.cases
      .filter(each => all.has(each))
      .map(each => {
        const { steps, findings: inCase } = prepareSteps(each);
        findings.push(...inCase, ...flow.findings(each));
        return planCase(each, steps, asked.has(each), flow, collection, environment);
      }),
  }));
  const steps = planned.flatMap(page => page.cases).flatMap(each => each.steps);
  const plan: Plan = {
    title: collection.root.title ?? planned[0]?.title ?? 'Collection',
    ...(name !== undefined && { environment: name }),
    pages: planned,
    given: options.given,
    unusedGiven: flow.unusedGiven([...all]),
    secretNames: secretNamesOf(collection),
    checks: steps.filter(step => step.kind === 'check').length,
  };
  return { plan, findings: gatherUnknownNames(withoutFollowing(findings)) };
}

/** Where settings cannot be read, what they would have set is missing too; that is not told once more. */
function withoutFollowing(findings: readonly Finding[]): Finding[] {
  const unreadable = findings.some(each => each.code === 'yaml-form' || each.code === 'setting-form');
  const following: Code[] = ['base-missing', 'name-unknown', 'environment-unknown'];
  return unreadable ? findings.filter(each => !following.includes(each.code)) : [...findings];
}

/** A name that is used in many places and known in none is told once. */
function gatherUnknownNames(findings: readonly Finding[]): Finding[] {
  const isUnknown = (each: Finding) => each.code === 'name-unknown';
  const [unknown, others] = [
    sortFindings(findings.filter(isUnknown)),
    findings.filter(each => !isUnknown(each)),
  ];
  const gathered = [...new Set(unknown.map(each => each.message))].map(message => {
    const [first, ...more] = unknown.filter(each => each.message === message) as [Finding, ...Finding[]];
    if (more.length === 0) return first;
    const places = more.length === 1 ? 'one more place' : `${more.length} more places`;
    return { ...first, message: `${message} It is used in ${places}.` };
  });
  return [...others, ...gathered];
}

/** The variables of an environment, those of the secret file over those of the root. */
function readEnvironment(
  collection: Collection,
  name: string | undefined,
  given: boolean,
  findings: Finding[],
): Map<string, VariableDefinition> {
  const { root, secrets } = collection;
  if (name === undefined) return new Map();
  const known = new Set([...(root.environments?.keys() ?? []), ...(secrets?.environments?.keys() ?? [])]);
  if (!known.has(name)) {
    const message = `There is no environment '${name}'.`;
    const remedy =
      didYouMean(name, known) ??
      (known.size > 0
        ? `There are ${inWords([...known])}.`
        : 'Define it under environments: in mervok.yaml.');
    if (given) throw new SelectionMistake(`${message} ${remedy}`);
    findings.push(finding('environment-unknown', root.source, root.environment!.range, message, remedy));
  }
  return new Map([...(root.environments?.get(name) ?? []), ...(secrets?.environments?.get(name) ?? [])]);
}

/** Names that any level declares secret, or that any case keeps as one. */
function secretNamesOf({ root, secrets, pages }: Collection): Set<string> {
  const names = new Set<string>();
  const addFrom = (level: Level | undefined) => {
    for (const variables of [level?.variables, ...(level?.environments?.values() ?? [])]) {
      for (const { name, secret } of variables?.values() ?? []) if (secret) names.add(name);
    }
  };
  addFrom(root);
  addFrom(secrets);
  for (const page of pages) {
    page.levels.forEach(addFrom);
    for (const { levels, written } of page.cases) {
      levels.forEach(addFrom);
      const statements = written.steps.flatMap(step => (step.kind === 'statements' ? step.statements : []));
      for (const each of statements) if (each.type === 'keep' && each.secret) names.add(each.name);
    }
  }
  return names;
}

function usesPattern({ written, levels }: CollectionCase): boolean {
  return (
    written.steps.some(step => step.kind === 'statements' && step.statements.some(usesPatterns)) ||
    levels.some(level => level.checks?.some(usesPatterns))
  );
}

function planCase(
  each: CollectionCase,
  steps: PlannedCase['steps'],
  asked: boolean,
  flow: Flow,
  collection: Collection,
  environment: Map<string, VariableDefinition>,
): PlannedCase {
  const request = each.written.steps.find(step => step.kind === 'request');
  const source = each.page.page.source;
  const isNear = (level: CollectionCase['levels'][number]) => level.source === source;
  const variables = (levels: typeof each.levels) => new Map(levels.flatMap(level => [...level.variables]));
  return {
    address: each.address,
    title: each.written.title,
    place: placeOf(source, each.written.range),
    asked,
    needs: needsOf(each, flow),
    steps,
    ...(request && { request: `${request.method} ${request.targetText}` }),
    near: variables(each.levels.filter(isNear)),
    outer: new Map([
      ...variables(each.levels.filter(level => !isNear(level))),
      ...(collection.secrets?.variables ?? []),
      ...environment,
    ]),
  };
}

function needsOf(each: CollectionCase, flow: Flow): Need[] {
  const needs = new Map<string, Need>();
  for (const { use, binding } of flow.boundUses(each)) {
    const { name } = use;
    if (binding?.from === 'page' && binding.producer !== each) {
      needs.set(name, { name, ownPage: true, producers: [binding.producer.address] });
    } else if (binding?.from === 'other-page') {
      needs.set(name, {
        name,
        ownPage: false,
        producers: binding.producers.map(producer => producer.address),
      });
    }
  }
  return [...needs.values()];
}
