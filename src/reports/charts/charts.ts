import type { RunStatistics } from '../../core/record/run-statistics.ts';
import type { Drawing } from './drawing.ts';
import { answersOverTime, load, outcomesOverTime } from './rates.ts';
import { bandOverTime, cumulative } from './times.ts';

/** The charts of a run, each for one question. Where nothing was answered there is nothing to draw. */
export function chartsOf(statistics: RunStatistics): Drawing[] {
  if (statistics.total.times.count === 0) return [];
  return [bandOverTime, cumulative, outcomesOverTime, answersOverTime, load].map(draw => draw(statistics));
}
