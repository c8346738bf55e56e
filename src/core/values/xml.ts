let parse: typeof import('slimdom').parseXmlDocument | undefined;

/** Loads what reads XML. To be awaited before the first `checkXml`. */
export async function loadXml(): Promise<void> {
  parse ??= (await import('slimdom')).parseXmlDocument;
}

/** Why a text is no well-formed XML, and at which offset. */
export class XmlMistake extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(message);
  }
}

/** Throws XmlMistake where a text is no well-formed document. */
export function checkXml(text: string): void {
  if (!parse) throw new TypeError('loadXml() comes before checkXml().');
  try {
    parse(text);
  } catch (error) {
    const { message } = error as Error;
    const [, line, column] = /^At line (\d+), character (\d+):/m.exec(message) ?? [];
    const reason = message
      .split('\n')[0]!
      .replace(/^non-well-formed element: |^Parsing document failed, /, '')
      .replace(/["“”]/g, "'");
    throw new XmlMistake(
      reason,
      line === undefined ? text.length : offsetOf(text, Number(line), Number(column)),
    );
  }
}

/** Line and column count from 1, the column in characters. */
function offsetOf(text: string, line: number, column: number): number {
  let start = 0;
  for (let each = 1; each < line; each++) start = text.indexOf('\n', start) + 1;
  const before = [...text.slice(start)].slice(0, column - 1).join('');
  return start + before.length;
}
