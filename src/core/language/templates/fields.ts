import { SourceError } from '../../model/finding.ts';
import type { Excerpt, Range } from '../../model/source.ts';
import { parseTemplate, type Template } from './template.ts';

/** A line `name = value` of a form; in a multipart body it may name a file instead, and its type. */
export interface Field {
  readonly name: Template;
  readonly value: Template;
  /** Whether the value is the path of a file. */
  readonly isFile: boolean;
  readonly type?: string;
  readonly range: Range;
}

/** Reads the lines of a `form body`, `form query` or `multipart body`. Empty lines do not count. */
export function parseFields(
  excerpt: Excerpt,
  form: 'form' | 'multipart',
): { fields: Field[]; errors: SourceError[] } {
  const fields: Field[] = [];
  const errors: SourceError[] = [];
  let start = 0;
  for (const line of excerpt.text.split('\n')) {
    if (line.trim() !== '') {
      const field = parseField(excerpt, line, start, form);
      if (field instanceof SourceError) errors.push(field);
      else fields.push(field);
    }
    start += line.length + 1;
  }
  return { fields, errors };
}

/** As in the query of a URL: `state=free&depth=4`. */
const encoded = /^\s*[\w.[\]%-]+=[^\s&=]*(?:&[\w.[\]%-]+=[^\s&=]*)+\s*$/;

// field :: name = ( value | file "PATH" ) ( as TYPE )?
function parseField(
  excerpt: Excerpt,
  line: string,
  start: number,
  form: 'form' | 'multipart',
): Field | SourceError {
  const multipart = form === 'multipart';
  const range = excerpt.range(start, start + line.length);
  const [head = '', name = ''] = /^\s*([^=]*?)\s*=/.exec(line) ?? [];
  if (name === '')
    return new SourceError(
      'field-line',
      range,
      'A line here is a name, an equals sign and a value.',
      multipart ? 'For example: manifest = file "manifest.csv" as text/csv' : 'For example: state = free',
    );
  const mistaken = encoded.test(line)
    ? new SourceError(
        'field-line',
        range,
        'Several fields stand in this line, as they are encoded.',
        'Each has a line of its own: state = free. What is encoded already is a text body with its Content-Type.',
      )
    : undefined;
  if (mistaken) return mistaken;
  const part = (from: number, to: number) => parseTemplate(excerpt, start + from, start + to, 'text');
  const nameStart = line.indexOf(name);
  const typed = multipart ? /\s+as\s+([\w.+-]+\/[\w.+-]+(?:\s*;.*)?)\s*$/.exec(line) : null;
  const end = Math.max(head.length, typed ? typed.index : line.trimEnd().length);
  const valueStart = Math.min(end, head.length + /^\s*/.exec(line.slice(head.length))![0].length);
  const base = {
    name: part(nameStart, nameStart + name.length),
    ...(typed && { type: typed[1]!.trim() }),
    range,
  };
  const file = multipart ? /^file\s+"([^"]*)"\s*$/.exec(line.slice(valueStart, end)) : null;
  if (!file) {
    const [, path] = (multipart && /^[@<]\s*"?([^\s"@]+\.\w+)"?$/.exec(line.slice(valueStart, end))) || [];
    if (path !== undefined)
      return new SourceError(
        'field-line',
        range,
        'This would be sent as a text.',
        `A file is written: ${name} = file "${path}"`,
      );
    if (multipart && /^file(?:\s|$)/.test(line.slice(valueStart, end)))
      return new SourceError(
        'field-line',
        range,
        'The path of a file stands in quotes.',
        'For example: manifest = file "manifest.csv"',
      );
    return { ...base, value: part(valueStart, end), isFile: false };
  }
  const pathStart = line.indexOf('"', valueStart) + 1;
  return { ...base, value: part(pathStart, pathStart + file[1]!.length), isFile: true };
}
