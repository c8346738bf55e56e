/** A stretch of a source, as offsets in UTF-16 units; `end` is exclusive. */
export interface Range {
  readonly start: number;
  readonly end: number;
}

/** Lines of a source, counted from 1; `to` is the first that does not belong to them. */
export interface Lines {
  readonly from: number;
  readonly to: number;
}

/** A place as people count it: both from 1, the column in characters. */
export interface Position {
  readonly line: number;
  readonly column: number;
}

/** The text of one file. Line ends are LF and there is no byte order mark, so offsets are the same on every system. */
export class Source {
  readonly text: string;
  #lineStarts: number[] | undefined;

  constructor(
    readonly file: string,
    text: string,
  ) {
    this.text = text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
  }

  position(offset: number): Position {
    const starts = this.#starts();
    let low = 0;
    let high = starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (starts[middle]! <= offset) low = middle;
      else high = middle - 1;
    }
    return { line: low + 1, column: countCharacters(this.text, starts[low]!, offset) + 1 };
  }

  /** The offset at which a line begins; the line is counted from 1. */
  lineStart(line: number): number {
    return this.#starts()[line - 1] ?? this.text.length;
  }

  lineText(line: number): string {
    const start = this.lineStart(line);
    const end = this.text.indexOf('\n', start);
    return this.text.slice(start, end < 0 ? undefined : end);
  }

  #starts(): number[] {
    if (this.#lineStarts) return this.#lineStarts;
    const starts = [0];
    for (let at = this.text.indexOf('\n'); at >= 0; at = this.text.indexOf('\n', at + 1)) starts.push(at + 1);
    this.#lineStarts = starts;
    return starts;
  }
}

/** Both halves of a surrogate pair are one. */
function countCharacters(text: string, start: number, end: number): number {
  let count = 0;
  for (let at = start; at < end; at++) {
    const unit = text.charCodeAt(at);
    const isPair = unit >= 0xd800 && unit <= 0xdbff && at + 1 < end && text.charCodeAt(at + 1) >> 10 === 0x37;
    if (isPair) at++;
    count++;
  }
  return count;
}

/**
 * The content of a fence, and where each of its characters stands in the page. A fence inside a list loses its
 * indentation when it is read, so the distance differs from line to line.
 */
export class Excerpt {
  #lines: { content: number; page: number }[];

  /** @param firstLine the line of the page, counted from 1, on which the content begins */
  constructor(
    readonly source: Source,
    readonly text: string,
    firstLine: number,
  ) {
    const start = source.lineStart(firstLine);
    // Most stand in the page as they are.
    this.#lines = source.text.startsWith(text, start)
      ? [{ content: 0, page: start }]
      : indentedLines(source, text, firstLine);
  }

  /** A stretch of one line that stands in the page as it is. */
  static inLine(source: Source, text: string, offset: number): Excerpt {
    const excerpt = new Excerpt(source, '', 1);
    excerpt.#lines = [{ content: 0, page: offset }];
    return Object.assign(excerpt, { text });
  }

  toPage(offset: number): number {
    let low = 0;
    let high = this.#lines.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.#lines[middle]!.content <= offset) low = middle;
      else high = middle - 1;
    }
    const line = this.#lines[low]!;
    return Math.min(line.page + offset - line.content, this.source.text.length);
  }

  range(start: number, end: number): Range {
    return { start: this.toPage(start), end: Math.max(this.toPage(end), this.toPage(start)) };
  }
}

function indentedLines(source: Source, text: string, firstLine: number) {
  let content = 0;
  return text.split('\n').map((line, index) => {
    const whole = source.lineText(firstLine + index);
    const indentation = line !== '' && whole.endsWith(line) ? whole.length - line.length : 0;
    const place = { content, page: source.lineStart(firstLine + index) + indentation };
    content += line.length + 1;
    return place;
  });
}
