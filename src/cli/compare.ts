import type { EventOf } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { type Comparison, compareRuns, gatherRun } from '../core/record/compare-runs.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { findRun, listRuns, readRecord, readSummary } from '../platform/run-records.ts';
import { comparisonMarkdown, comparisonText, comparisonVerdict } from '../reports/comparison.ts';
import { createMeasure, plainPaint } from '../reports/style.ts';
import { runInWords } from '../reports/verdict.ts';
import { exitCodes } from './exit.ts';
import { readFileOfForm, writeFileOfForm } from './form-of-ending.ts';
import { rootHere } from './runs.ts';
import type { Terminal } from './terminal.ts';

export interface CompareFlags {
  readonly json?: boolean;
  readonly output?: string;
}

interface Found {
  readonly id: string;
  readonly path: string;
}

interface Side extends Found {
  readonly run: EventOf<'run'>;
}

/** Sets a later run against an earlier one; without names the last one against the last before it that is like it. */
export async function compareCommand(
  before: string | undefined,
  now: string | undefined,
  flags: CompareFlags,
  terminal: Terminal,
): Promise<void> {
  const write = readFileOfForm(
    flags.output,
    ['json', 'md', 'txt'],
    'A comparison is written as .md (for a review), .json (for programs) or .txt',
  );
  const root = rootHere();
  const later = await sideOf(findRun(now ?? 'last', root));
  const earlier = before === undefined ? await likeBefore(later, root) : await sideOf(findRun(before, root));
  if (earlier.path === later.path)
    throw new UsageError(`Both are the same run, ${later.id}. 'mervok runs' lists them.`);
  const isEvent = await openEventCheck();
  const gather = ({ path }: Found) => gatherRun(readRecord(path, isEvent));
  const [a, b] = [await gather(earlier), await gather(later)];
  const comparison = compareRuns(a, b);
  const { out, err, paint, width } = terminal;
  if (!isLike(earlier.run, later.run))
    err(`These runs are not alike: ${selectionInWords(earlier.run)}, then ${selectionInWords(later.run)}.\n`);
  const measure = await createMeasure([...a.keys(), ...b.keys()]);
  if (flags.json) out(`${JSON.stringify(asJson(comparison, earlier, later), undefined, 2)}\n`);
  else {
    out(`${paint('quiet', `${earlier.id}, then ${later.id}`)}\n\n`);
    out(`${comparisonText(comparison, { paint, measure, width }).join('\n')}\n`);
  }
  if (comparison.newlyFailing.length + comparison.newlyBlocked.length > 0)
    process.exitCode = exitCodes.failed;
  const written = {
    json: () => JSON.stringify(asJson(comparison, earlier, later), undefined, 2),
    md: () => comparisonMarkdown(comparison, earlier.id, later.id),
    txt: () => comparisonText(comparison, { paint: plainPaint, measure, width: 100 }).join('\n'),
  };
  if (write)
    await writeFileOfForm(write.path, `${written[write.form]()}\n`, {
      out: flags.json ? () => undefined : out,
      err,
    });
}

async function sideOf(found: Found): Promise<Side> {
  return { ...found, run: (await readSummary(found.path)).run };
}

/** Whether two runs were asked for the same, under the same circumstances: else what changed says little. */
function isLike(a: EventOf<'run'>, b: EventOf<'run'>): boolean {
  return (
    a.selected === b.selected &&
    a.environment === b.environment &&
    a.rows === b.rows &&
    a.shard?.index === b.shard?.index &&
    a.shard?.of === b.shard?.of
  );
}

function selectionInWords(run: EventOf<'run'>): string {
  return `${run.selected ?? 'all'}${runInWords(run)}`;
}

/** The last run before one that is like it. Throws UsageError. */
async function likeBefore(later: Side, root: string): Promise<Side> {
  const ids = listRuns(root);
  const earlier = ids.slice(0, Math.max(0, ids.indexOf(later.id))).reverse();
  for (const id of earlier) {
    const { run } = await readSummary(findRun(id, root).path).catch(() => ({ run: undefined }));
    if (run && isLike(run, later.run)) return { id, path: findRun(id, root).path, run };
  }
  throw new UsageError(
    earlier.length === 0
      ? 'There is only one run on record, so there is nothing to set it against.'
      : `No run before ${later.id} was of the same: ${selectionInWords(later.run)}. Name one: mervok compare ${earlier[0]}`,
  );
}

/** The comparison for programs. */
function asJson(comparison: Comparison, before: Side, now: Side) {
  const side = ({ id, run }: Side) => ({
    id,
    began: run.at,
    ...(run.environment !== undefined && { environment: run.environment }),
    ...(run.selected !== undefined && { selected: run.selected }),
  });
  return {
    format: 'mervok-comparison',
    version: 1,
    verdict: comparisonVerdict(comparison),
    before: side(before),
    now: side(now),
    ...comparison,
  };
}
