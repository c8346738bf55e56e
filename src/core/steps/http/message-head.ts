// What messages of HTTP have in common as pages write them: a first line, header lines, an empty line, a body.

/** What the name of a header or a method is made of (RFC 9110, 5.6.2). */
export const token = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;

export interface Line {
  readonly text: string;
  readonly start: number;
}

/** The lines before the first empty one, each with its offset; empty lines before the first one do not count. */
export function headLines(text: string): Line[] {
  const lines: Line[] = [];
  let start = 0;
  for (const line of text.split('\n')) {
    if (line.trim() === '' && lines.length > 0) break;
    if (line.trim() !== '') lines.push({ text: line, start });
    start += line.length + 1;
  }
  return lines;
}

/** The body is everything behind the first empty line after the head. */
export function bodyOffset(text: string): number | undefined {
  const head = /^(?:[ \t]*\n)*(?:[^\n]*\S[^\n]*(?:\n|$))*[ \t]*(?:\n|$)/.exec(text)![0];
  return text.slice(head.length).trim() === '' ? undefined : head.length;
}
