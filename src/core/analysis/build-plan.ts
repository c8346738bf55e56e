import type { Check } from '../language/ast.ts';
import { compileReference } from '../language/compile-reference.ts';
import type { Path } from '../language/jsonpath/ast.ts';
import { compileSegments } from '../language/jsonpath/evaluate.ts';
import { loadPackages, type Package, packagesOf } from '../language/packages.ts';
import { referenceText } from '../language/reference.ts';
import type { Finding } from '../model/finding.ts';
import { placeOf } from '../model/place.ts';
import { Missing } from '../model/value.ts';
import { statementsOf } from '../pages/page.ts';
import { proseOf } from '../pages/prose.ts';
import type { Level } from '../settings/level.ts';
import { mergeLevels } from '../settings/merge.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { literalOf, needsXml } from '../steps/http/prepare-body.ts';
import type { Collection, CollectionCase, CollectionPage } from './collection.ts';
import {
  findingsOfBounds,
  findingsOfTables,
  findingsOfVariables,
  gatherUnknownNames,
  unverified,
  usedVariables,
  withoutFollowing,
} from './collection-findings.ts';
import { withNeeded } from './effects.ts';
import { Flow } from './flow.ts';
import { findingsOfFlow, unusedNames } from './flow-findings.ts';
import { orderPages, withCleanUp } from './order.ts';
import type { GivenValue, Need, Plan, PlannedCase, PlannedPage, PlannedRows } from './plan.ts';
import { prepareSteps } from './prepare-case.ts';
import { prepareSchemas, type ReadFile } from './schemas.ts';
import { type Choice, hasTag, refuseNeededOnes, select } from './select.ts';
import { type NamedTable, type OpenFile, readTables } from './tables.ts';
import { readEnvironment, secretNamesOf, variablesByLevels } from './variables.ts';
import { secretsInCase, secretsInLevel } from './written-secrets.ts';

export interface PlanOptions extends Choice {
  readonly environment?: string;
  readonly given: ReadonlyMap<string, GivenValue>;
  /** The table that the whole selection runs for each row of. */
  readonly rows?: NamedTable;
  /** Whether there is a file that a request sends; by its path from the root of the collection. */
  readonly hasFile?: (path: string) => boolean;
  /** Why one that is there must not be sent. */
  readonly refusesFile?: (path: string) => string | undefined;
  readonly readFile?: ReadFile;
  readonly openFile?: OpenFile;
  /**
   * Where cases that were asked for are to find what they would find in a run of the whole: addresses of cases that are
   * known to have set a cookie. Without it they bring the cases alone that they take names from or need.
   */
  readonly effects?: () => Promise<ReadonlySet<string>>;
  /** Whether cases that clean up after others join the selection; they do unless it is said otherwise. */
  readonly cleansUp?: boolean;
}

/**
 * Makes a run ready: chooses the cases, adds those whose values they need, puts the pages in order and compiles every
 * step. A plan may be carried out only if no finding is an error. Throws UsageError.
 */
export async function buildPlan(
  collection: Collection,
  options: PlanOptions,
): Promise<{ plan: Plan; findings: Finding[]; flow: Flow }> {
  const findings = [...collection.findings];
  const name = options.environment ?? collection.root.environment?.name;
  const environment = readEnvironment(collection, name, options.environment !== undefined, findings);
  const { readFile = noFile, openFile = noFile } = options;
  const tables = await readTables(collection, openFile);
  const flow = new Flow(collection, environment, options.given, tables, options.rows?.columns);
  const { pages: named, cases: asked, leftOut, shard } = select(collection, options);
  const { notTags = [], effects } = options;
  const spared = (each: CollectionCase) => leftOut.has(each) || notTags.some(tag => hasTag(each, tag));
  const isWhole = asked.size === collection.pages.reduce((sum, page) => sum + page.cases.length, 0);
  const { all: needed, brought } = withNeeded(asked, flow, isWhole ? undefined : await effects?.(), spared);
  const all = options.cleansUp === false ? needed : withCleanUp(needed, leftOut, flow);
  refuseNeededOnes(all, leftOut, user => flow.producersFor(user));
  const { pages, findings: circles } = orderPages(collection, all, flow);
  const variables = usedVariables(all, flow);
  await loadPackages(packagesFor(all, variables, collection.root.redact?.paths));
  const { schemaOf, findings: inSchemas } = prepareSchemas(collection, all, readFile);
  const secretNames = secretNamesOf(collection);
  const { hasFile, refusesFile } = options;
  const surroundings = { secretNames, ...(hasFile && { hasFile }), ...(refusesFile && { refusesFile }) };
  // A page that was named counts also where no case of it could be read.
  const reported = [...new Set([...named, ...pages])];
  findings.push(
    ...reported.flatMap(page => page.findings),
    ...circles,
    ...inSchemas,
    ...unverified(all),
    ...[
      ...new Set([...all].flatMap(each => each.levels)),
      ...(collection.secrets ? [collection.secrets] : []),
    ].flatMap(secretsInLevel),
    ...(isWhole ? unusedNames(collection, flow) : []),
    ...findingsOfVariables(variables, options.hasFile),
    ...findingsOfTables(pages, tables.errors),
    ...findingsOfBounds(collection),
  );
  const variablesFor = variablesByLevels(collection, environment);
  const planned: PlannedPage[] = pages.map(page => ({
    file: page.page.source.file,
    title: page.title,
    sources: sourcesOf(page, all, flow),
    ...rowsOf(tables.ofPage.get(page)),
    cases: page.cases
      .filter(each => all.has(each))
      .map(each => {
        const { steps, findings: inCase } = prepareSteps(each, surroundings);
        findings.push(...inCase, ...secretsInCase(each.written, each.page.page.source));
        // Without its table nobody knows the names that it gives.
        if (!tables.errors.has(each) && !tables.errors.has(page))
          findings.push(...findingsOfFlow(each, flow));
        return planCase(each, steps, asked.has(each), flow, variablesFor);
      }),
  }));
  const plan: Plan = {
    title: collection.root.title ?? planned[0]?.title ?? 'Collection',
    ...(name !== undefined && { environment: name }),
    pages: planned,
    brought,
    given: options.given,
    unusedGiven: flow.unusedGiven([...all]),
    secretNames,
    checks: checksIn(planned),
    schemaOf,
    redacted: redactedBy(collection.root),
    ...rowsOf(options.rows),
    ...(shard && { shard }),
    ...boundsOf(collection.root),
  };
  return { plan, findings: gatherUnknownNames(withoutFollowing(findings)), flow };
}

function checksIn(pages: readonly PlannedPage[]): number {
  let checks = 0;
  for (const { cases } of pages)
    for (const { steps } of cases)
      for (const step of steps) if (step.kind === 'check' || (step.kind === 'http' && step.repeat)) checks++;
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

function rowsOf(table: NamedTable | undefined): { rows?: PlannedRows } {
  return table ? { rows: table } : {};
}

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
  for (const { computed } of variables) if (computed) packagesOf(computed, needed);
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
    ...needsOf(each, flow),
    tags: mergeLevels(each.levels).tags,
    internal: mergeLevels(each.levels).internal,
    prose: () => proseOf(each.written, source),
    steps,
    ...eachOf(each, flow),
    cleanup: each.written.cleanup !== undefined,
    namespaces: mergeLevels(each.levels).namespaces,
    ...(request && { request: `${request.method} ${request.targetText}` }),
    ...variablesFor(each),
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
  const table = flow.tables.ofCase.get(user) ?? { name: each.table, count: 0, rows: noRows };
  const { name, count, rows } = table;
  return { each: { ...base, kind: 'rows', name, count, rows } };
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
