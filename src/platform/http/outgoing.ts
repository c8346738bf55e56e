import { createReadStream, promises, statSync } from 'node:fs';
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
      typeof part === 'string' ? part : { file: part.file, size: sizeOf(located[index]!) },
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

type Located = { readonly bytes: Buffer } | { readonly path: string; readonly size: number };

function locate(file: string, { root, anywhere }: FilePlaces): Located {
  const path = locateInside(root, file, anywhere);
  return { path, size: statSync(path).size };
}

/** A stream does not tell its size itself. */
export function withLength(headers: readonly Header[], body: OutgoingBody): readonly Header[] {
  if (body.parts.every(part => typeof part === 'string')) return headers;
  return headers.some(([name]) => /^content-length$/i.test(name))
    ? headers
    : [...headers, ['Content-Length', String(body.size)]];
}
