import { readdirSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';

// While threads carry out a run each writes a segment of its record, beside it; at the end they are taken in.

/** @param thread its number, from 0 */
export function segmentPath(record: string, thread: number): string {
  return record.replace(/\.ndjson$/, `.part-${thread + 1}.ndjson`);
}

/** Those that have not been taken in: the run goes on, or was killed. */
export function segmentsOf(record: string): string[] {
  const begin = basename(record).replace(/\.ndjson$/, '.part-');
  const folder = dirname(record);
  return readdirSync(folder)
    .filter(name => name.startsWith(begin) && /^\d+\.ndjson$/.test(name.slice(begin.length)))
    .sort((a, b) => Number.parseInt(a.slice(begin.length), 10) - Number.parseInt(b.slice(begin.length), 10))
    .map(name => join(folder, name));
}
