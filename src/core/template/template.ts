import { Mistake } from '../text/finding.ts';
import type { Excerpt, Range } from '../text/source.ts';
import { checkJsonWithHoles, type Hole, JsonMistake } from '../values/json.ts';
import { type Reference, readReference } from './reference.ts';

/** Where a value lands decides how it is escaped. */
export type Place = 'text' | 'header' | 'json-value' | 'json-string' | 'xml' | 'form';

/** A text with references, each with the place where it stands. */
export interface Template {
  readonly parts: readonly (string | { readonly reference: Reference; readonly place: Place })[];
}

export type BodyForm = 'json' | 'xml' | 'form' | 'text';

interface Piece extends Hole {
  /** Nothing for `\{`, which is a brace. */
  readonly reference?: Reference;
}

/** A stretch of an excerpt as a template whose references all stand in one place. */
export function parseTemplate(excerpt: Excerpt, start: number, end: number, place: Place): Template {
  const { text } = excerpt;
  return assemble(
    text,
    start,
    end,
    findPieces(text, start, end, (from, to) => excerpt.range(from, to)),
    () => place,
  );
}

/** The same for a text whose offsets do not matter any more. */
export function parseTemplateText(text: string, place: Place, range: Range): Template {
  return assemble(
    text,
    0,
    text.length,
    findPieces(text, 0, text.length, () => range),
    () => place,
  );
}

/** A body. One that should be JSON is checked; a Mistake tells the place where it is not. */
export function parseBody(excerpt: Excerpt, start: number, form: BodyForm): Template {
  const { text } = excerpt;
  const pieces = findPieces(text, start, text.length, (from, to) => excerpt.range(from, to));
  if (form !== 'json') return assemble(text, start, text.length, pieces, () => form);
  try {
    const holes = pieces.map(piece =>
      Object.assign(piece, { start: piece.start - start, end: piece.end - start }),
    );
    checkJsonWithHoles(text.slice(start), holes);
  } catch (error) {
    if (!(error instanceof JsonMistake)) throw error;
    const at = start + error.offset;
    throw new Mistake(
      'body-json',
      excerpt.range(at, at + 1),
      `The body is no JSON: ${error.message}.`,
      'A body of another type has its Content-Type in the header lines.',
    );
  } finally {
    for (const piece of pieces) Object.assign(piece, { start: piece.start + start, end: piece.end + start });
  }
  return assemble(text, start, text.length, pieces, piece =>
    piece.place === 'string' ? 'json-string' : 'json-value',
  );
}

function findPieces(
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

function assemble(
  text: string,
  start: number,
  end: number,
  pieces: Piece[],
  placeOf: (piece: Piece) => Place,
): Template {
  const parts: (string | { reference: Reference; place: Place })[] = [];
  let run = '';
  let at = start;
  for (const piece of pieces) {
    run += text.slice(at, piece.start);
    at = piece.end;
    if (!piece.reference) {
      run += '{';
      continue;
    }
    if (run !== '') parts.push(run);
    run = '';
    parts.push({ reference: piece.reference, place: placeOf(piece) });
  }
  run += text.slice(at, end);
  if (run !== '') parts.push(run);
  return { parts };
}

export function referencesOf(template: Template): Reference[] {
  return template.parts.flatMap(part => (typeof part === 'string' ? [] : [part.reference]));
}
