import type { Range } from '../model/source.ts';

/** `{berth.id}`; `raw` for `{+berth.id}`, which is inserted without escaping. */
export interface Reference {
  readonly type: 'reference';
  readonly name: string;
  readonly path: readonly string[];
  readonly raw: boolean;
  /** In the page. */
  readonly range: Range;
}

const name = '[A-Za-z][A-Za-z0-9_-]*';
/** A name and a path into its value: `berth`, `berth.id`, `berths.0.depth`. */
export const dotted = `${name}(?:\\.(?:${name}|\\d+))*`;
const whole = new RegExp(`^${name}$`);
const form = new RegExp(`\\{(\\+?)(${dotted})\\}`, 'y');

/** Whether a text is a name as references write it. */
export function isName(text: string): boolean {
  return whole.test(text);
}

/** The reference that begins at an offset, and where it ends; nothing where a brace is just a brace. */
export function readReference(
  text: string,
  at: number,
  place: (start: number, end: number) => Range,
): { reference: Reference; end: number } | undefined {
  form.lastIndex = at;
  const match = form.exec(text);
  if (!match) return undefined;
  const end = form.lastIndex;
  const [first, ...path] = match[2]!.split('.');
  return {
    reference: { type: 'reference', name: first!, path, raw: match[1] === '+', range: place(at, end) },
    end,
  };
}

/** Whether a brace behind this text belongs to a pattern: behind \p, \P, \x and \u. */
export function belongsToPattern(before: string): boolean {
  return /(?:^|[^\\])(?:\\\\)*\\[pPxu]$/.test(before);
}

/** A reference as it is written, without its braces. */
export function referenceText({ name, path }: Pick<Reference, 'name' | 'path'>): string {
  return [name, ...path].join('.');
}
