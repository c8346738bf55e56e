import { kindsIn, type Plan } from '../core/analysis/plan.ts';
import type { OperationEvent, RunEvent } from '../core/model/events.ts';
import { withEnd } from '../core/record/repair.ts';
import { RunTotals, totalsOf } from '../core/record/totals.ts';
import { run } from '../core/runner/run.ts';
import type { RunOptions } from '../core/runner/run-options.ts';
import type { FilePlaces } from '../platform/file-places.ts';
import { openPorts } from '../platform/ports.ts';
import { Recorder } from '../platform/recorder.ts';
import { version } from '../platform/version.ts';
import type { ExchangeView } from '../reports/exchange-text.ts';
import { createMeasure } from '../reports/style.ts';
import { TerminalReport } from '../reports/terminal-report.ts';
import type { Again } from '../reports/verdict.ts';
import type { CiOutput } from './ci-output.ts';
import { exitCodes } from './exit.ts';
import { listenForInterrupt } from './interrupt.ts';
import {
  type OnMachines,
  type OnThreads,
  type OpenWorkers,
  openMachinesFor,
  openThreadsFor,
} from './open-workers.ts';
import type { Terminal } from './terminal.ts';
import { type Output, writeReports } from './write-reports.ts';

export interface RunChoices extends Partial<Omit<RunOptions, 'tool' | 'signal' | 'bodies'>> {
  /** Reports to be written. */
  readonly output: readonly Output[];
  /** What goes to standard output. */
  readonly view?: 'all' | 'failures' | 'verdict' | 'exchanges' | 'events';
  /** Where the record goes; without it, it does not outlast the run. */
  readonly root?: string;
  /** A file of what was sent and what came, line by line. */
  readonly log?: string;
  /** How what failed is run again; without it no command is told. */
  readonly again?: Again;
  readonly places: FilePlaces;
  /** Where others carry it out. */
  readonly onThreads?: OnThreads | undefined;
  readonly onMachines?: OnMachines | undefined;
  /** What a CI system is told besides. */
  readonly ci?: CiOutput | undefined;
}

/** Somebody who learns of everything that happens. */
interface Listener {
  onEvent(event: RunEvent): void;
  close?(): void;
}

/** Carries out a plan, prints what happens, writes the record and the reports. Gives the exit code. */
export async function executeRun(plan: Plan, choices: RunChoices, terminal: Terminal): Promise<number> {
  const {
    output,
    places,
    root,
    log,
    ci,
    onThreads,
    onMachines,
    view: _view,
    again: _again,
    ...options
  } = choices;
  const totals = new RunTotals();
  // What cannot be opened leaves no record of a run that never was.
  const logs = log === undefined ? [] : [await openLog(log, terminal)];
  const view = await openView(plan, choices, totals, terminal);
  // Where others send, nothing is sent from here.
  const kinds = onThreads || onMachines ? new Set<string>() : kindsIn(plan);
  const ports = await openPorts(places, kinds, options.runDetails?.seed);
  const listeners: Listener[] = [...logs, view, ...(ci ? [ci] : [])];
  const interrupt = listenForInterrupt();
  let workers: OpenWorkers = {};
  let recorder: Recorder | undefined;
  let hasBegun = false;
  let isFinished = false;
  let isWholeOnThreads = true;
  try {
    if (onMachines)
      workers = await openMachinesFor(plan, onMachines, choices, { terminal, signal: interrupt.signal });
    // Last of all: a run that is killed before it has begun leaves no empty one.
    recorder = openRecord(root, output, terminal);
    hasBegun = true;
    if (onThreads)
      workers = await openThreadsFor(onThreads, choices, recorder, problem => {
        isWholeOnThreads = false;
        terminal.err(`The record is not whole: ${problem}\n`);
      });
    const { close: _close, ...others } = workers;
    const record = recorder;
    await run(
      plan,
      ports,
      {
        ...options,
        ...others,
        tool: `mervok ${version}`,
        bodies: record !== undefined || log !== undefined || choices.view === 'exchanges',
        totals,
        deferred: true,
        ...(record && { record: (event: RunEvent) => note(event, record) }),
        ...(choices.view === 'exchanges' && { tellsFound: true }),
        keepsBodies: log !== undefined || choices.view === 'exchanges' || choices.view === 'events',
        signal: interrupt.signal,
        cleanUpSignal: interrupt.cleanUpSignal,
      },
      event => {
        for (const listener of listeners) listener.onEvent(event);
      },
    );
    record?.finish();
    isFinished = true;
    for (const listener of listeners) listener.close?.();
    const whole = record === undefined || (isWhole(record, terminal) && isWholeOnThreads);
    const written =
      record === undefined || (await reportOn({ recorder: record, whole, totals }, choices, terminal));
    await ci?.end(record && (() => record.events()), totals);
    return codeOf(totals, whole && written);
  } catch (error) {
    if (hasBegun || !interrupt.signal.aborted) throw error;
    terminal.err('Interrupted before anything was sent.\n');
    return exitCodes.interrupted;
  } finally {
    // A mistake of our own takes nothing away that is on record up to there.
    if (!isFinished) recorder?.finish();
    interrupt.stop();
    recorder?.remove();
    await workers.close?.();
    await ports.close();
  }
}

/** What threads have written comes before the end. */
function note(event: RunEvent, recorder: Recorder): void {
  if (event.type === 'end') recorder.takeSegments();
  recorder.add(event);
}

function codeOf(totals: RunTotals, whole: boolean): number {
  if (!whole || totals.stopped === 'timeout' || totals.missing.length > 0) return exitCodes.unfinished;
  if (totals.stopped === 'interrupt') return exitCodes.interrupted;
  return totals.passed ? exitCodes.passed : exitCodes.failed;
}

/** Where there is no place for a record, a run goes on without one; reports are then made from one that is not kept. */
function openRecord(root: string | undefined, output: readonly Output[], { err }: Terminal) {
  try {
    if (root !== undefined) return Recorder.inCollection(root, new Date());
  } catch (error) {
    err(`This run leaves no record: ${(error as Error).message}\n`);
  }
  return output.length > 0 ? Recorder.temporary() : undefined;
}

async function openLog(path: string, terminal: Terminal): Promise<Listener> {
  const { ExchangeLog } = await import('./exchange-output.ts');
  return new ExchangeLog(path, terminal);
}

async function openView(
  plan: Plan,
  { view = 'all', again, onThreads, onMachines, load }: RunChoices,
  totals: RunTotals,
  { out, paint, width, live }: Terminal,
): Promise<Listener> {
  if (view === 'events')
    return { onEvent: event => printEvent(event, out, (onThreads ?? onMachines) !== undefined && !load) };
  const measure = await createMeasure(
    plan.pages.flatMap(page => [page.title, ...page.cases.flatMap(each => [each.title, each.request ?? ''])]),
  );
  const onOperation = view === 'exchanges' ? await tellerOf({ paint, measure, width }) : undefined;
  const report = new TerminalReport(
    {
      write: out,
      paint,
      measure,
      width,
      quiet: view === 'verdict',
      onlyFailures: view === 'failures',
      ...(onOperation && { onOperation }),
      ...(again && { again }),
      ...(live && { live: { now: Date.now } }),
    },
    totals,
  );
  const timer = live ? setInterval(() => report.showProgress(), 250).unref() : undefined;
  return { onEvent: event => report.add(event), close: () => clearInterval(timer) };
}

/** @param plain whether figures of threads stand for lines that are told as well */
function printEvent(event: RunEvent, out: Terminal['out'], plain: boolean): void {
  if (plain && event.type === 'figures') return;
  const told = plain && event.type === 'run' ? { ...event, load: undefined } : event;
  out(`${JSON.stringify(told)}\n`);
}

async function tellerOf(view: ExchangeView) {
  const { operationLines } = await import('./exchange-output.ts');
  return (event: OperationEvent) => operationLines(event, view);
}

/** It is not on a disk that is full, for example. */
function isWhole({ problem }: Recorder, { err }: Terminal): boolean {
  if (problem !== undefined) err(`The record is not whole: ${problem}\n`);
  return problem === undefined;
}

interface EndedRun {
  readonly recorder: Recorder;
  /** Whether the record is. */
  readonly whole: boolean;
  readonly totals: RunTotals;
}

/** Reports tell what the record holds, and so they say where it breaks off. */
async function reportOn(
  { recorder, whole, totals }: EndedRun,
  { output, view }: Pick<RunChoices, 'output' | 'view'>,
  { out, err }: Terminal,
): Promise<boolean> {
  if (output.length === 0) return true;
  const tell = view === 'verdict' ? undefined : view === 'events' ? err : out;
  if (whole) return writeReports(output, () => recorder.events(), totals, { err, tell });
  const events = () => withEnd(recorder.events(), why => new Error(`The record ${why}.`));
  return writeReports(output, events, await totalsOf(events()), { err, tell });
}
