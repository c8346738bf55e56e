import { SourceError } from '../../model/finding.ts';
import type { Excerpt } from '../../model/source.ts';
import { checkJsonWithHoles, JsonError } from '../../values/json-document.ts';
import { readXml, XmlError } from '../../values/xml.ts';
import { unreadReference } from './foreign-references.ts';
import { assemble, findPieces, type Piece, type Place, type Template } from './template.ts';

/** How the references of a body are escaped. */
export type TemplateForm = 'json' | 'xml' | 'yaml' | 'form' | 'text';

/**
 * A body from an offset of its excerpt on. One that should be JSON or XML is checked; a SourceError tells the place where it
 * is not. For XML, `loadXml()` comes before.
 */
export function parseBody(excerpt: Excerpt, start: number, form: TemplateForm): Template {
  const { text } = excerpt;
  const stretch = { start, end: text.length };
  const pieces = findPieces(text, start, text.length, (from, to) => excerpt.range(from, to));
  switch (form) {
    case 'json':
      return parseJsonBody(excerpt, start, pieces);
    case 'xml':
      readXmlBody(excerpt, start, pieces);
      return assemble(text, stretch, pieces, piece => placeInXml(text, start, piece));
    case 'yaml':
      return assemble(text, stretch, pieces, piece => placeInYaml(text, piece));
    default:
      return assemble(text, stretch, pieces, () => form);
  }
}

function parseJsonBody(excerpt: Excerpt, start: number, pieces: Piece[]): Template {
  const { text } = excerpt;
  const holes = pieces.map(({ start: from, end }) => ({ start: from - start, end: end - start }) as Piece);
  try {
    checkJsonWithHoles(text.slice(start), holes);
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    const at = start + error.offset;
    const place = (from: number, to: number) => excerpt.range(from, to);
    const meant = unreadReference(text, { start: at - 1, end: at + 1 }, place);
    if (meant) throw meant;
    throw new SourceError(
      'body-json',
      excerpt.range(at, at + 1),
      `The body is no JSON: ${error.message}.`,
      'A body of another type has its Content-Type in the header lines, or a fence of its own: text body.',
    );
  }
  return assemble(text, { start, end: text.length }, pieces, (_piece, index) =>
    holes[index]!.place === 'string' ? 'json-string' : 'json-value',
  );
}

/** With something harmless of the same length in the place of every reference, so that places stay what they are. */
function readXmlBody(excerpt: Excerpt, start: number, pieces: readonly Piece[]): void {
  const { text } = excerpt;
  let filled = '';
  let at = start;
  for (const { start: from, end, reference } of pieces) {
    filled += text.slice(at, from) + (reference?.raw ? ' ' : 'x').repeat(end - from);
    at = end;
  }
  filled += text.slice(at);
  // A document that comes from a value as a whole is nobody's business here.
  if (!filled.includes('<')) return;
  const leading = filled.length - filled.trimStart().length;
  try {
    readXml(filled.trimStart());
  } catch (error) {
    if (!(error instanceof XmlError)) throw error;
    const place = start + leading + error.offset;
    throw new SourceError(
      'body-xml',
      excerpt.range(place, place + 1),
      `The body is no XML: ${error.message}.`,
      'A body of another type has its Content-Type in the header lines, or a fence of its own: text body.',
    );
  }
}

function placeInXml(text: string, start: number, piece: Piece): Place {
  const before = text.slice(start, piece.start);
  return before.lastIndexOf('<![CDATA[') > before.lastIndexOf(']]>') ? 'cdata' : 'xml';
}

/** By what stands around it on its line: in quotes, in the place of a whole value, or within a text. */
function placeInYaml(text: string, piece: Piece): Place {
  const before = text.slice(text.lastIndexOf('\n', piece.start - 1) + 1, piece.start);
  const after = text.slice(piece.end).split('\n')[0]!;
  const count = (mark: string) => before.split(mark).length - 1;
  if (count('"') % 2 === 1) return 'json-string';
  if (count("'") % 2 === 1) return 'yaml-quoted';
  const alone = /(?:^\s*|[:-]\s+|[[{,]\s*)$/.test(before) && /^\s*(?:$|[,\]}]|\s#)/.test(after);
  return alone ? 'json-value' : 'yaml-text';
}
