import { createWriteStream } from 'node:fs';
import { promises, Transform, type Writable } from 'node:stream';
import type * as zlib from 'node:zlib';

/** What is kept of a body that was received. */
export interface ReceivedBody {
  /** Decoded; only its beginning where the body went into a file. */
  readonly body: Uint8Array;
  /** Of all of it, decoded. */
  readonly size: number;
  /** As it came, where it was compressed. */
  readonly encodedSize?: number;
}

/** Takes in a body piece by piece. */
export interface BodyReceiver {
  /** False where the sender is to wait; `resume` is then called. */
  write(chunk: Buffer): boolean;
  /** Throws BodyError. */
  end(): ReceivedBody | Promise<ReceivedBody>;
  /** Gives up. */
  drop(): void;
}

/** A body that is larger than allowed, or that does not decode. */
export class BodyError extends Error {
  constructor(
    readonly kind: 'limit' | 'protocol',
    message: string,
  ) {
    super(message);
  }
}

const nothing = Buffer.alloc(0);
const blockSize = 64 * 1024;
const smallPiece = 4 * 1024;

/** The codings of a body, those that were put on last first; nothing where one of them is not known. */
export function codingsOf(contentEncoding: string | undefined): string[] {
  if (contentEncoding === undefined) return [];
  const codings = contentEncoding
    .toLowerCase()
    .split(',')
    .map(each => each.trim().replace(/^x-/, ''))
    .filter(each => each !== '' && each !== 'identity');
  return codings.every(coding => isKnown(coding)) ? codings.reverse() : [];
}

function isKnown(coding: string): boolean {
  return (
    ['gzip', 'deflate', 'br'].includes(coding) || (coding === 'zstd' && process.versions.zstd !== undefined)
  );
}

/** Keeps a body in memory, up to a limit as it comes and again once it is decoded. */
export class MemoryReceiver implements BodyReceiver {
  #chunks: Buffer[] = [];
  #size = 0;
  /** Small pieces are gathered here; each of them would keep alive all that it was read with. */
  #block: Buffer | undefined;
  #filled = 0;

  constructor(
    readonly codings: readonly string[],
    /** In bytes. */
    readonly limit: number,
  ) {}

  write(chunk: Buffer): boolean {
    this.#size += chunk.length;
    if (this.#size > this.limit) throw tooLarge();
    if (this.#chunks.length > 0 && chunk.length < smallPiece) this.#gather(chunk);
    else {
      this.#closeBlock();
      this.#chunks.push(chunk);
    }
    return true;
  }

  #gather(chunk: Buffer): void {
    if (this.#block && this.#filled + chunk.length > this.#block.length) this.#closeBlock();
    this.#block ??= Buffer.allocUnsafe(blockSize);
    this.#filled += chunk.copy(this.#block, this.#filled);
  }

  #closeBlock(): void {
    if (this.#block) this.#chunks.push(this.#block.subarray(0, this.#filled));
    this.#block = undefined;
    this.#filled = 0;
  }

  end(): ReceivedBody | Promise<ReceivedBody> {
    this.#closeBlock();
    const [first = nothing] = this.#chunks;
    const body = this.#chunks.length < 2 ? first : Buffer.concat(this.#chunks);
    this.#chunks = [];
    if (this.codings.length === 0 || body.length === 0) return { body, size: body.length };
    return this.#decode(body);
  }

  drop(): void {
    this.#chunks = [];
    this.#block = undefined;
  }

  async #decode(encoded: Buffer): Promise<ReceivedBody> {
    let body = encoded;
    for (const coding of this.codings) body = await decodeWhole(coding, body, this.limit);
    return { body, size: body.length, encodedSize: encoded.length };
  }
}

function tooLarge(coding?: string): BodyError {
  return new BodyError('limit', coding === undefined ? '' : `, once it is decoded (${coding}),`);
}

function decodeWhole(coding: string, bytes: Buffer, limit: number): Promise<Buffer> {
  const library = process.getBuiltinModule('node:zlib') as typeof zlib & {
    zstdDecompress: typeof zlib.gunzip;
  };
  const decode = {
    gzip: library.gunzip,
    deflate: hasZlibHeader(bytes) ? library.inflate : library.inflateRaw,
    br: library.brotliDecompress,
    zstd: library.zstdDecompress,
  }[coding as 'gzip'];
  return new Promise((settle, fail) =>
    decode(bytes, { maxOutputLength: limit }, (error: NodeJS.ErrnoException | null, result) => {
      if (!error) settle(result);
      else fail(error.code === 'ERR_BUFFER_TOO_LARGE' ? tooLarge(coding) : corrupt(coding, error));
    }),
  );
}

/** What is called deflate comes with a header (RFC 9110, 8.4.1.2), and from some servers without. */
function hasZlibHeader(bytes: Buffer): boolean {
  return (bytes[0]! & 0x0f) === 8 && bytes.length > 1 && bytes.readUInt16BE(0) % 31 === 0;
}

function corrupt(coding: string, error: Error): BodyError {
  return new BodyError(
    'protocol',
    `does not decode as ${coding}, which its Content-Encoding says it is: ${error.message}`,
  );
}

/** So much of a body that goes into a file is kept to be looked at. */
const keptBytes = 64 * 1024;

/** Writes a body into a file as it comes, so that its size does not matter. */
export class FileReceiver implements BodyReceiver {
  #chain: { readonly first: Writable; readonly written: Promise<void> } | undefined;
  #kept: Buffer[] = [];
  #size = 0;
  #encodedSize = 0;
  #failure: Error | undefined;

  constructor(
    readonly path: string,
    readonly codings: readonly string[],
    readonly resume: () => void,
  ) {}

  write(chunk: Buffer): boolean {
    if (this.#failure) throw this.#failure;
    this.#chain ??= this.#open(chunk);
    this.#encodedSize += chunk.length;
    return this.#chain.first.write(chunk);
  }

  async end(): Promise<ReceivedBody> {
    // Nothing is no compressed body.
    this.#chain ??= this.#open(undefined);
    this.#chain.first.end();
    await this.#chain.written;
    if (this.#failure) throw this.#failure;
    return {
      body: Buffer.concat(this.#kept),
      size: this.#size,
      ...(this.codings.length > 0 && { encodedSize: this.#encodedSize }),
    };
  }

  drop(): void {
    this.#chain?.first.destroy();
  }

  /** What decodes, what keeps the beginning, and the file, one behind the other. */
  #open(begin: Buffer | undefined): { first: Writable; written: Promise<void> } {
    const decoders = begin ? this.codings.map(coding => createDecoder(coding, begin)) : [];
    const stages = [...decoders, this.#keeper(), createWriteStream(this.path)];
    const first = stages[0]!;
    first.on('drain', this.resume);
    const written = promises.pipeline(stages).catch((error: NodeJS.ErrnoException) => {
      this.#failure = error.syscall === undefined ? corrupt(this.codings.join(', '), error) : error;
      // What waits for room must not wait for ever.
      this.resume();
    });
    return { first, written };
  }

  #keeper(): Transform {
    return new Transform({
      transform: (chunk: Buffer, _encoding, next) => {
        if (this.#size < keptBytes) this.#kept.push(chunk.subarray(0, keptBytes - this.#size));
        this.#size += chunk.length;
        next(null, chunk);
      },
    });
  }
}

/** @param begin of the body as it comes */
function createDecoder(coding: string, begin: Buffer): Transform {
  const library = process.getBuiltinModule('node:zlib') as typeof zlib & {
    createZstdDecompress(): Transform;
  };
  switch (coding) {
    case 'gzip':
      return library.createGunzip();
    case 'deflate':
      return hasZlibHeader(begin) ? library.createInflate() : library.createInflateRaw();
    case 'br':
      return library.createBrotliDecompress();
    default:
      return library.createZstdDecompress();
  }
}
