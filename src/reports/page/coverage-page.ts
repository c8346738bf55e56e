import { counted, grouped } from '../../core/text/words.ts';
import { coverageInWords, groupsOf, linesOf, type NamedCoverage } from '../coverage.ts';
import { html, type Markup } from './markup.ts';
import style from './page.css';
import { pageHead } from './page-head.ts';

/** One page that holds everything it needs, and nothing that runs. */
export function coveragePage(coverages: readonly NamedCoverage[]): string {
  const title = coverages.map(each => each.title).join(', ');
  return [
    pageHead({ title: `${title}: what of its definition was exercised`, style }),
    '<body>\n<main>\n',
    ...coverages.map(each => coverageMarkup(each).text),
    '</main>\n</body>\n</html>\n',
  ].join('');
}

function coverageMarkup(coverage: NamedCoverage): Markup {
  const { seen, pairs } = coverage;
  return html`<header>
<p class="title">${coverage.title}</p>
<h1 class="${seen === pairs ? 'holds' : 'plain'}">${coverageInWords(coverage)}.</h1>
<p class="quiet"><code>${coverage.file}</code></p>
<progress class="share" value="${seen}" max="${Math.max(1, pairs)}" aria-label="Described responses that were seen"></progress>
<p class="quiet">Of each operation, the statuses that are described: <span class="chip seen">seen</span> in a case that passed, <span class="chip unsure">came</span> only in cases that did not, <span class="chip missing">missing</span>.</p>
</header>
${groupsOf(coverage).map(
  ([
    name,
    operations,
  ]) => html`<section><h2>${name} <span class="quiet">${counted(operations.length, 'operation')}</span></h2>
<ul class="coverage">${operations.map(each => operationMarkup(each))}</ul></section>`,
)}`;
}

function operationMarkup(each: NamedCoverage['operations'][number]): Markup {
  const chips = each.statuses.map(
    ({ status, passed, seen: came }) =>
      html`<span class="chip ${passed > 0 ? 'seen' : came > 0 ? 'unsure' : 'missing'}">${status}</span>`,
  );
  const details = linesOf(each).filter(([name]) => name !== 'statuses');
  return html`<li><p><code>${each.operation}</code> ${each.summary !== undefined && html`<span class="quiet">${each.summary}</span>`}</p>
<p class="chips">${chips}${each.sent > 0 && html` <span class="quiet">${grouped(each.sent)} sent</span>`}</p>
${each.sent > 0 && details.length > 0 && html`<dl class="facts">${details.map(([name, value]) => html`<div><dt>${name}</dt><dd>${value}</dd></div>`)}</dl>`}</li>`;
}
