import { resolve } from 'node:path';
import type { RunEvent } from '../core/record/events.ts';
import { Tally } from '../core/record/tally.ts';
import { isEvent } from '../core/record/validate.ts';
import { mergeRecords, missingShards, withEnd } from '../core/record/whole.ts';
import { inWords } from '../core/text/nearest.ts';
import { findRun, readRecord, readSummary } from '../drivers/runs.ts';
import { createMeasure } from '../reports/style.ts';
import { TerminalReport } from '../reports/terminal.ts';
import { exitCodes, UsageMistake } from './exit.ts';
import { rootHere } from './runs.ts';
import type { Terminal } from './terminal.ts';
import { refuseUnknownEndings, writeReports } from './write-reports.ts';

export interface ReportFlags {
  readonly output?: readonly string[];
  readonly merge?: boolean;
  readonly quiet?: boolean;
  readonly onlyFailures?: boolean;
}

type Record = () => AsyncIterable<RunEvent>;

/** Renders runs on record: into files, or on the terminal as they were told then. */
export async function reportCommand(
  named: readonly string[],
  flags: ReportFlags,
  terminal: Terminal,
): Promise<void> {
  const output = flags.output ?? [];
  refuseUnknownEndings(output);
  const record = await openRecord(named.length === 0 ? ['last'] : named, flags, terminal);
  // Damage is found before anything is written.
  const tally = await talliedOf(record);
  if (output.length === 0) await tell(record, flags, terminal);
  else if (!(await writeReports(output, record, tally, terminal))) process.exitCode = exitCodes.unfinished;
}

async function openRecord(
  named: readonly string[],
  { merge }: ReportFlags,
  { err }: Terminal,
): Promise<Record> {
  const found = named.map(each => findRun(each, rootHere()));
  if (found.length > 1 && !merge)
    throw new UsageMistake(`These are ${found.length} runs. To tell them as one: mervok report --merge …`);
  const [first, ...others] = found.map(({ path }) => path);
  if (others.length === 0) return () => withEnd(readRecord(first!, isEvent));
  const twice = found.find(
    ({ path }, at) => found.findIndex(each => resolve(each.path) === resolve(path)) < at,
  );
  if (twice) throw new UsageMistake(`'${twice.id}' is named twice; what it holds would count twice.`);
  const records = await Promise.all(
    found.map(async ({ path }) => ({
      run: (await readSummary(path)).run,
      events: () => readRecord(path, isEvent),
    })),
  );
  const runs = records.map(({ run }) => run);
  const missing = missingShards(runs);
  if (missing.length > 0) err(`${inWords(missing)} ${missing.length === 1 ? 'is' : 'are'} missing.\n`);
  if (new Set(runs.flatMap(({ shard }) => shard?.share ?? [])).size > 1)
    err('These shards were not cut from the same selection: cases may be missing, or stand here twice.\n');
  return () => mergeRecords(records);
}

async function talliedOf(record: Record): Promise<Tally> {
  const tally = new Tally();
  for await (const event of record()) tally.add(event);
  return tally;
}

async function tell(
  record: Record,
  { quiet = false, onlyFailures = false }: ReportFlags,
  { out, paint, width }: Terminal,
): Promise<void> {
  const titles = new Set<string>();
  for await (const event of record())
    if (event.type === 'page' || event.type === 'case') titles.add(event.title);
  const tally = new Tally();
  const measure = await createMeasure([...titles]);
  const report = new TerminalReport({ write: out, paint, measure, width, quiet, onlyFailures }, tally);
  for await (const event of record()) {
    tally.add(event);
    report.add(event);
  }
}
