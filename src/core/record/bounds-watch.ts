import { type Bound, isWithin, type Measure, parseBound } from '../language/bounds.ts';
import type { EventOf, RunEvent } from '../model/events.ts';
import { SourceError } from '../model/finding.ts';
import { durationText } from '../values/text.ts';
import { apdexText, percentText, rateText } from './number-texts.ts';
import { RequestOutcomes, RequestStatistics } from './request-statistics.ts';

/** What became of a bound. It is unknown where nothing of what it looks at took place. */
export type BoundResult = NonNullable<EventOf<'end'>['bounds']>[number];

interface Scope {
  readonly of?: string;
  readonly figures: RequestStatistics;
  cases: number;
  bad: number;
}

/** Watches the events of a run for its bounds; what it holds does not grow with the run. */
export class BoundsWatch {
  readonly #bounds: readonly {
    readonly told: Pick<BoundResult, 'text' | 'place'>;
    /** Nothing where a record has a line that is none: one that was changed by hand, or that a secret stood in. */
    readonly known: { readonly bound: Bound; readonly scope: Scope } | undefined;
  }[];
  readonly #scopes: Scope[] = [];
  readonly #outcomes = new RequestOutcomes((event, held) => {
    for (const { of, figures } of this.#scopes)
      if (of === undefined || isWithin(event.case, of)) figures.add(event, held);
  });

  constructor(
    bounds: NonNullable<EventOf<'run'>['bounds']>,
    readonly threshold: number,
  ) {
    this.#bounds = bounds.map(told => ({ told, known: this.#read(told.text) }));
  }

  #read(text: string): { bound: Bound; scope: Scope } | undefined {
    try {
      const bound = parseBound(text);
      return { bound, scope: this.#scopeOf(bound) };
    } catch (error) {
      if (error instanceof SourceError) return undefined;
      throw error;
    }
  }

  #scopeOf({ of }: Bound): Scope {
    const known = this.#scopes.find(each => each.of === of);
    if (known) return known;
    const scope = {
      ...(of !== undefined && { of }),
      figures: new RequestStatistics(this.threshold),
      cases: 0,
      bad: 0,
    };
    this.#scopes.push(scope);
    return scope;
  }

  add(event: RunEvent): void {
    this.#outcomes.add(event);
    if (event.type !== 'case' || event.outcome === 'skipped') return;
    for (const scope of this.#scopes) {
      if (scope.of !== undefined && !isWithin(event.case, scope.of)) continue;
      scope.cases++;
      if (event.outcome !== 'passed') scope.bad++;
    }
  }

  /** What has become of them. One that is for what was not selected at all does not apply. */
  results(duration: number): BoundResult[] {
    return this.#bounds.flatMap(({ told, known }): BoundResult[] => {
      if (!known) return [{ ...told, holds: 'unknown', found: 'it cannot be read' }];
      const { bound, scope } = known;
      if (scope.of !== undefined && scope.cases === 0) return [];
      const found = measured(bound.measure, scope, duration);
      if (!found) return [{ ...told, holds: 'unknown', found: 'nothing was measured' }];
      const holds = compare(found.value, bound.operator, bound.limit) ? 'yes' : 'no';
      return [{ ...told, holds, found: found.text }];
    });
  }
}

function measured(
  measure: Measure,
  { figures, cases, bad }: Scope,
  duration: number,
): { value: number; text: string } | undefined {
  const { times } = figures;
  const asTime = (value: number | undefined) =>
    value === undefined ? undefined : { value, text: durationText(value) };
  switch (measure.kind) {
    case 'percentile':
      return asTime(times.percentile(measure.percent));
    case 'min':
    case 'mean':
    case 'max':
      return asTime(times[measure.kind]);
    case 'failed': {
      if (cases === 0) return undefined;
      const text = `${bad} of ${cases}`;
      if (measure.as === 'number') return { value: bad, text };
      return { value: bad / cases, text: `${percentText(bad / cases)}, ${text}` };
    }
    case 'throughput': {
      if (figures.requests === 0 || duration <= 0) return undefined;
      const value = figures.requests / (duration / 1000);
      return { value, text: `${rateText(value)} a second` };
    }
    case 'apdex': {
      const value = figures.apdex;
      return value === undefined ? undefined : { value, text: apdexText(value) };
    }
    default:
      return measure satisfies never;
  }
}

function compare(value: number, operator: Bound['operator'], limit: number): boolean {
  switch (operator) {
    case '<':
      return value < limit;
    case '<=':
      return value <= limit;
    case '>':
      return value > limit;
    case '>=':
      return value >= limit;
    default:
      return operator satisfies never;
  }
}
