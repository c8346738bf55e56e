import type { RecordedBody } from './recording.ts';

/** The parts of a body of multipart/form-data (RFC 7578) that was recorded as it was sent. */
export function partsOf(text: string, contentType: string): RecordedBody['fields'] {
  const boundary = /boundary="?([^";]+)/i.exec(contentType)?.[1] ?? /^--(\S+)\r?\n/.exec(text)?.[1];
  if (boundary === undefined) return [];
  const parts = text.split(`--${boundary}`).slice(1);
  return parts.flatMap(part => {
    const [, head = '', value = ''] = /^\r?\n([\s\S]*?)\r?\n\r?\n([\s\S]*?)\r?\n?$/.exec(part) ?? [];
    const disposition = /^content-disposition:(.*)$/im.exec(head)?.[1] ?? '';
    const name = /;\s*name="([^"]*)"/i.exec(disposition)?.[1];
    const file = /;\s*filename="([^"]*)"/i.exec(disposition)?.[1];
    const type = /^content-type:\s*([\w.+-]+\/[\w.+-]+)/im.exec(head)?.[1];
    if (name === undefined) return [];
    return [{ name, value, ...(file !== undefined && { file }), ...(type !== undefined && { type }) }];
  });
}
