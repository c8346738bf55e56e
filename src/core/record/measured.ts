import type { Bound, Measure } from '../language/bounds.ts';
import { durationText } from '../values/text.ts';
import { apdexText, percentText, rateText } from './number-texts.ts';
import type { RequestStatistics } from './request-statistics.ts';

/** What bounds look at. */
export interface Measured {
  readonly figures: RequestStatistics;
  /** Those that were not skipped, and of them those that did not pass. */
  readonly cases: number;
  readonly bad: number;
  /** In milliseconds. */
  readonly duration: number;
}

/** What a measure comes to, as a number (times in milliseconds, shares from 0 to 1) and in words; nothing where there is none. */
export function measured(
  measure: Measure,
  { figures, cases, bad, duration }: Measured,
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

/** Whether a value is on the right side of a limit. */
export function keeps(value: number, operator: Bound['operator'], limit: number): boolean {
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
