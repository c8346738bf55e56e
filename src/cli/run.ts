import { relative } from 'node:path';
import { run } from '../core/engine/run.ts';
import type { Plan } from '../core/plan/plan.ts';
import { Tally } from '../core/record/tally.ts';
import type { FilePlaces } from '../drivers/http/outgoing.ts';
import { openPorts } from '../drivers/ports.ts';
import type { Recorder } from '../drivers/record.ts';
import { seededWorld, world } from '../drivers/world.ts';
import { endingOf, endingsInWords, reports } from '../reports/index.ts';
import { createMeasure } from '../reports/style.ts';
import { TerminalReport } from '../reports/terminal.ts';
import { exitCodes, UsageMistake } from './exit.ts';
import { listenForInterrupt } from './interrupt.ts';
import { noteUnusedGiven, noteUnverified, type PlanFlags, preparePlan, refusedByErrors } from './prepare.ts';
import type { Terminal } from './terminal.ts';
import { version } from './version.ts';

export interface RunFlags extends PlanFlags {
  readonly rounds?: string;
  readonly seed?: string;
  readonly output?: readonly string[];
  readonly quiet?: boolean;
}

export async function runCommand(
  paths: readonly string[],
  flags: RunFlags,
  terminal: Terminal,
): Promise<void> {
  const rounds = readRounds(flags.rounds ?? '1');
  const output = flags.output ?? [];
  refuseUnknownEndings(output);
  const { plan, findings, root, places, cases } = await preparePlan(paths, flags);
  if (await refusedByErrors(findings, terminal)) return;
  if (cases === 0)
    throw new UsageMistake(
      'There is nothing to run: no page here has a case. A case is a heading with a fence ```http below it.',
    );
  if (plan.checks === 0)
    throw new UsageMistake(
      'Nothing was sent: nothing that was selected checks anything. Add a fence ```mervok with a line such as: status = 200',
    );
  noteUnusedGiven(plan, terminal);
  noteUnverified(findings, terminal);
  process.exitCode = await carryOut(
    plan,
    {
      rounds,
      output,
      quiet: flags.quiet === true,
      places,
      ...(flags.seed !== undefined && { seed: flags.seed }),
    },
    prefixOf(root),
    terminal,
  );
}

/** What stands before an address of the collection to name it from the working folder. */
function prefixOf(root: string): string {
  const way = relative(process.cwd(), root).replaceAll('\\', '/');
  return way === '' ? '' : `${way}/`;
}

function readRounds(text: string): number {
  const rounds = Number(text);
  if (!Number.isSafeInteger(rounds) || rounds < 1)
    throw new UsageMistake(`--rounds takes a whole number from 1, not '${text}'.`);
  return rounds;
}

export function refuseUnknownEndings(files: readonly string[]): void {
  const unknown = files.find(file => endingOf(file) === undefined);
  if (unknown !== undefined)
    throw new UsageMistake(`No report has the ending of '${unknown}'. There are ${endingsInWords}.`);
}

export interface RunChoices {
  readonly rounds: number;
  /** What chance begins with, where a run is to be repeated. */
  readonly seed?: string;
  readonly output: readonly string[];
  readonly quiet?: boolean;
  /** Whether to say what can be done next. */
  readonly next?: boolean;
  readonly places: FilePlaces;
}

/** Carries out a plan, prints what happens, writes the reports. Gives the exit code. */
export async function carryOut(
  plan: Plan,
  { rounds, seed, output, quiet = false, next = true, places }: RunChoices,
  pathPrefix: string,
  terminal: Terminal,
): Promise<number> {
  const { out, paint, width, live } = terminal;
  const measure = await createMeasure(
    plan.pages.flatMap(page => [page.title, ...page.cases.flatMap(each => [each.title, each.request ?? ''])]),
  );
  const tally = new Tally();
  const view = new TerminalReport(
    {
      write: out,
      paint,
      measure,
      width,
      quiet,
      ...(next && { pathPrefix }),
      ...(live && { live: { now: Date.now } }),
    },
    tally,
  );
  const recorder = output.length > 0 ? new (await import('../drivers/record.ts')).Recorder() : undefined;
  const interrupt = listenForInterrupt();
  const ports = await openPorts(places, seed === undefined ? world : seededWorld(seed));
  try {
    await run(
      plan,
      ports,
      {
        tool: `mervok ${version}`,
        rounds,
        bodies: recorder !== undefined,
        signal: interrupt.signal,
        cleanUpSignal: interrupt.cleanUpSignal,
      },
      event => {
        tally.add(event);
        recorder?.add(event);
        view.add(event);
      },
    );
    recorder?.finish();
    const written = recorder === undefined || (await writeReports(output, recorder, tally, terminal));
    if (!written) return exitCodes.unfinished;
    if (tally.interrupted) return exitCodes.interrupted;
    return tally.passed ? exitCodes.passed : exitCodes.failed;
  } finally {
    interrupt.stop();
    recorder?.remove();
    await ports.close();
  }
}

async function writeReports(
  files: readonly string[],
  recorder: Recorder,
  tally: Tally,
  { err }: Terminal,
): Promise<boolean> {
  const { writeWhole } = await import('../drivers/record.ts');
  let written = true;
  for (const file of files) {
    try {
      const report = reports[endingOf(file)!]!;
      await writeWhole(file, report(recorder.events(), tally));
    } catch (error) {
      written = false;
      err(`The report '${file}' could not be written: ${(error as Error).message}\n`);
    }
  }
  return written;
}
