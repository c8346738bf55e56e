import { dirname, join, relative, resolve } from 'node:path';
import type { PlanOptions } from '../core/analysis/analysis.ts';
import { baseOfPage } from '../core/analysis/base.ts';
import { buildPlan, type PreparedPlan } from '../core/analysis/build-plan.ts';
import {
  type Collection,
  type CollectionFiles,
  collect,
  readCollection,
} from '../core/analysis/collection.ts';
import type { Flow } from '../core/analysis/flow.ts';
import type { GivenValue } from '../core/analysis/given-value.ts';
import type { Plan } from '../core/analysis/plan.ts';
import type { Choice } from '../core/analysis/select.ts';
import { isName } from '../core/language/reference.ts';
import type { ExternalSources } from '../core/model/external-sources.ts';
import { type Finding, sortFindings } from '../core/model/finding.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { Plain, type Value } from '../core/model/value.ts';
import { pageOfRequest } from '../core/pages/given-page.ts';
import type { LoadOptions } from '../core/runner/run-options.ts';
import type { GivenRequest } from '../core/steps/http/write-request.ts';
import { counted } from '../core/text/words.ts';
import { clockAndRandom, openExternalSources } from '../platform/external-sources.ts';
import type { FilePlaces } from '../platform/file-places.ts';
import { fileAccess } from '../platform/files.ts';
import { findCollection } from '../platform/find-collection.ts';
import { gitIgnoreAround } from '../platform/git-ignore.ts';
import { machineFor } from '../platform/permissions.ts';
import { readVariableFile } from '../platform/variable-files.ts';
import { countFindings, findingsText } from '../reports/findings-text.ts';
import { createMeasure } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import type { ChosenLoad, LoadFlags } from './load-choice.ts';
import { openTable } from './open-table.ts';
import type { Terminal } from './terminal.ts';

export interface PlanFlags {
  readonly env?: string;
  readonly set?: readonly string[];
  /** Files of variables. */
  readonly vars?: readonly string[];
  readonly rows?: string;
  readonly filesAnywhere?: boolean;
  /** Whether other machines carry it out: what this one has and allows does not count. */
  readonly elsewhere?: boolean;
  /** Whether the collection is somebody else's, and stays inside of its folder. */
  readonly confined?: boolean;
  /** Where a load is to be carried out. */
  readonly asLoad?: { readonly chosen: ChosenLoad; readonly flags: LoadFlags } | undefined;
  /** Whether commands may be run; nothing where nothing is run. */
  readonly commands?: boolean | undefined;
}

/** What the command line says of the cases, besides where they lie. */
export type Chosen = Omit<Choice, 'paths'> &
  Pick<PlanOptions, 'effects'> & {
    /** What `effects` has come to, where the same is made ready again. */
    readonly effectsKnown?: ReadonlySet<string>;
  };

export interface Prepared {
  readonly plan: Plan;
  readonly findings: Finding[];
  readonly flow: Flow;
  readonly named: PreparedPlan['named'];
  readonly root: string;
  readonly places: FilePlaces;
  readonly external: ExternalSources;
  readonly cases: number;
  /** The load that was asked for. */
  readonly load?: LoadOptions;
  /** What the plan is made of, where it is one of a collection. */
  readonly input?: PlanInput;
  /** The pages of a folder without settings, where they are what runs. */
  readonly gathered?: readonly string[];
}

/** From the paths on the command line to a plan and everything that was found on the way. */
export async function preparePlan(
  paths: readonly string[],
  flags: PlanFlags & Pick<PlanOptions, 'cleansUp'>,
  choose: (root: string) => Promise<Chosen> = async () => ({}),
): Promise<Prepared> {
  const found = await findCollection(paths, process.cwd());
  const { root, files } = found;
  const input = { root, files, paths: found.paths, flags, chosen: await choose(root) };
  const prepared = { ...(await prepareInput(input)), input };
  const gathered = found.withoutSettings && found.files.pages.map(({ path }) => path);
  return gathered ? { ...prepared, gathered } : prepared;
}

/** All that a plan is made of: where it is made of it again, it comes to the same. */
export interface PlanInput {
  readonly root: string;
  readonly files: CollectionFiles;
  /** Relative to the root. */
  readonly paths: readonly string[];
  readonly flags: PlanFlags & Pick<PlanOptions, 'cleansUp'>;
  readonly chosen: Chosen;
}

export async function prepareInput({ root, files, paths, flags, chosen }: PlanInput): Promise<Prepared> {
  const places = { root, anywhere: flags.filesAnywhere === true, confined: flags.confined };
  const { effectsKnown, ...others } = chosen;
  return prepareCollection(await readCollection(files), paths, flags, {
    places,
    chosen: effectsKnown ? { ...others, effects: async () => effectsKnown } : others,
  });
}

/** As messages call what was typed. */
const givenPage = 'the request';

/** A request of the command line: where it begins with '/', the settings around the working folder hold for it. */
export async function prepareGiven(
  given: GivenRequest,
  flags: PlanFlags,
  ownSettings: Value,
): Promise<Prepared> {
  const pages = [pageOfRequest(given, givenPage, ownSettings)];
  if (!given.target.startsWith('/')) {
    const places = { root: process.cwd(), anywhere: true };
    return prepareCollection(await collect({ settings: [] }, pages), [givenPage], flags, { places });
  }
  const { root, files } = await findCollection([], process.cwd());
  const settings = files.settings.filter(({ path }) => path === 'mervok.yaml');
  const own = { settings, ...(files.secrets && { secrets: files.secrets }) };
  const places = { root, anywhere: true };
  const prepared = await prepareCollection(await collect(own, pages), [givenPage], flags, { places });
  return { ...prepared, findings: prepared.findings.filter(({ code }) => !ofOtherPages.has(code)) };
}

/** What settings say of pages, which are not read for a request of the command line. */
const ofOtherPages: ReadonlySet<string> = new Set(['order-unknown', 'bound-unknown', 'need-unknown']);

async function prepareCollection(
  collection: Collection,
  paths: readonly string[],
  flags: PlanFlags & Pick<PlanOptions, 'cleansUp'>,
  { places, chosen = {} }: { readonly places: FilePlaces; readonly chosen?: Chosen },
): Promise<Prepared> {
  const external = openExternalSources(places);
  const rows = flags.rows === undefined ? undefined : await openTable(flags.rows);
  const load = await loadOf(flags, collection, places);
  const { plan, findings, flow, named } = await buildPlan(collection, {
    paths,
    ...(flags.env !== undefined && { environment: flags.env }),
    given: await readGiven(flags),
    ...chosen,
    ...(rows && { rows }),
    ...(load?.options?.rows && { userRows: load.options.rows.table }),
    ...(flags.cleansUp !== undefined && { cleansUp: flags.cleansUp }),
    ...fileAccess(places),
    ...(!flags.elsewhere && { machine: machineFor(places.root, flags.commands), external }),
    ...(collection.secrets && (await gitRules(places.root))),
  });
  const cases = plan.pages.reduce((sum, page) => sum + page.cases.length, 0);
  return {
    ...{ plan, flow, named, root: places.root, places, external, cases },
    findings: sortFindings([...(load?.findings ?? []), ...findings]),
    ...(load?.options && { load: load.options }),
  };
}

/** What is asked for by `--load`. Throws UsageError. */
async function loadOf({ asLoad }: PlanFlags, { root: level, findings }: Collection, { root }: FilePlaces) {
  if (!asLoad) return undefined;
  // What cannot be read is told with the other findings.
  if (asLoad.chosen.from === 'settings' && findings.some(({ code }) => code === 'load-form'))
    return undefined;
  const { readLoadChoice } = await import('./load-choice.ts');
  return readLoadChoice(asLoad.chosen, asLoad.flags, { level, folder: root });
}

/** Which files of a collection Git leaves out. */
async function gitRules(root: string): Promise<Pick<PlanOptions, 'isIgnored'>> {
  const isIgnored = await gitIgnoreAround(root);
  return isIgnored ? { isIgnored: path => isIgnored(join(root, path), 'file') } : {};
}

/** What stands before the targets of a page, as far as it is known before a run. */
export async function baseOf(page: string, flags: PlanFlags): Promise<string | undefined> {
  try {
    const { root, files } = await findCollection([], dirname(resolve(page)));
    return baseOfPage(await readCollection(files), relative(root, resolve(page)).replaceAll('\\', '/'), {
      environment: flags.env,
      given: await readGiven(flags),
      external: openExternalSources({ root }),
      clockAndRandom,
    });
  } catch (error) {
    // Outside of a collection, or where none is sound, there is no base.
    if (isUsageError(error)) return undefined;
    throw error;
  }
}

/** Without a word nothing is allowed. */
export function allowing<Flags extends PlanFlags>(flags: Flags): Flags & { commands: boolean } {
  return { ...flags, commands: flags.commands === true };
}

/** What `--set` gives is stronger than what the files of `--vars` give; a later file is stronger than an earlier one. */
export async function readGiven({ set = [], vars = [] }: PlanFlags): Promise<Map<string, GivenValue>> {
  const given = new Map<string, GivenValue>();
  for (const path of vars)
    for (const [name, value] of await readVariableFile(path))
      given.set(name, { value, origin: `from ${path}` });
  for (const [name, value] of readPairs(set)) given.set(name, { value, origin: 'given by --set' });
  return given;
}

function readPairs(pairs: readonly string[]): [string, Value][] {
  return pairs.map(pair => {
    const at = pair.indexOf('=');
    const name = at < 0 ? pair : pair.slice(0, at);
    if (at < 0 || !isName(name))
      throw new UsageError(`'${pair}' is not of the form NAME=VALUE. For example: --set nights=3`);
    return [name, new Plain(pair.slice(at + 1))];
  });
}

/** What has to be said again for the same cases to run as they did. A secret is not told. */
export function flagsAgain(flags: PlanFlags & { readonly alone?: boolean }, { secretNames }: Plan): string[] {
  const { env, set = [], vars = [], rows, filesAnywhere, commands, alone } = flags;
  const shownPair = (pair: string) => {
    const name = pair.slice(0, pair.indexOf('='));
    return secretNames.has(name) ? `${name}=[secret]` : pair;
  };
  return [
    ...(env === undefined ? [] : [`@${env}`]),
    ...set.flatMap(pair => ['--set', shownPair(pair)]),
    ...vars.flatMap(path => ['--vars', path]),
    ...(rows === undefined ? [] : ['--rows', rows]),
    ...(filesAnywhere ? ['--files-anywhere'] : []),
    ...(commands ? ['--commands'] : []),
    ...(alone ? ['--alone'] : []),
  ];
}

/** A value given for nothing is most likely a slip; it does not keep anything from being run. */
export function noteUnusedGiven({ given, unusedGiven }: Plan, { err }: Terminal): void {
  for (const { name, nearest } of unusedGiven) {
    // A file of variables may hold more than one run needs.
    if (given.get(name)?.origin !== 'given by --set') continue;
    const why =
      nearest === undefined
        ? `no case that runs uses '${name}', or an earlier case of its page gives the value.`
        : `no case that runs uses '${name}'. Did you mean '${nearest}'?`;
    err(`--set ${name} has no effect: ${why}\n`);
  }
}

/** What nobody has put together as a collection is named before it is sent. */
export function noteGathered({ gathered }: Prepared, { err }: Terminal): void {
  if (!gathered) return;
  const named = gathered.slice(0, 10);
  const more = gathered.length - named.length;
  err(
    `There is no mervok.yaml here; what runs are the pages right in this folder: ${named.join(', ')}${more > 0 ? ` and ${counted(more, 'more', 'more')}` : ''}.\n`,
  );
}

/** What may do harm is said before anything is sent: that nobody looks at certificates, that secrets lie open. */
export function noteUnsafe(findings: readonly Finding[], { err }: Terminal): void {
  if (process.env.NODE_TLS_REJECT_UNAUTHORIZED === '0')
    err(
      'NODE_TLS_REJECT_UNAUTHORIZED is set and does not count: certificates are looked at. The setting is tls: { verify: false }.\n',
    );
  for (const { code, source, range, message } of findings) {
    if (code !== 'tls-unverified' && code !== 'secret-exposed') continue;
    err(`${source.file}:${source.position(range.start).line}: ${message}\n`);
  }
}

/** Where there is an error, all of them are told and nothing is sent. */
export async function refusedByErrors(findings: readonly Finding[], terminal: Terminal): Promise<boolean> {
  const errors = findings.filter(each => each.severity === 'error');
  if (errors.length === 0) return false;
  await printFindings(errors, terminal);
  terminal.err('Nothing was sent.\n');
  process.exitCode = exitCodes.nothingSent;
  return true;
}

/** Prints findings to standard error, and how many there are. */
export async function printFindings(
  findings: readonly Finding[],
  { err, paintErr: paint, width }: Terminal,
): Promise<void> {
  const sources = new Set(findings.map(each => each.source));
  const measure = await createMeasure([...sources].map(source => source.text));
  err(`${findingsText(findings, { paint, width, measure })}\n${countFindings(findings)}\n`);
}
