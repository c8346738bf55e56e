import { isUtf8 } from 'node:buffer';
import type { Payload } from '../model/events.ts';

/**
 * A body as the record keeps it: cut at a limit, with its true length and, where it is cut, its hash (node:crypto is
 * loaded only there).
 * @param limit in bytes
 * @param size of the whole, where the body itself is only its beginning
 */
export function payloadOf(body: Uint8Array, limit: number, size = body.length): Payload {
  const cut = body.length > limit;
  const kept = Buffer.from(body.buffer, body.byteOffset, cut ? wholeCharacters(body, limit) : body.length);
  const payload: Payload = isUtf8(kept)
    ? { size, text: kept.toString('utf8') }
    : { size, base64: kept.toString('base64') };
  if (cut || size > body.length) payload.cut = true;
  // Of what is not here there is no hash.
  if (cut && size === body.length)
    payload.sha256 = process.getBuiltinModule('node:crypto').createHash('sha256').update(body).digest('hex');
  return payload;
}

/** The limit, moved back to the beginning of a character of UTF-8. */
function wholeCharacters(body: Uint8Array, limit: number): number {
  let end = limit;
  while (end > limit - 4 && end > 0 && (body[end]! & 0xc0) === 0x80) end--;
  return end;
}
