import type { Payload } from '../record/events.ts';

/** What is kept of a body in the record, in bytes. */
const keptBytes = 64 * 1024;

/** A body as the record keeps it (node:crypto is loaded only where a body is cut): cut at a limit, with its true length and, where it is cut, its hash. */
export function payloadOf(body: Uint8Array): Payload {
  const cut = body.length > keptBytes;
  const kept = Buffer.from(body.buffer, body.byteOffset, cut ? wholeCharacters(body) : body.length);
  const text = kept.toString('utf8');
  const content =
    Buffer.byteLength(text) === kept.length && !text.includes('\uFFFD')
      ? { text }
      : { base64: kept.toString('base64') };
  if (!cut) return { size: body.length, ...content };
  return {
    size: body.length,
    ...content,
    cut: true,
    sha256: process.getBuiltinModule('node:crypto').createHash('sha256').update(body).digest('hex'),
  };
}

/** The limit, moved back to the beginning of a character of UTF-8. */
function wholeCharacters(body: Uint8Array): number {
  let end = keptBytes;
  while (end > keptBytes - 4 && (body[end]! & 0xc0) === 0x80) end--;
  return end;
}
