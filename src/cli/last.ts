import { readFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import type { OperationEvent } from '../core/model/events.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { collectionAround } from '../platform/collection-folder.ts';
import { isOwnFile, isOwnFolder, openFolder, stateFolder, writeOwnFile } from '../platform/state.ts';

/** Where the last response lies: with the collection around the working folder, else in a folder of the user's own. */
function folderHere(): string {
  const root = collectionAround(process.cwd());
  if (root !== undefined) return stateFolder(root);
  return join(process.env.XDG_STATE_HOME || join(homedir(), '.local', 'state'), 'mervok');
}

/** Keeps what came last at hand. That it cannot be kept spoils nothing: it is told, and the command goes on. */
export function keepLast(event: OperationEvent): string | undefined {
  const folder = folderHere();
  try {
    writeOwnFile(join(openFolder(folder), 'last.json'), `${JSON.stringify(event)}\n`);
    return undefined;
  } catch (error) {
    return `The response is not at hand for 'pick': ${(error as Error).message}`;
  }
}

/** Reads what came last: an exchange, or another operation. Throws UsageError. */
export function readLast(): OperationEvent {
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
function parse(text: string): OperationEvent | undefined {
  try {
    const event = JSON.parse(text) as Partial<OperationEvent> | null;
    const isOne = event?.type === 'exchange' ? event.request : event?.type === 'operation' && event.answer;
    return isOne ? (event as OperationEvent) : undefined;
  } catch {
    return undefined;
  }
}
