import type { RunEvent } from '../../src/core/model/events.ts';
import { RunTotals } from '../../src/core/record/totals.ts';
import type { Ending } from '../../src/reports/endings.ts';
import { loadFormat } from '../../src/reports/formats.ts';

async function* replay(events: readonly RunEvent[]): AsyncGenerator<RunEvent> {
  yield* events;
}

/** A report of a run, as the bytes of its file. */
export async function bytesOf(ending: Ending, events: readonly RunEvent[]): Promise<Buffer> {
  const totals = new RunTotals();
  for (const event of events) totals.add(event);
  const parts: Buffer[] = [];
  for await (const part of (await loadFormat(ending))(replay(events), totals)) parts.push(Buffer.from(part));
  return Buffer.concat(parts);
}

export async function textOf(ending: Ending, events: readonly RunEvent[]): Promise<string> {
  return (await bytesOf(ending, events)).toString('utf8');
}
