import { closeSync, createReadStream, openSync, promises, readSync, statSync } from 'node:fs';
import type { BodyPart, Header } from '../../core/model/http-messages.ts';
import type { FilePlaces } from '../file-places.ts';
import { locateInside } from '../files.ts';

/** A body made ready to be sent. */
export interface OutgoingBody {
  /** With the sizes of files. */
  readonly parts: readonly BodyPart[];
  /** In bytes. */
  readonly size: number;
  /** What the client takes; a stream is opened anew for every sending. */
  open(): Buffer | AsyncIterable<Buffer>;
  /** All of it, for what has to be computed from it. */
  read(): Promise<Buffer>;
}

/** Finds the files of a body. Throws UsageError. */
export function prepareOutgoing(parts: readonly BodyPart[], places: FilePlaces): OutgoingBody {
  const texts = parts.filter(part => typeof part === 'string');
  if (texts.length === parts.length) {
    const bytes = Buffer.from(texts.length === 1 ? texts[0]! : texts.join(''), 'utf8');
    return { parts, size: bytes.length, open: () => bytes, read: async () => bytes };
  }
  const located = parts.map(part =>
    typeof part === 'string' ? { bytes: Buffer.from(part, 'utf8') } : locate(part.file, places),
  );
  const sizeOf = (each: Located) => ('path' in each ? each.size : each.bytes.length);
  return {
    parts: parts.map((part, index) =>
      typeof part === 'string' ? part : describe(part.file, located[index]!),
    ),
    size: located.reduce((sum, each) => sum + sizeOf(each), 0),
    async *open() {
      for (const each of located) {
        if (!('path' in each)) yield each.bytes;
        else if (each.size > 0) yield* createReadStream(each.path, { end: each.size - 1 });
      }
    },
    read: async () =>
      Buffer.concat(
        await Promise.all(located.map(each => ('path' in each ? promises.readFile(each.path) : each.bytes))),
      ),
  };
}

function describe(file: string, located: Located): BodyPart {
  if (!('path' in located)) return { file };
  const { path, size } = located;
  return { file, size, sha256: () => hashOf(path, size) };
}

/** So much is read at once, in bytes. */
const portion = 1 << 20;

/** Of so many bytes of a file, in hexadecimal digits; nothing where they are not there any more. */
function hashOf(path: string, size: number): string | undefined {
  const { createHash } = process.getBuiltinModule('node:crypto');
  const hash = createHash('sha256');
  const buffer = Buffer.allocUnsafe(Math.min(size, portion));
  let descriptor: number | undefined;
  try {
    descriptor = openSync(path, 'r');
    for (let at = 0; at < size; ) {
      const count = readSync(descriptor, buffer, 0, Math.min(buffer.length, size - at), at);
      if (count === 0) return undefined;
      hash.update(buffer.subarray(0, count));
      at += count;
    }
    return hash.digest('hex');
  } catch {
    return undefined;
  } finally {
    if (descriptor !== undefined) closeSync(descriptor);
  }
}

type Located = { readonly bytes: Buffer } | { readonly path: string; readonly size: number };

function locate(file: string, { root, anywhere }: FilePlaces): Located {
  const path = locateInside(root, file, anywhere);
  return { path, size: statSync(path).size };
}

/**
 * A stream does not tell its size itself.
 * @param isStream whether even a text goes out as one
 */
export function withLength(
  headers: readonly Header[],
  body: OutgoingBody,
  isStream: boolean,
): readonly Header[] {
  if (!isStream && body.parts.every(part => typeof part === 'string')) return headers;
  return headers.some(([name]) => /^content-length$/i.test(name))
    ? headers
    : [...headers, ['Content-Length', String(body.size)]];
}
