import type { Check } from '../language/ast.ts';
import { compileReference } from '../language/compile-reference.ts';
import { loadPackages, type Package, packagesOf } from '../language/packages.ts';
import { statementsOf } from '../page/page.ts';
import type { Level } from '../settings/level.ts';
import { mergeLevels } from '../settings/merge.ts';
import { secretTemplates } from '../settings/transport.ts';
import { referenceText } from '../template/reference.ts';
import { referencesOf } from '../template/template.ts';
import { type Code, type Finding, finding, type Mistake, sortFindings } from '../text/finding.ts';
import { didYouMean, inWords } from '../text/nearest.ts';
import type { Source } from '../text/source.ts';
import { Missing, type Value } from '../values/value.ts';
import type { VariableDefinition } from '../variables/definition.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import { Flow } from './flow.ts';
import { orderPages, withCleanUp, withNeeded } from './order.ts';
import { type Need, type Plan, type PlannedCase, placeOf } from './plan.ts';
import { literalOf, needsXml } from './prepare-body.ts';
import { prepareSteps } from './prepare-case.ts';
import { prepareSchemas } from './schemas.ts';
import { SelectionMistake, select } from './select.ts';
import { type ReadFile, readTables } from './tables.ts';
import { secretsInCase, secretsInLevel } from './written-secrets.ts';

export interface PlanOptions {
  /** Paths relative to the root of the collection; none for all of it. */
  readonly paths: readonly string[];
  readonly environment?: string;
  readonly given: ReadonlyMap<string, Value>;
  /** Whether there is a file that a request sends; by its path from the root of the collection. */
  readonly hasFile?: (path: string) => boolean;
  readonly readFile?: ReadFile;
  /** Whether cases that clean up after others join the selection; they do unless it is said otherwise. */
  readonly cleansUp?: boolean;
}

/**
 * Makes a run ready: chooses the cases, adds those whose values they need, puts the pages in order and compiles every
 * step. A plan may be carried out only if no finding is an error. Throws SelectionMistake.
 */
export async function buildPlan(
  collection: Collection,
  options: PlanOptions,
): Promise<{ plan: Plan; findings: Finding[]; flow: Flow }> {
  const findings = [...collection.findings];
  const name = options.environment ?? collection.root.environment?.name;
  const environment = readEnvironment(collection, name, options.environment !== undefined, findings);
  const { readFile = noFiles } = options;
  const tables = await readTables(collection, readFile);
  const flow = new Flow(collection, environment, new Set(options.given.keys()), tables.of);
  const { pages: named, cases: asked } = select(collection, options.paths);
  const needed = withNeeded([...asked], flow);
  const all = options.cleansUp === false ? needed : withCleanUp(needed, flow);
  const { pages, findings: circles } = orderPages(collection.pages, all, flow);
  await loadPackages(packagesFor(all));
  const { schemaOf, findings: inSchemas } = prepareSchemas(collection, all, readFile);
  const secretNames = secretNamesOf(collection);
  const surroundings = { secretNames, ...(options.hasFile && { hasFile: options.hasFile }) };
  // A page that was named counts also where no case of it could be read.
  const reported = [...new Set([...named, ...pages])];
  findings.push(
    ...reported.flatMap(page => page.findings),
    ...circles,
    ...inSchemas,
    ...unverified(all),
    ...[...new Set([...all].flatMap(each => each.levels))].flatMap(secretsInLevel),
    ...(options.paths.length === 0 ? flow.unused() : []),
  );
  const variablesFor = variablesByLevels(collection, environment);
  const planned = pages.map(page => ({
    file: page.page.source.file,
    title: page.title,
    sources: sourcesOf(page, all, flow),
    cases: page.cases
      .filter(each => all.has(each))
      .map(each => {
        const { steps, findings: inCase } = prepareSteps(each, surroundings);
        const unread = tables.mistakes.get(each);
        findings.push(...inCase, ...secretsInCase(each.written, each.page.page.source));
        // Without its table nobody knows the names that it gives.
        if (unread) findings.push(findingOf(unread, each.page.page.source));
        else findings.push(...flow.findings(each));
        return planCase(each, steps, asked.has(each), flow, variablesFor);
      }),
  }));
  const steps = planned.flatMap(page => page.cases).flatMap(each => each.steps);
  const plan: Plan = {
    title: collection.root.title ?? planned[0]?.title ?? 'Collection',
    ...(name !== undefined && { environment: name }),
    pages: planned,
    given: options.given,
    unusedGiven: flow.unusedGiven([...all]),
    secretNames,
    checks: steps.filter(step => step.kind === 'check' || (step.kind === 'send' && step.repeat)).length,
    schemaOf,
  };
  return { plan, findings: gatherUnknownNames(withoutFollowing(findings)), flow };
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

/** The pages that cases of a page take names from, in the order of the collection. */
function sourcesOf(page: CollectionPage, cases: ReadonlySet<CollectionCase>, flow: Flow): string[] {
  const sources = new Set(
    page.cases
      .filter(each => cases.has(each))
      .flatMap(each => flow.producersFor(each).map(producer => producer.page))
      .filter(source => source !== page),
  );
  return flow.collection.pages.filter(each => sources.has(each)).map(each => each.page.source.file);
}

/** Where certificates are not looked at, nobody knows who answers. */
function unverified(cases: Iterable<CollectionCase>): Finding[] {
  const levels = new Set(
    [...cases].flatMap(each => each.levels.findLast(level => level.transport.tls !== undefined) ?? []),
  );
  return [...levels]
    .filter(level => level.transport.tls?.verify === false)
    .map(level =>
      finding(
        'tls-unverified',
        level.source,
        level.tlsRange ?? { start: 0, end: 0 },
        'Certificates are not looked at here, so nobody knows who answers.',
        'An authority of your own is a setting too: tls: { ca: authority.pem }',
      ),
    );
}

/** Names that any level declares secret or signs in with, or that any case keeps as a secret. */
function secretNamesOf({ root, secrets, pages }: Collection): Set<string> {
  const names = new Set<string>();
  const addFrom = (level: Level | undefined) => {
    for (const variables of [level?.variables, ...(level?.environments?.values() ?? [])]) {
      for (const { name, secret } of variables?.values() ?? []) if (secret) names.add(name);
    }
    for (const template of level?.auth ? secretTemplates(level.auth) : [])
      for (const { name } of referencesOf(template)) names.add(name);
  };
  addFrom(root);
  addFrom(secrets);
  for (const page of pages) {
    page.levels.forEach(addFrom);
    for (const { levels, written } of page.cases) {
      if (levels !== page.levels) levels.forEach(addFrom);
      for (const each of statementsOf(written)) if (each.type === 'keep' && each.secret) names.add(each.name);
    }
  }
  return names;
}

const noFiles: ReadFile = path => new Missing(`There is no file '${path}' here`);

function findingOf({ code, range, message, remedy }: Mistake, source: Source): Finding {
  return finding(code, source, range, message, remedy);
}

/** What has to be loaded before cases can be made ready. */
function packagesFor(cases: Iterable<CollectionCase>): Set<Package> {
  const needed = new Set<Package>();
  const checks = new Set<Check>();
  let last: CollectionCase['levels'] | undefined;
  for (const each of cases) {
    if (usesXml(each)) needed.add('xml');
    if (each.levels !== last)
      for (const level of each.levels) for (const check of level.checks ?? []) checks.add(check);
    last = each.levels;
    for (const statement of statementsOf(each.written)) packagesOf(statement, needed);
  }
  for (const check of checks) packagesOf(check, needed);
  return needed;
}

function usesXml({ written, levels }: CollectionCase): boolean {
  const requests = written.steps.filter(step => step.kind === 'request');
  if (requests.length === 0) return false;
  const outer = levels.findLast(level => level.headers.has('content-type'))?.headers.get('content-type');
  return requests.some(step => {
    const own = step.headers.find(header => header.name.toLowerCase() === 'content-type')?.value;
    const given = own ?? outer?.value;
    return needsXml(step, given ? literalOf(given) : undefined);
  });
}

function planCase(
  each: CollectionCase,
  steps: PlannedCase['steps'],
  asked: boolean,
  flow: Flow,
  variablesFor: ReturnType<typeof variablesByLevels>,
): PlannedCase {
  const request = each.written.steps.find(step => step.kind === 'request');
  const source = each.page.page.source;
  return {
    address: each.address,
    title: each.written.title,
    place: placeOf(source, each.written.range),
    asked,
    needs: needsOf(each, flow),
    steps,
    ...eachOf(each, flow),
    cleanup: each.written.cleanup !== undefined,
    namespaces: mergeLevels(each.levels).namespaces,
    ...(request && { request: `${request.method} ${request.targetText}` }),
    ...variablesFor(each),
  };
}

/** Most cases of a page have no settings of their own, and share what those of the page come to. */
function variablesByLevels(collection: Collection, environment: Map<string, VariableDefinition>) {
  const known = new Map<CollectionCase['levels'], Pick<PlannedCase, 'near' | 'outer'>>();
  const gather = (levels: CollectionCase['levels']) => levels.flatMap(level => [...level.variables]);
  return ({ levels, page }: CollectionCase): Pick<PlannedCase, 'near' | 'outer'> => {
    let variables = known.get(levels);
    if (!variables) {
      const isNear = (level: Level) => level.source === page.page.source;
      variables = {
        near: new Map(gather(levels.filter(isNear))),
        outer: new Map([
          ...gather(levels.filter(level => !isNear(level))),
          ...(collection.secrets?.variables ?? []),
          ...environment,
        ]),
      };
      known.set(levels, variables);
    }
    return variables;
  };
}

function eachOf(user: CollectionCase, flow: Flow): Pick<PlannedCase, 'each'> {
  const { each } = user.written;
  if (!each) return {};
  const base = { place: placeOf(user.page.page.source, each.range), text: each.written };
  if (each.type === 'each-value') {
    const written = `{${referenceText(each.list)}}`;
    return { each: { ...base, kind: 'values', name: each.name, list: compileReference(each.list), written } };
  }
  const table = flow.tables.get(user);
  return { each: { ...base, kind: 'rows', name: table?.name ?? each.table, rows: table?.table.rows ?? [] } };
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
