import { Missing } from '../model/value.ts';

/**
 * A body as text: by its byte order mark, else the charset of its Content-Type, else what an XML document says of
 * itself (RFC 7303), else as UTF-8.
 */
export function decodeBody(body: Uint8Array, contentType: string | undefined): string | Missing {
  const charset =
    markedCharset(body) ??
    (contentType && /;\s*charset="?([^";\s]+)/i.exec(contentType)?.[1]) ??
    xmlCharset(body, contentType);
  if (!charset || /^utf-?8$/i.test(charset)) {
    const text = Buffer.from(body.buffer, body.byteOffset, body.byteLength).toString('utf8');
    return text.startsWith('\uFEFF') ? text.slice(1) : text;
  }
  try {
    return new TextDecoder(charset).decode(body);
  } catch {
    return Missing.unreadable(`the body is in the charset '${charset}', which is not known`);
  }
}

function markedCharset(body: Uint8Array): string | undefined {
  if (body[0] === 0xfe && body[1] === 0xff) return 'utf-16be';
  return body[0] === 0xff && body[1] === 0xfe ? 'utf-16le' : undefined;
}

function xmlCharset(body: Uint8Array, contentType: string | undefined): string | undefined {
  if (!contentType || !/[/+]xml\b/i.test(contentType)) return undefined;
  const beginning = Buffer.from(body.subarray(0, 200)).toString('latin1');
  return /^\s*<\?xml[^>]*\sencoding\s*=\s*["']([\w.-]+)/.exec(beginning)?.[1];
}
