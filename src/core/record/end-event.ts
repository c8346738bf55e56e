import type { EventOf } from '../model/events.ts';
import type { Stop } from '../model/outcomes.ts';
import type { RunTotals } from './totals.ts';

/** The end of a record that has none of its own, or of several that are told as one; times in milliseconds since 1970. */
export function endOf(
  totals: RunTotals,
  start: number,
  last: number,
  stopped: Stop | undefined,
): EventOf<'end'> {
  const time = last - start;
  const bounds = totals.boundsAfter(time);
  return {
    type: 'end',
    at: new Date(last).toISOString(),
    time,
    ...(stopped !== undefined && { stopped }),
    totals: totals.recorded,
    ...(bounds.length > 0 && { bounds: [...bounds] }),
  };
}
