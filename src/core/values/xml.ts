import type { Document, Element, Node } from 'slimdom';

let library: typeof import('slimdom') | undefined;

/** Loads what reads XML. To be awaited before the first `readXml`. */
export async function loadXml(): Promise<void> {
  library ??= await import('slimdom');
}

/** Why a text is no well-formed XML, and at which offset. */
export class XmlError extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(message);
  }
}

/** What looks for nodes takes time with the third power of the depth. */
const deepest = 200;

/** Reads a document. External entities, and those that grow without bounds, are refused. Throws XmlError. */
export function readXml(text: string): Document {
  if (!library) throw new TypeError('loadXml() comes before readXml().');
  const outside = /<!ENTITY\s+[^%\s]\S*\s+(?:SYSTEM|PUBLIC)\b/.exec(text);
  if (outside) throw new XmlError('it has an external entity, and those are not read', outside.index);
  let document: Document;
  try {
    document = library.parseXmlDocument(text);
  } catch (error) {
    const { message } = error as Error;
    const [, line, column] = /^At line (\d+), character (\d+):/m.exec(message) ?? [];
    const reason = message
      .split('\n')[0]!
      .replace(/^non-well-formed element: |^Parsing document failed, /, '')
      .replace(/["“”]/g, "'");
    throw new XmlError(
      reason,
      line === undefined ? text.length : offsetOf(text, Number(line), Number(column)),
    );
  }
  if (isDeeper(document.documentElement, deepest))
    throw new XmlError(`the document is nested deeper than ${deepest} levels`, 0);
  return document;
}

/** A document as a whole. */
export function xmlText(document: Document): string {
  return library!.serializeToWellFormedString(document);
}

/** A node of a document that was read, in one line. */
export function writeXml(node: Node): string {
  return library!.serializeToWellFormedString(node).replace(/\s+/g, ' ');
}

function isDeeper(root: Element | null, limit: number): boolean {
  let depth = 1;
  for (let at = root; at; ) {
    if (at.firstElementChild) {
      at = at.firstElementChild;
      if (++depth > limit) return true;
      continue;
    }
    while (at && at !== root && !at.nextElementSibling) {
      at = at.parentElement;
      depth--;
    }
    at = !at || at === root ? null : at.nextElementSibling;
  }
  return false;
}

/** Line and column count from 1, the column in characters. */
function offsetOf(text: string, line: number, column: number): number {
  let start = 0;
  for (let each = 1; each < line; each++) start = text.indexOf('\n', start) + 1;
  const before = [...text.slice(start)].slice(0, column - 1).join('');
  return start + before.length;
}
