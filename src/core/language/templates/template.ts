import type { Excerpt, Range } from '../../model/source.ts';
import type { Hole } from '../../values/json-document.ts';
import { type Reference, readReference } from '../reference.ts';

/** Where a value lands decides how it is escaped. */
export type Place =
  | 'text'
  | 'header'
  | 'json-value'
  | 'json-string'
  | 'xml'
  | 'cdata'
  | 'yaml-quoted'
  | 'yaml-text'
  | 'form';

/** A text with references, each with the place where it stands. */
export interface Template {
  readonly parts: readonly (string | { readonly reference: Reference; readonly place: Place })[];
}

export interface Piece extends Hole {
  /** Nothing for `\{`, which is a brace. */
  readonly reference?: Reference;
}

/** A stretch of an excerpt as a template whose references all stand in one place. */
export function parseTemplate(excerpt: Excerpt, start: number, end: number, place: Place): Template {
  const { text } = excerpt;
  return assemble(
    text,
    { start, end },
    findPieces(text, start, end, (from, to) => excerpt.range(from, to)),
    () => place,
  );
}

/** The same for a text whose offsets do not matter any more. */
export function parseTemplateText(text: string, place: Place, range: Range): Template {
  return assemble(
    text,
    { start: 0, end: text.length },
    findPieces(text, 0, text.length, () => range),
    () => place,
  );
}

/** The references of a stretch, and the braces that are none. */
export function findPieces(
  text: string,
  start: number,
  end: number,
  place: (start: number, end: number) => Range,
): Piece[] {
  const pieces: Piece[] = [];
  for (let at = text.indexOf('{', start); at >= 0 && at < end; at = text.indexOf('{', at)) {
    if (text[at - 1] === '\\' && at > start) {
      pieces.push({ start: at - 1, end: ++at });
      continue;
    }
    const found = readReference(text, at, place);
    if (found && found.end <= end) pieces.push({ start: at, end: found.end, reference: found.reference });
    at = found ? found.end : at + 1;
  }
  return pieces;
}

export function assemble(
  text: string,
  { start, end }: Range,
  pieces: readonly Piece[],
  placeOf: (piece: Piece, index: number) => Place,
): Template {
  const parts: (string | { reference: Reference; place: Place })[] = [];
  let run = '';
  let at = start;
  for (const [index, piece] of pieces.entries()) {
    run += text.slice(at, piece.start);
    at = piece.end;
    if (!piece.reference) {
      run += '{';
      continue;
    }
    if (run !== '') parts.push(run);
    run = '';
    parts.push({ reference: piece.reference, place: placeOf(piece, index) });
  }
  run += text.slice(at, end);
  if (run !== '') parts.push(run);
  return { parts };
}

export function referencesOf(template: Template): Reference[] {
  const references: Reference[] = [];
  for (const part of template.parts) if (typeof part !== 'string') references.push(part.reference);
  return references;
}
