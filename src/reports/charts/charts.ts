import type { RunStatistics } from '../../core/record/run-statistics.ts';
import { hasPercentile } from '../percentiles.ts';
import { answersOverTime } from './answers.ts';
import type { Drawing } from './drawing.ts';
import { askedAndDone, phasesBeside } from './load.ts';
import { load, outcomesOverTime } from './rates.ts';
import { bandOverTime, cumulative } from './times.ts';

/** The charts of a run, each for one question. Of a handful of answers there is nothing to draw. */
export function chartsOf(statistics: RunStatistics): Drawing[] {
  if (!hasPercentile(statistics.total.times.count, 95)) return [];
  const ofAll = [bandOverTime, cumulative, outcomesOverTime, answersOverTime].map(draw => draw(statistics));
  if (!statistics.load) return [...ofAll, load(statistics)];
  const [band, ...others] = ofAll;
  return [...askedAndDone(statistics), band!, ...phasesBeside(statistics), ...others];
}
