import { existsSync, statSync } from 'node:fs';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import { readCollection } from '../core/analysis/collection.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { collectionAround, rootFile } from '../platform/collection-folder.ts';
import { read, readInside } from '../platform/files.ts';
import { findCollection, secretFile } from '../platform/find-collection.ts';
import { addRules, missingRules } from '../platform/ignore-rules.ts';
import { suggestPath } from '../platform/suggest-path.ts';
import { writeBelow } from '../platform/write-below.ts';
import { exitCodes } from './exit.ts';
import { printFindings } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface ImportFlags {
  readonly output?: string;
  /** Whether it is only said what would be written. */
  readonly list?: boolean;
}

/** Begins a collection from definitions and recordings, or adds to one what is new in them. */
export async function importCommand(
  paths: readonly string[],
  { output = '.', list = false }: ImportFlags,
  terminal: Terminal,
): Promise<void> {
  for (const path of paths)
    if (!statSync(path, { throwIfNoEntry: false })?.isFile())
      throw new UsageError(`There is no file '${path}'.${suggestPath(path, process.cwd())}`);
  if (existsSync(output) && !statSync(output).isDirectory())
    throw new UsageError(`'${output}' is no folder.`);
  const around = collectionAround(resolve(output));
  if (around !== undefined && around !== resolve(output))
    throw new UsageError(
      `'${output}' lies inside of a collection, and settings of an import stand at its root. Import into '${relative('', around) || '.'}', or into a folder outside of it.`,
    );
  for (const path of paths) if (!(await importOne(path, output, list, terminal))) return;
  if (list) return;
  const place = output === '.' ? '' : ` ${output}`;
  terminal.out(`\nNext: mervok lint${place}, then mervok run${place}${await hint(output)}\n`);
}

async function importOne(path: string, folder: string, list: boolean, terminal: Terminal): Promise<boolean> {
  const { importFile, filesOf } = await import('../interchange/index.ts');
  const beside = dirname(resolve(path));
  const inFolder = pathBelow(folder, path);
  const name = basename(path);
  const text = (each: string) => (existsSync(join(folder, each)) ? read(join(folder, each)) : undefined);
  const imported = await importFile(
    { name, text: read(path), readText: each => readInside({ root: beside, anywhere: true }, each) },
    {
      definitionAt: inFolder ?? `api/${name}`,
      settings: [rootFile, secretFile].flatMap(each => text(each) ?? []),
    },
  );
  if (imported.finding) {
    await printFindings([imported.finding], terminal);
    process.exitCode = exitCodes.nothingSent;
    return false;
  }
  const { pages, definition, notes: leftOut } = imported.collection;
  if (pages.every(({ cases }) => cases.length === 0)) {
    const why = definition === undefined && leftOut.length > 0 ? leftOut.join(' ') : 'It has no operation.';
    throw new UsageError(`There is nothing to import in '${path}'. ${why}`);
  }
  const existing = {
    ...(existsSync(join(folder, rootFile)) && {
      collection: await readCollection((await findCollection([folder], process.cwd())).files),
    }),
    text,
  };
  const { files, notes } = filesOf(imported.collection, existing, imported.secrets);
  const copies =
    inFolder === undefined && imported.needs.length > 0 ? copiesOf(imported.needs, beside, folder) : [];
  const { out, err, paint } = terminal;
  const verb = list ? 'would be written' : 'written';
  for (const { path: file, text, grows, about, secret } of files) {
    if (!list) writeBelow(folder, { path: file, content: text, replaces: grows, secret: secret === true });
    out(`${paint('quiet', verb)}  ${join(folder, file)}${about === undefined ? '' : `, ${about}`}\n`);
  }
  for (const { path: file, content, replaces } of copies) {
    if (!list) writeBelow(folder, { path: file, content, replaces, secret: false });
    const about = replaces ? ', in place of the version that was there' : '';
    out(`${paint('quiet', verb)}  ${join(folder, file)}${about}\n`);
  }
  if (!list) {
    const rules = await missingRules(join(folder, '.gitignore'));
    if (rules.length > 0) await addRules(join(folder, '.gitignore'), rules);
  }
  if (files.length === 0 && copies.length === 0) out(`Nothing in '${path}' is new.\n`);
  for (const note of notes) err(`${note}\n`);
  return true;
}

/** A path as seen from a folder that it lies below; nothing where it does not. */
function pathBelow(folder: string, path: string): string | undefined {
  const way = relative(resolve(folder), resolve(path)).split(sep).join('/');
  return way === '' || way.startsWith('..') || /^(?:\/|[A-Za-z]:)/.test(way) ? undefined : way;
}

/** The definition and what it refers to, which have to lie in the collection: below `api`, and to each other as they do. */
function copiesOf(
  needs: readonly string[],
  beside: string,
  folder: string,
): { path: string; content: string; replaces: boolean }[] {
  return needs.flatMap(each => {
    const path = each.startsWith('..') ? undefined : `api/${each}`;
    if (path === undefined)
      throw new UsageError(
        `The definition refers to '${each}', which lies above it. Copy both into '${folder}', and import it there.`,
      );
    const content = read(join(beside, each));
    const target = join(folder, path);
    const replaces = existsSync(target);
    return replaces && read(target) === content ? [] : [{ path, content, replaces }];
  });
}

/** The environment has to be named where none is the default. */
async function hint(folder: string): Promise<string> {
  const { files } = await findCollection([folder], process.cwd());
  const { root } = await readCollection({ ...files, pages: [] });
  const [first] = root.environments?.keys() ?? [];
  return root.environment !== undefined || first === undefined ? '' : ` @${first}`;
}
