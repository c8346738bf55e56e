import type { Digest } from '../digest.ts';
import { factsOf, totalsInWords } from '../facts.ts';
import { joined } from '../style.ts';
import { verdictInWords } from '../verdict.ts';
import { hasFailures } from './failures.ts';
import { html, type Markup } from './markup.ts';

/** The verdict, and what a reader who was not there has to know to make something of it. */
export function headMarkup(digest: Digest): Markup {
  const { run, tally, endpoints, performance } = digest;
  const facts = factsOf(run, tally, endpoints);
  return html`<header>
<p class="title">${run.title}</p>
<h1 class="${tally.passed ? 'holds' : 'fails'}">${verdictInWords(tally)}</h1>
<dl class="facts">${facts.map(([name, value]) => html`<div><dt>${name}</dt><dd>${value}</dd></div>`)}</dl>
<p>${joined(totalsInWords(tally, performance))}</p>
<nav aria-label="Parts of this report"><ul>
${hasFailures(digest) && html`<li><a href="#failures">What did not pass</a></li>`}
<li><a href="#cases">Cases</a></li>
${performance.repeats && html`<li><a href="#figures">Figures</a></li>`}
</ul></nav>
</header>`;
}
