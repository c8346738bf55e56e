import type { StopCondition } from '../../language/load/load.ts';
import type { FiguresEvent } from '../../model/load-events.ts';
import { keeps, measured } from '../measured.ts';
import { RequestStatistics } from '../request-statistics.ts';

/** Watches the figures of a load for what is to end it, each over the stretch of time that its condition names. */
export class StopWatch {
  readonly #figures: FiguresEvent[] = [];
  readonly #longest: number;

  /** @param begin when figures begin to count, in milliseconds since the run began: behind the warm-up */
  constructor(
    readonly stops: readonly Pick<StopCondition, 'text' | 'bound' | 'over'>[],
    readonly threshold: number,
    readonly begin: number,
  ) {
    this.#longest = Math.max(0, ...stops.map(({ over }) => over));
  }

  add(figures: FiguresEvent): void {
    if (this.stops.length > 0 && figures.phase > 0) this.#figures.push(figures);
  }

  /** The first condition that is met now, and what was found. @param now in milliseconds since the run began */
  met(now: number): { readonly text: string; readonly found: string } | undefined {
    while (this.#figures.length > 0 && endOf(this.#figures[0]!) <= now - this.#longest) this.#figures.shift();
    for (const { text, bound, over } of this.stops) {
      if (now - this.begin < over) continue;
      const found = measured(bound.measure, this.#within(now - over, over));
      if (found && keeps(found.value, bound.operator, bound.limit)) return { text, found: found.text };
    }
    return undefined;
  }

  #within(from: number, duration: number): Parameters<typeof measured>[1] {
    const figures = new RequestStatistics(this.threshold);
    let [all, bad] = [0, 0];
    for (const each of this.#figures) {
      if (endOf(each) <= from) continue;
      for (const request of each.requests) figures.addFigured(request);
      for (const { passed = 0, failed = 0, error = 0, blocked = 0 } of each.cases) {
        all += passed + failed + error + blocked;
        bad += failed + error + blocked;
      }
    }
    return { figures, cases: all, bad, duration };
  }
}

function endOf({ from, lasting }: FiguresEvent): number {
  return from + lasting;
}
