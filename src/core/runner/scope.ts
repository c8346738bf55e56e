import type { Plan, PlannedCase, PlannedPage } from '../analysis/plan.ts';
import { type Entry, type EvaluationContext, isMadeOfSecret } from '../language/evaluation-context.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { kindOf, type Value } from '../model/value.ts';
import type { NamedValues } from '../secrecy/named-values.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import type { OperationPorts } from '../steps/operation-ports.ts';
import type { GivenName } from '../steps/step.ts';
import { equal } from '../values/compare.ts';
import { AnsweredEvaluation } from './answered-evaluation.ts';

/** Names that a row, or an item of a list, gives. */
export type RowEntries = ReadonlyMap<string, Entry>;

export interface IterationValues {
  readonly values: NamedValues;
  /** What the row gives that the iteration is for. */
  readonly row?: RowEntries | undefined;
  /** The chance of a variable that is computed: the same, whichever page asks for it first. */
  readonly chanceFor?: (name: string) => ClockAndRandom;
}

/** The values of one iteration over the selection. */
export class IterationScope {
  readonly values: NamedValues;
  readonly row: RowEntries | undefined;
  readonly #chanceFor: IterationValues['chanceFor'];
  /** Every page that has begun, by its file: others take its names and begin with its cookies. */
  readonly #pages = new Map<string, PageScope>();
  readonly #given = new Map<string, Entry>();
  /** What was looked up on the way to one variable. */
  #resolving: Map<VariableDefinition, Entry> | undefined;
  /** What was computed, and of what: once an iteration, as long as what it is made of is the same. */
  readonly #computed = new Map<VariableDefinition, { inputs: (Value | undefined)[]; entry: Entry }[]>();

  constructor(
    readonly plan: Plan,
    readonly external: ExternalSources,
    { values, row, chanceFor }: IterationValues,
  ) {
    this.values = values;
    this.row = row;
    this.#chanceFor = chanceFor;
    for (const [name, given] of plan.given) this.#given.set(name, values.make(name, given.value, given));
  }

  /** A page starts with what the pages that it takes names from have kept, such as cookies, as they stood when those ended. */
  openPage({ file, sources }: PlannedPage, ports: OperationPorts, row?: RowEntries): PageScope {
    const before = sources.flatMap(source => this.#pages.get(source) ?? []);
    const states = new Map<string, unknown>();
    let kind: keyof OperationPorts;
    for (kind in ports) {
      const { openPage } = ports[kind];
      if (openPage) states.set(kind, openPage(before.map(scope => scope.states.get(kind) as never)));
    }
    const scope = new PageScope(this, states, row);
    this.#pages.set(file, scope);
    return scope;
  }

  page(file: string): PageScope | undefined {
    return this.#pages.get(file);
  }

  given(name: string): Entry | undefined {
    return this.#given.get(name);
  }

  resolve(definition: VariableDefinition | undefined, evaluation: EvaluationContext): Entry | undefined {
    if (!definition) return undefined;
    // Variables that refer to each other are looked up once, however often they do.
    const open = this.#resolving;
    const resolved = open?.get(definition);
    if (resolved) return resolved;
    this.#resolving ??= new Map();
    try {
      const entry = definition.computed
        ? this.#compute(definition, evaluation)
        : this.#fill(definition, evaluation);
      this.#resolving.set(definition, entry);
      return entry;
    } finally {
      if (!open) this.#resolving = undefined;
    }
  }

  /** A text that refers to a secret holds it: what is masked in it is the secret alone. */
  #fill(definition: VariableDefinition, evaluation: EvaluationContext): Entry {
    const { name, references } = definition;
    const { value, origin } = definition.resolve(evaluation, this.external);
    const holdsSecret = references.some(each => isMadeOfSecret(evaluation.lookup(each.name)));
    return this.values.make(name, value, { origin, holdsSecret });
  }

  #compute(definition: VariableDefinition, evaluation: EvaluationContext): Entry {
    // A page may override what it refers to.
    const inputs = definition.references.map(({ name }) => evaluation.lookup(name)?.value);
    const known = this.#computed.get(definition) ?? [];
    const same = known.find(each => each.inputs.every((input, at) => isSame(input, inputs[at])));
    if (same) return same.entry;
    const clockAndRandom = this.#chanceFor?.(definition.name) ?? evaluation.clockAndRandom;
    const { value, origin } = definition.resolve(
      withClockAndRandom(evaluation, clockAndRandom),
      this.external,
    );
    const secret = definition.reveals?.some(name => isMadeOfSecret(evaluation.lookup(name)));
    const entry = this.values.make(definition.name, value, { origin, secret });
    this.#computed.set(definition, [...known.slice(-mostKept), { inputs, entry }]);
    return entry;
  }
}

/** Of how many different inputs the results of a variable are remembered. */
const mostKept = 100;

function isSame(a: Value | undefined, b: Value | undefined): boolean {
  if (a === b) return true;
  return a !== undefined && b !== undefined && kindOf(a) === kindOf(b) && equal(a, b) === true;
}

function withClockAndRandom(
  evaluation: EvaluationContext,
  clockAndRandom: ClockAndRandom,
): EvaluationContext {
  const { standIn } = evaluation;
  return {
    response: undefined,
    lookup: name => evaluation.lookup(name),
    ...(standIn && { standIn: reference => standIn.call(evaluation, reference) }),
    clockAndRandom,
    notes: [],
  };
}

/** The values of a page, while it runs and after. */
export class PageScope {
  /** Kept and computed. */
  readonly names = new Map<string, Entry>();
  /** What other pages can take. */
  readonly kept = new Map<string, Entry>();
  /** What the row gives that a case is carried out for. */
  row: RowEntries | undefined;

  constructor(
    readonly iteration: IterationScope,
    /** What operations keep for the page, by their kinds: cookies. */
    readonly states: ReadonlyMap<string, unknown>,
    /** What the row gives that the page is run for. */
    readonly pageRow?: RowEntries,
  ) {}

  lookup(
    name: string,
    { near, outer, takenFrom }: Pick<PlannedCase, 'near' | 'outer' | 'takenFrom'>,
    evaluation: EvaluationContext,
  ): Entry | undefined {
    const { iteration } = this;
    const strong =
      this.names.get(name) ??
      this.row?.get(name) ??
      this.pageRow?.get(name) ??
      iteration.row?.get(name) ??
      iteration.given(name) ??
      iteration.resolve(near.get(name), evaluation);
    if (strong) return strong;
    const source = takenFrom.get(name);
    const taken = source === undefined ? undefined : iteration.page(source)?.kept.get(name);
    return taken ?? iteration.resolve(outer.get(name), evaluation);
  }

  /** What is kept, other pages can take too. */
  make(
    { name, how }: Pick<GivenName, 'name' | 'how'>,
    value: Value,
    { address, secret }: { readonly address: string; readonly secret?: boolean },
  ): void {
    const origin = `${how === 'keep' ? 'kept' : 'computed'} in ${address}`;
    const entry = this.iteration.values.make(name, value, { origin, secret });
    this.names.set(name, entry);
    if (how === 'keep') this.kept.set(name, entry);
  }

  /** A name that a case was to make does not keep the value that an earlier case gave it. */
  forget({ name, how }: Pick<GivenName, 'name' | 'how'>): void {
    this.names.delete(name);
    if (how === 'keep') this.kept.delete(name);
  }
}

/** What the statements of one case see in a run. */
export class CaseEvaluation extends AnsweredEvaluation {
  constructor(
    readonly scope: PageScope,
    readonly planned: Pick<PlannedCase, 'near' | 'outer' | 'takenFrom' | 'namespaces'>,
    clockAndRandom: ClockAndRandom,
  ) {
    super(clockAndRandom);
  }

  get namespaces(): ReadonlyMap<string, string> {
    return this.planned.namespaces;
  }

  schema(name: string, from: string) {
    return this.scope.iteration.plan.schemaOf(name, from);
  }

  file(path: string) {
    return this.scope.iteration.external.bytes(path);
  }

  lookup(name: string): Entry | undefined {
    return this.scope.lookup(name, this.planned, this);
  }
}
