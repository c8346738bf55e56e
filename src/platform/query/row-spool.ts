import { closeSync, createReadStream, mkdtempSync, openSync, rmSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import type { Value } from '../../core/model/value.ts';
import type { OperationFault } from '../../core/steps/operation-port.ts';
import type { MissingColumn } from '../../core/steps/query/query-port.ts';
import { asideFault, columnFault } from './query-faults.ts';
import type { RowSink } from './row-sink.ts';

// Rows that are asked for lie in a file while they are used, a list of JSON in a line: they are as they were at one moment,
// hold nothing at the database, and take no memory.

/** In characters: so much is written at once. */
const portion = 65_536;

/** A file that nobody else can read. */
export class SpoolFile {
  readonly folder = mkdtempSync(join(tmpdir(), 'mervok-rows-'));
  readonly path = join(this.folder, 'rows');

  /** @param open those that are there */
  constructor(readonly open: Set<SpoolFile>) {
    open.add(this);
  }

  /** Its rows, once; it is gone with the last of them. */
  async *rows(readJson: (text: string) => Value): AsyncGenerator<readonly Value[]> {
    const stream = createReadStream(this.path);
    try {
      for await (const line of createInterface({ input: stream, crlfDelay: Number.POSITIVE_INFINITY }))
        yield readJson(line) as readonly Value[];
    } finally {
      stream.destroy();
      this.remove();
    }
  }

  remove(): void {
    this.open.delete(this);
    rmSync(this.folder, { recursive: true, force: true });
  }
}

/** Writes the columns that are wanted of each row. */
export class SpoolWriter<Cell> implements RowSink<Cell> {
  count = 0;
  missing: MissingColumn['missing'] | undefined;
  #places: number[] = [];
  #text = '';
  #file: number | undefined;

  /** @param write makes JSON of a value */
  constructor(
    readonly path: string,
    readonly columns: readonly string[],
    readonly write: (value: Cell) => string,
  ) {}

  begin(returned: readonly string[]): OperationFault | undefined {
    const column = this.columns.find(each => !returned.includes(each));
    if (column !== undefined) {
      this.missing = { column, returned };
      return { kind: 'statement', message: `There is no column '${column}'.` };
    }
    this.#places = this.columns.map(each => returned.indexOf(each));
    return columnFault(returned);
  }

  take(values: readonly Cell[]): OperationFault | undefined {
    this.count++;
    this.#text += `[${this.#places.map(at => this.write(values[at]!)).join(',')}]\n`;
    return this.#text.length > portion ? this.#flush() : undefined;
  }

  #flush(): OperationFault | undefined {
    if (this.#text === '') return undefined;
    try {
      this.#file ??= openSync(this.path, 'w', 0o600);
      const bytes = Buffer.from(this.#text);
      for (let at = 0; at < bytes.length; ) at += writeSync(this.#file, bytes, at);
      this.#text = '';
      return undefined;
    } catch (error) {
      return asideFault(error as Error);
    }
  }

  /** Why not all of them could be written, if so. */
  end(): OperationFault | undefined {
    const fault = this.#flush();
    if (this.#file !== undefined) closeSync(this.#file);
    return fault;
  }
}
