import { withoutReferences } from '../core/steps/http/write-request.ts';

/**
 * A line of a form, in which nothing is a reference; nothing where there is no name.
 * @param value a text, or what is written as it is: a reference, a file
 */
export function fieldLine(name: string, value: string | { readonly written: string }): string[] {
  const key = withoutReferences(name.replace(/[=\s]+/g, '-').replace(/^-+|-+$/g, ''));
  if (key === '') return [];
  if (typeof value !== 'string') return [`${key} = ${value.written}`];
  const line = oneLine(value);
  // What would name a file of this machine is a text only where it reads otherwise.
  const names = /^(?:file(?:\s|$)|[@<])|\sas\s+[\w.+-]+\/[\w.+-]+/.test(line);
  return [`${key} = ${names ? 'text' : withoutReferences(line)}`];
}

/** What can stand in a header (RFC 9110, 5.5): everything else in it was never sent. */
export function headerValue(text: string): string {
  return oneLine(text).replace(/[^\x20-\x7e\xa0-\xff]/g, '');
}

/** Line ends and what else would end a line become spaces. */
export function oneLine(text: string): string {
  return text.replace(/[\u0000-\u001f\u007f-\u009f\u2028\u2029]+/g, ' ').trim();
}
