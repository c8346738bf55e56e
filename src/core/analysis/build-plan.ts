import type { Check } from '../language/ast.ts';
import { compileReference } from '../language/compile-reference.ts';
import type { Path } from '../language/jsonpath/ast.ts';
import { compileSegments } from '../language/jsonpath/evaluate.ts';
import { loadPackages, type Package, packagesOf } from '../language/packages.ts';
import { referenceText } from '../language/reference.ts';
import type { Finding } from '../model/finding.ts';
import { placeOf } from '../model/place.ts';
import { Missing } from '../model/value.ts';
import { proseOf } from '../pages/prose.ts';
import type { Level } from '../settings/level.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { kindOfStep, operationKindOf } from '../steps/kinds.ts';
import type { Analysis, Chosen, PlanOptions } from './analysis.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import { openDefinitions } from './definitions.ts';
import { withNeeded } from './effects.ts';
import { findingPasses, gatherAlike } from './finding-passes.ts';
import { Flow, unusedGiven } from './flow.ts';
import { withoutFollowing } from './following.ts';
import { findingsOfMachine } from './machine.ts';
import { orderPages, withCleanUp } from './order.ts';
import type { Need, Plan, PlannedCase, PlannedPage } from './plan.ts';
import { prepareSteps, type StepSurroundings } from './prepare-case.ts';
import { withRemedies } from './remedies.ts';
import { prepareSchemas } from './schemas.ts';
import { hasTag, refuseNeededOnes, select } from './select.ts';
import { type NamedTable, readTables } from './tables.ts';
import { chooseEnvironment, secretNamesOf, usedVariables, variablesByLevels } from './variables.ts';
import { weighted } from './weights.ts';

export interface PreparedPlan {
  readonly plan: Plan;
  readonly findings: Finding[];
  readonly flow: Flow;
  /** The pages that are chosen; of those without cases a plan says nothing. */
  readonly named: ReadonlySet<CollectionPage>;
}

/**
 * Makes a run ready, pass by pass: what is chosen, what that brings along, the order, what has to be loaded, the steps. A
 * plan may be carried out only if no finding is an error. Throws UsageError.
 */
export async function buildPlan(collection: Collection, options: PlanOptions): Promise<PreparedPlan> {
  const { readFile = noFile, openFile = noFile, hasFile, refusesFile, given } = options;
  const environment = chooseEnvironment(collection, options.environment);
  const tables = await readTables(collection, openFile);
  const flow = new Flow(collection, environment.variables, given, {
    environmentName: environment.name,
    tables,
    iterationTable: options.rows ? { ...options.rows, name: '--rows' } : options.userRows,
  });
  const chosen = await chooseCases(collection, options, flow);
  const order = orderPages(collection, chosen.cases, flow);
  const variables = usedVariables(chosen.cases, flow);
  await loadPackages(packagesFor(chosen.cases, variables, collection.root.redact?.paths));
  const schemas = prepareSchemas(collection, chosen.cases, readFile);
  const secretNames = secretNamesOf(collection);
  const definitions = await openDefinitions(chosen.cases, readFile);
  const { holderOf } = definitions;
  const surroundings = { secretNames, hasFile, refusesFile, readFile, holderOf };
  const steps = prepareCases(order.pages, chosen.cases, surroundings);
  const analysis: Analysis = { collection, flow, tables, chosen, pages: order.pages, variables, options };
  const findings = [
    ...collection.findings,
    ...environment.findings,
    ...order.findings,
    ...schemas.findings,
    ...definitions.findings,
    ...findingPasses.flatMap(pass => pass(analysis)),
    ...steps.findings,
    ...(await findingsOfMachine(chosen.cases, options)),
  ];
  const pages = planPages(analysis, steps.ofCase);
  const { root } = collection;
  const plan: Plan = {
    title: root.title ?? pages[0]?.title ?? 'Collection',
    ...(environment.name !== undefined && { environment: environment.name }),
    pages,
    brought: chosen.brought,
    given,
    unusedGiven: unusedGiven([...chosen.cases], flow),
    secretNames,
    checks: checksIn(pages),
    schemaOf: schemas.schemaOf,
    definitions: definitions.files,
    redacted: redactedBy(root),
    ...(options.rows && { rows: options.rows }),
    ...(chosen.shard && { shard: chosen.shard }),
    ...boundsOf(root),
  };
  const told = withoutFollowing(await withRemedies(findings), collection);
  return { plan, findings: gatherAlike(weighted(told, collection)), flow, named: chosen.named };
}

/** The cases that were asked for, and those that run with them. */
async function chooseCases(collection: Collection, options: PlanOptions, flow: Flow): Promise<Chosen> {
  const { pages: named, cases: asked, leftOut, shard } = select(collection, options);
  const { notTags = [], effects } = options;
  const spared = (each: CollectionCase) => leftOut.has(each) || notTags.some(tag => hasTag(each, tag));
  const isWhole = asked.size === collection.pages.reduce((sum, page) => sum + page.cases.length, 0);
  const { all: needed, brought } = withNeeded(asked, flow, isWhole ? undefined : await effects?.(), spared);
  const cases = options.cleansUp === false ? needed : withCleanUp(needed, leftOut, flow);
  refuseNeededOnes(cases, leftOut, user => flow.producersFor(user));
  return { named, asked, cases, brought, isWhole, shard };
}

/** Makes the steps of all cases ready. */
function prepareCases(
  pages: readonly CollectionPage[],
  cases: ReadonlySet<CollectionCase>,
  surroundings: StepSurroundings,
): { ofCase: ReadonlyMap<CollectionCase, PlannedCase['steps']>; findings: Finding[] } {
  const findings: Finding[] = [];
  const ofCase = new Map<CollectionCase, PlannedCase['steps']>();
  for (const page of pages)
    for (const each of page.cases) {
      if (!cases.has(each)) continue;
      const prepared = prepareSteps(each, surroundings);
      ofCase.set(each, prepared.steps);
      findings.push(...prepared.findings);
    }
  return { ofCase, findings };
}

function planPages(
  { collection, flow, tables, chosen, pages }: Analysis,
  steps: ReadonlyMap<CollectionCase, PlannedCase['steps']>,
): PlannedPage[] {
  const variablesFor = variablesByLevels(collection, flow.environment);
  const planned = pages.map(page => {
    const rows = tables.ofPage.get(page);
    const alone = mergeLevels(page.levels).alone || stepsRunAlone(page, chosen.cases);
    return {
      file: page.page.source.file,
      title: page.title,
      sources: sourcesOf(page, chosen.cases, flow),
      ...(alone && { alone }),
      ...(rows && { rows }),
      variables: variablesFor({ levels: page.levels, page }),
      cases: page.cases
        .filter(each => chosen.cases.has(each))
        .map(each =>
          planCase(each, flow, {
            asked: chosen.asked.has(each),
            steps: steps.get(each)!,
            variables: variablesFor(each),
          }),
        ),
    };
  });
  return planned.map((page, at) => {
    const cleanedAfter = cleanedEarly(pages[at]!, chosen.cases, flow) && usersOf(page, planned);
    return cleanedAfter ? { ...page, cleanedAfter } : page;
  });
}

/** Whether a page has steps that nothing else may run beside; where its author says what it needs, that is enough. */
function stepsRunAlone({ cases }: CollectionPage, chosen: ReadonlySet<CollectionCase>): boolean {
  return cases.some(
    each =>
      chosen.has(each) &&
      each.written.steps.some(step => operationKindOf(step)?.runsAlone?.(step)) &&
      mergeLevels(each.levels).needs.length === 0,
  );
}

/** Whether a page need not wait for the end to be cleaned up: nothing that cleans up elsewhere takes from it. */
function cleanedEarly(page: CollectionPage, cases: ReadonlySet<CollectionCase>, flow: Flow): boolean {
  if (!mergeLevels(page.levels).earlyCleanup) return false;
  const own = page.cases.filter(each => cases.has(each));
  if (!own.some(each => each.written.cleanup)) return false;
  const elsewhere = [...cases].filter(each => each.written.cleanup && each.page !== page);
  return !elsewhere.some(each => flow.producersFor(each).some(producer => producer.page === page));
}

function usersOf({ file }: PlannedPage, pages: readonly PlannedPage[]): string[] {
  return pages.filter(({ sources }) => sources.includes(file)).map(each => each.file);
}

function checksIn(pages: readonly PlannedPage[]): number {
  let checks = 0;
  for (const { cases } of pages)
    for (const { steps } of cases) for (const step of steps) checks += step.checks;
  return checks;
}

/** The pages that cases of a page take names from or need, in the order of the collection. What cleans up comes last. */
function sourcesOf(page: CollectionPage, cases: ReadonlySet<CollectionCase>, flow: Flow): string[] {
  const sources = new Set(
    page.cases
      .filter(each => cases.has(each) && !each.written.cleanup)
      .flatMap(each => flow.producersFor(each).map(producer => producer.page))
      .filter(source => source !== page),
  );
  return flow.collection.pages.filter(each => sources.has(each)).map(each => each.page.source.file);
}

const noFile = (path: string) => new Missing(`There is no file '${path}' here`);

function redactedBy({ redact }: Level): Plan['redacted'] {
  const parts = redact?.paths.map(({ segments }) => compileSegments(segments)) ?? [];
  return { headers: new Set(redact?.headers), parts };
}

function boundsOf({ source, bounds = [], apdex }: Level): Pick<Plan, 'bounds' | 'apdex'> {
  const placed = bounds.map(({ text, range }) => ({ text, place: placeOf(source, range) }));
  return { bounds: placed, ...(apdex !== undefined && { apdex }) };
}

/** What has to be loaded before cases can be made ready. */
function packagesFor(
  cases: Iterable<CollectionCase>,
  variables: Iterable<VariableDefinition>,
  redacted: readonly Path[] = [],
): Set<Package> {
  const needed = new Set<Package>();
  if (redacted.some(path => path.usesPatterns)) needed.add('patterns');
  const seen = new Set<Check>();
  for (const { written, levels } of cases) {
    const effective = mergeLevels(levels);
    for (const { check } of effective.checks) {
      if (seen.has(check)) continue;
      seen.add(check);
      packagesOf(check, needed);
    }
    for (const step of written.steps) kindOfStep(step).packages(step, effective, needed);
  }
  for (const { computed } of variables) if (computed) packagesOf(computed, needed);
  return needed;
}

interface CaseParts extends Pick<PlannedCase, 'asked' | 'steps'> {
  /** What its levels give, near and far. */
  readonly variables: ReturnType<ReturnType<typeof variablesByLevels>>;
}

function planCase(each: CollectionCase, flow: Flow, { asked, steps, variables }: CaseParts): PlannedCase {
  const { tags, internal, namespaces } = mergeLevels(each.levels);
  const first = each.written.steps.find(step => operationKindOf(step));
  const source = each.page.page.source;
  return {
    address: each.address,
    title: each.written.title,
    place: placeOf(source, each.written.range),
    asked,
    ...needsOf(each, flow),
    uses: usedBy(each, flow),
    tags,
    internal,
    prose: () => proseOf(each.written, source),
    steps,
    ...eachOf(each, flow),
    cleanup: each.written.cleanup !== undefined,
    namespaces,
    ...(first && { request: operationKindOf(first)!.title(first) }),
    ...variables,
  };
}

/** Variables without a name that anybody could write are none of them. */
function usedBy(each: CollectionCase, flow: Flow): string[] {
  const names = new Set<string>();
  for (const { use, binding } of flow.boundUses(each))
    if (binding && !(binding.from === 'page' && binding.producer === each) && !use.name.includes(' '))
      names.add(use.name);
  return [...names];
}

function eachOf(user: CollectionCase, flow: Flow): Pick<PlannedCase, 'each'> {
  const { each } = user.written;
  if (!each) return {};
  const base = { place: placeOf(user.page.page.source, each.range), text: each.written };
  if (each.type === 'each-value') {
    const written = `{${referenceText(each.list)}}`;
    return { each: { ...base, kind: 'values', name: each.name, list: compileReference(each.list), written } };
  }
  const table = flow.tables.ofCase.get(user) ?? noTable(each.table);
  return { each: { ...base, kind: 'rows', table } };
}

/** In the place of one that cannot be used, which is told elsewhere. */
function noTable(name: string): NamedTable {
  return { name, columns: [], count: 0, rows: noRows };
}

async function* noRows(): AsyncGenerator<never> {}

function needsOf(each: CollectionCase, flow: Flow): Pick<PlannedCase, 'needs' | 'after' | 'takenFrom'> {
  const needs = new Map<string, Need>();
  const takenFrom = new Map<string, string>();
  for (const { use, binding } of flow.boundUses(each)) {
    const { name } = use;
    if (binding?.from === 'page' && binding.producer !== each) {
      needs.set(name, { name, ownPage: true, producers: [binding.producer.address] });
    } else if (binding?.from === 'other-page') {
      takenFrom.set(name, binding.producers[0]!.page.page.source.file);
      needs.set(name, {
        name,
        ownPage: false,
        producers: binding.producers.map(producer => producer.address),
      });
    }
  }
  const after = flow.neededBy(each).cases.map(({ address }) => address);
  return { needs: [...needs.values()], after, takenFrom };
}
