import { closeSync, createReadStream, mkdirSync, mkdtempSync, openSync, rmSync, writeSync } from 'node:fs';
import { open, rename, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import type { RunEvent } from '../core/record/events.ts';

const flushAt = 64 * 1024;

/** The record of a run while it goes: a file that grows line by line and that reports are made from. */
export class Recorder {
  readonly #folder = mkdtempSync(join(tmpdir(), 'mervok-'));
  readonly #path = join(this.#folder, 'run.ndjson');
  readonly #file = openSync(this.#path, 'w', 0o600);
  #pending = '';

  add(event: RunEvent): void {
    this.#pending += `${JSON.stringify(event)}\n`;
    if (this.#pending.length >= flushAt) this.#flush();
  }

  finish(): void {
    this.#flush();
    closeSync(this.#file);
  }

  #flush(): void {
    writeSync(this.#file, this.#pending);
    this.#pending = '';
  }

  async *events(): AsyncGenerator<RunEvent> {
    for await (const line of createInterface({
      input: createReadStream(this.#path),
      crlfDelay: Number.POSITIVE_INFINITY,
    })) {
      yield JSON.parse(line) as RunEvent;
    }
  }

  remove(): void {
    rmSync(this.#folder, { recursive: true, force: true });
  }
}

/** Writes a file whole or not at all; folders on the way are made. */
export async function writeWhole(path: string, parts: AsyncIterable<string>): Promise<void> {
  const target = resolve(path);
  mkdirSync(dirname(target), { recursive: true });
  const draft = `${target}.${process.pid}.part`;
  try {
    const file = await open(draft, 'w');
    try {
      let pending = '';
      for await (const part of parts) {
        pending += part;
        if (pending.length < flushAt) continue;
        await file.appendFile(pending);
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
