import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { compareRuns, gatherRun } from '../core/record/compare-runs.ts';
import { RunTotals } from '../core/record/totals.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { counted } from '../core/text/words.ts';
import { durationText } from '../core/values/text.ts';
import { collectionAround } from '../platform/find-collection.ts';
import { findRun, listRuns, readRecord, readSummary } from '../platform/run-records.ts';
import { comparisonText } from '../reports/comparison.ts';
import { createMeasure, fit, visible, wrap } from '../reports/style.ts';
import { runInWords, verdictInWords } from '../reports/verdict.ts';
import { exitCodes } from './exit.ts';
import type { Terminal } from './terminal.ts';

/** The folder whose runs are meant: that of the collection around the working folder, else that itself. */
export function rootHere(): string {
  return collectionAround(process.cwd()) ?? process.cwd();
}

/** Lists the runs on record, the latest last, where the eye is. */
export async function runsCommand({ json }: { readonly json?: boolean }, terminal: Terminal): Promise<void> {
  const root = rootHere();
  const runs = await Promise.all(
    listRuns(root).map(async id => ({ id, ...(await summaryOf(findRun(id, root).path)) })),
  );
  if (json) {
    terminal.out(`${JSON.stringify({ format: 'mervok-runs', version: 1, runs }, undefined, 2)}\n`);
    return;
  }
  if (runs.length === 0) {
    terminal.out("No run is on record here. Every 'mervok run' leaves one.\n");
    return;
  }
  const { out, paint } = terminal;
  const width = Math.min(200, Math.max(60, terminal.width));
  const measure = await createMeasure(runs.map(({ run, verdict }) => `${run?.selected} ${verdict}`));
  const column = Math.max(...runs.map(({ id }) => id.length)) + 2;
  for (const { id, run, end, verdict } of runs) {
    const took = end ? durationText(end.time) : '';
    const outcome = end?.stopped
      ? 'stopped'
      : !end
        ? 'cut off'
        : RunTotals.at(end).passed
          ? 'passed'
          : 'failed';
    const line = `${id.padEnd(column)}${paint(outcome === 'passed' ? 'plain' : 'failed', outcome.padEnd(9))}`;
    const room = width - column - 9;
    const about = run ? `${run.selected ?? 'all'}${runInWords(run)}` : '';
    out(`${line}${fit(visible(about), room - 10, measure)}${paint('quiet', took.padStart(10))}\n`);
    for (const text of wrap(verdict, room, measure))
      out(`${' '.repeat(column + 9)}${paint('quiet', text)}\n`);
  }
  out(
    `\n${paint('quiet', `${counted(runs.length, 'run')}; mervok compare sets the last two against each other`)}\n`,
  );
}

async function summaryOf(path: string) {
  try {
    const { run, end } = await readSummary(path);
    return {
      run,
      end,
      verdict: end
        ? verdictInWords(RunTotals.at(end))
        : 'It was killed, or goes on; what it had done is on record.',
    };
  } catch (error) {
    if (isUsageError(error)) return { run: undefined, end: undefined, verdict: error.message };
    throw error;
  }
}

/** Sets a later run against an earlier one; without names the last two. */
export async function compareCommand(
  before: string | undefined,
  now: string | undefined,
  terminal: Terminal,
): Promise<void> {
  const root = rootHere();
  const later = findRun(now ?? 'last', root);
  const earlier = before === undefined ? runBefore(later.id, root) : findRun(before, root);
  if (earlier.path === later.path)
    throw new UsageError(`Both are the same run, ${later.id}. 'mervok runs' lists them.`);
  const isEvent = await openEventCheck();
  const gather = ({ path }: { path: string }) => gatherRun(readRecord(path, isEvent));
  const [a, b] = [await gather(earlier), await gather(later)];
  const comparison = compareRuns(a, b);
  const { out, paint, width } = terminal;
  const measure = await createMeasure([...a.keys(), ...b.keys()]);
  out(`${paint('quiet', `${earlier.id}, then ${later.id}`)}\n\n`);
  out(`${comparisonText(comparison, { paint, measure, width }).join('\n')}\n`);
  if (comparison.newlyFailing.length + comparison.newlyBlocked.length > 0)
    process.exitCode = exitCodes.failed;
}

function runBefore(id: string, root: string): { id: string; path: string } {
  const ids = listRuns(root);
  const before = ids[ids.indexOf(id) - 1];
  if (before === undefined)
    throw new UsageError('There is only one run on record, so there is nothing to set it against.');
  return findRun(before, root);
}
