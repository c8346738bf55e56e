import MarkdownIt, { type Token } from 'markdown-it';
import type { StatementNode } from '../core/language/ast.ts';
import { Excerpt, type Source } from '../core/model/source.ts';
import { useOfFence } from '../core/pages/fence.ts';
import { deepest, partPage } from '../core/pages/markdown-blocks.ts';
import { plainHeading } from '../core/pages/plain-heading.ts';
import { readStatements } from '../core/pages/statements.ts';
import { html, Markup } from '../reports/page/markup.ts';
import { caseBeforeHeadings, headingSlugs } from './heading-slugs.ts';
import { bodyMarkup, type LinkOfName, messageMarkup, withReferences } from './highlight.ts';
import { type Piece, sentenceOf } from './sentence.ts';
import type { SitePage } from './site-model.ts';

/** What the body of a page asks for that it does not know itself. */
export interface PageSurroundings {
  /** Where a name comes from that is used on a line of the page. */
  linkAt(line: number): LinkOfName;
  /** Where a relative link leads, seen from the page; nothing where that is nowhere in the site. */
  linkTo(href: string, line: number): string | undefined;
  /** What stands below the heading of a case. */
  belowHeading(line: number): Markup | undefined;
  /** What stands below the fence that ends before a line. */
  belowFence(line: number): Markup | undefined;
}

/** The prose and the fences of a page as markup; what is left out is not in it. */
export function pageBody(site: SitePage, around: PageSurroundings): Markup {
  const reader = readerFor(site, around);
  const tokens = withoutHidden(reader.parse(partPage(site.source.text).body, {}), site);
  settleLinks(tokens, around);
  const body = new Markup(reader.renderer.render(tokens, reader.options, {}));
  return html`${titleMarkup(site, tokens, around)}${body}`;
}

/** Of a page whose title is none of its headings; a case that stands before all headings begins here. */
function titleMarkup(
  { page, title, hidden }: SitePage,
  tokens: readonly Token[],
  around: PageSurroundings,
): Markup {
  const first = caseBeforeHeadings(page.page);
  if (first && !hidden.some(({ written }) => written === first))
    return html`<h1 id="${first.slug}">${first.title}</h1>${around.belowHeading(first.lines.from)}`;
  const hasTitle = tokens.some(
    ({ type, tag }, index) =>
      type === 'heading_open' && (tag === 'h1' || plainHeading(tokens[index + 1]!.content) === title),
  );
  return hasTitle ? html`` : html`<h1>${title}</h1>`;
}

/** Without the cases that are left out. */
function withoutHidden(tokens: readonly Token[], { hidden }: SitePage): Token[] {
  if (hidden.length === 0) return [...tokens];
  const kept: Token[] = [];
  let isHidden = false;
  for (const token of tokens) {
    const line = token.level === 0 && token.nesting >= 0 && token.map ? token.map[0] + 1 : undefined;
    if (line !== undefined)
      isHidden = hidden.some(({ written: { lines } }) => lines.from <= line && line < lines.to);
    if (!isHidden) kept.push(token);
  }
  return kept;
}

function readerFor(site: SitePage, around: PageSurroundings): MarkdownIt {
  // HTML has to be read as such, for what stands in it is not a part of the page.
  const reader = new MarkdownIt('commonmark').enable('table');
  reader.set({ maxNesting: deepest } as object);
  const { source } = site;
  const slugs = headingSlugs(site.page.page);
  const lineOf = (token: Token) => (token.map?.[0] ?? 0) + 1;
  reader.renderer.rules.heading_open = (tokens, index) => {
    const slug = slugs.get(lineOf(tokens[index]!)) ?? '';
    return `<${tokens[index]!.tag} id="${escaped(slug)}"><a class="anchor" href="#${encodeURIComponent(slug)}" aria-hidden="true" tabindex="-1">#</a>`;
  };
  reader.renderer.rules.heading_close = (tokens, index) => {
    const below = around.belowHeading(lineOf(tokens[index - 2]!));
    return `</${tokens[index]!.tag}>\n${below?.text ?? ''}`;
  };
  reader.renderer.rules.fence = (tokens, index) => {
    const token = tokens[index]!;
    const line = lineOf(token);
    const markup = fenceMarkup(token, source, around.linkAt(line));
    return `${markup.text}\n${around.belowFence((token.map?.[1] ?? line) + 1)?.text ?? ''}`;
  };
  reader.renderer.rules.html_block = (tokens, index) => shownHtml(tokens[index]!.content);
  reader.renderer.rules.html_inline = (tokens, index) => shownHtml(tokens[index]!.content);
  reader.renderer.rules[settledToken] = (tokens, index) => tokens[index]!.content;
  return reader;
}

/** Of HTML only what breaks a line is carried out; comments are none of a reader's business; all else is shown as it is written. */
function shownHtml(text: string): string {
  return text
    .replace(/<!--[\s\S]*?(?:-->|$)/g, '')
    .split(/(<br *\/?>)/i)
    .map((part, index) => (index % 2 === 1 ? '<br>' : escaped(part)))
    .join('');
}

/** What takes the place of a link that leads nowhere. */
const settledToken = 'settled_markup';

/** Links and pictures lead where the site has what they lead to; others are text. */
function settleLinks(tokens: readonly Token[], around: PageSurroundings): void {
  for (const token of tokens) alignByClass(token);
  for (const { children, map } of tokens) {
    let line = (map?.[0] ?? 0) + 1;
    const isNowhere: boolean[] = [];
    for (const token of children ?? []) {
      if (token.type === 'softbreak' || token.type === 'hardbreak') line++;
      else if (token.type === 'link_open') {
        const to = settled(token.attrGet('href') ?? '', line, around);
        isNowhere.push(to === undefined);
        if (to === undefined) becomeMarkup(token, '<span class="nowhere">');
        else token.attrSet('href', to);
      } else if (token.type === 'link_close' && isNowhere.pop()) becomeMarkup(token, '</span>');
      else if (token.type === 'image') {
        const to = settled(token.attrGet('src') ?? '', line, around);
        // What lies elsewhere would be asked for.
        if (to === undefined || isElsewhere(to)) becomeMarkup(token, escaped(token.content));
        else token.attrSet('src', to);
      }
    }
  }
}

/** A style of its own would be refused. */
function alignByClass(token: Token): void {
  const [, side] = /text-align:\s*(\w+)/.exec(token.attrGet('style') ?? '') ?? [];
  if (side === undefined) return;
  token.attrs = token.attrs!.filter(([name]) => name !== 'style');
  token.attrSet('class', side);
}

function settled(href: string, line: number, around: PageSurroundings): string | undefined {
  if (isElsewhere(href)) return href;
  return around.linkTo(href, line);
}

function isElsewhere(href: string): boolean {
  return /^(?:https?:|mailto:|tel:)/i.test(href);
}

function becomeMarkup(token: Token, markup: string): void {
  token.type = settledToken;
  token.content = markup;
  token.nesting = 0;
}

function escaped(text: string): string {
  return html`${text}`.text;
}

function fenceMarkup({ info, content, map }: Token, source: Source, link: LinkOfName): Markup {
  const use = useOfFence(info.trim());
  const text = content.replace(/\s+$/, '');
  switch (use.use) {
    case 'operation': {
      if (use.kind.fence !== 'http') return block(use.kind.fence, html`${text}`);
      const isExample = /^\s*HTTP\//.test(text);
      return block(isExample ? 'example' : 'request', messageMarkup(text, link));
    }
    case 'statements':
      return statementsMarkup(new Excerpt(source, text, (map?.[0] ?? 0) + 2), source, link);
    case 'settings':
      return new Markup('');
    case 'attached':
      return block(use.words, bodyMarkup(text, link));
    case 'schema':
      return block(`schema ${use.name}`, bodyMarkup(text, link));
    case 'rows':
    case 'asked-rows':
      return block(`rows ${use.name}`, html`${text}`);
    default:
      return block(info.trim().split(/\s+/)[0] ?? '', html`${text}`);
  }
}

function block(label: string, markup: Markup): Markup {
  return html`<figure class="block ${label.split(' ')[0]!}">${label !== '' && html`<figcaption>${label}</figcaption>`}<pre tabindex="0"><code>${markup}</code></pre></figure>`;
}

function statementsMarkup(excerpt: Excerpt, source: Source, link: LinkOfName): Markup {
  const { statements } = readStatements(excerpt);
  const told = (statements as unknown as StatementNode[]).filter(({ type }) => type !== 'cleanup');
  if (told.length === 0) return new Markup('');
  return html`<ul class="statements">${told.map(each => html`<li class="${each.type}">${sentenceOf(each, source).map(piece => pieceMarkup(piece, link))}</li>`)}</ul>`;
}

function pieceMarkup(piece: Piece, link: LinkOfName): Markup {
  return typeof piece === 'string' ? html`${piece}` : html`<code>${withReferences(piece.code, link)}</code>`;
}
