import { availableParallelism } from 'node:os';
import { relative, resolve, sep } from 'node:path';
import type { Choice } from '../core/analysis/select.ts';
import { UsageError } from '../core/model/usage-error.ts';
import type { RunOptions } from '../core/runner/run-options.ts';
import { casesOf, cookieSettersIn, findRun, listRuns, readSummary } from '../platform/run-records.ts';
import type { LoadFlags } from './load-choice.ts';
import type { Chosen } from './prepare.ts';
import { readCount, readTime, readTimeRange } from './read-options.ts';

export interface SelectionFlags {
  readonly tag?: readonly string[];
  readonly notTag?: readonly string[];
  readonly without?: readonly string[];
  readonly failed?: boolean;
  readonly shard?: string;
  readonly alone?: boolean;
}

export interface RunOptionFlags extends LoadFlags {
  readonly rounds?: string;
  readonly users?: string;
  readonly jobs?: string;
  readonly threads?: string;
  readonly pause?: string;
  readonly timeout?: string;
  readonly failFast?: boolean;
  readonly examples?: string;
}

type ChosenRunOptions = Pick<
  RunOptions,
  'rounds' | 'users' | 'lasting' | 'jobs' | 'pause' | 'timeout' | 'failFast' | 'examples'
>;

/** How a run goes, as the command line says. Throws UsageError. */
export function readRunOptions(flags: RunOptionFlags): ChosenRunOptions {
  const { rounds, users, jobs, pause, timeout, failFast } = flags;
  const isLoad = flags.load !== undefined || flags.rate !== undefined;
  if (isLoad) refuseBesideLoad(flags);
  else refuseOfLoadAlone(flags);
  return {
    ...(rounds !== undefined && { rounds: readCount('--rounds', rounds) }),
    ...(users !== undefined && { users: readCount('--users', users) }),
    ...(jobs !== undefined && { jobs: readCount('--jobs', jobs) }),
    ...(flags.for !== undefined && !isLoad && { lasting: readTime('--for', flags.for) }),
    ...(pause !== undefined && { pause: readTimeRange('--pause', pause) }),
    ...(timeout !== undefined && { timeout: readTime('--timeout', timeout) }),
    ...(failFast && { failFast }),
    examples: readExamples(flags),
  };
}

/** What says how a run goes in another way than a load does. */
function refuseBesideLoad({
  load,
  rate,
  ...flags
}: RunOptionFlags & { readonly rows?: string; readonly watch?: boolean }): void {
  if (load !== undefined && (rate !== undefined || flags.for !== undefined))
    throw new UsageError(
      `--load and ${rate === undefined ? '--for' : '--rate'} do not go together: a load says it itself.`,
    );
  const asked = load === undefined ? '--rate' : '--load';
  const others: readonly [option: string, value: unknown, why: string][] = [
    ['--users', flags.users, "write it as a phase: --load 'stay at 50 users for 5 min'"],
    ['--rounds', flags.rounds, 'how many there are follows from the time'],
    ['--rows', flags.rows, 'a line of the load says it: each user takes row of "pilots.csv"'],
    ['--jobs', flags.jobs, 'what runs at the same time are users'],
    ['--watch', flags.watch, 'a load is run by itself'],
  ];
  for (const [option, value, why] of others)
    if (value !== undefined) throw new UsageError(`${asked} and ${option} do not go together: ${why}.`);
}

/** How many threads share the users between them: as many as there are cores where it is a load, else one. Throws UsageError. */
export function readThreads(
  { threads, users, load, rate, jobs }: RunOptionFlags,
  { rows }: { readonly rows?: string },
): number {
  const isLoad = load !== undefined || rate !== undefined;
  if (threads === undefined) return isLoad ? availableParallelism() : 1;
  const count = readCount('--threads', threads);
  if (count > mostThreads) throw new UsageError(`--threads takes ${mostThreads} at the most, not ${count}.`);
  if (count === 1) return count;
  if (!isLoad && users === undefined)
    throw new UsageError('--threads share users between them: add --users N, or --load.');
  const other = jobs !== undefined ? '--jobs' : rows !== undefined ? '--rows' : undefined;
  if (other)
    throw new UsageError(`--threads and ${other} do not go together: threads share users between them.`);
  return count;
}

const mostThreads = 64;

/** What only the machine itself can do that a run is started on. Throws UsageError. */
export function refuseBesideQueue({
  watch,
  jobs,
  filesAnywhere,
  commands,
  examples,
  users,
  load,
  rate,
  for: lasting,
}: RunOptionFlags & {
  readonly watch?: boolean;
  readonly filesAnywhere?: boolean;
  readonly commands?: boolean | undefined;
}): void {
  const isByPages = users === undefined && load === undefined && rate === undefined;
  const others: readonly [option: string, given: boolean, why: string][] = [
    ['--watch', watch === true, 'it is about files of this machine'],
    ['--jobs', jobs !== undefined, 'what runs at the same time are workers'],
    ['--files-anywhere', filesAnywhere === true, 'workers are sent the collection alone'],
    ['--commands', commands === true, 'each worker says whether it runs them: mervok worker --commands'],
    ['--examples write', examples === 'write', 'pages of this machine are written by a run of its own'],
    ['--for', isByPages && lasting !== undefined, 'add --users N, which workers then share between them'],
  ];
  for (const [option, given, why] of others)
    if (given) throw new UsageError(`--queue and ${option} do not go together: ${why}.`);
}

function refuseOfLoadAlone({ mostUsers, sample }: RunOptionFlags): void {
  const option = mostUsers === undefined ? sample !== undefined && '--sample' : '--most-users';
  if (option) throw new UsageError(`${option} is for a run with load: mervok run --load`);
}

/** Responses are set beside examples where each request is sent once; many of them would only say it again. */
function readExamples({
  examples,
  rounds,
  users,
  load,
  rate,
  for: lasting,
}: RunOptionFlags): RunOptions['examples'] {
  const repeats = Object.entries({
    '--rounds': rounds,
    '--users': users,
    '--load': load,
    '--rate': rate,
    '--for': lasting,
  }).find(([, value]) => value !== undefined);
  if (examples === undefined) return repeats ? undefined : 'told';
  if (examples !== 'strict' && examples !== 'write')
    throw new UsageError(
      `--examples takes strict (what is not as its example fails) or write (examples are taken from what comes), not '${examples}'.`,
    );
  if (repeats)
    throw new UsageError(
      `--examples ${examples} and ${repeats[0]} do not go together: examples are for one answer.`,
    );
  return examples === 'strict' ? examples : undefined;
}

/**
 * Which cases run, as the command line says.
 * @param root of the collection, whose earlier runs count for `--failed` and `--shard`
 * Throws UsageError, UsageError.
 */
export async function readSelection(flags: SelectionFlags, root: string): Promise<Chosen> {
  const { tag, notTag, without, failed, shard, alone } = flags;
  return {
    ...(tag && { tags: tag }),
    ...(notTag && { notTags: notTag }),
    ...(without && { without: without.map(path => fromRoot(path, root)) }),
    ...(failed && { among: await failedLast(root) }),
    ...(shard !== undefined && { shard: await readShard(shard, root) }),
    // Tags choose just what their author gave them to.
    ...(!alone && !tag && { effects: () => cookieSettersIn(root) }),
  };
}

function fromRoot(path: string, root: string): string {
  const [file = '', slug] = path.split('#') as [string, string?];
  const way = relative(root, resolve(file)).split(sep).join('/');
  if (way.startsWith('..'))
    throw new UsageError(`--without '${path}' lies outside of the collection, so nothing of it would run.`);
  return slug === undefined ? way : `${way}#${slug}`;
}

/** The cases that did not pass in the last run. */
async function failedLast(root: string): Promise<Set<string>> {
  const { id, path } = findRun('last', root);
  const cases = new Set<string>();
  for await (const event of casesOf(path))
    if (!['passed', 'skipped'].includes(event.outcome)) cases.add(event.case);
  if (cases.size === 0)
    throw new UsageError(`Nothing was sent: in the last run, ${id}, no case failed or was blocked.`);
  return cases;
}

async function readShard(text: string, root: string): Promise<NonNullable<Choice['shard']>> {
  const [, index, of] = /^(\d+)\/(\d+)$/.exec(text) ?? [];
  if (index === undefined || Number(index) < 1 || Number(index) > Number(of))
    throw new UsageError(`--shard takes I/N, the I-th of N shares, not '${text}'. For example: --shard 2/4`);
  return { index: Number(index), of: Number(of), durations: await durationsKnown(root) };
}

/** How long each case took in the last run of the whole collection: of shares only, each would know something else. */
export async function durationsKnown(root: string): Promise<Map<string, number>> {
  const durations = new Map<string, number>();
  for (const id of listRuns(root).toReversed()) {
    const { path } = findRun(id, root);
    const { run, end } = await readSummary(path);
    if (run.shard || run.selected !== undefined || !end || end.stopped) continue;
    for await (const { case: address, time } of casesOf(path))
      durations.set(address, (durations.get(address) ?? 0) + time);
    break;
  }
  return durations;
}

/** What was asked for, for the record. */
export function selectedInWords(paths: readonly string[], flags: SelectionFlags): string | undefined {
  const { tag = [], notTag = [], without = [], failed, shard } = flags;
  const words = [
    ...paths,
    ...tag.map(each => `--tag ${each}`),
    ...notTag.map(each => `--not-tag ${each}`),
    ...without.map(each => `--without ${each}`),
    ...(failed ? ['--failed'] : []),
    ...(shard === undefined ? [] : [`--shard ${shard}`]),
  ];
  return words.length === 0 ? undefined : words.join(' ');
}
