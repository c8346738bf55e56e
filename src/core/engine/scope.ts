import type { World } from '../language/functions.ts';
import type { ResponseView } from '../language/response.ts';
import type { Entry, Note, Scene } from '../language/scene.ts';
import type { Plan, PlannedCase } from '../plan/plan.ts';
import type { OsEnvironment, VariableDefinition } from '../variables/definition.ts';

/** The values of one pass over the selection. */
export class PassScope {
  /** Kept names, for all pages. */
  readonly kept = new Map<string, Entry>();
  /** Kept and computed names of the page that is being run. */
  page = new Map<string, Entry>();
  readonly #given: ReadonlyMap<string, Entry>;
  readonly #secretNames: ReadonlySet<string>;

  constructor({ given, secretNames }: Plan) {
    this.#secretNames = secretNames;
    this.#given = new Map(
      [...given].map(([name, value]) => [
        name,
        { value, origin: 'given by --set', secret: this.isSecret(name) },
      ]),
    );
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
      this.page.get(name) ?? this.#given.get(name) ?? this.#resolve(near.get(name), scene, environment);
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
  notes: Note[] = [];

  constructor(
    readonly scope: PassScope,
    readonly planned: PlannedCase,
    readonly world: World,
    readonly environment: OsEnvironment,
  ) {}

  lookup(name: string): Entry | undefined {
    return this.scope.lookup(name, this.planned, this, this.environment);
  }
}
