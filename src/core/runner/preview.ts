import type { Plan, PlannedCase } from '../analysis/plan.ts';
import type { Entry } from '../language/evaluation-context.ts';
import { referenceText } from '../language/reference.ts';
import { TemplateError } from '../language/templates/render.ts';
import type { ClockAndRandom } from '../model/clock-and-random.ts';
import type { ExternalSources } from '../model/external-sources.ts';
import type { Place } from '../model/place.ts';
import { Missing, Plain } from '../model/value.ts';
import { fillRequest } from '../steps/http/fill-request.ts';
import type { OutgoingRequest } from '../steps/http/http-port.ts';
import { CaseEvaluation, IterationScope, PageScope, type RowEntries } from './scope.ts';

/** A request as it would go out. */
export interface PreviewedRequest {
  readonly place: Place;
  readonly request?: OutgoingRequest;
  /** Why it cannot be filled. */
  readonly problem?: string;
  /** Names that went into it, in the order in which they were asked for. */
  readonly names: readonly string[];
  readonly secrets: readonly string[];
}

/**
 * The requests of a case as they would go out. Values that only a run can tell stand in them as their references; what
 * is computed is computed now. Nothing is sent.
 */
export function previewCase(
  plan: Plan,
  planned: PlannedCase,
  clockAndRandom: ClockAndRandom,
  external: ExternalSources,
  /** The first row of the table that the case, or its page, runs for each row of. */
  row?: RowEntries,
): { requests: PreviewedRequest[]; lookup: (name: string) => Entry | undefined } {
  const iteration = new IterationScope(plan, external);
  const evaluation = new PreviewEvaluation(new PageScope(iteration, undefined), planned, clockAndRandom);
  evaluation.scope.row = row;
  const requests: PreviewedRequest[] = [];
  for (const step of planned.steps) {
    if (step.kind === 'let') {
      const value = attempt(() => step.evaluate(evaluation));
      if (value === undefined || value instanceof Missing) evaluation.scope.names.delete(step.name);
      else
        evaluation.scope.names.set(step.name, {
          value,
          origin: `computed in ${planned.address}`,
          secret: evaluation.scope.isSecret(step.name),
        });
    } else if (step.kind === 'keep') evaluation.scope.names.delete(step.name);
    else if (step.kind === 'http') {
      evaluation.asked.clear();
      const { place } = step;
      try {
        const { request, secrets } = fillRequest(step, evaluation);
        requests.push({
          place,
          request: evaluation.withReferences(request),
          names: [...evaluation.asked],
          secrets,
        });
      } catch (error) {
        if (!(error instanceof TemplateError)) throw error;
        requests.push({ place, problem: error.message, names: [...evaluation.asked], secrets: [] });
      }
    }
  }
  return { requests, lookup: name => attempt(() => evaluation.scope.lookup(name, planned, evaluation)) };
}

function attempt<Result>(compute: () => Result): Result | undefined {
  try {
    return compute();
  } catch (error) {
    if (error instanceof TemplateError) return undefined;
    throw error;
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
