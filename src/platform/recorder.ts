import { mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import type { RunEvent } from '../core/model/events.ts';
import { EventLines } from './event-lines.ts';
import { LineFile } from './line-file.ts';
import { makeFolder } from './make-folder.ts';
import { segmentPath, segmentsOf } from './record-segments.ts';
import { readRunNames } from './run-names.ts';
import { idsIn, readRecord } from './run-records.ts';
import { openFolder, stateFolder } from './state.ts';

const flushAt = 64 * 1024;

/** So many records of a collection are kept, and so many bytes of them. */
const [keptRecords, keptBytes] = [30, 500_000_000];

/** The record of a run while it goes: a file that grows line by line and that reports are made from. */
export class Recorder {
  readonly #lines: LineFile;
  readonly #temporary: string | undefined;
  readonly #texts = new EventLines();

  private constructor(
    path: string,
    /** The folder that goes with it, where it does not outlast the run. */
    temporary?: string,
  ) {
    this.#temporary = temporary;
    this.#lines = new LineFile(path, 'wx');
  }

  /** A part of a record that a thread writes, which belongs to it at its end. */
  static segment(path: string): Recorder {
    return new Recorder(path);
  }

  /** The record of a run that begins now, beside the others of the collection. Throws what the system says. */
  static inCollection(root: string, begin: Date): Recorder {
    const folder = openFolder(stateFolder(root), 'runs');
    const time = begin
      .toISOString()
      .replace(/[-:]|\..*/g, '')
      .replace('T', '-');
    // Behind those of the same second, also where the first of them are gone.
    const before = idsIn(readdirSync(folder)).findLast(id => id.startsWith(time));
    const begun = before === undefined ? 0 : Number(before.split('-')[2] ?? 1);
    for (let number = begun + 1; ; number++) {
      const id = number === 1 ? time : `${time}-${number}`;
      try {
        const recorder = new Recorder(join(folder, `${id}.ndjson`));
        prune(folder);
        return recorder;
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      }
    }
  }

  /** One that is gone when the program ends. */
  static temporary(): Recorder {
    const folder = mkdtempSync(join(tmpdir(), 'mervok-'));
    return new Recorder(join(folder, 'run.ndjson'), folder);
  }

  add(event: RunEvent): void {
    this.#lines.add(this.#texts.line(event));
    // However soon a run is killed, its record says what it was.
    if (event.type === 'run') this.#lines.flush();
  }

  /** Where a thread writes its part, by its number from 0. */
  segmentPath(thread: number): string {
    return segmentPath(this.#lines.path, thread);
  }

  /** Takes in what threads have written. */
  takeSegments(): void {
    for (const path of segmentsOf(this.#lines.path)) {
      this.#lines.append(path);
      rmSync(path, { force: true });
    }
  }

  /** Why it does not hold everything. */
  get problem(): string | undefined {
    return this.#lines.problem;
  }

  finish(): void {
    this.#lines.finish();
  }

  events(): AsyncIterable<RunEvent> {
    return readRecord(this.#lines.path);
  }

  remove(): void {
    if (this.#temporary !== undefined) rmSync(this.#temporary, { recursive: true, force: true });
  }
}

/** The oldest go first; those that have a name stay, and so do the one that begins and the one before it. */
function prune(folder: string): void {
  const named = new Set(readRunNames(folder).values());
  const records = idsIn(readdirSync(folder)).map(id => {
    const path = join(folder, `${id}.ndjson`);
    return { id, path, size: statSync(path, { throwIfNoEntry: false })?.size ?? 0 };
  });
  let bytes = records.reduce((sum, { size }) => sum + size, 0);
  let count = records.filter(({ id }) => !named.has(id)).length;
  for (const { id, path, size } of records.slice(0, -2)) {
    if (count <= keptRecords && bytes <= keptBytes) return;
    if (named.has(id)) continue;
    for (const each of [path, ...segmentsOf(path)]) rmSync(each, { force: true });
    bytes -= size;
    count--;
  }
}

/** Writes a file whole or not at all; folders on the way are made. */
export async function writeWhole(
  path: string,
  parts: AsyncIterable<string | Uint8Array> | Iterable<string | Uint8Array>,
): Promise<void> {
  const target = resolve(path);
  makeFolder(dirname(target));
  const draft = `${target}.${process.pid}.part`;
  const { open, rename, rm } = process.getBuiltinModule('node:fs/promises');
  try {
    const file = await open(draft, 'w');
    try {
      let pending = '';
      for await (const part of parts) {
        const isText = typeof part === 'string';
        if (isText) pending += part;
        if (isText && pending.length < flushAt) continue;
        await file.appendFile(pending);
        if (!isText) await file.appendFile(part);
        pending = '';
      }
      await file.appendFile(pending);
    } finally {
      await file.close();
    }
    await rename(draft, target);
  } catch (error) {
    await rm(draft, { force: true });
    throw error;
  }
}
