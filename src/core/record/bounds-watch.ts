import { type Bound, isWithin, parseBound } from '../language/bounds.ts';
import { isPhase } from '../language/load/load.ts';
import type { EventOf, RunEvent } from '../model/events.ts';
import { SourceError } from '../model/finding.ts';
import type { FiguresEvent, RecordedLoad } from '../model/load-events.ts';
import { keeps, measured } from './measured.ts';
import { RequestOutcomes, RequestStatistics } from './request-statistics.ts';

/** What became of a bound. It is unknown where nothing of what it looks at took place. */
export type BoundResult = NonNullable<EventOf<'end'>['bounds']>[number];

interface Scope {
  readonly of?: string;
  /** Of a load. */
  readonly phase?: string;
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
    for (const { of, phase, figures } of this.#scopes)
      if (phase === undefined && (of === undefined || isWithin(event.case, of))) figures.add(event, held);
  });

  constructor(
    bounds: NonNullable<EventOf<'run'>['bounds']>,
    readonly threshold: number,
    /** Where it is a run with load. */
    readonly load?: RecordedLoad | undefined,
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

  #scopeOf({ of, phase }: Bound): Scope {
    const known = this.#scopes.find(each => each.of === of && each.phase === phase);
    if (known) return known;
    const scope = {
      ...(of !== undefined && { of }),
      ...(phase !== undefined && { phase }),
      figures: new RequestStatistics(this.threshold),
      cases: 0,
      bad: 0,
    };
    this.#scopes.push(scope);
    return scope;
  }

  add(event: RunEvent): void {
    if (this.load) {
      if (event.type === 'figures' && event.phase > 0) this.#addFigures(event, this.load);
      return;
    }
    this.#outcomes.add(event);
    if (event.type !== 'case' || event.outcome === 'skipped') return;
    for (const scope of this.#scopes) {
      if (scope.phase !== undefined) continue;
      if (scope.of !== undefined && !isWithin(event.case, scope.of)) continue;
      scope.cases++;
      if (event.outcome !== 'passed') scope.bad++;
    }
  }

  #addFigures({ phase: number, requests, cases }: FiguresEvent, load: RecordedLoad): void {
    const phase = load.phases.find(each => each.number === number);
    for (const scope of this.#scopes) {
      const { of, phase: name } = scope;
      if (name !== undefined && !(phase && isPhase(phase, name))) continue;
      const isOf = (each: { readonly case: string } | undefined) =>
        of === undefined || (each !== undefined && isWithin(each.case, of));
      for (const each of requests) if (isOf(load.requests[each.request])) scope.figures.addFigured(each);
      for (const { case: at, passed = 0, failed = 0, error = 0, blocked = 0 } of cases) {
        if (!isOf(load.cases[at])) continue;
        scope.cases += passed + failed + error + blocked;
        scope.bad += failed + error + blocked;
      }
    }
  }

  /**
   * What has become of them. One that is for what was not selected at all does not apply.
   * @param duration of the run so far, in milliseconds
   */
  results(duration: number): BoundResult[] {
    return this.#bounds.flatMap(({ told, known }): BoundResult[] => {
      if (!known) return [{ ...told, holds: 'unknown', found: 'it cannot be read' }];
      const { bound, scope } = known;
      const stretch = this.#stretchOf(scope, duration);
      if (stretch === undefined || (scope.of !== undefined && scope.cases === 0)) return [];
      const { figures, cases, bad } = scope;
      const found = measured(bound.measure, { figures, cases, bad, duration: stretch });
      if (!found) return [{ ...told, holds: 'unknown', found: 'nothing was measured' }];
      const holds = keeps(found.value, bound.operator, bound.limit) ? 'yes' : 'no';
      return [{ ...told, holds, found: found.text }];
    });
  }

  /** In milliseconds: how long what a bound is for has lasted; nothing for a phase that this run does not have. */
  #stretchOf({ phase: name }: Scope, duration: number): number | undefined {
    if (!this.load) return name === undefined ? duration : undefined;
    let begin = 0;
    let warmUp = 0;
    for (const phase of this.load.phases) {
      if (name !== undefined && isPhase(phase, name))
        return Math.max(0, Math.min(phase.lasting, duration - begin));
      if (phase.number === 0) warmUp = phase.lasting;
      begin += phase.lasting;
    }
    return name === undefined ? Math.max(0, duration - warmUp) : undefined;
  }
}
