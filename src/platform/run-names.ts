import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { isOwnFile, isOwnFolder, stateFolder, writeOwnFile } from './state.ts';

// Names that people give to runs, such as the one that others are set against. They stand beside the records.

/** By the name, the ID of the run. */
export type RunNames = ReadonlyMap<string, string>;

const file = (runs: string) => join(runs, 'names.json');

/** @param runs the folder of the records */
export function readRunNames(runs: string): RunNames {
  const path = file(runs);
  if (!existsSync(path) || !isOwnFile(path)) return new Map();
  try {
    const entries = Object.entries(JSON.parse(readFileSync(path, 'utf8')) as object);
    return new Map(entries.filter((entry): entry is [string, string] => typeof entry[1] === 'string'));
  } catch {
    // Names that cannot be read keep no run from being found by its ID.
    return new Map();
  }
}

/** Throws what the system says. */
export function writeRunNames(root: string, names: RunNames): void {
  const runs = join(stateFolder(root), 'runs');
  if (isOwnFolder(runs))
    writeOwnFile(file(runs), `${JSON.stringify(Object.fromEntries(names), undefined, 2)}\n`);
}
