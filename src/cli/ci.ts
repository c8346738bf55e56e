import { existsSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { type CiPlan, secretFileVariable, secretsOf } from '../ci/ci-plan.ts';
import type { CiSystem } from '../ci/ci-system.ts';
import { ciSystems } from '../ci/systems.ts';
import { buildPlan } from '../core/analysis/build-plan.ts';
import { readCollection } from '../core/analysis/collection.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { didYouMean } from '../core/text/words.ts';
import { fileAccess } from '../platform/files.ts';
import { findCollection } from '../platform/find-collection.ts';
import { writeWhole } from '../platform/recorder.ts';
import { version } from '../platform/version.ts';
import type { Terminal } from './terminal.ts';

export interface CiFlags {
  readonly env?: string;
  readonly shards?: string;
  readonly atLeast?: string;
  readonly output?: string;
}

/** Writes the configuration of a CI system, or lists those that there are. */
export async function ciCommand(
  named: string | undefined,
  paths: readonly string[],
  flags: CiFlags,
  terminal: Terminal,
): Promise<void> {
  if (named === undefined) {
    list(terminal);
    return;
  }
  const system = ciSystems.find(({ id }) => id === named.toLowerCase());
  if (!system) {
    const known = ciSystems.map(({ id }) => id);
    throw new UsageError(
      `No CI system is called '${named}' here. ${didYouMean(named, known) ?? `There are ${known.join(', ')}.`}`,
    );
  }
  const { plan, repository } = await planFor(paths, flags);
  const { writeConfiguration } = await import('../ci/write-configuration.ts');
  const text = writeConfiguration(system.id, plan);
  if (flags.output === '-') {
    terminal.out(text);
    return;
  }
  await write(
    flags.output ?? join(relative(process.cwd(), repository), system.file),
    text,
    system,
    plan,
    terminal,
  );
}

function list({ out, paint }: Terminal): void {
  const wide = Math.max(...ciSystems.map(({ id }) => id.length));
  for (const { id, name, file } of ciSystems)
    out(`${id.padEnd(wide)}  ${name.padEnd(20)}  ${paint('quiet', file)}\n`);
}

async function write(
  path: string,
  text: string,
  { name, secrets }: CiSystem,
  plan: CiPlan,
  { out }: Terminal,
): Promise<void> {
  if (existsSync(path))
    throw new UsageError(
      `'${path}' is there already; nothing was written. -o FILE writes it elsewhere, -o - prints it.`,
    );
  try {
    await writeWhole(path, [text]);
  } catch (error) {
    throw new UsageError(`'${path}' cannot be written: ${(error as Error).message}`);
  }
  out(`written  ${path}\n`);
  const names = secretsOf(plan);
  if (names.length === 0) return;
  out(`\nWhat ${name} keeps as ${secrets}:\n`);
  for (const each of names)
    out(`  ${each}${each === secretFileVariable ? ', the text of mervok.secret.yaml' : ''}\n`);
}

/** What follows from the collection, and the root of its repository. */
async function planFor(
  paths: readonly string[],
  { env, shards, atLeast }: CiFlags,
): Promise<{ plan: CiPlan; repository: string }> {
  const { root, files, paths: asked } = await findCollection(paths, process.cwd());
  const collection = await readCollection(files);
  const { plan, flow } = await buildPlan(collection, {
    paths: asked,
    ...(env !== undefined && { environment: env }),
    given: new Map(),
    ...fileAccess({ root, anywhere: false }),
  });
  const used = collection.pages
    .flatMap(page => page.cases)
    .flatMap(each => flow.boundUses(each))
    .flatMap(({ binding }) => (binding?.from === 'variable' ? [binding.definition] : []));
  const { secrets } = collection;
  const repository = repositoryAround(root) ?? root;
  const folder = relative(repository, root).replaceAll('\\', '/');
  return {
    repository,
    plan: {
      package: `mervok@${version}`,
      folder: folder === '' ? undefined : folder,
      words: [...asked, ...(env === undefined ? [] : [`@${env}`])],
      variables: [...new Set(used.flatMap(({ os }) => os ?? []))].sort(),
      hasSecretFile: secrets !== undefined && used.some(({ source }) => source.file === secrets.source.file),
      shards: readShards(shards),
      hasDefinition: plan.definitions.length > 0,
      atLeast,
    },
  };
}

function readShards(text = '1'): number {
  const count = Number(text);
  if (Number.isInteger(count) && count >= 1 && count <= 64) return count;
  throw new UsageError(`--shards takes a whole number from 1 to 64, not '${text}'.`);
}

function repositoryAround(folder: string): string | undefined {
  if (existsSync(join(folder, '.git'))) return folder;
  const above = dirname(folder);
  return above === folder ? undefined : repositoryAround(above);
}
