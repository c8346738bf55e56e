import { percentText } from '../../core/record/number-texts.ts';
import { counted } from '../../core/text/words.ts';
import { html, type Markup } from '../page/markup.ts';
import base from '../page/page.css';
import { pageHead } from '../page/page-head.ts';
import {
  type CaseDigest,
  type DoubtDigest,
  hasGaps,
  moreInWords,
  noticedInWords,
  type RequestDigest,
} from './digest.ts';
import style from './page.css';

/** One page that holds everything it needs, and nothing that runs. */
export function doubtPage(digest: DoubtDigest, title: string): string {
  const open = digest.cases.filter(hasGaps);
  return [
    pageHead({ title: `${title}: would its checks notice?`, style: base + style }),
    '<body>\n<main>\n',
    headMarkup(digest, title).text,
    open.length > 0 &&
      html`<section><h2>What would go unnoticed</h2>
<p class="quiet">Each line is something in an answer that was changed, and no check said anything. Below it stands what to add to the page.</p>
${open.map(gapsMarkup)}</section>`.text,
    html`<section><h2>All cases</h2>
<table class="shares"><thead><tr><th>case</th><th colspan="2">changes that are noticed</th></tr></thead>
<tbody>${digest.cases.map(shareMarkup)}</tbody></table></section>`.text,
    leftOutMarkup(digest).text,
    '</main>\n</body>\n</html>\n',
  ]
    .filter(part => part !== false)
    .join('');
}

function headMarkup(digest: DoubtDigest, title: string): Markup {
  const { noticed, countable, run, brittle } = digest;
  return html`<header>
<p class="title">${title}</p>
<h1 class="${noticed === countable && brittle === 0 ? 'holds' : 'plain'}">${noticedInWords(digest)}${countable > 0 && `, ${percentText(noticed / countable)}`}.</h1>
<progress class="share" value="${noticed}" max="${Math.max(1, countable)}" aria-label="Changes that are noticed"></progress>
<p>If something in an answer were wrong, would anybody notice? The answers of the run <code>${run}</code> were changed, one thing at a time: a member was taken away, a number made another one, a list emptied. Then the checks of the pages were made again. Nothing was sent.</p>
${moreInWords(digest).map(more => html`<p class="quiet">${more}</p>`)}</header>
`;
}

function gapsMarkup({ title, case: address, requests, ...counts }: CaseDigest): Markup {
  const open = requests.filter(({ unnoticed, brittle }) => unnoticed.length + brittle.length > 0);
  return html`<article class="doubted"><h3>${title}</h3>
<p class="quiet"><code>${address}</code> ${noticedInWords(counts)}</p>
${open.map(requestMarkup)}</article>
`;
}

function requestMarkup({ request, place, unnoticed, brittle, tried, possible }: RequestDigest): Markup {
  return html`<p class="request"><code>${request}</code> <span class="quiet">${place}${tried < possible && `; ${tried} of ${possible} changes were tried`}</span></p>
${unnoticed.map(
  ({ at, changes, checks }) => html`<div class="gap"><p><code>${at}</code> ${changes.join('; ')}</p>
<div class="add"><span class="quiet">add</span><pre>${checks.join('\n')}</pre></div></div>`,
)}${brittle.map(
  ({ check, place: where, at }) =>
    html`<div class="gap brittle"><p><code>${check}</code> <span class="quiet">${where}</span></p>
<p>is brittle: it fails where something new is added to <code>${at}</code>, which breaks nobody.</p></div>`,
)}`;
}

function shareMarkup({
  title,
  case: address,
  noticed,
  countable,
  byDefinition,
  carried,
}: CaseDigest): Markup {
  const more = [
    ...(byDefinition > 0 ? [`${byDefinition} by the definition alone`] : []),
    ...(carried > 0 ? [`${carried} more go into later requests`] : []),
  ];
  const bar = html`<progress value="${noticed}" max="${Math.max(1, countable)}" aria-hidden="true"></progress>`;
  return html`<tr><td>${title}<br><code class="quiet">${address}</code></td><td>${countable === 0 ? 'nothing to change' : html`${bar} ${noticed} of ${countable}`}</td><td class="quiet">${more.join(', ')}</td></tr>
`;
}

function leftOutMarkup({ cases, leftOut }: DoubtDigest): Markup {
  const steps = cases.flatMap(each => each.leftOut);
  if (steps.length + leftOut.length === 0) return html``;
  return html`<section><h2>Left out <span class="quiet">${counted(steps.length + leftOut.length, 'statement or case', 'statements and cases')}</span></h2>
<ul>${leftOut.map(({ case: address, reason }) => html`<li><code>${address}</code>: ${reason}</li>`)}
${steps.map(({ step, place, reason }) => html`<li><code>${step}</code> <span class="quiet">${place}</span>: ${reason}</li>`)}</ul></section>
`;
}
