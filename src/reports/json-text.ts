import { pathStep } from '../core/language/jsonpath/match.ts';
import type { Paint } from './style.ts';

/** Values that are set off, by the way to them as a failed check tells it: `$.berths[3].state`. */
export interface Marked {
  readonly paths: ReadonlySet<string>;
  readonly mark: (text: string) => string;
}

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
export function formatJson(text: string, width: number, paint: Paint, marked?: Marked): string {
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
  return write(read(), '', { width, paint, ...(marked && { marked }) }, '$');
}

interface Look {
  readonly width: number;
  readonly paint: Paint;
  readonly marked?: Marked;
}

function write(part: Part, indent: string, look: Look, path: string): string {
  const isMarked = look.marked?.paths.has(path) === true;
  if (typeof part !== 'string') return writeMembers(part, indent, look, path, isMarked);
  const text = writeWord(part, look);
  return isMarked ? look.marked!.mark(text) : text;
}

function writeWord(word: string, { paint }: Look): string {
  return word.startsWith('"') ? word : paint('constant', word);
}

/** Of a part with members only its brackets are set off: what is meant of them is set off itself. */
function writeMembers(
  part: Exclude<Part, string>,
  indent: string,
  look: Look,
  path: string,
  isMarked: boolean,
): string {
  const { paint, width, marked } = look;
  const close = part.open === '{' ? '}' : ']';
  const mark = (text: string) => paint('quiet', text);
  const bracket = (text: string) => (isMarked ? marked!.mark(mark(text)) : mark(text));
  if (part.members.length === 0) return bracket(part.open + close);
  const gap = part.open === '{' ? ' ' : '';
  const flat = part.members.every(({ value }) => typeof value === 'string' || value.members.length === 0);
  const length = part.members.reduce(
    (sum, { name = '', value }) => sum + name.length + (typeof value === 'string' ? value.length : 2) + 4,
    indent.length,
  );
  const inner = `${indent}  `;
  const members = part.members.map(({ name, value }, index) => {
    // The way is followed only where somebody asks for it.
    const way = marked ? path + pathStep(name === undefined ? index : JSON.parse(name)) : path;
    return (
      (name === undefined ? '' : `${paint('strong', name)}${mark(':')} `) + write(value, inner, look, way)
    );
  });
  if (flat && length <= width)
    return bracket(part.open) + gap + members.join(mark(', ')) + gap + bracket(close);
  return `${bracket(part.open)}\n${inner}${members.join(`${mark(',')}\n${inner}`)}\n${indent}${bracket(close)}`;
}
