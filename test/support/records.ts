import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { EventOf, RunEvent } from '../../src/core/model/events.ts';
import type { FiguresEvent } from '../../src/core/model/load-events.ts';

/** The lines of the last record of a collection. */
export function recordIn(folder: string): RunEvent[] {
  const runs = join(folder, '.mervok/runs');
  const last = readdirSync(runs)
    .filter(name => /^\d{8}-\d{6}(?:-\d+)?\.ndjson$/.test(name))
    .sort((a, b) => statSync(join(runs, a)).mtimeMs - statSync(join(runs, b)).mtimeMs)
    .at(-1)!;
  return readFileSync(join(runs, last), 'utf8')
    .trimEnd()
    .split('\n')
    .map(line => JSON.parse(line));
}

export const endOf = (events: readonly RunEvent[]) => events.at(-1) as EventOf<'end'>;

export const figuresIn = (events: readonly RunEvent[]) =>
  events.filter((event): event is FiguresEvent => event.type === 'figures');

export const sumOf = (figures: readonly FiguresEvent[], read: (each: FiguresEvent) => number | undefined) =>
  figures.reduce((sum, each) => sum + (read(each) ?? 0), 0);
