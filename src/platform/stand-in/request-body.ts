import type { IncomingMessage } from 'node:http';
import { promisify } from 'node:util';
import type { ReceivedBody } from '../../core/stand-in/body/body-pattern.ts';

/** In bytes, as it comes and decoded. */
const largest = 10 * 1024 * 1024;

export class TooLarge {
  readonly message = 'A body of more than 10 MiB is not taken.';
}

/** Reads the body of a request: a form of several parts as its fields, all else as text. */
export async function readRequestBody(message: IncomingMessage): Promise<ReceivedBody | TooLarge> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of message) {
    size += (chunk as Buffer).length;
    if (size > largest) return new TooLarge();
    chunks.push(chunk as Buffer);
  }
  const bytes = await decoded(Buffer.concat(chunks), message.headers['content-encoding']);
  if (bytes instanceof TooLarge) return bytes;
  const type = message.headers['content-type'] ?? '';
  const text = bytes.toString(/charset="?(?:iso-8859-1|latin1|us-ascii)/i.test(type) ? 'latin1' : 'utf8');
  if (!/^multipart\/form-data/i.test(type)) return { text };
  const fields = await readFields(bytes, type);
  return fields ? { text, fields } : { text };
}

/** What cannot be decoded stays as it came. */
async function decoded(bytes: Buffer, coding: string | undefined): Promise<Buffer | TooLarge> {
  if (coding === undefined || coding === 'identity') return bytes;
  const { gunzip, inflate, brotliDecompress } = process.getBuiltinModule('node:zlib');
  const decode = { gzip: gunzip, 'x-gzip': gunzip, deflate: inflate, br: brotliDecompress }[coding];
  if (!decode) return bytes;
  try {
    return await promisify<Buffer, object, Buffer>(decode as never)(bytes, { maxOutputLength: largest });
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE' ? new TooLarge() : bytes;
  }
}

/** By the runtime's own reader of forms; nothing where it is none. */
async function readFields(bytes: Buffer, type: string): Promise<(readonly [string, string])[] | undefined> {
  try {
    const form = await new Response(new Uint8Array(bytes), { headers: { 'Content-Type': type } }).formData();
    return [...form].map(([name, value]) => [name, typeof value === 'string' ? value : value.name] as const);
  } catch {
    return undefined;
  }
}
