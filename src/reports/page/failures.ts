import type { CheckEvent } from '../../core/model/events.ts';
import { counted, grouped } from '../../core/text/words.ts';
import { durationText } from '../../core/values/text.ts';
import { blockedInWords, pageTitleOf, titleOf } from '../cases.ts';
import type { BlockedCase, Digest, DigestedFailure } from '../run-digest.ts';
import { html, type Markup } from './markup.ts';
import { markedMarkup, operationsMarkup } from './operation-markup.ts';
import { proseMarkup } from './prose-markup.ts';

export function hasFailures({ failures, totals, blocked }: Digest): boolean {
  return failures.length + totals.exceeded.length + blocked.size > 0;
}

/** What did not pass, each case as an entry with all that is needed to act on it; bounds of the whole run first. */
export function* failuresMarkup(digest: Digest): Generator<Markup> {
  const { failures, totals, untold } = digest;
  if (!hasFailures(digest)) return;
  yield html`<section id="failures" aria-labelledby="failures-title"><h2 id="failures-title">What did not pass</h2>`;
  for (const { text, place, found } of totals.exceeded)
    yield html`<article class="entry"><h3><span class="outcome failed">not kept</span> The bound <code>${text}</code></h3>
<p class="where">${place.file}:${place.line}</p>
<div class="check"><dl>${pair('found', found, 'found')}</dl></div></article>`;
  const told = new Set<string>();
  for (const [index, failure] of failures.entries()) {
    const isFirst = !told.has(failure.event.case);
    told.add(failure.event.case);
    yield entryMarkup(failure, index, isFirst, digest);
  }
  if (untold > 0)
    yield html`<p>${counted(untold, 'more failure')} of cases ${untold === 1 ? 'is' : 'are'} not told here one by one; the list of cases counts them, and a report in another format (.json, .csv) tells each.</p>`;
  for (const [cause, cases] of digest.blocked)
    if (!told.has(cause))
      yield html`<article class="entry"><h3><span class="outcome blocked">blocked</span> Because of ${cause}</h3>${blockedList(cases)}</article>`;
  yield html`</section>`;
}

function entryMarkup(failure: DigestedFailure, index: number, isFirst: boolean, digest: Digest): Markup {
  const { page, event, checks, operations, prose } = failure;
  const { outcome, place, request, status, time, problem } = event;
  const failing = checks.filter(({ holds }) => holds !== 'yes');
  const holding = checks.filter(({ holds }) => holds === 'yes');
  const blocked = isFirst ? digest.blocked.get(event.case) : undefined;
  const figures = [
    request,
    status === undefined ? undefined : `status ${status}`,
    `the case took ${durationText(time)}`,
    howOften(failure, digest),
  ];
  return html`<article class="entry" id="failure-${index + 1}">
<h3><span class="outcome ${outcome}">${outcome}</span> ${titleOf(event)}</h3>
<p class="where">${pageTitleOf(page, digest.run.rounds !== 1)} · ${place.file}:${place.line} · ${figures.filter(Boolean).join(' · ')}</p>
${rowsOf(failure).map(values => html`<p class="row">${values}</p>`)}
${prose && html`<div class="prose">${proseMarkup(prose)}</div>`}
${failing.map((check, at) => checkMarkup(check, failing.slice(0, at)))}
${problem && html`<div class="check"><p class="statement"><span>${problem.message}</span> <span class="quiet">${problem.place.file}:${problem.place.line}</span></p>${markedMarkup(problem)}</div>`}
${holding.length > 0 && html`<details><summary>${holdingInWords(holding.length)}</summary><ul>${holding.map(({ text, label }) => html`<li>${label && `${label}: `}<code>${text}</code></li>`)}</ul></details>`}
${blocked && html`<details><summary>${counted(blocked.length, 'case')} ${blocked.length === 1 ? 'is' : 'are'} blocked by this</summary>${blockedList(blocked)}</details>`}
${operationsMarkup(operations, failing)}
</article>`;
}

/** Of how many times it did not pass, where it ran more than once. */
function howOften({ page, event }: DigestedFailure, { pages }: Digest): string | undefined {
  const known = pages
    .find(({ file }) => file === page.file)
    ?.cases.find(({ address }) => address === event.case);
  const all = known?.occurrences.outcome.length ?? 1;
  const bad = (known?.outcomes.failed ?? 0) + (known?.outcomes.error ?? 0);
  return all > 1 ? `${grouped(bad)} of ${grouped(all)} times` : undefined;
}

function holdingInWords(count: number): string {
  return count === 1 ? 'One more check holds' : `${count} more checks hold`;
}

function rowsOf({ page, event }: DigestedFailure): string[] {
  return [...(page.rows ?? []), ...(event.row ? [event.row] : [])].map(
    ({ number, total, values }) => `Row ${number} of ${total}: ${values}`,
  );
}

/** So many of the cases that one blocks are named. */
const mostBlocked = 200;

function blockedList(cases: readonly BlockedCase[]): Markup {
  const left = cases.length - mostBlocked;
  return html`<ul>${cases
    .slice(0, mostBlocked)
    .map(
      ({ event, count }) =>
        html`<li>${event.title} <span class="quiet">${event.case}${count > 1 && `, ${count} times`}${event.blocked?.name !== undefined && `: ${blockedInWords(event.blocked, event.blocked.by)}`}</span></li>`,
    )}${left > 0 && html`<li>and ${counted(left, 'more case')}</li>`}</ul>`;
}

/** The check as written, then what was expected and what was found under each other, so that the eye compares them. */
function checkMarkup(check: CheckEvent, toldBefore: readonly CheckEvent[]): Markup {
  const {
    place,
    text,
    label,
    level,
    expected,
    found,
    at,
    origins = [],
    differences,
    nearest,
    nearestOf,
  } = check;
  return html`<div class="check">
<p class="statement"><span>${label !== undefined && `${label}: `}<code>${text}</code></span> <span class="quiet">${place.file}:${place.line}</span></p>
<dl>
${level !== undefined && pair('set in', level)}
${expected !== undefined && pair('expected', expected)}
${found !== undefined && pair('found', found, 'found')}
</dl>
${differences && differencesMarkup(differences)}
<dl>
${at !== undefined && !differences && pair('at', at)}
${origins.map(({ name, value, origin }) => pair(`{${name}}`, `${value}, ${origin}`))}
${nearest !== undefined && !toldBefore.some(each => each.nearest === nearest) && pair(nearestOf ?? 'response', nearest, 'quiet')}
</dl></div>`;
}

/** Each part that differs by its place, what was expected under what was found. */
function differencesMarkup(differences: NonNullable<CheckEvent['differences']>): Markup {
  return html`<dl class="parts">${differences.map(
    ({ at, expected, found }) =>
      html`<dt class="place">${at}</dt>${pair('expected', expected)}${pair('found', found, 'found')}`,
  )}</dl>`;
}

function pair(name: string, value: string, role?: string): Markup {
  return html`<dt>${name}</dt><dd${role && html` class="${role}"`}>${value}</dd>`;
}
