import { scaleLinear, scaleLog } from 'd3-scale';
import { line } from 'd3-shape';
import type { RunStatistics } from '../../core/record/run-statistics.ts';
import type { Stretch } from '../../core/record/timeline.ts';
import { durationText } from '../../core/values/text.ts';
import { hasPercentile, toldPercents } from '../percentiles.ts';
import { timeText } from '../time-text.ts';
import type { Drawing } from './drawing.ts';
import {
  endLabels,
  label,
  left,
  right,
  rule,
  size,
  timeAxis,
  timeScale,
  valueAxis,
  valueScale,
  wholePanel,
} from './frame.ts';
import { areaOf, lineOf, stepsOf } from './steps.ts';

/** How long did answers take, and did that change? */
export function bandOverTime({ total: { times }, timeline }: RunStatistics): Drawing {
  const { stretches, step } = timeline;
  const upper = (stretch: Stretch) => stretch.times.percentile(95);
  const x = timeScale(timeline);
  const y = valueScale(Math.max(...stretches.map(each => upper(each) ?? 0)), wholePanel);
  const band = stepsOf(timeline, each => ({ low: each.times.percentile(50) ?? 0, high: upper(each) }));
  const medians = stepsOf(timeline, each => ({ low: 0, high: each.times.percentile(50) }));
  const last = stretches.findLast(each => each.times.count > 0)!;
  const slowest = stretches.reduce(
    (worst, each, index) => ((upper(each) ?? 0) > (upper(stretches[worst]!) ?? 0) ? index : worst),
    0,
  );
  return {
    title: 'How long did answers take over time?',
    says: `Over the whole run half of the answers came within ${timeText(times.percentile(50)!)}, 95 of 100 within ${timeText(times.percentile(95)!)}. They were slowest at ${durationText(slowest * step)}: there 95 of 100 came within ${timeText(upper(stretches[slowest]!)!)}.`,
    ...size,
    marks: [
      ...valueAxis(y, timeText),
      { kind: 'area', ink: 'band', d: areaOf(band, x, y) },
      { kind: 'line', ink: 'upper', d: lineOf(band, x, y) },
      { kind: 'line', ink: 'median', d: lineOf(medians, x, y) },
      ...timeAxis(x, wholePanel, timeline),
      ...endLabels([
        { text: '95 of 100 within', y: y(upper(last)!), ink: 'upper' },
        { text: 'half within', y: y(last.times.percentile(50)!), ink: 'median' },
      ]),
    ],
  };
}

/** Of all answers, how many came within a given time? */
export function cumulative({ total: { times } }: RunStatistics): Drawing {
  const [shortest, longest] = [Math.max(times.min!, 0.01), Math.max(times.max!, 0.02)];
  const x =
    longest / shortest > 20
      ? scaleLog([shortest, longest], [left, right]).nice()
      : scaleLinear([0, longest], [left, right]).nice();
  const y = scaleLinear([0, 100], [wholePanel.bottom, wholePanel.top]);
  const timeWithin = (percent: number) => (percent === 0 ? times.min! : times.percentile(percent)!);
  const percents = [...Array.from({ length: 100 }, (_, index) => index), 99.5, 99.9, 100];
  const draw = line<number>(
    percent => x(Math.max(timeWithin(percent), shortest)),
    percent => y(percent),
  ).digits(1);
  const told = toldPercents
    .filter(percent => hasPercentile(times.count, percent))
    .map(percent => ({ percent, time: timeWithin(percent) }));
  const inWords = told.map(
    ({ percent, time }) => `${percent === 50 ? 'Half' : `${percent} of 100`} within ${timeText(time)}`,
  );
  return {
    title: 'How many answers came within a time?',
    says: `${inWords.join(', ')}; the slowest took ${timeText(times.max!)}.`,
    ...size,
    marks: [
      ...valueAxis(y, percent => `${percent} %`),
      rule('axis', [left, wholePanel.bottom], [right, wholePanel.bottom]),
      ...logTicks(x).flatMap(tick => [
        rule('axis', [x(tick), wholePanel.bottom], [x(tick), wholePanel.bottom + 4]),
        label([x(tick), wholePanel.bottom + 18], timeText(tick), 'middle'),
      ]),
      { kind: 'line', ink: 'curve', d: draw(percents) ?? '' },
      ...endLabels(
        told.map(({ percent, time }) => ({
          text: `${percent} %: ${timeText(time)}`,
          y: y(percent),
          ink: 'curve' as const,
        })),
      ),
    ],
  };
}

/** On a scale of powers 1, 2 and 5 of each, or fewer where they would stand too close. */
export function logTicks(scale: {
  domain(): number[];
  ticks(count: number): number[];
  base?: () => number;
}): number[] {
  if (!scale.base) return scale.ticks(8);
  const [from = 1, to = 1] = scale.domain();
  const [first, last] = [Math.floor(Math.log10(from)), Math.ceil(Math.log10(to))];
  const powers = Array.from({ length: last - first + 1 }, (_, index) => 10 ** (first + index));
  const factors = powers.length <= 4 ? [1, 2, 5] : [1];
  return powers
    .flatMap(power => factors.map(factor => power * factor))
    .filter(tick => tick >= from * 0.999 && tick <= to * 1.001);
}
