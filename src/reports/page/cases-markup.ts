import type { CaseValue } from '../../core/model/events.ts';
import type { CaseMark } from '../../core/record/load/load-statistics.ts';
import { counted, grouped, inWords } from '../../core/text/words.ts';
import { durationText } from '../../core/values/text.ts';
import { whySkipped } from '../cases.ts';
import { type Digest, type DigestedCase, gravest, gravestOf } from '../run-digest.ts';
import { joined } from '../style.ts';
import { timeText } from '../time-text.ts';
import { html, Markup } from './markup.ts';
import { markedMarkup, operationsMarkup } from './operation-markup.ts';

/** All cases in the order of the pages, each a row with a bar on one time axis, and what can be filtered. */
export function* casesMarkup(digest: Digest): Generator<Markup> {
  const cases = digest.pages.flatMap(page => page.cases);
  yield html`<section id="cases" aria-labelledby="cases-title"><h2 id="cases-title">Cases</h2>
${filterMarkup(cases)}
<p class="heads" aria-hidden="true"><span></span><span>outcome</span><span>case</span><span class="request">request</span><span class="status">status</span><span class="time">the case took</span><span class="axis"><span>0</span><span>${durationText(Math.round(digest.end.time))}</span></span></p>`;
  const length = digest.end.time;
  const failures = new Map(digest.failures.map(({ event }, at) => [event.case, at + 1] as const).reverse());
  let index = 0;
  for (const page of digest.pages) {
    const rows = page.cases.map(each => ({
      each,
      number: index,
      row: rowMarkup(each, index++, length, failures.get(each.address)),
    }));
    const isLater = index > laidOut;
    yield html`<section class="page"><h3>${page.title} <span class="quiet">${page.file}</span></h3><ol>${!isLater && rows.map(({ row }) => row)}</ol>${isLater && laterMarkup(rows)}</section>`;
  }
  yield html`<p><button type="button" id="more" hidden></button></p>`;
  yield html`<p id="none" hidden>No case is like that.</p></section>`;
}

/** So many cases are markup. What comes behind them is data, which the script lays out where it is asked for. */
const laidOut = 500;

function isRepeated({ count }: DigestedCase): boolean {
  return count > 1;
}

/** JSON in which nothing ends the element that it stands in, nor begins a comment there (HTML, 4.12.1.3). */
function inert(json: string): string {
  return json.replaceAll('</', '<\\/').replaceAll('<!--', '\\u003c!--');
}

/** The cases of a page as data: by what each is found, and its markup. */
function laterMarkup(
  rows: readonly { readonly each: DigestedCase; readonly number: number; readonly row: Markup }[],
): Markup {
  const data = rows.map(({ each: { title, address, tags, request = '', outcomes }, number, row }) => ({
    number: String(number),
    outcomes: Object.keys(outcomes),
    tags,
    text: [title, request, address].join('\n'),
    markup: row.text,
  }));
  return new Markup(
    `<script type="application/json">${inert(JSON.stringify(data))}</script><noscript><p>These cases are shown where scripts may run.</p></noscript>`,
  );
}

function filterMarkup(cases: readonly DigestedCase[]): Markup {
  const outcomes = gravest.filter(outcome => cases.some(each => each.outcomes[outcome]));
  const tags = [...new Set(cases.flatMap(each => each.tags))].sort();
  return html`<form id="filter" hidden>
<label>Outcome <select name="outcome"><option value="">any</option>${outcomes.map(each => html`<option>${each}</option>`)}</select></label>
${tags.length > 0 && html`<label>Tag <select name="tag"><option value="">any</option>${tags.map(each => html`<option>${each}</option>`)}</select></label>`}
<label>Text <input type="search" name="text" autocomplete="off" spellcheck="false"></label>
<output aria-live="polite">${counted(cases.length, 'case')}</output>
</form>`;
}

/** @param failure the number of the entry that tells why it did not pass */
function rowMarkup(each: DigestedCase, index: number, length: number, failure: number | undefined): Markup {
  const { title, address, tags, request, outcomes, first } = each;
  const outcome = gravestOf(each);
  const { status, time } = first.event;
  const repeated = isRepeated(each);
  // Of a load only a sample of the times is on record; those of its requests are told below.
  const took = each.marks ? '' : repeated ? medianOf(each) : outcome === 'blocked' ? '' : durationText(time);
  return html`<li class="case" data-outcomes="${Object.keys(outcomes).join(' ')}" data-tags="${tags.join('\n')}" data-case="${index}"><details><summary>
<span class="outcome ${outcome}">${outcome}</span>
<span class="name">${title}${repeated && html` <span class="quiet">${timesInWords(each)}</span>`}</span>
<span class="request">${request}</span>
<span class="status">${!repeated && status}</span>
<span class="time">${joined(took)}</span>
${barMarkup(each, length)}</summary>
<p class="where">${address}${tags.length > 0 && html` · ${inWords(tags)}`}</p>
${failure !== undefined && html`<p><a href="#failure-${failure}">Why it did not pass</a></p>`}
${repeated && (each.occurrences.outcome.length > 1 ? occurrencesMarkup(index) : html`<h4>As it is on record</h4>`)}${firstMarkup(each, failure !== undefined)}
</details></li>`;
}

/** Filled by the script: each time that a case ran. */
function occurrencesMarkup(index: number): Markup {
  return html`<div class="occurrences" data-case="${index}"></div><noscript><p>Each time that it ran is listed where scripts may run.</p></noscript><h4>The first time</h4>`;
}

function timesInWords({ outcomes, count }: DigestedCase): string {
  const told = gravest.flatMap(each => (outcomes[each] ? [`${grouped(outcomes[each])} ${each}`] : []));
  const times = `${grouped(count)} times`;
  return told.length === 1 ? times : `${times}: ${inWords(told)}`;
}

function medianOf({ times }: DigestedCase): string {
  const median = times.percentile(50);
  return median === undefined ? '' : `median ${timeText(median)}`;
}

/** What became of a case the first time, which may be the only one: its checks, and what went over the wire. */
function firstMarkup({ first }: DigestedCase, isToldAbove: boolean): Markup {
  const { event, checks, operations } = first;
  const failed = event.outcome === 'failed' || event.outcome === 'error';
  const why = whySkipped(event);
  const { problem } = event;
  return html`${why && html`<p>${why}</p>`}${problem && html`<p>${problem.message}</p>${markedMarkup(problem)}`}
${checks.length > 0 && html`<ul class="checks">${checks.map(({ text, label, holds }) => html`<li><span class="outcome ${holds === 'yes' ? 'passed' : 'failed'}">${holds === 'yes' ? 'holds' : 'does not hold'}</span> ${label && `${label}: `}<code>${text}</code></li>`)}</ul>`}
${event.values && valuesMarkup(event.values)}
${
  !(failed && isToldAbove) &&
  operationsMarkup(
    operations,
    checks.filter(({ holds }) => holds !== 'yes'),
  )
}`;
}

/** What a case kept, computed and used. */
function valuesMarkup(values: readonly CaseValue[]): Markup {
  return html`<table class="values"><caption>Values</caption><tbody>${values.map(({ name, how, value, origin }) => html`<tr><th scope="row"><code>${name}</code></th><td><code>${value}</code></td><td class="quiet">${how === 'used' ? origin : how}</td></tr>`)}</tbody></table>`;
}

/** So many places of a bar can be told apart. */
const places = 200;

/** When a case ran and for how long, on the time axis of the whole run; what did not pass stands out. */
function barMarkup({ occurrences, marks: counted }: DigestedCase, length: number): Markup {
  const scale = places / Math.max(length, 1);
  const marks: CaseMark[] = counted ? [...counted] : new Array<CaseMark>(places).fill(undefined);
  for (const [index, at] of counted ? [] : occurrences.at.entries()) {
    if (at < 0) continue;
    const bad = occurrences.outcome[index] === 'failed' || occurrences.outcome[index] === 'error';
    const from = Math.min(places - 1, Math.floor(at * scale));
    const to = Math.min(places - 1, Math.floor((at + occurrences.time[index]!) * scale));
    for (let place = from; place <= to; place++) if (bad || !marks[place]) marks[place] = bad ? 'bad' : 'ran';
  }
  let bars = '';
  for (let place = 0; place < places; ) {
    const kind = marks[place];
    let end = place + 1;
    while (end < places && marks[end] === kind) end++;
    if (kind) bars += `<rect class="${kind}" x="${place}" width="${end - place}" height="8"/>`;
    place = end;
  }
  return html`<svg class="bar" viewBox="0 0 ${places} 8" preserveAspectRatio="none" aria-hidden="true">${new Markup(bars)}</svg>`;
}

/** Each time that cases ran which ran more than once, for the script of the page: by the number of the case. */
export function* occurrencesData(digest: Digest): Generator<Markup> {
  yield new Markup('<script type="application/json" id="occurrences">{');
  let separator = '';
  let index = 0;
  for (const { occurrences } of digest.pages.flatMap(page => page.cases)) {
    const number = index++;
    if (occurrences.outcome.length < 2) continue;
    const columns = { ...occurrences, outcome: occurrences.outcome.map(each => gravest.indexOf(each)) };
    yield new Markup(`${separator}"${number}":${inert(JSON.stringify(columns, shortNumber))}`);
    separator = ',';
  }
  yield new Markup('}</script>\n');
}

function shortNumber(_key: string, value: unknown): unknown {
  return typeof value === 'number' ? Math.round(value * 10) / 10 : value;
}
