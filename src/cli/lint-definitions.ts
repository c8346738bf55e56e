import { existsSync, statSync } from 'node:fs';
import { dirname, relative, resolve, sep } from 'node:path';
import { collect } from '../core/analysis/collection.ts';
import { weighted } from '../core/analysis/weights.ts';
import { type Finding, sortFindings } from '../core/model/finding.ts';
import { Source } from '../core/model/source.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { counted } from '../core/text/words.ts';
import { collectionAround } from '../platform/collection-folder.ts';
import { read, readInside } from '../platform/files.ts';
import { findCollection } from '../platform/find-collection.ts';
import { suggestPath } from '../platform/suggest-path.ts';

/** A definition of an API that was looked through. */
export interface LintedDefinition {
  /** As seen from the root of its collection. */
  readonly file: string;
  /** Of OpenAPI; nothing where it could not be read. */
  readonly version?: string;
  readonly operations: number;
  readonly findings: readonly Finding[];
}

/** Whether a path on the command line names a definition rather than pages. */
export function namesDefinition(path: string): boolean {
  return /\.(?:ya?ml|json)$/i.test(path) && !/(?:^|[\\/])mervok\.ya?ml$/i.test(path) && !isFolder(path);
}

function isFolder(path: string): boolean {
  return statSync(path, { throwIfNoEntry: false })?.isDirectory() === true;
}

/** Everything that can be said of a definition; what it weighs is for the settings around it. Throws UsageError. */
export async function lintDefinition(path: string, anywhere: boolean): Promise<LintedDefinition> {
  const absolute = resolve(path);
  if (!existsSync(absolute))
    throw new UsageError(`There is no '${path}'.${suggestPath(path, process.cwd())}`);
  const root = collectionAround(dirname(absolute));
  const base = root ?? dirname(absolute);
  const file = relative(base, absolute).split(sep).join('/');
  const { openDefinition, lookThrough } = await import('../core/definition/index.ts');
  const readText = (each: string) => readInside({ root: base, anywhere }, each);
  const { api, finding } = openDefinition(new Source(file, read(absolute)), readText);
  const settings = root === undefined ? [] : (await findCollection([root], root)).files.settings;
  const collection = await collect({ settings }, []);
  const findings = api ? await lookThrough(api, askedIn(collection.levelsAbove(file))) : [finding!];
  return {
    file,
    ...(api && { version: api.version }),
    operations: api?.operations.length ?? 0,
    findings: sortFindings(weighted(findings, collection)),
  };
}

/** The codes that settings give a weight. */
function askedIn(levels: readonly { readonly lint?: ReadonlyMap<string, string> }[]): Set<string> {
  return new Set(levels.flatMap(({ lint }) => [...(lint?.keys() ?? [])]));
}

/** `harbour.yaml: OpenAPI 3.1, 24 operations` */
export function definitionInWords({ file, version, operations }: LintedDefinition): string {
  return `${file}: OpenAPI ${version}, ${counted(operations, 'operation')}`;
}
