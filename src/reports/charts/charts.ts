import type { RunStatistics } from '../../core/record/run-statistics.ts';
import { hasPercentile } from '../percentiles.ts';
import { answersOverTime } from './answers.ts';
import type { Drawing } from './drawing.ts';
import { load, outcomesOverTime } from './rates.ts';
import { bandOverTime, cumulative } from './times.ts';

/** The charts of a run, each for one question. Of a handful of answers there is nothing to draw. */
export function chartsOf(statistics: RunStatistics): Drawing[] {
  if (!hasPercentile(statistics.total.times.count, 95)) return [];
  return [bandOverTime, cumulative, outcomesOverTime, answersOverTime, load].map(draw => draw(statistics));
}
