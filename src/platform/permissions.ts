import { existsSync, realpathSync, statSync } from 'node:fs';
import { homedir } from 'node:os';
import { delimiter, dirname, join, resolve, sep } from 'node:path';
import type { Machine } from '../core/analysis/machine.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { isObject, type Value } from '../core/model/value.ts';
import type { MachineNeed } from '../core/steps/step.ts';
import { textOf } from '../core/values/text.ts';

// What the person at the keyboard has allowed, on the command line or once and for all, and what this machine has.

/** The user's own configuration, where the system keeps such files. */
export function userConfigFile(environment: NodeJS.ProcessEnv = process.env): string {
  const own = environment.XDG_CONFIG_HOME;
  if (own) return join(own, 'mervok', 'config.yaml');
  if (process.platform === 'win32' && environment.APPDATA)
    return join(environment.APPDATA, 'mervok', 'config.yaml');
  if (process.platform === 'darwin')
    return join(homedir(), 'Library', 'Application Support', 'mervok', 'config.yaml');
  return join(homedir(), '.config', 'mervok', 'config.yaml');
}

/** @param commands whether commands are allowed by the command line, or by a program; nothing where nothing is run */
export function machineFor(root: string, commands: boolean | undefined): Machine {
  let refused: Promise<string | undefined> | undefined;
  const lacking = new Map<MachineNeed, Promise<string | undefined>>();
  return {
    lacks(need) {
      const known = lacking.get(need) ?? lackOf(need);
      lacking.set(need, known);
      return known;
    },
    async refuses() {
      if (commands !== false) return undefined;
      refused ??= refusedFor(root);
      return refused;
    },
  };
}

async function lackOf(need: MachineNeed): Promise<string | undefined> {
  if (need === 'sh') return hasShell() ? undefined : noShell;
  const { loadSqlite } = await import('./query/sqlite-library.ts');
  return loadSqlite() ? undefined : noSqlite;
}

const noSqlite =
  'There is no SQLite on this machine: this version of Node.js has none of its own, and the optional package libsql is not installed.';

const noShell = "A command is run by 'sh', and there is none on this machine.";

function hasShell(): boolean {
  return (process.env.PATH ?? '')
    .split(delimiter)
    .some(folder => folder !== '' && existsSync(join(folder, 'sh')));
}

/** Why commands of a collection are not allowed; nothing where the user's configuration lists it. Throws UsageError. */
async function refusedFor(root: string): Promise<string | undefined> {
  const file = userConfigFile();
  const collection = realpathSync(root);
  const allow = `Allow it for this run by --commands, or for good by a line of ${file}: commands: ["${collection}"]`;
  if (!existsSync(file)) return allow;
  const ignored = whyIgnored(file, collection);
  if (ignored !== undefined) return `${file} does not count, since ${ignored}. ${allow}`;
  const { readYamlFile } = await import('./variable-files.ts');
  const found = await readYamlFile(file);
  return collectionsIn(found, file).some(path => realPathOf(path) === collection) ? undefined : allow;
}

/** What a collection brings along, or what others can write, is not what the user has said. */
function whyIgnored(file: string, collection: string): string | undefined {
  const real = realpathSync(file);
  if (real === collection || real.startsWith(collection + sep)) return 'it lies in the collection';
  if (process.platform === 'win32') return undefined;
  const isOthers = (path: string) => {
    const { mode, uid } = statSync(path);
    return (mode & 0o022) !== 0 || (uid !== process.getuid!() && uid !== 0);
  };
  return isOthers(real) || isOthers(dirname(real)) ? 'others may write it' : undefined;
}

function collectionsIn(found: Value, file: string): string[] {
  const list = isObject(found) && Object.hasOwn(found, 'commands') ? found.commands : [];
  const paths = Array.isArray(list) ? list.map(textOf) : [undefined];
  if (!isObject(found) || paths.includes(undefined))
    throw new UsageError(
      `'${file}' cannot be read: it holds a list of collections, commands: ["/home/mira/harbour"]`,
    );
  return paths as string[];
}

function realPathOf(path: string): string | undefined {
  const written = path.replace(/^~(?=\/|$)/, homedir());
  return existsSync(written) ? realpathSync(resolve(written)) : undefined;
}
