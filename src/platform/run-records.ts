import { closeSync, createReadStream, openSync, readdirSync, readSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { EventOf, RunEvent } from '../core/model/events.ts';
import { recordVersion } from '../core/model/outcomes.ts';
import { UsageError } from '../core/model/usage-error.ts';
import { upgraded } from '../core/record/upgrade.ts';
import type { IsEvent } from '../core/record/validate.ts';
import { didYouMean } from '../core/text/words.ts';
import { segmentsOf } from './record-segments.ts';
import { readRunNames } from './run-names.ts';
import { isOwnFile, isOwnFolder, stateFolder } from './state.ts';

/** Where the records of a collection lie. */
export function runsFolder(root: string): string {
  return join(stateFolder(root), 'runs');
}

/** `20261123-140528`, and `20261123-140528-2` where two began in one second; in the order in which they began. */
export function idsIn(names: readonly string[]): string[] {
  return names
    .flatMap(name => /^(\d{8}-\d{6}(?:-\d+)?)\.ndjson$/.exec(name)?.[1] ?? [])
    .sort((a, b) => {
      const [x, y] = [a, b].map(id => id.split('-'));
      return a.slice(0, 15) < b.slice(0, 15)
        ? -1
        : a.slice(0, 15) > b.slice(0, 15)
          ? 1
          : Number(x![2] ?? 1) - Number(y![2] ?? 1);
    });
}

export function listRuns(root: string): string[] {
  const folder = runsFolder(root);
  const isThere = isOwnFolder(stateFolder(root)) && isOwnFolder(folder);
  return isThere ? idsIn(readdirSync(folder)).filter(id => isOwnFile(join(folder, `${id}.ndjson`))) : [];
}

/** The file of a run that was killed at once is there, and empty: another one is meant. */
function lastBegun(ids: readonly string[], pathOf: (id: string) => string): string {
  return ids.findLast(id => statSync(pathOf(id)).size > 0) ?? ids.at(-1)!;
}

/**
 * The record that is meant: `last`, a name that it was given, an ID, the beginning of one, or a file.
 * @param root of the collection, where there is one
 * Throws UsageError.
 */
export function findRun(named: string, root: string | undefined): { id: string; path: string } {
  if (named.endsWith('.ndjson') && statSync(named, { throwIfNoEntry: false })?.isFile())
    return { id: named, path: named };
  const isReport = /\.(?:html|pdf|md|xlsx|csv|json|har|xml|tap)$/i.test(named);
  if (isReport)
    throw new UsageError(`'${named}' is no run. A report is written by: mervok report last -o ${named}`);
  if (/[\\/]/.test(named)) throw new UsageError(`There is no file '${named}'.`);
  const name = named.replace(/\.ndjson$/, '');
  const ids = root === undefined ? [] : listRuns(root);
  const pathOf = (id: string) => join(runsFolder(root!), `${id}.ndjson`);
  if (ids.length === 0)
    throw new UsageError(
      root === undefined
        ? `There is no file '${named}', and no collection here whose runs it could be.`
        : named === 'last'
          ? "No run is on record here. Every 'mervok run' leaves one."
          : `There is no file '${named}', and no run is on record here.`,
    );
  const names = readRunNames(runsFolder(root!));
  const byName = names.get(named);
  const meant =
    named === 'last'
      ? [lastBegun(ids, pathOf)]
      : byName !== undefined && ids.includes(byName)
        ? [byName]
        : ids.includes(name)
          ? [name]
          : ids.filter(id => id.startsWith(name));
  if (meant.length === 1) return { id: meant[0]!, path: pathOf(meant[0]!) };
  if (meant.length > 1)
    throw new UsageError(`'${named}' is the beginning of ${meant.length} runs: ${meant.join(', ')}.`);
  throw new UsageError(
    `There is no run '${named}'. ${didYouMean(named, [...ids, ...names.keys(), 'last']) ?? "'mervok runs' lists them."}`,
  );
}

/**
 * The events of a record, one by one. The last line may be cut off: a run that was killed is readable up to its end.
 * @param isEvent tells damage where a line is still JSON; a record of one's own making needs no closer look
 * Throws UsageError.
 */
export async function* readRecord(path: string, isEvent: IsEvent = hasType): AsyncGenerator<RunEvent> {
  let number = 0;
  let damage: { at: number; error: UsageError } | undefined;
  for await (const [line, at] of inOrder(path)) {
    // What cannot be read and is not the end is damage.
    if (damage && damage.at < at) throw damage.error;
    number++;
    const event = number === 1 ? parseEvent(line) : parseEvent(line, isEvent);
    if (!event) damage = { at, error: new UsageError(`'${path}' is damaged on line ${at}.`) };
    else if (number === 1) yield inOrderOnly(checkFirst(event, path, isEvent));
    else yield inOrderOnly(event);
  }
  if (damage && number > 1 && damage.at < number) throw damage.error;
  if (number === 0 && statSync(path).size === 0)
    throw new UsageError(`'${path}' is empty: its run was killed before it had begun.`);
  if (number === 0 || (damage && number === 1)) throw new UsageError(`'${path}' is no record of a run.`);
}

/** In order, nothing says any more what ran at once: what is made of it is the same, however it ran. */
function inOrderOnly(event: RunEvent): RunEvent {
  if ('lane' in event) delete event.lane;
  else if ('jobs' in event) delete event.jobs;
  return event;
}

function hasType(value: unknown): value is RunEvent {
  return typeof (value as RunEvent | null)?.type === 'string';
}

function parseEvent(line: string, isEvent: IsEvent = hasType): RunEvent | undefined {
  try {
    const event = upgraded(JSON.parse(line));
    return isEvent(event) ? event : undefined;
  } catch {
    return undefined;
  }
}

/** Its version comes before its form: of a newer one nobody here knows the form. */
function checkFirst(event: RunEvent, path: string, isEvent: IsEvent): RunEvent {
  if (event.type !== 'run') throw new UsageError(`'${path}' is no record of a run.`);
  if (event.version !== recordVersion)
    throw new UsageError(
      `'${path}' has version ${event.version} of the record, and this Mervok reads ${recordVersion}.`,
    );
  if (!isEvent(event)) throw new UsageError(`'${path}' is damaged on line 1.`);
  return event;
}

/** How much of the end of a record is looked at for its last line at first; twice as much, as long as that is not all. */
const tail = 4096;

function lastLineOf(path: string): string {
  const { size } = statSync(path);
  const file = openSync(path, 'r');
  try {
    for (let length = Math.min(size, tail); length <= longestLine; length = Math.min(size, 2 * length)) {
      const bytes = Buffer.alloc(length);
      readSync(file, bytes, 0, length, size - length);
      const text = bytes.toString('utf8').trimEnd();
      const begin = text.lastIndexOf('\n');
      if (begin >= 0 || length === size) return text.slice(begin + 1);
    }
    return '';
  } finally {
    closeSync(file);
  }
}

/** The first and the last line of a record; a run that was killed has no end. Throws UsageError. */
export async function readSummary(path: string): Promise<{ run: EventOf<'run'>; end?: EventOf<'end'> }> {
  let run: EventOf<'run'> | undefined;
  for await (const event of readRecord(path)) {
    run = event as EventOf<'run'>;
    break;
  }
  const last = parseEvent(lastLineOf(path));
  return last?.type === 'end' ? { run: run!, end: last } : { run: run! };
}

/** A line that says which of several pages that ran at once it belongs to. */
const laned = /^\{"type":"\w+","lane":(\d+),"round":\d+(?:,"user":(\d+))?/;

/**
 * The lines of a record, with their numbers, in the order in which they are told: those of pages that ran at once stand
 * as they happened, and come page by page. Of those that wait their places alone are kept.
 */
async function* inOrder(path: string): AsyncGenerator<[line: string, number: number]> {
  let number = 0;
  let isLaned = false;
  let offset = 0;
  const waiting = new Map<number, WaitingLines>();
  let file: number | undefined;
  try {
    for await (const line of linesOf(path)) {
      number++;
      if (number === 1) isLaned = line.includes('"jobs":');
      if (!isLaned) {
        yield [line, number];
        continue;
      }
      const length = Buffer.byteLength(line);
      const [, lane, user = '0'] = laned.exec(line) ?? [];
      if (lane !== undefined) {
        const ofUser = waiting.get(Number(user)) ?? new WaitingLines();
        waiting.set(Number(user), ofUser);
        ofUser.add(Number(lane), offset, length, number);
      } else {
        file ??= openSync(path, 'r');
        // What is of no page comes when all pages of its user have ended; the end of the run, when all have.
        const isOfOne = /^\{"type":"\w+","round":\d+,"user":(\d+)/.exec(line);
        const due = isOfOne ? [Number(isOfOne[1])] : [...waiting.keys()];
        for (const each of due) yield* waiting.get(each)?.take(file) ?? [];
        yield [line, number];
      }
      offset += length + 1;
    }
    file ??= openSync(path, 'r');
    for (const ofUser of waiting.values()) yield* ofUser.take(file);
  } finally {
    if (file !== undefined) closeSync(file);
  }
}

/** Where the lines of pages stand that ran at once. */
class WaitingLines {
  #lanes = new Map<number, number[]>();

  add(lane: number, offset: number, length: number, number: number): void {
    const places = this.#lanes.get(lane);
    if (places) places.push(offset, length, number);
    else this.#lanes.set(lane, [offset, length, number]);
  }

  *take(file: number): Generator<[line: string, number: number]> {
    const lanes = [...this.#lanes].sort(([a], [b]) => a - b);
    this.#lanes = new Map();
    for (const [, places] of lanes) {
      for (let index = 0; index < places.length; index += 3) {
        const bytes = Buffer.allocUnsafe(places[index + 1]!);
        readSync(file, bytes, 0, bytes.length, places[index]!);
        yield [bytes.toString('utf8'), places[index + 2]!];
      }
    }
  }
}

const chunk = 256 * 1024;

/** The lines of a record; where it was killed while threads wrote their segments, theirs too. */
async function* linesOf(path: string): AsyncGenerator<string> {
  const segments = segmentsOf(path);
  if (segments.length === 0) yield* linesIn(path, 'all');
  else for (const each of [path, ...segments]) yield* linesIn(each, 'whole');
}

/**
 * Node's own reader of lines takes twice as long, and a record may have a million of them.
 * @param which `whole` leaves out one without an end
 */
async function* linesIn(path: string, which: 'all' | 'whole'): AsyncGenerator<string> {
  // Put together once the line has ended: one of many parts would be copied with each of them.
  let parts: string[] = [];
  let length = 0;
  for await (const part of createReadStream(path, { encoding: 'utf8', highWaterMark: chunk })) {
    const lines = (part as string).split('\n');
    const rest = lines.pop()!;
    if (lines.length > 0) {
      yield parts.join('') + lines[0];
      for (let at = 1; at < lines.length; at++) yield lines[at]!;
      parts = [];
      length = 0;
    }
    parts.push(rest);
    length += rest.length;
    if (length > longestLine) throw new UsageError(`'${path}' is damaged: one of its lines has no end.`);
  }
  if (length > 0 && which === 'all') yield parts.join('');
}

/** Longer than what any limit of a body lets a record hold: a file that a failing system filled with something else. */
const longestLine = 2 ** 28;

/** So many of the last records are looked through for cookies, and so large a one at the most. */
const [mostRecords, largestRecord] = [5, 64 * 1024 * 1024];

/** The addresses of cases that were given a cookie in the last runs. */
export async function cookieSettersIn(root: string): Promise<Set<string>> {
  const cases = new Set<string>();
  for (const id of listRuns(root).slice(-mostRecords)) {
    const { path } = findRun(id, root);
    if (statSync(path).size > largestRecord) continue;
    for await (const line of linesOf(path)) {
      if (!line.startsWith('{"type":"exchange"') || !/set-cookie/i.test(line)) continue;
      const event = parseEvent(line);
      if (event?.type !== 'exchange' || cases.has(event.case)) continue;
      if (event.response?.headers?.some(([name]) => name.toLowerCase() === 'set-cookie'))
        cases.add(event.case);
    }
  }
  return cases;
}

/** What became of each case in a record: lines of other kinds are not even parsed. */
export async function* casesOf(path: string): AsyncGenerator<EventOf<'case'>> {
  const lines = linesOf(path);
  for await (const line of lines) {
    if (!line.startsWith('{"type":"case"')) continue;
    const event = parseEvent(line);
    if (event?.type === 'case') yield event;
  }
}
