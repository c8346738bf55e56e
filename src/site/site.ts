import { type FlowGraph, graphOf } from '../core/analysis/flow-graph.ts';
import type { Plan } from '../core/analysis/plan.ts';
import { type Finding, finding } from '../core/model/finding.ts';
import { counted } from '../core/text/words.ts';
import { graphSvg } from '../reports/graph-svg.ts';
import { html, Markup } from '../reports/page/markup.ts';
import palette from '../reports/palette.css';
import { messageMarkup } from './highlight.ts';
import { LinkTargets } from './link-targets.ts';
import { folderId, navigationMarkup } from './navigation.ts';
import { pageBody } from './page-body.ts';
import { searchIndex } from './search-index.ts';
import script from './site.client.js';
import style from './site.css';
import { frame } from './site-frame.ts';
import { linkBetween, type Outcomes, type SiteCase, type SiteModel, type SitePage } from './site-model.ts';
import { valueId, valuesMarkup } from './values-markup.ts';

/** A file of the site: a text, or the file of the collection that it is a copy of. */
export type SiteFile = { readonly path: string } & ({ readonly text: string } | { readonly copyOf: string });

export interface SiteChoices {
  /** What a run says of cases, where one is shown. */
  readonly outcomes?: Outcomes;
  /** When it was, in words. */
  readonly ran?: string;
  /** Whether a file of the collection may be handed out. */
  readonly mayCopy: (path: string) => boolean;
}

export interface Site {
  readonly files: readonly SiteFile[];
  readonly findings: readonly Finding[];
}

/** A collection as a site of pages that load nothing from elsewhere. */
export function buildSite(model: SiteModel, choices: SiteChoices): Site {
  const findings: Finding[] = [];
  const graph = graphOf(shownOf(model));
  const files: SiteFile[] = [
    { path: 'site.css', text: palette + style },
    { path: 'site.js', text: script },
    { path: 'search.js', text: searchIndex(model) },
    { path: 'graph.svg', text: graphSvg(graph) },
    { path: model.index, text: indexPage(model, graph, choices) },
  ];
  const own = new Set([...files, ...model.pages].map(({ path }) => path));
  const targets = new LinkTargets(model, own, choices.mayCopy);
  for (const [index, page] of model.pages.entries()) {
    const { text, nowhere } = pageText(model, page, index, choices, targets);
    files.push({ path: page.path, text });
    for (const { href, line } of nowhere)
      findings.push(
        finding(
          'link-nowhere',
          { source: page.page.page.source, range: rangeOf(page, href, line) },
          `'${href}' leads nowhere in this site.`,
          'A link leads to a page of the collection, to a heading in it, or to a file beside it; or begins with https://.',
        ),
      );
  }
  for (const path of targets.copied) files.push({ path, copyOf: path });
  return { files, findings };
}

function rangeOf({ page }: SitePage, href: string, line: number) {
  const { source } = page.page;
  const start = source.lineStart(line);
  // It may be written otherwise, or further up by a reference.
  const at = source.text.indexOf(`(${href}`, start) + 1 || source.text.indexOf(href, start);
  return at < 0 ? { start, end: start + source.lineText(line).length } : { start: at, end: at + href.length };
}

function pageText(
  model: SiteModel,
  page: SitePage,
  index: number,
  choices: SiteChoices,
  targets: LinkTargets,
): { text: string; nowhere: readonly { href: string; line: number }[] } {
  const nowhere: { href: string; line: number }[] = [];
  const body = pageBody(page, {
    linkAt: line => {
      const own = caseAt(page, line);
      return name => (own ? nameLink(model, page, own, name) : undefined);
    },
    linkTo: (href, line) => {
      const to = targets.resolve(page, href);
      if (to === undefined) nowhere.push({ href, line });
      return to;
    },
    belowHeading: line => {
      const own = page.cases.find(each => each.own.written.lines.from === line);
      return own && factsMarkup(model, page, own, choices);
    },
    belowFence: line => {
      const own = caseAt(page, line - 1);
      return own && recordedMarkup(own, line, choices);
    },
  });
  const [before, after] = [model.pages[index - 1], model.pages[index + 1]];
  const around = html`<nav class="around" aria-label="Pages beside this one">${before ? html`<a rel="prev" href="${linkBetween(page.path, before.path)}">${before.title}</a>` : html`<span></span>`}${after && html`<a rel="next" href="${linkBetween(page.path, after.path)}">${after.title}</a>`}</nav>`;
  const text = frame({
    title: `${page.title} – ${model.title}`,
    path: page.path,
    home: linkBetween(page.path, model.index),
    collection: model.title,
    navigation: navigationMarkup(model, page),
    main: html`<article>${body}</article>${around}`,
  });
  return { text, nowhere };
}

function caseAt({ cases }: SitePage, line: number): SiteCase | undefined {
  return cases.find(({ own: { written } }) => written.lines.from <= line && line < written.lines.to);
}

/** Where a name comes from: another case, or the values of the collection. */
function nameLink(model: SiteModel, page: SitePage, own: SiteCase, name: string): string | undefined {
  const taken = own.takes.find(each => each.name === name);
  const from = taken && model.byAddress.get(taken.from);
  if (from) return linkBetween(page.path, from.path, from.slug);
  return model.values.has(name) ? linkBetween(page.path, model.index, valueId(name)) : undefined;
}

function factsMarkup(model: SiteModel, page: SitePage, own: SiteCase, { outcomes }: SiteChoices): Markup {
  const linkTo = (address: string) => {
    const to = model.byAddress.get(address);
    return to && html`<a href="${linkBetween(page.path, to.path, to.slug)}">${to.title}</a>`;
  };
  const takes = own.takes.map(({ name, from }) => html`<li><code>${name}</code> from ${linkTo(from)}</li>`);
  const gives = own.gives.map(({ name, to }) => {
    const users = to.flatMap(each => linkTo(each) ?? []);
    return html`<li><code>${name}</code>${users.length > 0 && html` to ${separated(users)}`}</li>`;
  });
  const known = outcomes?.get(own.own.address);
  if (takes.length + gives.length === 0 && !known) return html``;
  return html`<dl class="flow">${known && html`<div><dt>In the run</dt><dd class="${known.outcome}">${known.outcome}</dd></div>`}${takes.length > 0 && html`<div><dt>Takes</dt><dd><ul>${takes}</ul></dd></div>`}${gives.length > 0 && html`<div><dt>Gives</dt><dd><ul>${gives}</ul></dd></div>`}</dl>`;
}

function separated(links: readonly Markup[]): Markup {
  return new Markup(links.map(({ text }) => text).join(', '));
}

/** What came in the run, below a request that has no example. */
function recordedMarkup(own: SiteCase, line: number, { outcomes }: SiteChoices): Markup | undefined {
  const { source } = own.own.page.page;
  const step = own.own.written.steps.find(each => each.type === 'http' && each.extent?.to === line);
  if (!step || step.examples) return undefined;
  const at = source.position(step.range.start).line;
  const recorded = outcomes?.get(own.own.address)?.answers.findLast(each => each.line === at);
  if (!recorded) return undefined;
  return html`<figure class="block example"><figcaption>as it came in the run</figcaption><pre tabindex="0"><code>${messageMarkup(recorded.text, () => undefined)}</code></pre></figure>`;
}

function indexPage(model: SiteModel, graph: FlowGraph, { ran, outcomes }: SiteChoices): string {
  const path = model.index;
  const cases = model.pages.reduce((sum, page) => sum + page.cases.length, 0);
  const lists = model.folders.map(folder => {
    const list = folder.pages.map(
      page =>
        html`<li><a href="${linkBetween(path, page.path)}">${page.title}</a> ${page.cases.length > 0 && html`<span class="quiet">${counted(page.cases.length, 'case')}${outcomes && outcomeOf(page, outcomes)}</span>`}</li>`,
    );
    const name = folder.path !== '' && html`<h2 class="folder">${folder.path}</h2>`;
    return html`<section id="${folderId(folder.path)}">${name}<ul class="pages">${list}</ul></section>`;
  });
  const main = html`<article><h1>${model.title}</h1>
<p>${counted(model.pages.length, 'page')}${cases > 0 && `, ${counted(cases, 'case')}`}.${ran !== undefined && ` ${ran}`}</p>
${lists}
${graph.edges.length > 0 && html`<h2 id="flow">What goes on from one case to another</h2>${graphMarkup(graph)}`}
${valuesMarkup(model)}</article>`;
  return frame({
    title: model.title,
    path,
    home: '',
    collection: model.title,
    navigation: navigationMarkup(model, undefined),
    main,
  });
}

/** `, 7 passed`, `, 1 failed, 6 passed`; nothing of a page that did not run. */
function outcomeOf({ cases }: SitePage, outcomes: Outcomes): string {
  const known = cases.flatMap(each => outcomes.get(each.own.address)?.outcome ?? []);
  return [...new Set(known)]
    .sort()
    .map(
      outcome =>
        `, ${known.filter(each => each === outcome).length} ${outcome === 'error' ? 'in error' : outcome}`,
    )
    .join('');
}

/** What goes on between the cases that are shown. */
function shownOf({ plan, byAddress }: SiteModel): Plan {
  const pages = plan.pages.map(page => ({
    ...page,
    cases: page.cases.filter(({ address }) => byAddress.has(address)),
  }));
  return { ...plan, pages: pages.filter(({ cases }) => cases.length > 0) };
}

/** A picture of more would be larger than what a browser shows. */
const mostEdges = 150;

function graphMarkup(graph: FlowGraph): Markup {
  const { length } = graph.edges;
  if (length > mostEdges)
    return html`<p>${counted(length, 'value')} go on, which is <a href="graph.svg">a picture of its own</a>. Each case says which it takes and gives.</p>`;
  return html`<p class="wide" tabindex="0"><img src="graph.svg" alt="${graphInWords(graph)}"></p>`;
}

/** For those who do not see it. */
function graphInWords({ edges }: FlowGraph): string {
  return edges
    .map(
      ({ from, name, to }) =>
        `${from.title} gives ${name ?? 'way'} to ${to.map(({ title }) => title).join(', ')}`,
    )
    .join('; ');
}
