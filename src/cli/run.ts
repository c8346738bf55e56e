import { relative } from 'node:path';
import { ciAround } from '../ci/ci-run.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { mostUsersIn, refuseTooFewRows } from '../core/runner/load/user-rows.ts';
import type { LoadOptions, RunOptions } from '../core/runner/run-options.ts';
import { CiOutput, guarded } from './ci-output.ts';
import { refuseTooManyUsers } from './descriptors.ts';
import { executeRun, type RunChoices } from './execute-run.ts';
import { exitCodes } from './exit.ts';
import { chooseLoad } from './load-choice.ts';
import {
  allowing,
  flagsAgain,
  noteGathered,
  noteUnsafe,
  noteUnusedGiven,
  type PlanFlags,
  type Prepared,
  preparePlan,
  refusedByErrors,
} from './prepare.ts';
import { type ChosenMachines, chooseMachines, type MachineFlags } from './queue-options.ts';
import { noteLargeRecord } from './record-size.ts';
import {
  type RunOptionFlags,
  readRunOptions,
  readSelection,
  readThreads,
  refuseBesideQueue,
  type SelectionFlags,
  selectedInWords,
} from './run-choices.ts';
import type { Terminal } from './terminal.ts';
import { besideOutputs, readOutputs } from './write-reports.ts';

export interface RunFlags extends PlanFlags, SelectionFlags, RunOptionFlags, MachineFlags {
  readonly seed?: string;
  readonly output?: readonly string[];
  readonly log?: string;
  readonly watch?: boolean;
  readonly quiet?: boolean;
  readonly onlyFailures?: boolean;
  readonly verbose?: boolean;
  readonly json?: boolean;
  /** Whether a CI system around is told of failures in its own way. */
  readonly ci?: boolean;
}

/** What writes examples into pages from what came. */
export interface ExampleOutput {
  readonly onAnswers: NonNullable<RunOptions['onAnswers']>;
  /** Whether everything that was to be written could be. */
  write(prepared: Prepared, terminal: Terminal): Promise<boolean>;
}

/** What a run may do besides, from parts of the program that few runs load. */
export interface RunExtras {
  /** Runs again what changes, until it is interrupted. */
  readonly watch: () => Promise<typeof import('./watch.ts').watch>;
  /** Where examples are to be written. */
  readonly openExamples?: (prepared: Prepared) => Promise<ExampleOutput>;
}

export async function runCommand(
  paths: readonly string[],
  flags: RunFlags,
  whole: Terminal,
  { watch, openExamples }: RunExtras,
): Promise<void> {
  const output = readOutputs(flags.output);
  if (flags.json && output.some(({ path }) => path === undefined))
    throw new UsageError('--json and a report both want standard output.');
  const isGuarded = flags.ci !== false && ciAround(process.env) !== undefined;
  const beside = besideOutputs(output, whole);
  const terminal = isGuarded ? guarded(beside, flags.json === true) : beside;
  const view = readView(flags);
  const machines = chooseMachines(flags);
  if (machines) refuseBesideQueue(flags);
  const threads = readThreads(flags, flags);
  const runOptions = readRunOptions(flags);
  // Other machines look for themselves what they can carry.
  if (runOptions.users !== undefined && !machines)
    refuseTooManyUsers(runOptions.users, `--users ${runOptions.users} needs`);
  const { chosen: load, paths: named } = chooseLoad(flags, paths);
  const asLoad = load && { chosen: load, flags };
  const runOnce = async (chosen = named, onPrepared?: (prepared: Prepared) => Promise<boolean>) => {
    const elsewhere = machines !== undefined;
    const prepared = await preparePlan(chosen, { ...allowing(flags), asLoad, elsewhere }, root =>
      readSelection(flags, root),
    );
    if (onPrepared && !(await onPrepared(prepared))) return;
    const { plan, findings, root, places } = prepared;
    if (await refusedByErrors(findings, terminal)) return;
    refuseNothingToCheck(prepared);
    if (prepared.load) {
      refuseTooFewRows(prepared.load);
      if (!machines) refuseTooManyForHere(prepared.load);
      noteLargeRecord(prepared.load, plan, terminal);
    }
    noteGathered(prepared, terminal);
    noteUnusedGiven(plan, terminal);
    noteUnsafe(findings, terminal);
    const selected = selectedInWords(chosen, flags);
    const examples = await openExamples?.(prepared);
    const exitCode = await executeRun(
      plan,
      {
        ...runOptions,
        ...(prepared.load && { load: prepared.load }),
        ...(machines
          ? { onMachines: onMachines(machines, prepared, flags) }
          : { onThreads: onThreads(threads, prepared, runOptions.users) }),
        ...(examples && { onAnswers: examples.onAnswers }),
        ci: CiOutput.around(root, isGuarded),
        output,
        view,
        root,
        again: { pathPrefix: prefixOf(root), flags: flagsAgain(flags, plan) },
        places,
        ...(flags.log !== undefined && { log: flags.log }),
        runDetails: {
          ...(flags.seed !== undefined && { seed: flags.seed }),
          ...(selected !== undefined && { selected }),
        },
      },
      terminal,
    );
    const isWritten = examples === undefined || (await examples.write(prepared, terminal));
    process.exitCode = isWritten ? exitCode : exitCodes.unfinished;
  };
  if (flags.watch) await (await watch())(named, runOnce, terminal);
  else await runOnce();
}

/** As many threads as there are users for, where there are several. */
function onThreads(
  threads: number,
  { load, input }: Prepared,
  users = load ? mostUsersIn(load, load.mostUsers) : 1,
): RunChoices['onThreads'] {
  const count = Math.min(threads, users);
  return count > 1 && input ? { count, input } : undefined;
}

/** Where others are to carry it out. Throws UsageError. */
function onMachines(
  chosen: ChosenMachines,
  { input, root }: Prepared,
  { threads }: RunFlags,
): RunChoices['onMachines'] {
  if (!input?.files.settings.some(({ path }) => path === 'mervok.yaml'))
    throw new UsageError(
      `--queue sends the folder of a collection to the workers, and no mervok.yaml says that ${root} is one. 'mervok init' writes it.`,
    );
  return { chosen, input, threads: threads === undefined ? undefined : Number(threads) };
}

/** A load that this machine cannot carry. Throws UsageError. */
function refuseTooManyForHere(load: LoadOptions): void {
  const users = mostUsersIn(load, load.mostUsers);
  refuseTooManyUsers(users, `A load of ${users} users needs`);
}

function refuseNothingToCheck({ plan, cases }: Prepared): void {
  if (cases === 0)
    throw new UsageError(
      'There is nothing to run: no page here has a case. A case is a heading with a fence ```http below it.',
    );
  if (plan.checks === 0)
    throw new UsageError(
      'Nothing was sent: nothing that was selected checks anything. Add a fence ```mervok with a line such as: status = 200',
    );
}

function readView({ quiet, onlyFailures, verbose, json }: RunFlags): NonNullable<RunChoices['view']> {
  const chosen = [
    ...(quiet ? ['--quiet'] : []),
    ...(onlyFailures ? ['--only-failures'] : []),
    ...(verbose ? ['--verbose'] : []),
    ...(json ? ['--json'] : []),
  ];
  if (chosen.length > 1) throw new UsageError(`${chosen.join(' and ')} do not go together.`);
  if (json) return 'events';
  if (verbose) return 'exchanges';
  if (onlyFailures) return 'failures';
  return quiet ? 'verdict' : 'all';
}

/** What stands before an address of the collection to name it from the working folder. */
function prefixOf(root: string): string {
  const way = relative(process.cwd(), root).replaceAll('\\', '/');
  return way === '' ? '' : `${way}/`;
}
