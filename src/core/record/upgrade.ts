import { recordVersion } from '../model/outcomes.ts';

/** The names of figures in records of version 1, and what they are called since. */
const renamed = { half: 'p50', most: 'p95' } as const;

type Line = { type?: unknown; version?: unknown; totals?: { [name: string]: unknown } } | null;

/** A line of a record of an earlier version, in the form of today; any other value as it is. */
export function upgraded(value: unknown): unknown {
  const line = value as Line;
  if (line?.type === 'run' && (line.version === 1 || line.version === 2)) line.version = recordVersion;
  if (line?.type === 'end' && typeof line.totals === 'object' && line.totals !== null)
    for (const [before, now] of Object.entries(renamed)) {
      if (!Object.hasOwn(line.totals, before)) continue;
      line.totals[now] = line.totals[before];
      delete line.totals[before];
    }
  return value;
}
