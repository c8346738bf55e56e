import type { EventOf } from '../model/events.ts';
import type { RunTotals } from './totals.ts';

/** How a run ended that did not go as it should. */
export type HowItEnded = Pick<EventOf<'end'>, 'stopped' | 'because' | 'missing' | 'leftBehind'>;

/** The end of a record that has none of its own, or of several that are told as one; times in milliseconds since 1970. */
export function endOf(totals: RunTotals, start: number, last: number, how: HowItEnded): EventOf<'end'> {
  const time = last - start;
  const bounds = totals.boundsAfter(time);
  return {
    type: 'end',
    at: new Date(last).toISOString(),
    time,
    ...how,
    totals: totals.recorded,
    ...(bounds.length > 0 && { bounds: [...bounds] }),
  };
}
