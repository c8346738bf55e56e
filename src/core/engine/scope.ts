import type { World } from '../language/functions/signature.ts';
import type { ResponseView } from '../language/response.ts';
import type { Entry, Note, Scene } from '../language/scene.ts';
import type { Plan, PlannedCase, PlannedPage } from '../plan/plan.ts';
import type { OsEnvironment, VariableDefinition } from '../variables/definition.ts';
import { viewOfSent } from './exchange.ts';
import type { CookieJar, Exchange, Ports } from './ports.ts';

/** The values of one pass over the selection. */
export class PassScope {
  /** Kept names, for all pages. */
  readonly kept = new Map<string, Entry>();
  /** Kept and computed names of the page that is being run. */
  page = new Map<string, Entry>();
  /** What the row gives that a case is carried out for. */
  row: ReadonlyMap<string, Entry> | undefined;
  /** The cookies of the page that is being run. */
  jar: CookieJar | undefined;
  /** Those of every page that has been, by its file: others may begin with them. */
  readonly #jars = new Map<string, CookieJar>();
  readonly #given: ReadonlyMap<string, Entry>;
  readonly #secretNames: ReadonlySet<string>;

  readonly schemaOf: Plan['schemaOf'];

  constructor({ given, secretNames, schemaOf }: Plan) {
    this.schemaOf = schemaOf;
    this.#secretNames = secretNames;
    this.#given = new Map(
      [...given].map(([name, value]) => [
        name,
        { value, origin: 'given by --set', secret: this.isSecret(name) },
      ]),
    );
  }

  /** Names and cookies of a page, for what is left to be done of it at the end of the pass. */
  readonly #pages = new Map<string, Map<string, Entry>>();

  /** A page starts with the cookies of the pages that it takes names from, as they stood when those ended. */
  beginPage({ file, sources }: PlannedPage, openJar: Ports['openJar']): void {
    this.page = new Map();
    this.#pages.set(file, this.page);
    this.jar = openJar(sources.flatMap(source => this.#jars.get(source) ?? []));
    this.#jars.set(file, this.jar);
  }

  /** Goes back to a page that has been; false where it has not. */
  resumePage({ file }: PlannedPage): boolean {
    const page = this.#pages.get(file);
    if (page) this.page = page;
    this.jar = this.#jars.get(file);
    return page !== undefined;
  }

  isSecret(name: string): boolean {
    return this.#secretNames.has(name);
  }

  lookup(
    name: string,
    { near, outer }: PlannedCase,
    scene: Scene,
    environment: OsEnvironment,
  ): Entry | undefined {
    const strong =
      this.page.get(name) ??
      this.row?.get(name) ??
      this.#given.get(name) ??
      this.#resolve(near.get(name), scene, environment);
    return strong ?? this.kept.get(name) ?? this.#resolve(outer.get(name), scene, environment);
  }

  #resolve(
    definition: VariableDefinition | undefined,
    scene: Scene,
    environment: OsEnvironment,
  ): Entry | undefined {
    return (
      definition && { ...definition.resolve(scene, environment), secret: this.isSecret(definition.name) }
    );
  }
}

/** What the statements of one case see; the response changes with every request. */
export class CaseScene implements Scene {
  response: ResponseView | undefined;
  #exchanges: readonly Exchange[] = [];
  #sent: ResponseView | undefined;
  notes: Note[] = [];

  constructor(
    readonly scope: PassScope,
    readonly planned: PlannedCase,
    readonly world: World,
    readonly environment: OsEnvironment,
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
    return this.#exchanges.at(-1)?.fault?.kind;
  }

  get namespaces(): ReadonlyMap<string, string> {
    return this.planned.namespaces;
  }

  schema(name: string, from: string) {
    return this.scope.schemaOf(name, from);
  }

  lookup(name: string): Entry | undefined {
    return this.scope.lookup(name, this.planned, this, this.environment);
  }
}
