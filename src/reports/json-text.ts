import type { Paint } from './style.ts';

/** A part of a JSON text as it is written, so that no digit of a number is lost. */
type Part = string | { readonly open: '{' | '['; readonly members: readonly Member[] };
interface Member {
  readonly name?: string;
  readonly value: Part;
}

const tokenForm = /"(?:[^"\\]|\\.)*"|[^\s"{}[\],:]+|[{}[\],:]/g;

/**
 * A JSON text with one member a line; what is short and holds no further parts stays in one line.
 * Throws RangeError where it is nested too deeply.
 */
export function formatJson(text: string, width: number, paint: Paint): string {
  const tokens = text.match(tokenForm) ?? [];
  let at = 0;
  const read = (): Part => {
    const token = tokens[at++]!;
    if (token !== '{' && token !== '[') return token;
    const members: Member[] = [];
    const close = token === '{' ? '}' : ']';
    while (tokens[at] !== close) {
      if (tokens[at] === ',') at++;
      if (token === '[') members.push({ value: read() });
      else {
        const name = tokens[at]!;
        at += 2;
        members.push({ name, value: read() });
      }
    }
    at++;
    return { open: token, members };
  };
  return write(read(), '', width, paint);
}

function write(part: Part, indent: string, width: number, paint: Paint): string {
  if (typeof part === 'string') return part.startsWith('"') ? part : paint('constant', part);
  const close = part.open === '{' ? '}' : ']';
  const mark = (text: string) => paint('quiet', text);
  if (part.members.length === 0) return mark(part.open + close);
  const gap = part.open === '{' ? ' ' : '';
  const flat = part.members.every(({ value }) => typeof value === 'string' || value.members.length === 0);
  const length = part.members.reduce(
    (sum, { name = '', value }) => sum + name.length + (typeof value === 'string' ? value.length : 2) + 4,
    indent.length,
  );
  const inner = `${indent}  `;
  const members = part.members.map(
    ({ name, value }) =>
      (name === undefined ? '' : `${paint('strong', name)}${mark(':')} `) + write(value, inner, width, paint),
  );
  if (flat && length <= width) return mark(part.open) + gap + members.join(mark(', ')) + gap + mark(close);
  return `${mark(part.open)}\n${inner}${members.join(`${mark(',')}\n${inner}`)}\n${indent}${mark(close)}`;
}
