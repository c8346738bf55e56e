import type { World } from '../language/functions/signature.ts';
import type { ResponseView } from '../language/response.ts';
import { type Entry, isMadeOfSecret, type Note, type Scene } from '../language/scene.ts';
import type { Plan, PlannedCase, PlannedPage } from '../plan/plan.ts';
import { equal } from '../values/compare.ts';
import { type Found, kindOf, type Value } from '../values/value.ts';
import type { Outside, VariableDefinition } from '../variables/definition.ts';
import { viewOfSent } from './exchange.ts';
import type { CookieJar, Exchange, Ports } from './ports.ts';

/** Names that a row, or an item of a list, gives. */
export type RowEntries = ReadonlyMap<string, Entry>;

/** The values of one pass over the selection. */
export class PassScope {
  /** Every page that has begun, by its file: others take its names and begin with its cookies. */
  readonly #pages = new Map<string, PageScope>();
  readonly #given: RowEntries;
  /** What was computed, and of what: once a pass, as long as what it is made of is the same. */
  /** What was looked up on the way to one variable. */
  #resolving: Map<VariableDefinition, Entry> | undefined;
  readonly #computed = new Map<VariableDefinition, { inputs: (Value | undefined)[]; entry: Entry }[]>();

  constructor(
    readonly plan: Plan,
    readonly outside: Outside,
    /** Learns of secrets that are computed. */
    readonly onSecret: (value: Value) => void = () => undefined,
    /** What the row gives that the pass is for. */
    readonly row?: RowEntries,
    /** The chance of a variable that is computed: the same, whichever page asks for it first. */
    readonly chanceFor?: (name: string) => World,
  ) {
    this.#given = new Map(
      [...plan.given].map(([name, given]) => [name, { ...given, secret: this.isSecret(name) }]),
    );
  }

  /** A page starts with the cookies of the pages that it takes names from, as they stood when those ended. */
  openPage(page: PlannedPage, openJar: Ports['openJar'], row?: RowEntries): PageScope {
    const jar = openJar(page.sources.flatMap(source => this.#pages.get(source)?.jar ?? []));
    const scope = new PageScope(this, jar, row);
    this.#pages.set(page.file, scope);
    return scope;
  }

  page(file: string): PageScope | undefined {
    return this.#pages.get(file);
  }

  isSecret(name: string): boolean {
    return this.plan.secretNames.has(name);
  }

  given(name: string): Entry | undefined {
    return this.#given.get(name);
  }

  resolve(definition: VariableDefinition | undefined, scene: Scene): Entry | undefined {
    if (!definition) return undefined;
    // Variables that refer to each other are looked up once, however often they do.
    const open = this.#resolving;
    const resolved = open?.get(definition);
    if (resolved) return resolved;
    this.#resolving ??= new Map();
    try {
      const entry = definition.computed ? this.#compute(definition, scene) : this.#fill(definition, scene);
      this.#resolving.set(definition, entry);
      return entry;
    } finally {
      if (!open) this.#resolving = undefined;
    }
  }

  /** A text that refers to a secret holds it: what is masked in it is the secret alone. */
  #fill(definition: VariableDefinition, scene: Scene): Entry {
    const { name, references } = definition;
    const entry = { ...definition.resolve(scene, this.outside), secret: this.isSecret(name) };
    const holdsSecret = references.some(each => isMadeOfSecret(scene.lookup(each.name)));
    return holdsSecret ? { ...entry, holdsSecret } : entry;
  }

  #compute(definition: VariableDefinition, scene: Scene): Entry {
    const secret = this.isSecret(definition.name);
    // A page may override what it refers to.
    const inputs = definition.references.map(({ name }) => scene.lookup(name)?.value);
    const known = this.#computed.get(definition) ?? [];
    const same = known.find(each => each.inputs.every((input, at) => isSame(input, inputs[at])));
    if (same) return same.entry;
    const world = this.chanceFor?.(definition.name) ?? scene.world;
    const resolved = definition.resolve(withWorld(scene, world), this.outside);
    const reveals = definition.reveals?.some(name => isMadeOfSecret(scene.lookup(name))) === true;
    const entry = { ...resolved, secret: secret || reveals };
    if (entry.secret) this.onSecret(entry.value);
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

function withWorld(scene: Scene, world: World): Scene {
  const { standIn } = scene;
  return {
    response: undefined,
    lookup: name => scene.lookup(name),
    ...(standIn && { standIn: reference => standIn.call(scene, reference) }),
    world,
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
    readonly pass: PassScope,
    readonly jar: CookieJar | undefined,
    /** What the row gives that the page is run for. */
    readonly pageRow?: RowEntries,
  ) {}

  isSecret(name: string): boolean {
    return this.pass.isSecret(name);
  }

  lookup(name: string, { near, outer, takenFrom }: PlannedCase, scene: Scene): Entry | undefined {
    const { pass } = this;
    const strong =
      this.names.get(name) ??
      this.row?.get(name) ??
      this.pageRow?.get(name) ??
      pass.row?.get(name) ??
      pass.given(name) ??
      pass.resolve(near.get(name), scene);
    if (strong) return strong;
    const source = takenFrom.get(name);
    const taken = source === undefined ? undefined : pass.page(source)?.kept.get(name);
    return taken ?? pass.resolve(outer.get(name), scene);
  }

  /** A name that a case was to make does not keep the value that an earlier case gave it. */
  forget(step: { readonly kind: 'keep' | 'let'; readonly name: string }): void {
    this.names.delete(step.name);
    if (step.kind === 'keep') this.kept.delete(step.name);
  }
}

/** What the statements of one case see; the response changes with every request. */
export class CaseScene implements Scene {
  response: ResponseView | undefined;
  #exchanges: readonly Exchange[] = [];
  #sent: ResponseView | undefined;
  notes: Note[] = [];
  drawn: Map<object, Found> | undefined;

  constructor(
    readonly scope: PageScope,
    readonly planned: PlannedCase,
    readonly world: World,
  ) {}

  /** What the last request of the case took. */
  set exchanges(exchanges: readonly Exchange[]) {
    this.#exchanges = exchanges;
    this.#sent = undefined;
  }

  get sent(): ResponseView | undefined {
    if (this.#exchanges.length > 0) this.#sent ??= viewOfSent(this.#exchanges);
    return this.#sent;
  }

  get fault(): string | undefined {
    const last = this.#exchanges.at(-1);
    return (last?.firstFault ?? last?.fault)?.kind;
  }

  get namespaces(): ReadonlyMap<string, string> {
    return this.planned.namespaces;
  }

  schema(name: string, from: string) {
    return this.scope.pass.plan.schemaOf(name, from);
  }

  lookup(name: string): Entry | undefined {
    return this.scope.lookup(name, this.planned, this);
  }
}
