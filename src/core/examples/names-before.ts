import type { PlannedCase } from '../analysis/plan.ts';
import type { Entry, EvaluationContext } from '../language/evaluation-context.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import { type OfflineNames, openEntry } from '../replay/offline-case-run.ts';
import type { PageScope } from '../runner/scope.ts';
import type { VariableDefinition } from '../settings/variable-definition.ts';
import { meetOpen, unlessOpen } from '../values/open-value.ts';

/** Whoever asks for what lies outside of the pages meets what nobody knows. */
export const nothingOutside: ExternalSources = {
  variable: meetOpen,
  file: meetOpen,
  bytes: meetOpen,
};

/** Names have a value where it is known without sending, or where an example above shows it; all others are open. */
export class NamesBefore implements OfflineNames {
  constructor(
    readonly scope: PageScope,
    readonly planned: PlannedCase,
    readonly known: {
      readonly rows: ReadonlySet<string>;
      readonly isFixed: (definition: VariableDefinition) => boolean;
      /** Whether values of the command line count, which are of the moment. */
      readonly takesGiven?: boolean;
    },
  ) {}

  give({ name, how }: Parameters<OfflineNames['give']>[0], entry: Entry): void {
    this.scope.names.set(name, entry);
    if (how === 'keep') this.scope.kept.set(name, entry);
  }

  lookup(name: string, evaluation: EvaluationContext): Entry {
    const { scope, planned, known } = this;
    const made = scope.names.get(name);
    if (made) return made;
    if (known.rows.has(name)) return openEntry;
    const given = known.takesGiven ? scope.iteration.given(name) : undefined;
    if (given) return given;
    const near = planned.near.get(name);
    if (near) return this.#valueOf(near, evaluation);
    const source = planned.takenFrom.get(name);
    if (source !== undefined) return scope.iteration.page(source)?.kept.get(name) ?? openEntry;
    return this.#valueOf(planned.outer.get(name), evaluation);
  }

  #valueOf(definition: VariableDefinition | undefined, evaluation: EvaluationContext): Entry {
    if (!definition || !this.known.isFixed(definition)) return openEntry;
    try {
      return unlessOpen(() => this.scope.iteration.resolve(definition, evaluation)) ?? openEntry;
    } catch (error) {
      if (error instanceof TemplateError) return openEntry;
      throw error;
    }
  }
}
