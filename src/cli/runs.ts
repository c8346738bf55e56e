import { statSync } from 'node:fs';
import { resolve } from 'node:path';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { RunTotals } from '../core/record/totals.ts';
import { counted, didYouMean } from '../core/text/words.ts';
import { durationText } from '../core/values/text.ts';
import { collectionAround } from '../platform/collection-folder.ts';
import { readRunNames, writeRunNames } from '../platform/run-names.ts';
import { findRun, listRuns, readSummary, runsFolder } from '../platform/run-records.ts';
import { createMeasure, fit, visible, wrap } from '../reports/style.ts';
import { runInWords, verdictInWords } from '../reports/verdict.ts';
import { exitCodes } from './exit.ts';
import type { Terminal } from './terminal.ts';

/** The folder whose runs are meant: that of the collection around the working folder, else that itself. */
export function rootHere(): string {
  return rootOf('.');
}

/** Throws UsageError. */
function rootOf(folder = '.'): string {
  const path = resolve(folder);
  if (!statSync(path, { throwIfNoEntry: false })?.isDirectory())
    throw new UsageError(
      `There is no folder '${folder}' whose runs could be listed. One run is told by: mervok report ${folder}`,
    );
  return collectionAround(path) ?? path;
}

/** Gives a run a name, or takes one away. Throws UsageError. */
function nameRun(named: string | undefined, { name, unname }: RunsFlags, { out, err }: Terminal): void {
  const root = rootHere();
  const names = new Map(readRunNames(runsFolder(root)));
  if (unname !== undefined) {
    if (named !== undefined || name !== undefined)
      throw new UsageError('--unname takes one name away, and nothing else.');
    if (!names.delete(unname))
      throw new UsageError(
        `No run has the name '${unname}'. ${didYouMean(unname, names.keys()) ?? "'mervok runs' lists them."}`,
      );
    out(`${unname} is no name any more.\n`);
  } else {
    if (!/^[A-Za-z][\w.-]*$/.test(name!) || name === 'last')
      throw new UsageError(
        `'${name}' cannot name a run: letters, digits, '-', '_' and '.', a letter first; 'last' is one already.`,
      );
    const { id } = findRun(named ?? 'last', root);
    if (id.endsWith('.ndjson')) throw new UsageError(`'${id}' is a file, which has a name already.`);
    const before = names.get(name!);
    names.set(name!, id);
    out(
      `${name} is the run ${id}${before !== undefined && before !== id ? `; before it was ${before}` : ''}. It is kept until it loses its name.\n`,
    );
  }
  try {
    writeRunNames(root, names);
  } catch (error) {
    err(`The name could not be kept: ${(error as Error).message}\n`);
    process.exitCode = exitCodes.unfinished;
  }
}

export interface RunsFlags {
  readonly json?: boolean;
  /** The name that a run is given. */
  readonly name?: string;
  /** A name that is taken away. */
  readonly unname?: string;
}

/** Lists the runs on record, the latest last, where the eye is; or names one. */
export async function runsCommand(
  where: string | undefined,
  flags: RunsFlags,
  terminal: Terminal,
): Promise<void> {
  if (flags.name !== undefined || flags.unname !== undefined) {
    nameRun(where, flags, terminal);
    return;
  }
  const root = rootOf(where);
  const names = readRunNames(runsFolder(root));
  const runs = await Promise.all(
    listRuns(root).map(async id => ({
      id,
      names: [...names].flatMap(([name, of]) => (of === id ? [name] : [])),
      ...(await summaryOf(findRun(id, root).path)),
    })),
  );
  const { json } = flags;
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
  const shownId = ({ id, names }: (typeof runs)[0]) => [id, ...names].join(' ');
  const column = Math.min(Math.max(...runs.map(each => shownId(each).length)), 40) + 2;
  for (const each of runs) {
    const { run, end, verdict } = each;
    const took = end ? durationText(end.time) : '';
    const outcome = end?.stopped
      ? 'stopped'
      : !end
        ? 'cut off'
        : RunTotals.at(end).passed
          ? 'passed'
          : 'failed';
    const line = `${fit(shownId(each), column, measure)}${paint(outcome === 'passed' ? 'plain' : 'failed', outcome.padEnd(9))}`;
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
