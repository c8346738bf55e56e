import { closeSync, openSync, readSync, writeSync } from 'node:fs';

/** In bytes: what is written in one go. */
const roomOf = 128 * 1024;
/** A character of a text takes so many bytes at the most. */
const widest = 3;
const lineEnd = 0x0a;
/** In milliseconds: what was added is in the file this much later at the most. */
const flushAfter = 100;

/**
 * A file that grows line by line while a run goes on. What keeps it from being written any further (a full disk) spoils
 * nothing else: it is kept as `problem`, and the lines up to there stay readable.
 */
export class LineFile {
  #problem: string | undefined;
  /** Lines that are not in the file yet: as bytes, which leave nothing behind for the collection of garbage. */
  readonly #bytes = Buffer.allocUnsafe(roomOf);
  #filled = 0;
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
    const most = widest * line.length + 1;
    if (this.#filled + most > roomOf) this.flush();
    if (most > roomOf) {
      this.#write(Buffer.from(`${line}\n`));
      return;
    }
    this.#filled += this.#bytes.write(line, this.#filled);
    this.#bytes[this.#filled++] = lineEnd;
    this.#timer ??= setTimeout(() => this.flush(), flushAfter).unref();
  }

  /** Adds the lines of another file, as far as they are whole. */
  append(path: string): void {
    this.flush();
    const file = openSync(path, 'r');
    try {
      const chunk = Buffer.allocUnsafe(roomOf);
      let open: Buffer = Buffer.alloc(0);
      for (let length = readSync(file, chunk); length > 0; length = readSync(file, chunk)) {
        const bytes = Buffer.concat([open, chunk.subarray(0, length)]);
        const end = bytes.lastIndexOf(lineEnd) + 1;
        if (end > 0) this.#write(bytes.subarray(0, end));
        open = bytes.subarray(end);
      }
    } finally {
      closeSync(file);
    }
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
    const length = this.#filled;
    this.#filled = 0;
    this.#write(this.#bytes.subarray(0, length));
  }

  #write(bytes: Uint8Array): void {
    try {
      for (let at = 0; at < bytes.length; ) at += writeSync(this.#file, bytes, at);
    } catch (error) {
      this.#problem = (error as Error).message;
    }
  }
}
