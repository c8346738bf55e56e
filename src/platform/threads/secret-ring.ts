import type { SharedSecrets } from '../../core/secrecy/shared-secrets.ts';

/** In bytes; a power of two. The system gives memory only for what is written. */
const room = 1 << 25;
/** Places in the head, each of 32 bits: a lock, where the last entry ends, then where each thread has read to. */
const [lockAt, endAt, readersAt] = [0, 1, 2];
/** In bytes: of an entry, its length and what it says. */
const headOfEntry = 8;
const [added, retired] = [1, 2];
/** In milliseconds: so long it is waited for the slowest reader, each time. */
const patience = 5;
/** What a reader that is gone has read: everything. */
const gone = -1;

/** The memory that threads tell each other their secrets in. */
export interface SecretMemory {
  readonly head: SharedArrayBuffer;
  readonly ring: SharedArrayBuffer;
}

export function openSecretMemory(threads: number): SecretMemory {
  return {
    head: new SharedArrayBuffer(4 * (readersAt + 2 * threads)),
    ring: new SharedArrayBuffer(room),
  };
}

/** Nobody waits any longer for a thread that has died. */
export function forgetReader({ head }: SecretMemory, thread: number): void {
  Atomics.store(new Int32Array(head), readersAt + 2 * thread + 1, gone);
}

/**
 * Secrets as entries in a ring of shared memory: whoever adds one has told all others when it goes on. Places count on
 * beyond the end of the ring, and over the largest number too: what is apart is what counts.
 */
export class SecretRing implements SharedSecrets {
  readonly #head: Int32Array;
  readonly #bytes: Uint8Array;
  readonly #threads: number;
  readonly #thread: number;
  #read = 0;
  readonly #onEach: { added: (secret: string) => void; retired: (secrets: readonly string[]) => void } = {
    added: () => undefined,
    retired: () => undefined,
  };

  /** @param thread its number, from 0 */
  constructor({ head, ring }: SecretMemory, thread: number) {
    this.#head = new Int32Array(head);
    this.#bytes = new Uint8Array(ring);
    this.#threads = (this.#head.length - readersAt) / 2;
    this.#thread = thread;
  }

  add(secret: string): void {
    this.#write(added, secret);
  }

  retire(secrets: readonly string[]): void {
    this.#write(retired, JSON.stringify(secrets));
  }

  take(onAdded: (secret: string) => void, onRetired: (secrets: readonly string[]) => void): void {
    this.#onEach.added = onAdded;
    this.#onEach.retired = onRetired;
    const end = Atomics.load(this.#head, endAt);
    if (end !== this.#read) this.#readTo(end);
  }

  #readTo(end: number): void {
    while (this.#read !== end) {
      const length = this.#number(this.#read);
      const mark = this.#number(this.#read + 4);
      // What it has said itself it knows.
      if (mark >> 2 !== this.#thread) {
        const text = this.#text(this.#read + headOfEntry, length);
        if ((mark & 3) === added) this.#onEach.added(text);
        else this.#onEach.retired(JSON.parse(text));
      }
      this.#read = (this.#read + headOfEntry + padded(length)) | 0;
    }
    Atomics.store(this.#head, this.#readerAt(this.#thread), this.#read);
  }

  #write(kind: number, text: string): void {
    const bytes = Buffer.from(text);
    const size = headOfEntry + padded(bytes.length);
    if (size > room / 2) throw new Error('A secret is too long to be told to the other threads.');
    this.#lock();
    try {
      while (!this.#hasRoomFor(size)) {
        // It may be the slowest itself.
        this.#readTo(Atomics.load(this.#head, endAt));
        if (!this.#hasRoomFor(size)) Atomics.wait(this.#head, lockAt, 1, patience);
      }
      const end = Atomics.load(this.#head, endAt);
      this.#setNumber(end, bytes.length);
      this.#setNumber(end + 4, (this.#thread << 2) | kind);
      for (let at = 0; at < bytes.length; at++)
        this.#bytes[(end + headOfEntry + at) & (room - 1)] = bytes[at]!;
      Atomics.store(this.#head, endAt, (end + size) | 0);
    } finally {
      Atomics.store(this.#head, lockAt, 0);
      Atomics.notify(this.#head, lockAt, 1);
    }
  }

  #hasRoomFor(size: number): boolean {
    const end = Atomics.load(this.#head, endAt);
    for (let thread = 0; thread < this.#threads; thread++) {
      const at = this.#readerAt(thread);
      if (Atomics.load(this.#head, at + 1) === gone) continue;
      const unread = (end - Atomics.load(this.#head, at)) | 0;
      if (unread + size > room) return false;
    }
    return true;
  }

  #readerAt(thread: number): number {
    return readersAt + 2 * thread;
  }

  #lock(): void {
    while (Atomics.compareExchange(this.#head, lockAt, 0, 1) !== 0)
      Atomics.wait(this.#head, lockAt, 1, patience);
  }

  #number(place: number): number {
    let value = 0;
    for (let at = 3; at >= 0; at--) value = (value << 8) | this.#bytes[(place + at) & (room - 1)]!;
    return value;
  }

  #setNumber(place: number, value: number): void {
    for (let at = 0; at < 4; at++) this.#bytes[(place + at) & (room - 1)] = (value >>> (8 * at)) & 0xff;
  }

  #text(place: number, length: number): string {
    const bytes = Buffer.alloc(length);
    for (let at = 0; at < length; at++) bytes[at] = this.#bytes[(place + at) & (room - 1)]!;
    return bytes.toString('utf8');
  }
}

/** Entries begin at whole numbers of 4 bytes. */
function padded(length: number): number {
  return (length + 3) & ~3;
}
