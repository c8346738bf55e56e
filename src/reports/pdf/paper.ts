import { fileURLToPath } from 'node:url';
import PDFDocument from 'pdfkit';
import { visible } from '../style.ts';

export const colours = {
  ink: '#1c2128',
  slate: '#55606c',
  rule: '#d5d6cd',
  holds: '#1d4e7d',
  failed: '#b0430a',
  error: '#6a3aa0',
  grey: '#636b74',
  band: '#c9d9e8',
  panel: '#f3f3ec',
} as const;
export type Colour = keyof typeof colours;

/** Where the build puts the fonts: those of a reader have not all letters of the world. */
const font = (name: string) => fileURLToPath(new URL(`./fonts/DejaVu${name}.ttf`, import.meta.url));
const fonts = {
  plain: 'Sans',
  bold: 'Sans-Bold',
  serif: 'Serif',
  title: 'Serif-Bold',
  mono: 'SansMono',
} as const;

export interface Style {
  readonly font?: keyof typeof fonts;
  /** In points. */
  readonly size?: number;
  readonly colour?: Colour;
  /** Space below, in points. */
  readonly below?: number;
  readonly indent?: number;
}

/** A text of which parts have a colour of their own. */
export type Part = string | { readonly text: string; readonly colour: Colour };

/** Between two lines, in points. */
const lineGap = 1.5;
/** So many lines stand together at the foot of a page. */
const fewLines = 4;

/** In points: A4, with its margins. */
const page = { size: 'A4', margins: { top: 56, bottom: 64, left: 56, right: 56 } } as const;

/**
 * A document that is written from top to bottom. What does not fit any more stands on the next page as a whole; only what
 * is longer than a page is broken, and what has many lines.
 */
export class Paper {
  readonly doc: PDFKit.PDFDocument;
  readonly left = page.margins.left;
  readonly width: number;

  constructor(title: string) {
    this.doc = new PDFDocument({
      ...page,
      font: font('Sans'),
      bufferPages: true,
      lang: 'en',
      displayTitle: true,
      info: { Title: title, Creator: 'mervok', Producer: 'mervok' },
    });
    for (const [name, file] of Object.entries(fonts)) this.doc.registerFont(name, font(file));
    this.width = this.doc.page.width - page.margins.left - page.margins.right;
  }

  text(text: string, style: Style = {}): void {
    this.line([text], style);
  }

  /** A text whose parts have colours of their own; none of them holds a line end. */
  line(parts: readonly Part[], style: Style = {}): void {
    const { colour = 'ink', below = 4, indent = 0 } = style;
    const pieces = parts.map(part => (typeof part === 'string' ? { text: part, colour } : part));
    this.keep(this.heightOf(pieces.map(({ text }) => text).join(''), style));
    for (const [index, piece] of pieces.entries()) {
      const options = {
        width: this.width - indent,
        continued: index < pieces.length - 1,
        lineGap,
      };
      this.doc.fillColor(colours[piece.colour]);
      if (index === 0) this.doc.text(this.written(piece.text), this.left + indent, undefined, options);
      else this.doc.text(this.written(piece.text), options);
    }
    this.doc.y += below;
  }

  /** Of many lines, as a body has them: they may stand on two pages, but no single one at the foot of the first. */
  lines(lines: readonly (readonly Part[])[], style: Style = {}): void {
    this.keep(Math.min(lines.length, fewLines) * this.heightOf('', style));
    for (const line of lines) this.line(line, { ...style, below: 0 });
    this.doc.y += style.below ?? 4;
  }

  /** How much room a text takes, in points, without what is left free below it. */
  heightOf(text: string, style: Style = {}): number {
    const { font = 'plain', size = 9.5 } = style;
    this.doc.font(font).fontSize(size);
    return this.doc.heightOfString(this.written(text), { width: this.width - (style.indent ?? 0), lineGap });
  }

  /** A name and its value, which stands in a column of its own; it is as wide as the widest of the names. */
  pair(name: string, value: string, column: number, style: Style = {}): void {
    const { doc } = this;
    const { indent = 0, below = 1 } = style;
    const beside = { ...style, indent: indent + column, below: 0 };
    this.keep(this.heightOf(value, beside));
    const top = doc.y;
    this.text(name, { ...style, colour: 'slate', below: 0 });
    const end = doc.y;
    doc.y = top;
    this.text(value, beside);
    doc.y = Math.max(end, doc.y) + below;
  }

  /** How much room a name and its value take, in points. */
  heightOfPair(value: string, column: number, style: Style = {}): number {
    const { indent = 0, below = 1 } = style;
    return this.heightOf(value, { ...style, indent: indent + column }) + below;
  }

  /** A heading, which is an entry of the outline too and never stands at the foot of a page. */
  heading(text: string, room = 90): void {
    this.doc.y += 14;
    this.keep(room);
    this.doc.outline.addItem(visible(text));
    this.text(text, { font: 'title', size: 14, below: 6 });
  }

  /** Goes to the next page where so much does not fit on this one, but on a whole one; in points. */
  keep(height: number): void {
    const bottom = this.doc.page.height - page.margins.bottom;
    const fitsOnPage = height <= bottom - page.margins.top;
    if (this.doc.y + height > bottom && fitsOnPage) this.doc.addPage();
  }

  rule(): void {
    const { doc, left, width } = this;
    doc
      .moveTo(left, doc.y)
      .lineTo(left + width, doc.y)
      .lineWidth(0.5)
      .strokeColor(colours.rule)
      .stroke();
    doc.y += 6;
  }

  /** Columns of texts; widths in points, `*` for what is left. */
  table(
    rows: readonly (readonly string[])[],
    widths: readonly (number | '*')[],
    numbersFrom: number,
    colourOf: (row: readonly string[]) => Colour = () => 'ink',
  ): void {
    const { doc } = this;
    doc.font('plain').fontSize(8).fillColor(colours.ink);
    doc.table({
      data: rows.map(row =>
        row.map(cell => ({ text: this.written(cell), textColor: colours[colourOf(row)] })),
      ),
      position: { x: this.left, y: doc.y },
      maxWidth: this.width,
      columnStyles: widths.map((width, index) => ({
        width,
        align: { x: index >= numbersFrom ? ('right' as const) : ('left' as const), y: 'top' as const },
      })),
      defaultStyle: {
        border: [0.5, 0, 0, 0],
        borderColor: colours.rule,
        padding: { top: 2.5, bottom: 2.5, left: 2, right: 2 },
      },
    });
    doc.y += 6;
  }

  /** What the fonts have no letter for is told by its number, so that nothing is lost. */
  written(text: string): string {
    // The font in use; the types do not tell of it.
    const { font } = (
      this.doc as unknown as { _font: { font: { hasGlyphForCodePoint(code: number): boolean } } }
    )._font;
    return visible(text).replace(/[^\u0000-\u024f\n]/gu, char => {
      const code = char.codePointAt(0)!;
      return font.hasGlyphForCodePoint(code) ? char : `\\u{${code.toString(16)}}`;
    });
  }

  /** The bytes, with the number of each page at its foot. */
  async *finish(footer: string): AsyncGenerator<Uint8Array> {
    const { doc } = this;
    const { start, count } = doc.bufferedPageRange();
    for (let index = start; index < start + count; index++) {
      doc.switchToPage(index);
      // Below the margin the text would begin another page.
      doc.page.margins.bottom = 0;
      doc.font('plain').fontSize(8).fillColor(colours.slate);
      const y = doc.page.height - 40;
      doc.text(this.written(footer), this.left, y, {
        width: this.width - 80,
        height: 12,
        ellipsis: true,
        lineBreak: false,
      });
      doc.text(`${index + 1} of ${count}`, this.left + this.width - 80, y, {
        width: 80,
        align: 'right',
        lineBreak: false,
      });
    }
    doc.end();
    for await (const chunk of doc) yield chunk as Uint8Array;
  }
}
