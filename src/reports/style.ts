import { styleText } from 'node:util';

/** What a stretch of terminal output is; nothing depends on the colour alone. */
export type Role = 'strong' | 'quiet' | 'failed' | 'error' | 'plain' | 'constant';

export type Paint = (role: Role, text: string) => string;

const formats = {
  strong: ['bold'],
  quiet: ['gray'],
  failed: ['bold', 'red'],
  error: ['bold', 'magenta'],
  plain: ['reset'],
  /** In a document, what stands without quotes: numbers, true, false, null. */
  constant: ['magenta'],
} as const;

/** Leaves everything as it is. */
export const plainPaint: Paint = (_role, text) => text;

/**
 * Only the sixteen standard colours, so that the reader's own palette counts. Orange would be the colour of what failed;
 * of the sixteen, its neighbour yellow cannot be read on a light ground, so it is red. What holds stays plain: blue cannot
 * be read on a dark one.
 */
export function createPaint({ colour }: { readonly colour: boolean }): Paint {
  if (!colour) return plainPaint;
  return (role, text) =>
    role === 'plain' ? text : styleText([...formats[role]], text, { validateStream: false });
}

export type Measure = (text: string) => number;

/** How many columns a text takes. The package that knows is loaded only where a text is not plain ASCII. */
export async function createMeasure(texts: Iterable<string>): Promise<Measure> {
  for (const text of texts)
    if (/[^\n\u0020-\u007e]/.test(text)) {
      const { stringWidth } = await import('./width.ts');
      // Most of what is measured is ASCII all the same.
      return part => (/^[\u0020-\u007e]*$/.test(part) ? part.length : stringWidth(part));
    }
  return text => text.length;
}

/** Control characters, of which a response may be full, made visible. */
export function visible(text: string): string {
  return text.replace(
    /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u2028-\u202e\u2066-\u2069]/g,
    char => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

/** Cut to a width with a mark, and filled up to it. */
export function fit(text: string, width: number, measure: Measure): string {
  const taken = measure(text);
  if (taken <= width) return text + ' '.repeat(width - taken);
  let cut = '';
  for (const char of text) {
    if (measure(cut + char) > width - 1) break;
    cut += char;
  }
  return `${cut}…${' '.repeat(Math.max(0, width - 1 - measure(cut)))}`;
}

/** A number and its unit, which a line end must not part. */
const measured = /(\d) (?=(?:ms|s|min|h|days?|B|kB|MB|GB)(?![\w-]))/g;
const joint = '\u00a0';

/** With no place between a number and its unit where a line could be broken. */
export function joined(text: string): string {
  return text.replace(measured, `$1${joint}`);
}

/** Broken at white space into lines of a width; what has no white space, and a number with its unit, is left whole. */
export function wrap(text: string, width: number, measure: Measure): string[] {
  const lines: string[] = [];
  for (const paragraph of text.split('\n')) {
    let line = '';
    for (const part of joined(paragraph).split(' ')) {
      const word = part.replaceAll(joint, ' ');
      if (line !== '' && measure(line) + 1 + measure(word) > width) {
        lines.push(line);
        line = word;
      } else line = line === '' ? word : `${line} ${word}`;
    }
    lines.push(line);
  }
  return lines;
}
