/** How much a memory may have grown to be kept, in bytes: what is larger is given back. */
const mostGrown = 8 * 1024 * 1024;
/** A stretch without anything in it that is as long as this is stack that was never reached, in bytes: its content is nobody's. */
const stackSize = 256 * 1024;
/** Of WebAssembly, in bytes. */
export const pageSize = 64 * 1024;
const nothing = Buffer.alloc(pageSize);

/** A memory as it was at one moment, so that it can be put back to that. */
export class MemoryImage {
  readonly #parts: readonly { readonly at: number; readonly bytes: Uint8Array }[];
  readonly #size: number;

  constructor(readonly memory: WebAssembly.Memory) {
    const all = Buffer.from(memory.buffer);
    this.#size = all.length;
    this.#parts = partsOf(all);
  }

  /** Whether it is as it was; one that has grown far beyond that is better given back. */
  putBack(): boolean {
    const { buffer } = this.memory;
    if (buffer.byteLength > this.#size + mostGrown) return false;
    const all = new Uint8Array(buffer);
    for (const { at, bytes } of this.#parts) all.set(bytes, at);
    return true;
  }
}

/** What is behind the last of it is asked for before it is used, and so need not be as it was. */
function partsOf(all: Buffer): { at: number; bytes: Uint8Array }[] {
  const parts: { at: number; bytes: Uint8Array }[] = [];
  let [begin, end] = [0, 0];
  const add = () => parts.push({ at: begin, bytes: new Uint8Array(all.subarray(begin, end)) });
  // Page by page: a loop over each of its bytes would take longer than everything else that a thread begins with.
  for (let at = 0; at < all.length; at += pageSize) {
    if (all.compare(nothing, 0, pageSize, at, at + pageSize) === 0) continue;
    if (at - end >= stackSize) {
      add();
      begin = at;
    }
    end = at + pageSize;
  }
  add();
  return parts;
}
