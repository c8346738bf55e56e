import type { RunEvent } from '../core/model/events.ts';

/** The record itself: one event a line. */
export async function* ndjsonReport(events: AsyncIterable<RunEvent>): AsyncGenerator<string> {
  for await (const event of events) yield `${JSON.stringify(event)}\n`;
}
