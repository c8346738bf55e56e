import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import { referenceText } from '../language/reference.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Place } from '../model/place.ts';
import { Plain } from '../model/value.ts';
import type { NamedValues } from '../secrecy/named-values.ts';
import type { OperationLines, Redacted, StepPreview } from '../steps/step.ts';
import { CaseEvaluation, IterationScope, PageScope, type RowEntries } from './scope.ts';

/** An operation of a case as it would go out. */
export interface ShownOperation {
  readonly place: Place;
  readonly lines?: OperationLines;
  /** Why it cannot be filled. */
  readonly problem?: string;
  /** Names that went into it, in the order in which they were asked for. */
  readonly names: readonly string[];
}

export interface CasePreviewOptions {
  readonly clockAndRandom: ClockAndRandom;
  readonly external: ExternalSources;
  /** The first row of the table that the case, or its page, runs for each row of. */
  readonly row?: RowEntries | undefined;
  /** Gives names, and masks what is not to be shown. */
  readonly values: NamedValues;
}

/**
 * The operations of a case as they would go out. Values that only a run can tell stand in them as their references; what
 * is computed is computed now. Nothing is sent.
 */
export function previewCase(
  plan: Plan,
  planned: PlannedCase,
  { clockAndRandom, external, row, values }: CasePreviewOptions,
): { operations: readonly ShownOperation[]; lookup: (name: string) => Entry | undefined } {
  const scope = new PageScope(new IterationScope(plan, external, { values }), new Map());
  scope.row = row;
  const evaluation = new PreviewEvaluation(scope, planned, clockAndRandom);
  const preview = new CasePreview(plan, planned, evaluation);
  for (const step of planned.steps) step.preview?.(preview);
  const lookup = (name: string) => {
    try {
      return scope.lookup(name, planned, evaluation);
    } catch (error) {
      if (error instanceof TemplateError) return undefined;
      throw error;
    }
  };
  return { operations: preview.operations, lookup };
}

class CasePreview implements StepPreview {
  readonly operations: ShownOperation[] = [];
  readonly redacted: Redacted;
  readonly names: StepPreview['names'];

  constructor(
    plan: Plan,
    readonly planned: PlannedCase,
    readonly evaluation: PreviewEvaluation,
  ) {
    this.redacted = plan.redacted;
    const { scope } = evaluation;
    this.names = {
      forget: given => scope.forget(given),
      set: (given, value, more) => scope.make(given, value, { ...more, address: planned.address }),
    };
  }

  show(place: Place, fill: Parameters<StepPreview['show']>[1]): void {
    const { asked } = this.evaluation;
    asked.clear();
    try {
      const { lines, secrets } = fill(part => this.evaluation.withReferences(part));
      for (const secret of secrets) this.evaluation.scope.iteration.values.conceal(secret);
      this.operations.push({ place, lines, names: [...asked] });
    } catch (error) {
      if (!(error instanceof TemplateError)) throw error;
      this.operations.push({ place, problem: error.message, names: [...asked] });
    }
  }
}

/** Digits are the same in every place of a message, whatever it takes to escape a value for it. */
const standInDigits = '73009416820057';

class PreviewEvaluation extends CaseEvaluation {
  /** Every name that was looked up. */
  readonly asked = new Set<string>();
  readonly #references: string[] = [];

  override lookup(name: string): Entry | undefined {
    this.asked.add(name);
    return super.lookup(name);
  }

  standIn(reference: Parameters<typeof referenceText>[0]): Plain {
    this.#references.push(`{${referenceText(reference)}}`);
    return new Plain(`${standInDigits}${String(this.#references.length).padStart(4, '0')}`);
  }

  /** Puts references back into the places of their stand-ins. */
  withReferences<Part>(part: Part): Part {
    if (typeof part === 'string')
      return part.replace(
        new RegExp(`${standInDigits}(\\d{4})`, 'g'),
        (_, index) => this.#references[Number(index) - 1]!,
      ) as Part;
    if (Array.isArray(part)) return part.map(each => this.withReferences(each)) as Part;
    if (part instanceof Map) return new Map(this.withReferences([...part])) as Part;
    if (typeof part !== 'object' || part === null || Object.getPrototypeOf(part) !== Object.prototype)
      return part;
    return Object.fromEntries(
      Object.entries(part).map(([key, each]) => [key, this.withReferences(each)]),
    ) as Part;
  }
}
