import type { CollectionCase } from '../analysis/collection.ts';
import type { Flow } from '../analysis/flow.ts';
import type { Plan, PlannedCase, PlannedPage } from '../analysis/plan.ts';
import type { EvaluationContext } from '../language/evaluation-context.ts';
import { type Reference, referenceText } from '../language/reference.ts';
import { parseFields } from '../language/templates/fields.ts';
import { TemplateError } from '../language/templates/render.ts';
import { referencesOfTarget, renderBase } from '../language/templates/target.ts';
import { parseTemplate, referencesOf } from '../language/templates/template.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Finding } from '../model/finding.ts';
import { UsageError } from '../model/usage-error.ts';
import type { Value } from '../model/value.ts';
import { OfflineCaseRun } from '../replay/offline-case-run.ts';
import { rowsIn } from '../runner/rows.ts';
import { IterationScope, type PageScope } from '../runner/scope.ts';
import { NamedValues } from '../secrecy/named-values.ts';
import type { Effective } from '../settings/effective.ts';
import { mergeLevels } from '../settings/merge-levels.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { HttpStep } from '../steps/http/http-step.ts';
import { literalTextOf, referencesOfBody } from '../steps/http/prepare-body.ts';
import { outerQuery } from '../steps/http/prepare-request.ts';
import type { WrittenRequest } from '../steps/http/request.ts';
import { originIn, withoutOrigin } from '../text/hosts.ts';
import { OpenValueError } from '../values/open-value.ts';
import { ambiguousTarget } from './ambiguous-targets.ts';
import type { KnownNames, Row } from './answered-case.ts';
import type { AnsweringPattern } from './answering-pattern.ts';
import { credentialsOf, tokenAnswer } from './authorizations.ts';
import { readBody } from './body/read-body.ts';
import { CaseNames } from './case-names.ts';
import { ExampleAnswers } from './example-answers.ts';
import { headersOf, withoutHeaders } from './header-conditions.ts';
import { Memory } from './memory.ts';
import { RequestPattern } from './request-pattern.ts';
import { literalTarget, readTarget, type TargetPattern } from './target-pattern.ts';
import { TextPattern } from './text-pattern.ts';

export interface StandInSources {
  readonly external: ExternalSources;
  readonly clockAndRandom: ClockAndRandom;
}

/** The requests of a plan that examples answer. */
export interface BuiltPatterns {
  readonly patterns: readonly AnsweringPattern[];
  /** What stands before targets: the first address that any has, as it was and its path. */
  readonly base: { readonly address: string; readonly path: string } | undefined;
  /** How many requests have no example. */
  readonly without: number;
  /** Those of them that can be told from what is asked. */
  readonly unanswered: readonly RequestPattern[];
  /** Names in queries whose values are keys. */
  readonly keyNames: ReadonlySet<string>;
  readonly findings: readonly Finding[];
}

/** So many rows of a table are known by their values. */
const mostRows = 1000;

/** Reads the requests of a plan backwards, page by page. Throws UsageError. */
export async function buildPatterns(plan: Plan, flow: Flow, sources: StandInSources): Promise<BuiltPatterns> {
  const builder = new PatternBuilder(plan, flow, sources);
  for (const page of plan.pages) await builder.page(page);
  if (builder.patterns.length === 0 && !builder.base && builder.unknownBase) throw builder.unknownBase;
  return builder;
}

class PatternBuilder implements BuiltPatterns {
  readonly patterns: AnsweringPattern[] = [];
  readonly findings: Finding[] = [];
  base: BuiltPatterns['base'];
  readonly unanswered: RequestPattern[] = [];
  without = 0;
  unknownBase: UsageError | undefined;
  readonly #iteration: IterationScope;
  readonly keyNames = new Set<string>();
  readonly #tokens = new Set<string>();
  readonly #memory = new Memory();
  readonly #cases: ReadonlyMap<string, CollectionCase>;

  constructor(
    readonly plan: Plan,
    readonly flow: Flow,
    readonly sources: StandInSources,
  ) {
    this.#iteration = this.#iterationNow();
    this.#cases = new Map(
      flow.collection.pages.flatMap(page => page.cases).map(each => [each.address, each]),
    );
  }

  /** What is computed is computed anew in each. */
  #iterationNow(): IterationScope {
    const { plan, sources } = this;
    const values = new NamedValues(plan.secretNames, { addValue: () => undefined }, 'passing');
    return new IterationScope(plan, sources.external, { values });
  }

  async page(page: PlannedPage): Promise<void> {
    const scope = this.#iteration.openPage(page, {} as never);
    const rows = page.rows && !('ask' in page.rows) ? await firstRows(page.rows) : [];
    for (const planned of page.cases) await this.#case(planned, scope, rows);
  }

  async #case(planned: PlannedCase, scope: PageScope, pageRows: readonly Row[]): Promise<void> {
    const user = this.#cases.get(planned.address)!;
    const names = new CaseNames(scope, planned, {
      rows: new Set(this.flow.rowNames(user)),
      isFixed: definition => this.#isKnown(definition),
      takesGiven: true,
    });
    const run = new OfflineCaseRun(this.plan, planned, names);
    const rows = await this.#rowsOf(planned, pageRows, run.evaluation);
    for (const [index, step] of planned.steps.entries()) {
      if (step.operation === undefined) {
        const { goesOn } = run.judge(step);
        if (!goesOn) break;
        continue;
      }
      const written = requestOf(user, step.place.line);
      const url = step instanceof HttpStep ? addressOf(step, run.evaluation) : undefined;
      const examples = (step.examples ?? []).filter(({ errors }) => errors.length === 0);
      if (step instanceof HttpStep && written) {
        const known: KnownNames = {
          plan: this.plan,
          planned,
          entries: names.entriesFor(
            [...examples.flatMap(each => each.references.map(({ name }) => name)), ...planned.uses],
            run.evaluation,
          ),
          rows,
          lets: planned.steps.slice(0, index).filter(({ kind }) => kind === 'let'),
          keeps: keepsBelow(planned, index),
          memory: this.#memory,
          resolve: (definition, evaluation) => this.#iterationNow().resolve(definition, evaluation),
          clockAndRandom: this.sources.clockAndRandom,
        };
        const about = { known, names, url, evaluation: run.evaluation };
        if (examples.length > 0) this.#add(step, written, user, about);
        else this.#addUnanswered(step, written, user, about);
      }
      const last = examples.at(-1);
      run.answer(last?.answer(run.evaluation, url));
    }
  }

  #add(step: HttpStep, written: WrittenRequest, user: CollectionCase, about: AboutRequest): void {
    const ambiguous = ambiguousTarget(written, user.page.page.source);
    if (ambiguous) {
      this.findings.push(ambiguous);
      return;
    }
    const pattern = this.#patternOf(step, written, user, about);
    if (!pattern) {
      this.without++;
      return;
    }
    this.#addToken(written, mergeLevels(user.levels), about);
    const sound = step.examples.filter(({ errors }) => errors.length === 0);
    this.patterns.push(
      new ExampleAnswers(pattern, sound, about.known, this.base && originIn(this.base.address)),
    );
  }

  /** Whoever asks for it is told that it has no example. */
  #addUnanswered(step: HttpStep, written: WrittenRequest, user: CollectionCase, about: AboutRequest): void {
    this.without++;
    if (ambiguousTarget(written, user.page.page.source)) return;
    try {
      const pattern = this.#patternOf(step, written, user, about);
      if (pattern) this.unanswered.push(pattern);
    } catch (error) {
      // What stands before its target is not known, which matters only where nothing else is.
      if (!(error instanceof UsageError)) throw error;
      this.unknownBase ??= error;
    }
  }

  #patternOf(
    step: HttpStep,
    written: WrittenRequest,
    user: CollectionCase,
    about: AboutRequest,
  ): RequestPattern | undefined {
    const effective = mergeLevels(user.levels);
    const target = this.#targetOf(written, effective, about);
    if (!target) return undefined;
    const keys = new Map<string, Reference>();
    for (const reference of referencesIn(written)) keys.set(referenceText(reference), reference);
    const credentials = credentialsOf(written, effective, about.evaluation);
    for (const { name } of credentials.query) this.keyNames.add(name);
    const values = new Map(
      [...keys].map(([key, reference]) => [
        key,
        about.names.valuesOf(reference, about.known.rows, about.evaluation),
      ]),
    );
    return new RequestPattern({
      address: user.address,
      method: step.operation,
      target: { ...target, query: [...target.query, ...credentials.query] },
      headers: [...headersOf(written, effective), ...credentials.headers],
      without: withoutHeaders(user, effective),
      body: step.request.body && readBody(step.request.body),
      knownValues: key => values.get(key)?.known,
      shownValues: key => values.get(key)?.shown,
      asksForDigest: credentials.asksForDigest,
    });
  }

  #addToken(written: WrittenRequest, effective: Effective, { evaluation }: AboutRequest): void {
    const token = tokenAnswer(written, effective, evaluation);
    if (!token || this.#tokens.has(token.url)) return;
    this.#tokens.add(token.url);
    this.patterns.push(token.pattern);
  }

  /** A target that begins with a value is known only where an example above says what that is. */
  #targetOf(
    written: WrittenRequest,
    effective: Effective,
    { url, evaluation }: AboutRequest,
  ): TargetPattern | undefined {
    const [first] = written.target.parts;
    if (typeof first === 'object' && first.asIs) {
      return url === undefined ? undefined : literalTarget(url);
    }
    const path = this.#basePath(written, effective, evaluation);
    const target = readTarget(written.target, path);
    const more = outerQuery(written, effective).flatMap(({ name, values }) =>
      values.map(value => ({ name, value: TextPattern.of(value) })),
    );
    const own = formQuery(written);
    return { ...target, query: [...target.query, ...own, ...more] };
  }

  #pathOf(address: string): string {
    const path = withoutOrigin(address).replace(/\/$/, '');
    this.base ??= { address, path };
    return path;
  }

  /** Of what stands before the target; the host is the stand-in's own. */
  #basePath(written: WrittenRequest, { base }: Effective, evaluation: EvaluationContext): string {
    if (!base || !written.targetText.startsWith('/')) return '';
    try {
      return this.#pathOf(renderBase(base.template, evaluation));
    } catch (error) {
      if (!(error instanceof OpenValueError || error instanceof TemplateError)) throw error;
      const names = referencesOf(base.template).map(referenceText).join(', ');
      throw new UsageError(
        `What stands before the targets is not known: {${names}} has no value that is no secret. Choose an environment (@NAME), or give it one: --set ${names}=http://127.0.0.1`,
      );
    }
  }

  /** Whether a variable may be told: it is no secret, and stands in the pages. */
  #isKnown({ os, name, secret }: VariableDefinition): boolean {
    return os === undefined && !secret && !this.plan.secretNames.has(name);
  }

  async #rowsOf(
    { each }: PlannedCase,
    pageRows: readonly Row[],
    evaluation: EvaluationContext,
  ): Promise<readonly Row[]> {
    if (!each) return pageRows;
    if (each.kind === 'rows') return 'ask' in each.table ? pageRows : firstRows(each.table);
    const list = listOf(each.list, evaluation);
    return list?.map(value => new Map([[each.name, value]])) ?? pageRows;
  }
}

interface AboutRequest {
  readonly known: KnownNames;
  readonly names: CaseNames;
  readonly url: string | undefined;
  readonly evaluation: EvaluationContext;
}

async function firstRows(table: Parameters<typeof rowsIn>[0]): Promise<Row[]> {
  const rows: Row[] = [];
  for await (const { values } of rowsIn(table)) {
    rows.push(values);
    if (rows.length >= mostRows) break;
  }
  return rows;
}

function listOf(
  list: (context: EvaluationContext) => unknown,
  evaluation: EvaluationContext,
): Value[] | undefined {
  try {
    const found = list(evaluation);
    return Array.isArray(found) ? found.slice(0, mostRows) : undefined;
  } catch (error) {
    if (error instanceof OpenValueError) return undefined;
    throw error;
  }
}

/** What looks at the answer of an operation and keeps something of it. */
function keepsBelow({ steps }: PlannedCase, index: number): PlannedCase['steps'] {
  const next = steps.findIndex((step, at) => at > index && step.operation !== undefined);
  return steps.slice(index + 1, next < 0 ? undefined : next).filter(({ kind }) => kind === 'keep');
}

function requestOf({ written, page }: CollectionCase, line: number): WrittenRequest | undefined {
  const { source } = page.page;
  return written.steps.find(
    (step): step is WrittenRequest => step.type === 'http' && source.position(step.range.start).line === line,
  );
}

/** Where a request goes, as far as that is known. */
function addressOf({ request }: HttpStep, evaluation: EvaluationContext): string | undefined {
  try {
    return request.url(evaluation);
  } catch (error) {
    if (error instanceof OpenValueError || error instanceof TemplateError) return undefined;
    throw error;
  }
}

function formQuery({ query }: WrittenRequest): TargetPattern['query'] {
  if (!query) return [];
  return parseFields(query, 'form').fields.map(({ name, value }) => ({
    name: literalTextOf(name),
    value: TextPattern.of(value),
  }));
}

/** Every reference of a request as it is written. */
function referencesIn({ target, headers, body, query }: WrittenRequest): Reference[] {
  return [
    ...referencesOfTarget(target),
    ...headers.flatMap(({ value }) => referencesOf(value)),
    ...(body ? referencesOfBody(body) : []),
    ...(query ? referencesOf(parseTemplate(query, 0, query.text.length, 'text')) : []),
  ];
}
