import { existsSync, statSync } from 'node:fs';
import { dirname, isAbsolute, join } from 'node:path';
import type { Load, UserRows } from '../core/language/load/load.ts';
import { parseLoad } from '../core/language/load/parse-load.ts';
import { type Finding, findingOf } from '../core/model/finding.ts';
import { Source } from '../core/model/source.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { mostUsersIn, rowNumbers } from '../core/runner/load/user-rows.ts';
import type { LoadOptions } from '../core/runner/run-options.ts';
import type { Level } from '../core/settings/level.ts';
import { defaultTimeout } from '../core/settings/transport.ts';
import { clockAndRandomFrom } from '../platform/external-sources.ts';
import { read } from '../platform/files.ts';
import { mostUsersAllowed } from './descriptors.ts';
import { openTable } from './open-table.ts';
import { readCount, readShare, readTime } from './read-options.ts';

export interface LoadFlags {
  /** True where it is that of the settings, else what it is, or a file that says so. */
  readonly load?: string | true;
  readonly rate?: string;
  readonly for?: string;
  readonly mostUsers?: string;
  readonly sample?: string;
  readonly seed?: string;
}

/** A load that was asked for: its text, and where it stands. */
export type ChosenLoad =
  | { readonly from: 'settings' }
  | {
      readonly from: 'text';
      readonly text: string;
      /** As findings name it. */
      readonly name: string;
      /** Of its tables. */
      readonly folder: string;
    };

/** What a run with load goes by; or what is wrong with it. */
export interface ReadLoad {
  readonly options: LoadOptions | undefined;
  readonly findings: readonly Finding[];
}

const usual = { mostUsers: 1000, sample: 0.01 };

/**
 * The load that the command line asks for, and the paths that it names besides: without a load behind it, `--load` is
 * followed by what is to run. Throws UsageError.
 */
export function chooseLoad(
  flags: LoadFlags,
  paths: readonly string[],
): { readonly chosen: ChosenLoad | undefined; readonly paths: readonly string[] } {
  const { load, rate } = flags;
  if (rate !== undefined) return { chosen: rateAsLoad(rate, flags), paths };
  if (load === undefined) return { chosen: undefined, paths };
  if (load === true) return { chosen: { from: 'settings' }, paths };
  if (isPath(load)) return { chosen: { from: 'settings' }, paths: [load, ...paths] };
  if (existsSync(load)) {
    const text = read(load);
    return { chosen: { from: 'text', text, name: load, folder: dirname(load) }, paths };
  }
  if (!/[\s;]/.test(load)) throw new UsageError(`There is no file '${load}' that says what the load is.`);
  return { chosen: { from: 'text', text: load, name: '--load', folder: '.' }, paths };
}

/** Whether it names cases: a folder, a page, a case of one. */
function isPath(text: string): boolean {
  const [file = ''] = text.split('#');
  if (/\.(?:md|markdown)$/i.test(file)) return true;
  return statSync(text, { throwIfNoEntry: false })?.isDirectory() === true;
}

/** `--rate 200 --for 1min` is a load of one phase. */
function rateAsLoad(rate: string, { for: lasting }: LoadFlags): ChosenLoad {
  const [, number, unit = '/s'] = /^(\d+(?:\.\d+)?)\s*(?:rounds)?\s*(\/(?:s|min|h))?$/.exec(rate) ?? [];
  if (number === undefined || Number(number) === 0)
    throw new UsageError(
      `--rate takes a number of rounds a second, not '${rate}'. For example: --rate 200, --rate 90/min`,
    );
  if (lasting === undefined) throw new UsageError(`--rate ${rate} needs to know for how long: --for 1min`);
  readTime('--for', lasting);
  const text = `stay at ${number} rounds${unit} for ${lasting}`;
  return { from: 'text', text, name: '--rate', folder: '.' };
}

/** Makes ready what was asked for. @param root of the collection: the level that its settings stand in */
export async function readLoadChoice(
  chosen: ChosenLoad,
  flags: LoadFlags,
  { level, folder }: { readonly level: Level; readonly folder: string },
): Promise<ReadLoad> {
  if (chosen.from === 'settings') {
    // What is wrong with it has been found with the other settings.
    if (!level.load) throw new UsageError(noLoad(level));
    return { options: await optionsOf(level.load, flags, level, folder), findings: [] };
  }
  const source = new Source(chosen.name, chosen.text);
  const { load, errors } = parseLoad(source.text);
  const findings = errors.map(each => findingOf(each, source));
  return { options: load && (await optionsOf(load, flags, level, chosen.folder)), findings };
}

function noLoad({ source }: Level): string {
  const where = source.text === '' ? 'The settings say' : `${source.file} says`;
  return `${where} nothing of a load. Write it there behind load: |, or on the command line: --load 'rise to 50 users in 2 min; stay 5 min'`;
}

async function optionsOf(
  { phases, stops, rows }: Load,
  { mostUsers, sample, seed }: LoadFlags,
  { transport }: Level,
  folder: string,
): Promise<LoadOptions> {
  const allowed = mostUsersAllowed() ?? Number.POSITIVE_INFINITY;
  const most =
    mostUsers === undefined ? Math.min(usual.mostUsers, allowed) : readCount('--most-users', mostUsers);
  return {
    phases,
    stops,
    ...(rows && { rows: await takeRows(rows, folder, { users: mostUsersIn({ phases }, most), seed }) }),
    mostUsers: most,
    sample: sample === undefined ? usual.sample : readShare('--sample', sample),
    grace: transport.timeout?.total ?? defaultTimeout,
  };
}

async function takeRows(
  { table: name, order }: UserRows,
  folder: string,
  { users, seed }: { readonly users: number; readonly seed: string | undefined },
): Promise<LoadOptions['rows']> {
  const path = isAbsolute(name) ? name : join(folder, name);
  const table = { ...(await openTable(path, ', which each user is to take a row of')), name };
  const chance = clockAndRandomFrom(seed)(0, 0, 0, 'rows of users');
  // Where the unit changes, users of both may be there for a while.
  return { table, numbers: rowNumbers(order, table.count, 2 * users, chance) };
}
