import type { ServerResponse } from 'node:http';
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib';
import type { StandInAnswer } from '../../core/stand-in/stand-in-answer.ts';

/** Headers that are about how a message comes, which is for the server to say. */
const framing = new Set([
  'content-length',
  'transfer-encoding',
  'connection',
  'keep-alive',
  'trailer',
  'upgrade',
]);

const codings: { readonly [coding: string]: ((bytes: Uint8Array) => Uint8Array) | undefined } = {
  __proto__: null as never,
  gzip: gzipSync,
  deflate: deflateSync,
  br: brotliCompressSync,
};

/** An answer as it is sent: of one that is the same for everybody, made once. */
interface Prepared {
  readonly head: readonly string[];
  readonly bytes: Uint8Array;
  readonly exposed: string;
}

const prepared = new WeakMap<StandInAnswer, Prepared>();

/** @param origin of the page that asks, where it may read the answer */
export function writeAnswer(response: ServerResponse, answer: StandInAnswer, origin?: string): void {
  let ready = prepared.get(answer);
  if (!ready) {
    ready = prepare(answer);
    prepared.set(answer, ready);
  }
  const { head, bytes, exposed } = ready;
  const all =
    origin === undefined
      ? head
      : [
          ...head,
          ...['Access-Control-Allow-Origin', origin],
          ...['Access-Control-Allow-Credentials', 'true'],
          ...['Access-Control-Expose-Headers', exposed],
          ...['Vary', 'Origin'],
        ];
  if (answer.reason === '') response.writeHead(answer.status, all as string[]);
  else response.writeHead(answer.status, latin(answer.reason), all as string[]);
  response.end(bytes);
}

function prepare(answer: StandInAnswer): Prepared {
  const headers = answer.headers.filter(([name]) => !framing.has(name.toLowerCase()));
  const sentAs = (wanted: string) => headers.find(([name]) => name.toLowerCase() === wanted)?.[1];
  const compress = codings[sentAs('content-encoding')?.toLowerCase() ?? ''];
  const plain = encoded(answer, sentAs('content-type'));
  const bytes = compress ? compress(plain) : plain;
  const isBodyless = answer.status === 204 || answer.status === 304;
  const head = headers
    .filter(([name]) => compress || name.toLowerCase() !== 'content-encoding')
    .flatMap(([name, value]) => [name, latin(value)]);
  if (!isBodyless) head.push('Content-Length', String(bytes.length));
  if (answer.from !== undefined) head.push('Mervok-Answer', encodeURI(answer.from));
  const exposed = [...new Set(headers.map(([name]) => name)), 'Mervok-Answer'].join(', ');
  return { head, bytes: isBodyless ? new Uint8Array() : bytes, exposed };
}

function encoded({ body }: StandInAnswer, contentType = ''): Uint8Array {
  if (body && 'bytes' in body) return body.bytes;
  if (!body || !('text' in body)) return new Uint8Array();
  const isLatin = /charset="?(?:iso-8859-1|latin1|us-ascii)/i.test(contentType);
  return Buffer.from(body.text, isLatin ? 'latin1' : 'utf8');
}

/** The bytes of UTF-8 where a header holds more than that takes; it can hold no control characters. */
function latin(text: string): string {
  const clean = text.replace(/[\u0000-\u0008\u000a-\u001f\u007f]/g, ' ');
  return /[^\u0000-\u00ff]/.test(clean) ? Buffer.from(clean, 'utf8').toString('latin1') : clean;
}
