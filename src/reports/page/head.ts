import { factsOf, totalsInWords } from '../facts.ts';
import type { Digest } from '../run-digest.ts';
import { joined } from '../style.ts';
import { verdictAndNotes } from '../verdict.ts';
import { hasFailures } from './failures.ts';
import { html, type Markup } from './markup.ts';

/** The verdict, and what a reader who was not there has to know to make something of it. */
export function headMarkup(digest: Digest): Markup {
  const { run, totals, endpoints, statistics } = digest;
  const { verdict, notes } = verdictAndNotes(totals);
  const facts = factsOf(run, totals, endpoints);
  return html`<header>
<p class="title">${run.title}</p>
<h1 class="${totals.passed ? 'holds' : 'fails'}">${verdict}</h1>
${notes.length > 0 && html`<p class="notes">${joined(notes.join(' '))}</p>`}
<dl class="facts">${facts.map(([name, value]) => html`<div><dt>${name}</dt><dd>${value}</dd></div>`)}</dl>
<p>${joined(totalsInWords(totals, statistics))}</p>
<nav aria-label="Parts of this report"><ul>
${hasFailures(digest) && html`<li><a href="#failures">What did not pass</a></li>`}
<li><a href="#cases">Cases</a></li>
${statistics.repeats && html`<li><a href="#figures">Figures</a></li>`}
</ul></nav>
</header>`;
}
