import type { DurationHistogram } from '../core/record/duration-histogram.ts';
import { timeText } from './time-text.ts';

/** Whether so many values have a percentile: one of them lies beyond it. Of a handful, 95 of 100 is only the slowest. */
export function hasPercentile(count: number, percent: number): boolean {
  return count * (100 - percent) >= 100;
}

/** In milliseconds; nothing where there are too few. */
export function percentileOf(times: DurationHistogram, percent: number): number | undefined {
  return hasPercentile(times.count, percent) ? times.percentile(percent) : undefined;
}

/** As a table has them. */
export const toldPercents = [50, 90, 95, 99] as const;

/** `50 %`, `90 %` and so on as texts; empty where there are too few values. */
export function percentileTexts(times: DurationHistogram): string[] {
  return toldPercents.map(percent => percentileText(times, percent));
}

export function percentileText(times: DurationHistogram, percent: number): string {
  const time = percentileOf(times, percent);
  return time === undefined ? '' : timeText(time);
}

/** How long answers took, in a sentence: percentiles where there are enough of them; nothing where there are none. */
export function timesInWords(times: DurationHistogram): string | undefined {
  const { count } = times;
  if (count === 0) return undefined;
  const mean = timeText(times.mean!);
  if (count === 1) return `The answer took ${mean}.`;
  if (!hasPercentile(count, 95))
    return `An answer took ${mean} on average, ${timeText(times.min!)} to ${timeText(times.max!)}.`;
  const last = hasPercentile(count, 99) ? `, 99 within ${timeText(times.percentile(99)!)}` : '';
  return `An answer took ${mean} on average; half came within ${timeText(times.percentile(50)!)}, 95 of 100 within ${timeText(times.percentile(95)!)}${last}.`;
}
