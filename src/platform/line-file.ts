import { closeSync, openSync, writeSync } from 'node:fs';

const flushAt = 64 * 1024;
/** In milliseconds: what was added is in the file this much later at the most. */
const flushAfter = 100;

/**
 * A file that grows line by line while a run goes on. What keeps it from being written any further (a full disk) spoils
 * nothing else: it is kept as `problem`, and the lines up to there stay readable.
 */
export class LineFile {
  #problem: string | undefined;
  #pending = '';
  #timer: NodeJS.Timeout | undefined;
  readonly #file: number;

  /** @param flags `wx` where the file must not be there. Throws what the system says. */
  constructor(
    readonly path: string,
    flags: 'w' | 'wx',
  ) {
    this.#file = openSync(path, flags, 0o600);
  }

  add(line: string): void {
    if (this.#problem !== undefined) return;
    this.#pending += `${line}\n`;
    if (this.#pending.length >= flushAt) this.flush();
    else this.#timer ??= setTimeout(() => this.flush(), flushAfter).unref();
  }

  /** Why it could not be written any further. */
  get problem(): string | undefined {
    return this.#problem;
  }

  finish(): void {
    this.flush();
    closeSync(this.#file);
  }

  /** Writes what has been added so far. */
  flush(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    const bytes = Buffer.from(this.#pending);
    this.#pending = '';
    try {
      for (let at = 0; at < bytes.length; ) at += writeSync(this.#file, bytes, at);
    } catch (error) {
      this.#problem = (error as Error).message;
    }
  }
}
