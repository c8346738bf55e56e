import { dirname, join, relative, resolve, sep } from 'node:path';
import type { ExercisedDefinition } from '../core/model/exercised.ts';
import { Source } from '../core/model/source.ts';
import { isUsageError, UsageError } from '../core/model/usage-error.ts';
import { Exercised } from '../core/record/exercised.ts';
import { openEventCheck } from '../core/record/validate.ts';
import { didYouMean, inWords } from '../core/text/words.ts';
import { read, readInside } from '../platform/files.ts';
import { findRun, readRecord } from '../platform/run-records.ts';
import { coverageInWords, coverageMarkdown, coverageText, type NamedCoverage } from '../reports/coverage.ts';
import { createMeasure, plainPaint } from '../reports/style.ts';
import { exitCodes } from './exit.ts';
import { readFindingsFile, readShare, writeFileOfForm } from './form-of-ending.ts';
import { rootHere } from './runs.ts';
import type { Terminal } from './terminal.ts';

export interface CoverageFlags {
  readonly definition?: string;
  readonly atLeast?: string;
  /** Whether 5xx and `default` count too. */
  readonly all?: boolean;
  readonly json?: boolean;
  readonly output?: string;
}

/** Says how much of the definition of an API runs on record have exercised. */
export async function coverageCommand(
  named: readonly string[],
  flags: CoverageFlags,
  terminal: Terminal,
): Promise<void> {
  const wanted = flags.atLeast === undefined ? undefined : readShare(flags.atLeast);
  const write = readFindingsFile(flags.output, 'What was exercised');
  const root = rootHere();
  const exercised = await gather(named.length === 0 ? ['last'] : named, root);
  const coverages: NamedCoverage[] = [];
  for (const each of chosen(exercised, flags.definition, root))
    coverages.push(await coverageOfFile(each, root, flags, terminal));
  const { out, err, paint, width } = terminal;
  const measure = await createMeasure(
    coverages.flatMap(each => each.operations.map(({ operation }) => operation)),
  );
  const text = (view: Parameters<typeof coverageText>[1]) =>
    coverages.map(each => coverageText(each, view).join('\n')).join('\n\n');
  if (flags.json) out(`${JSON.stringify(asJson(coverages), undefined, 2)}\n`);
  else out(`${text({ paint, measure, width: Math.min(width, 120) })}\n`);
  if (write) {
    const { coveragePage } = await import('../reports/page/coverage-page.ts');
    const written = {
      html: () => coveragePage(coverages),
      md: () => coverages.map(each => `${coverageMarkdown(each).join('\n')}\n`).join('\n'),
      json: () => `${JSON.stringify(asJson(coverages), undefined, 2)}\n`,
      txt: () => `${text({ paint: plainPaint, measure, width: 100 })}\n`,
    };
    await writeFileOfForm(write.path, written[write.form](), {
      out: flags.json ? () => undefined : out,
      err,
    });
  }
  // Of nothing no share was seen.
  const below = coverages.filter(
    ({ seen, pairs }) => wanted !== undefined && (pairs === 0 || seen / pairs < wanted),
  );
  if (below.length === 0) return;
  for (const each of below) err(`${each.file}: less than ${flags.atLeast} of what is described was seen.\n`);
  process.exitCode = exitCodes.failed;
}

async function gather(named: readonly string[], root: string | undefined): Promise<Exercised> {
  const found = named.map(each => findRun(each, root));
  const paths = found.map(({ path }) => resolve(path));
  const twice = paths.findIndex((path, at) => paths.indexOf(path) < at);
  if (twice >= 0)
    throw new UsageError(`'${found[twice]!.id}' is named twice; what it holds would count twice.`);
  const isEvent = await openEventCheck();
  const exercised = new Exercised();
  for (const { path } of found) await exercised.add(readRecord(path, isEvent));
  return exercised;
}

/** The definitions that are told of: one that is named, or all that runs were held to. Throws UsageError. */
function chosen(
  { definitions }: Exercised,
  named: string | undefined,
  root: string | undefined,
): ExercisedDefinition[] {
  const known = [...definitions.keys()];
  for (const { file, hashes } of definitions.values())
    if (hashes.size > 1)
      throw new UsageError(
        `These runs were held to ${hashes.size} different versions of ${file}, so what they have seen does not add up.`,
      );
  if (known.length === 0)
    throw new UsageError(
      'Nothing in this run was held to a definition. The setting is: definition: api/harbour.yaml',
    );
  if (named === undefined) return [...definitions.values()];
  const path = root === undefined ? named : relative(root, resolve(named)).split(sep).join('/');
  const found = definitions.get(path) ?? definitions.get(named) ?? sameContent(definitions, named);
  if (found) return [{ ...found, file: path }];
  throw new UsageError(
    `Nothing in this run was held to '${named}'. ${didYouMean(named, known) ?? `It was held to ${inWords(known)}.`}`,
  );
}

/** Of one definition alone it does not matter what its file is called now. */
function sameContent(
  definitions: ReadonlyMap<string, ExercisedDefinition>,
  named: string,
): ExercisedDefinition | undefined {
  const [only] = definitions.values();
  try {
    read(named);
  } catch (error) {
    if (!isUsageError(error)) throw error;
    return undefined;
  }
  return definitions.size === 1 ? only : undefined;
}

async function coverageOfFile(
  { file, hashes, operations }: ExercisedDefinition,
  root: string | undefined,
  { definition, all = false }: CoverageFlags,
  { err }: Terminal,
): Promise<NamedCoverage> {
  const path = definition ?? join(root ?? '.', file);
  const base = root ?? dirname(resolve(path));
  const source = new Source(file, read(path));
  const { openDefinition, exercisedPart, hashOf } = await import('../core/definition/index.ts');
  const { api, finding } = openDefinition(source, each => readInside({ root: base, anywhere: true }, each));
  if (!api) throw new UsageError(`'${path}' cannot be used: ${finding.message}`);
  if (!hashes.has(hashOf(api)))
    err(`${file} has changed since this run: what it describes now may be more or less.\n`);
  return { file, ...exercisedPart(api, operations, all) };
}

/** What was exercised, for programs. */
function asJson(coverages: readonly NamedCoverage[]) {
  return {
    format: 'mervok-coverage',
    version: 1,
    definitions: coverages.map(({ file, title, ...coverage }) => ({
      file,
      title,
      verdict: coverageInWords({ title, ...coverage }),
      ...coverage,
    })),
  };
}
