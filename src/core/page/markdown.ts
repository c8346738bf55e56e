import MarkdownIt from 'markdown-it';
import { Excerpt, type Range, type Source } from '../text/source.ts';

export interface Heading {
  readonly kind: 'heading';
  readonly level: number;
  /** As written, with its markup. */
  readonly text: string;
  readonly range: Range;
  /** Its first, counted from 1. */
  readonly line: number;
}

export interface Fence {
  readonly kind: 'fence';
  /** What stands behind the opening marks. */
  readonly info: string;
  readonly content: Excerpt;
  readonly range: Range;
  /** The first line, and the one behind the last, counted from 1. */
  readonly lines: { readonly from: number; readonly to: number };
  readonly infoRange: Range;
  /** Whether the closing marks are there. */
  readonly closed: boolean;
}

export interface Blocks {
  readonly frontMatter?: Excerpt;
  readonly blocks: readonly (Heading | Fence)[];
}

let markdown: MarkdownIt | undefined;

/** Running text is not looked into: only the blocks of a page matter. */
function parser(): MarkdownIt {
  if (!markdown) {
    markdown = new MarkdownIt('commonmark');
    markdown.core.ruler.disable('inline');
  }
  return markdown;
}

/** Cuts a page into its headings and fences, in reading order, and its front matter. */
export function readBlocks(source: Source): Blocks {
  const front = /^---[ \t]*\n([\s\S]*?)(?:^)(?:---|\.\.\.)[ \t]*(?:\n|$)/m.exec(source.text);
  const hasFront = front?.index === 0;
  // The front matter gives way to as many empty lines, so that every line keeps its number.
  const body = hasFront ? front[0].replace(/[^\n]/g, '') + source.text.slice(front[0].length) : source.text;
  const tokens = parser().parse(body, {});
  const blocks: (Heading | Fence)[] = [];
  for (const [index, token] of tokens.entries()) {
    if (token.type === 'heading_open') {
      const line = token.map![0] + 1;
      const range = wholeLine(source, line);
      blocks.push({
        kind: 'heading',
        level: Number(token.tag.slice(1)),
        text: tokens[index + 1]!.content,
        range,
        line,
      });
    } else if (token.type === 'fence') blocks.push(readFence(source, token));
  }
  return { ...(hasFront && { frontMatter: new Excerpt(source, front[1]!, 2) }), blocks };
}

function readFence(
  source: Source,
  token: { map: [number, number] | null; info: string; content: string; markup: string },
): Fence {
  const [first, end] = token.map!;
  const opening = wholeLine(source, first + 1);
  const marks = source.text.indexOf(token.markup, opening.start) + token.markup.length;
  const contentLines = token.content === '' ? 0 : token.content.split('\n').length - 1;
  const lastLine = source
    .lineText(end)
    .replace(/^[\s>]*/, '')
    .trim();
  return {
    kind: 'fence',
    info: token.info.trim(),
    content: new Excerpt(source, token.content.replace(/\n$/, ''), first + 2),
    range: opening,
    lines: { from: first + 1, to: end + 1 },
    infoRange: { start: marks, end: opening.end },
    closed: end - first > contentLines + 1 && lastLine.startsWith(token.markup),
  };
}

function wholeLine(source: Source, line: number): Range {
  const start = source.lineStart(line);
  return { start, end: start + source.lineText(line).length };
}
