import { basename, isAbsolute, join, relative, resolve, sep } from 'node:path';
import { withoutSheet } from '../core/analysis/tables.ts';
import { parseLoad } from '../core/language/load/parse-load.ts';
import { UsageError } from '../core/model/usage-error.ts';
import type { LoadShare } from '../core/runner/load/arrivals.ts';
import { read } from '../platform/files.ts';
import type { ChosenLoad } from './load-choice.ts';
import type { Chosen, PlanFlags, PlanInput } from './prepare.ts';
import type { ThreadWork } from './thread-work.ts';

/** What is made for a run beside its collection lies here in what is sent. */
export const besideFolder = 'mervok-given';

/** What a worker carries out, as plain data. Paths are from the root of the collection. */
export interface JobWork extends Omit<ThreadWork, 'input' | 'segment' | 'share' | 'fences'> {
  readonly collection: {
    readonly settings: readonly string[];
    readonly secrets?: string;
    readonly pages: readonly { readonly path: string; readonly unreadable?: string }[];
  };
  /** Of the collection, for whoever watches the worker. */
  readonly title: string;
  readonly paths: readonly string[];
  readonly flags: PlanFlags & { readonly cleansUp?: boolean };
  readonly chosen: PlainChoice;
  /** Where pages are shared out: those of each share. */
  readonly shares?: readonly (readonly string[])[];
  /** Where users are: which share this is. */
  readonly share?: LoadShare;
  /** How many threads share it between them; as many as there are cores if nothing is said. */
  readonly threads?: number | undefined;
}

interface PlainChoice extends Pick<Chosen, 'without' | 'tags' | 'notTags'> {
  readonly among?: readonly string[];
  readonly effects?: readonly string[];
  readonly shard?: {
    readonly index: number;
    readonly of: number;
    readonly durations: readonly (readonly [address: string, milliseconds: number])[];
  };
}

/** What a run names by its path that lies anywhere: where it is, and where it lies in what is sent. */
export function filesOfJob({ root, flags }: PlanInput): {
  flags: JobWork['flags'];
  besides: { from: string; path: string }[];
} {
  const besides: { from: string; path: string }[] = [];
  const beside = (kind: string, file: string) => {
    const path = `${besideFolder}/${kind}/${basename(file)}`;
    besides.push({ from: withoutSheet(file), path: withoutSheet(path) });
    return path;
  };
  const {
    asLoad,
    vars,
    rows,
    filesAnywhere: _anywhere,
    commands: _commands,
    elsewhere: _elsewhere,
    ...others
  } = flags;
  return {
    flags: {
      ...others,
      ...(vars && { vars: vars.map((file, index) => beside(`vars-${index + 1}`, file)) }),
      ...(rows !== undefined && { rows: beside('rows', rows) }),
      ...(asLoad && { asLoad: { ...asLoad, chosen: loadOf(asLoad.chosen, root, besides) } }),
    },
    besides,
  };
}

/** Tables that a load names lie beside it. */
function loadOf(chosen: ChosenLoad, root: string, besides: { from: string; path: string }[]): ChosenLoad {
  if (chosen.from === 'settings') return chosen;
  const { load } = parseLoad(chosen.text);
  const folder = relative(root, resolve(chosen.folder)).split(sep).join('/');
  if (!load?.rows) return { ...chosen, folder: '' };
  // In the collection it is there already.
  if (!folder.startsWith('..') && !isAbsolute(folder)) return { ...chosen, folder };
  const table = load.rows.table;
  if (isAbsolute(table) || table.split('/').includes('..'))
    throw new UsageError(
      `The table '${table}' of the load has to lie beside it, or in the collection, to be sent to workers.`,
    );
  const path = `${besideFolder}/load/${withoutSheet(table)}`;
  besides.push({ from: join(chosen.folder, withoutSheet(table)), path });
  return { ...chosen, folder: `${besideFolder}/load` };
}

/** The plan's input as it is sent. @param flags with the paths of files as they lie in what is sent */
export async function workOf(
  { files, paths, chosen }: PlanInput,
  flags: JobWork['flags'],
): Promise<Pick<JobWork, 'collection' | 'paths' | 'flags' | 'chosen'>> {
  const { effects, among, shard, effectsKnown: _known, ...others } = chosen;
  const known = await effects?.();
  return {
    collection: {
      settings: files.settings.map(({ path }) => path),
      ...(files.secrets && { secrets: files.secrets.path }),
      pages: files.pages.map(({ path, unreadable }) =>
        unreadable === undefined ? { path } : { path, unreadable },
      ),
    },
    paths,
    flags,
    chosen: {
      ...others,
      ...(among && { among: [...among] }),
      ...(known && { effects: [...known] }),
      ...(shard && { shard: { ...shard, durations: [...shard.durations] } }),
    },
  };
}

/** The same again, of a collection that has been unpacked into a folder. Throws UsageError. */
export function inputOf({ collection, paths, flags, chosen }: JobWork, root: string): PlanInput {
  const textOf = (path: string) => read(join(root, path));
  const { among, effects, shard, ...others } = chosen;
  const here = (path: string) => join(root, path);
  const { asLoad } = flags;
  return {
    root,
    files: {
      settings: collection.settings.map(path => ({ path, text: textOf(path) })),
      ...(collection.secrets !== undefined && {
        secrets: { path: collection.secrets, text: textOf(collection.secrets) },
      }),
      pages: collection.pages.map(page => ({
        ...page,
        text: page.unreadable === undefined ? textOf(page.path) : '',
      })),
    },
    paths,
    flags: {
      ...flags,
      ...(flags.vars && { vars: flags.vars.map(here) }),
      ...(flags.rows !== undefined && { rows: here(flags.rows) }),
      ...(asLoad?.chosen.from === 'text' && {
        asLoad: { ...asLoad, chosen: { ...asLoad.chosen, folder: here(asLoad.chosen.folder) } },
      }),
      confined: true,
    },
    chosen: {
      ...others,
      ...(among && { among: new Set(among) }),
      ...(effects && { effectsKnown: new Set(effects) }),
      ...(shard && { shard: { ...shard, durations: new Map(shard.durations) } }),
    },
  };
}
