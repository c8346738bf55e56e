import { readFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import type { ExchangeEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { collectionAround } from '../platform/collection-folder.ts';
import { isOwnFile, isOwnFolder, openFolder, stateFolder, writeOwnFile } from '../platform/state.ts';

/** Where the last response lies: with the collection around the working folder, else in a folder of the user's own. */
function folderHere(): string {
  const root = collectionAround(process.cwd());
  if (root !== undefined) return stateFolder(root);
  return join(process.env.XDG_STATE_HOME || join(homedir(), '.local', 'state'), 'mervok');
}

/** Keeps the last exchange at hand. That it cannot be kept spoils nothing: it is told, and the command goes on. */
export function keepLast(event: ExchangeEvent): string | undefined {
  const folder = folderHere();
  try {
    writeOwnFile(join(openFolder(folder), 'last.json'), `${JSON.stringify(event)}\n`);
    return undefined;
  } catch (error) {
    return `The response is not at hand for 'pick': ${(error as Error).message}`;
  }
}

/** Reads the last exchange. Throws UsageError. */
export function readLast(): ExchangeEvent {
  const path = join(folderHere(), 'last.json');
  let text: string;
  try {
    if (!isOwnFolder(folderHere()) || !isOwnFile(path)) throw new Error('There is none.');
    text = readFileSync(path, 'utf8');
  } catch {
    throw new UsageError(
      "No response is at hand. 'mervok send' fetches one; a file is named behind the expression: mervok pick '$.id' response.json",
    );
  }
  const event = parse(text);
  if (!event)
    throw new UsageError(`'${path}' holds no response that can be read. 'mervok send' fetches one.`);
  return event;
}

/** The schema of events would tell more, and take longer to load than all the rest. */
function parse(text: string): ExchangeEvent | undefined {
  try {
    const event = JSON.parse(text) as Partial<ExchangeEvent> | null;
    return event?.type === 'exchange' && event.request ? (event as ExchangeEvent) : undefined;
  } catch {
    return undefined;
  }
}
