import { type Found, Missing, type Value } from '../../model/value.ts';
import { JsonError, readJson } from '../../values/json-document.ts';
import { encodeQuery } from '../templates/encode.ts';
import type { FunctionGroup } from './signature.ts';

/** Encodings and digests. Digests are hex text. */
export const codingFunctions = {
  base64: { parameters: ['data'], result: 'text', apply: ([data]) => bytesOf(data!).toString('base64') },
  base64url: {
    parameters: ['data'],
    result: 'text',
    apply: ([data]) => bytesOf(data!).toString('base64url'),
  },
  unbase64: { parameters: ['text'], result: 'any', apply: ([text]) => unbase64(text as string) },
  hex: { parameters: ['data'], result: 'text', apply: ([data]) => bytesOf(data!).toString('hex') },
  unhex: {
    parameters: ['text'],
    result: 'bytes',
    apply: ([text]) =>
      /^(?:[0-9a-fA-F]{2})*$/.test(text as string)
        ? Uint8Array.from(Buffer.from(text as string, 'hex'))
        : new Missing(`unhex() takes pairs of hex digits, not '${(text as string).slice(0, 40)}'`),
  },
  gzip: {
    parameters: ['data'],
    result: 'bytes',
    apply: ([data]) => Uint8Array.from(process.getBuiltinModule('node:zlib').gzipSync(bytesOf(data!))),
  },
  sha256: { parameters: ['data'], result: 'text', apply: ([data]) => digest('sha256', data!) },
  md5: { parameters: ['data'], result: 'text', apply: ([data]) => digest('md5', data!) },
  hmac: {
    parameters: ['text', 'data', 'data'],
    result: 'text',
    apply: ([algorithm, key, data]) => hmac(algorithm as string, key!, data!),
  },
  jwt: { parameters: ['text'], result: 'object', apply: ([text]) => readToken(text as string) },
  encode: { parameters: ['text'], result: 'text', apply: ([text]) => encodeQuery(text as string) },
  decode: { parameters: ['text'], result: 'text', apply: ([text]) => decode(text as string) },
} satisfies FunctionGroup;

function bytesOf(data: Value): Buffer {
  return typeof data === 'string' ? Buffer.from(data, 'utf8') : Buffer.from(data as Uint8Array);
}

function decode(text: string): Found {
  try {
    return decodeURIComponent(text);
  } catch {
    return new Missing(`decode() takes what is percent-encoded, not '${text.slice(0, 40)}'`);
  }
}

/** Text where the bytes are UTF-8, else the bytes. Both alphabets, with padding or without. */
function unbase64(text: string): Found {
  const plain = text.replace(/\s+/g, '');
  if (!/^[A-Za-z0-9+/_-]*={0,2}$/.test(plain) || plain.replace(/=+$/, '').length % 4 === 1)
    return new Missing(`unbase64() takes base64, not '${text.slice(0, 40)}'`);
  const bytes = Buffer.from(plain, 'base64');
  const decoded = bytes.toString('utf8');
  return Buffer.from(decoded, 'utf8').equals(bytes) ? decoded : Uint8Array.from(bytes);
}

function digest(algorithm: string, data: Value): string {
  return process.getBuiltinModule('node:crypto').createHash(algorithm).update(bytesOf(data)).digest('hex');
}

const digests = ['sha256', 'sha512', 'sha384', 'sha1', 'md5'];

function hmac(written: string, key: Value, data: Value): Found {
  const algorithm = written.toLowerCase().replace('-', '');
  if (!digests.includes(algorithm))
    return new Missing(`hmac() knows no '${written}'; there are ${digests.join(', ')}`);
  const { createHmac } = process.getBuiltinModule('node:crypto');
  return createHmac(algorithm, bytesOf(key)).update(bytesOf(data)).digest('hex');
}

/** A signed token in its compact form (RFC 7519). It is decoded, and not verified. */
function readToken(text: string): Found {
  const parts = text.trim().split('.');
  if (parts.length !== 3) return new Missing('jwt() takes a token of three parts, with dots between them');
  const [header, payload, signature] = parts as [string, string, string];
  try {
    return { header: readPart(header), payload: readPart(payload), signature };
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    return new Missing(`jwt() takes a token, and a part of this one holds no JSON`);
  }
}

function readPart(part: string): Value {
  return readJson(Buffer.from(part, 'base64url').toString('utf8'));
}
