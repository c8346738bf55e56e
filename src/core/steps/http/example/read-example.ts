import { parseTemplate, type Template } from '../../../language/templates/template.ts';
import { SourceError } from '../../../model/finding.ts';
import type { Excerpt, Lines, Range } from '../../../model/source.ts';
import type { WrittenExample } from '../../step.ts';
import { bodyOffset, headLines, type Line, token } from '../message-head.ts';
import type { BodyText, HeaderField } from '../request.ts';

/** An example of a response, as a page has it below its request. */
export interface HttpExample extends WrittenExample {
  readonly status: number;
  /** Behind the status; nothing where none is written. */
  readonly reason: string;
  readonly headers: readonly HeaderField[];
  readonly body?: BodyText;
  readonly range: Range;
  readonly lines: Lines;
}

export function isExampleResponse(excerpt: Excerpt): boolean {
  return /^\s*HTTP\//.test(excerpt.text);
}

// example :: HTTP/version SP status ( SP reason )? ( EOL field )* ( EOL EOL body )?
export function readExample(
  excerpt: Excerpt,
  lines: Lines,
): { example?: HttpExample; errors: readonly SourceError[] } {
  const { text } = excerpt;
  const [first, ...others] = headLines(text) as [Line, ...Line[]];
  const range = excerpt.range(first.start, first.start + first.text.length);
  try {
    const { status, reason } = readStatusLine(first.text, range);
    const headers = others.map(each => readField(excerpt, each));
    const start = bodyOffset(text);
    const example: HttpExample = {
      status,
      reason,
      headers,
      ...(start !== undefined && { body: { excerpt, start } }),
      range,
      lines,
      setsCookie: headers.some(({ name }) => name.toLowerCase() === 'set-cookie'),
    };
    return { example, errors: [] };
  } catch (error) {
    if (!(error instanceof SourceError)) throw error;
    return { errors: [error] };
  }
}

function readStatusLine(line: string, range: Range): { status: number; reason: string } {
  const [, digits, reason = ''] = /^\s*HTTP\/\d(?:\.\d)?\s+(\d+)(?:\s+(.*?))?\s*$/.exec(line) ?? [];
  if (digits === undefined)
    throw new SourceError(
      'example-form',
      range,
      'An example response begins with its status line.',
      'For example: HTTP/1.1 200 OK',
    );
  const status = Number(digits);
  if (status < 200 || status > 599)
    throw new SourceError(
      'example-form',
      range,
      `${digits} is no status that answers a request.`,
      'Those of answers lie between 200 and 599.',
    );
  return { status, reason };
}

// field :: token : text
function readField(excerpt: Excerpt, { text, start }: Line): HeaderField {
  const range = excerpt.range(start, start + text.length);
  const [, indent = '', name = '', between = ''] = /^(\s*)([^:]*?)(\s*:\s*)/.exec(text) ?? [];
  if (!token.test(name))
    throw new SourceError(
      'example-form',
      range,
      'This line of the example is no header: a name, a colon and a value.',
      'The body begins behind an empty line.',
    );
  const from = start + indent.length + name.length + between.length;
  return { name, value: headerTemplate(excerpt, from, start + text.trimEnd().length), range };
}

function headerTemplate(excerpt: Excerpt, from: number, end: number): Template {
  return parseTemplate(excerpt, from, Math.max(from, end), 'header');
}
