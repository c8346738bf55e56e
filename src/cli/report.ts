import { resolve } from 'node:path';
import type { EventOf, RunEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { mergeRecords, missingShards } from '../core/record/merge-records.ts';
import { withEnd } from '../core/record/repair.ts';
import { RunTotals, totalsOf } from '../core/record/totals.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { inWords } from '../core/text/words.ts';
import { findRun, readRecord, readSummary } from '../platform/run-records.ts';
import { createMeasure } from '../reports/style.ts';
import { TerminalReport } from '../reports/terminal-report.ts';
import { exitCodes } from './exit.ts';
import { rootHere } from './runs.ts';
import type { Terminal } from './terminal.ts';
import { besideOutputs, readOutputs, writeReports } from './write-reports.ts';

export interface ReportFlags {
  readonly output?: readonly string[];
  readonly merge?: boolean;
  /** Whether the exit code is that of the run. */
  readonly verdict?: boolean;
  readonly quiet?: boolean;
  readonly onlyFailures?: boolean;
}

interface OpenRecord {
  /** From its beginning, as often as it is asked for. Throws UsageError where the record is damaged. */
  readonly events: () => AsyncIterable<RunEvent>;
  /** What its end says, so that its figures need not be counted before it is read. */
  readonly end?: EventOf<'end'>;
  /** Whether shares of the run are missing in it. */
  readonly isPart?: boolean;
}

/** Renders runs on record: into files, or on the terminal as they were told then. */
export async function reportCommand(
  named: readonly string[],
  flags: ReportFlags,
  whole: Terminal,
): Promise<void> {
  const output = readOutputs(flags.output);
  const terminal = besideOutputs(output, whole);
  const record = await openRecord(named.length === 0 ? ['last'] : named, flags, terminal);
  const totals = output.length === 0 ? await tell(record, flags, terminal) : await totalsIn(record);
  const { err, out } = terminal;
  const tellFile = flags.quiet ? undefined : out;
  const written = await writeReports(output, record.events, totals, { err, tell: tellFile });
  // A share that is missing may hold what failed.
  const isPart = record.isPart || totals.missing.length > 0;
  if (!written || (flags.verdict && isPart)) process.exitCode = exitCodes.unfinished;
  else if (flags.verdict && !totals.passed) process.exitCode = exitCodes.failed;
}

async function totalsIn({ end, events }: OpenRecord): Promise<RunTotals> {
  return end ? RunTotals.at(end) : totalsOf(events());
}

async function openRecord(
  named: readonly string[],
  { merge }: ReportFlags,
  { err }: Terminal,
): Promise<OpenRecord> {
  const found = named.map(each => findRun(each, rootHere()));
  const [first, ...others] = found as [(typeof found)[0], ...typeof found];
  if (others.length > 0 && !merge)
    throw new UsageError(`These are ${found.length} runs. To tell them as one: mervok report --merge …`);
  const isEvent = await openEventCheck();
  const summaries = await Promise.all(found.map(({ path }) => readSummary(path)));
  const events = ({ id, path }: (typeof found)[0]) =>
    withEnd(readRecord(path, isEvent), why => new UsageError(`'${id}' ${why}.`));
  const { end } = summaries[0]!;
  if (!merge || (others.length === 0 && !summaries[0]!.run.shard))
    return { events: () => events(first), ...(end && { end }) };
  refuseTwice(found);
  const runs = summaries.map(({ run }) => run);
  const missing = missingShards(runs);
  if (missing.length > 0) err(`${inWords(missing)} ${missing.length === 1 ? 'is' : 'are'} missing.\n`);
  const isMixed = new Set(runs.flatMap(({ shard }) => shard?.share ?? [])).size > 1;
  if (isMixed)
    err('These shards were not cut from the same selection: cases may be missing, or stand here twice.\n');
  return {
    events: () => mergeRecords(found.map((each, at) => ({ run: runs[at]!, events: events(each) }))),
    isPart: missing.length > 0 || isMixed,
  };
}

function refuseTwice(found: readonly { id: string; path: string }[]): void {
  const paths = found.map(({ path }) => resolve(path));
  const twice = paths.findIndex((path, at) => paths.indexOf(path) < at);
  if (twice >= 0)
    throw new UsageError(`'${found[twice]!.id}' is named twice; what it holds would count twice.`);
}

async function tell(
  { events }: OpenRecord,
  { quiet = false, onlyFailures = false }: ReportFlags,
  { out, paint, width }: Terminal,
): Promise<RunTotals> {
  const totals = new RunTotals();
  // What titles hold is known only once they have been read.
  const measure = await createMeasure(['…']);
  const report = new TerminalReport({ write: out, paint, measure, width, quiet, onlyFailures }, totals);
  for await (const event of events()) {
    totals.add(event);
    report.add(event);
  }
  return totals;
}
