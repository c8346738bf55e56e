import MarkdownIt from 'markdown-it';
import { Excerpt, type Range, type Source } from '../model/source.ts';

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
  /** The opening marks: three or more. */
  readonly marks: string;
  /** What stands behind them. */
  readonly info: string;
  readonly content: Excerpt;
  readonly range: Range;
  /** The first line, and the one behind the last, counted from 1. */
  readonly lines: { readonly from: number; readonly to: number };
  readonly infoRange: Range;
  /** Whether the closing marks are there. */
  readonly closed: boolean;
  /** Whether it stands in no list and no quote, so that all below belongs to it where it is not closed. */
  readonly isOutermost: boolean;
}

/** A line from which on the page does not mean what it seems to. */
export interface Swallowed {
  readonly why: 'deep' | 'open' | 'joined' | 'front';
  readonly range: Range;
}

export interface Blocks {
  readonly frontMatter?: Excerpt;
  readonly blocks: readonly (Heading | Fence)[];
  readonly swallowed: readonly Swallowed[];
}

let markdown: MarkdownIt | undefined;

/** How many lists and quotes may stand in each other, each of which counts twice. */
export const deepest = 200;

interface Environment {
  /** The line, from 0, at which it is nested too deeply. */
  tooDeep?: number;
}

/** Running text is not looked into: only the blocks of a page matter. */
function parser(): MarkdownIt {
  if (!markdown) {
    markdown = new MarkdownIt('commonmark');
    markdown.core.ruler.disable('inline');
    markdown.set({ maxNesting: Number.POSITIVE_INFINITY } as object);
    const { block } = markdown;
    const tokenize = block.tokenize.bind(block);
    // The package would pass over all that stands below, and say nothing.
    block.tokenize = (state, startLine, endLine) => {
      if (state.level < deepest) return tokenize(state, startLine, endLine);
      (state.env as Environment).tooDeep ??= startLine;
      state.line = endLine;
    };
  }
  return markdown;
}

/** The beginning of front matter that is none: not on the first line, or not closed. */
const misplacedFront = /^\s*---[ \t]*\n(?=[a-z-]+[ \t]*:)/;

/** The front matter of a page, and what is Markdown: as many empty lines stand for the former, so that every line keeps its number. */
export function partPage(text: string): { front?: string; body: string } {
  const found = /^---[ \t]*\n([\s\S]*?)(?:^)(?:---|\.\.\.)[ \t]*(?:\n|$)/m.exec(text);
  if (found?.index !== 0) return { body: text };
  return { front: found[1]!, body: found[0].replace(/[^\n]/g, '') + text.slice(found[0].length) };
}

/** Cuts a page into its headings and fences, in reading order, and its front matter. */
export function readBlocks(source: Source): Blocks {
  const { front, body } = partPage(source.text);
  const environment: Environment = {};
  const tokens = parser().parse(body, environment);
  const blocks: (Heading | Fence)[] = [];
  const swallowed: Swallowed[] = [];
  const swallow = (why: Swallowed['why'], line: number) =>
    swallowed.push({ why, range: wholeLine(source, line + 1) });
  if (environment.tooDeep !== undefined) swallow('deep', environment.tooDeep);
  const [before] = front !== undefined ? [] : (misplacedFront.exec(source.text) ?? []);
  if (before !== undefined) swallow('front', before.trimEnd().split('\n').length - 1);
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
    else if (token.type === 'html_block') {
      const why = whySwallowed(token.content);
      if (why) swallow(why, token.map![0]);
    }
  }
  return {
    ...(front !== undefined && { frontMatter: new Excerpt(source, front, 2) }),
    blocks,
    swallowed,
  };
}

/** HTML that goes on until it is closed (CommonMark, 4.6, kinds 1 to 5), and what closes it. */
const closing: readonly [begin: RegExp, end: RegExp][] = [
  [/^ {0,3}<(?:script|pre|style|textarea)(?:\s|>|$)/i, /<\/(?:script|pre|style|textarea)>/i],
  [/^ {0,3}<!--/, /-->/],
  [/^ {0,3}<\?/, /\?>/],
  [/^ {0,3}<!\[CDATA\[/, /\]\]>/],
  [/^ {0,3}<![A-Za-z]/, />/],
];
/** A line that would begin a case, or do something, if it were no part of HTML. */
const active =
  /^ {0,3}(?:#{1,6}\s|(?:`{3,}|~{3,})\s*(?:http|mervok|\w+ (?:body|settings|variables|query|rows|schema|step))\b)/m;

/** Whether HTML takes in what stands below it, because it is not closed, or because no empty line parts them. */
function whySwallowed(html: string): 'open' | 'joined' | undefined {
  const lines = html.slice(html.indexOf('\n') + 1);
  if (!html.includes('\n') || !active.test(lines)) return undefined;
  const kind = closing.find(([begin]) => begin.test(html));
  if (!kind) return 'joined';
  return kind[1].test(html) ? undefined : 'open';
}

function readFence(
  source: Source,
  token: { map: [number, number] | null; info: string; content: string; markup: string; level: number },
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
    marks: token.markup,
    info: token.info.trim(),
    content: new Excerpt(source, token.content.replace(/\n$/, ''), first + 2),
    range: opening,
    lines: { from: first + 1, to: end + 1 },
    infoRange: { start: marks, end: opening.end },
    isOutermost: token.level === 0,
    closed: end - first > contentLines + 1 && lastLine.startsWith(token.markup),
  };
}

function wholeLine(source: Source, line: number): Range {
  const start = source.lineStart(line);
  return { start, end: start + source.lineText(line).length };
}
