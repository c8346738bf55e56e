import type { CheckEvent, OperationEvent, Payload, Problem } from '../../core/model/events.ts';
import { isAnswered, viewOf } from '../../core/record/operations.ts';
import { counted } from '../../core/text/words.ts';
import { durationText, sizeText } from '../../core/values/text.ts';
import { phasesOf, sentAnew } from '../exchange-text.ts';
import { laidOutBody } from '../laid-out-body.ts';
import { markedLine } from '../marked-line.ts';
import { visible } from '../style.ts';
import { timeText } from '../time-text.ts';
import { html, Markup } from './markup.ts';

/** So many characters of a body are shown; JSON that is longer is not laid out. */
const shownBody = 16_000;
/** In characters: what is short and fits stays in one line. */
const bodyWidth = 64;
/** So many exchanges of a case that did not pass are shown, the last ones. */
const shownExchanges = 6;

const causes = {
  token: 'to fetch a token',
  challenge: 'in answer to a challenge',
  redirect: 'following a redirect',
  retry: 'sent again',
  repeat: 'asked again',
} as const;

/** What went over the wire for a case, request and response side by side; what is not as it should be is marked. */
export function operationsMarkup(
  operations: readonly OperationEvent[],
  failing: readonly CheckEvent[] = [],
): Markup {
  const left = operations.length - shownExchanges;
  const shown = operations.slice(Math.max(0, left));
  const last = shown.findLastIndex(isAnswered);
  return html`${left > 0 && html`<p class="quiet">${left} earlier ${left === 1 ? 'exchange' : 'exchanges'} of this case are not shown.</p>`}
${shown.map((operation, index) => operationMarkup(operation, index === last ? failing : []))}`;
}

function operationMarkup(operation: OperationEvent, failing: readonly CheckEvent[]): Markup {
  const { fault, cause } = operation;
  const { verb, target, fields, body, answer, texts } = viewOf(operation);
  const names = operation.type === 'exchange' ? 'header' : 'parameter';
  const fresh = 'fresh' in operation && operation.fresh;
  return html`<div class="exchange">
<div class="message"><p class="line"><b>${verb}</b> ${breakable(target)}${cause && html` <span class="quiet">${fresh ? sentAnew : causes[cause]}</span>`}</p>
${headersMarkup(fields, names)}${bodyMarkup(body)}</div>
<div class="message">${
    answer
      ? html`<p class="line">${markIf(
          failing.some(({ text }) => /^(?:not )?(?:status|exit|changed)\b/.test(text)),
          html`<b>${answer.code}</b> ${answer.words}`,
        )}</p>
${headersMarkup(answer.fields, names, failing)}${bodyMarkup(answer.body, failing)}`
      : html`<p class="line"><mark>${fault?.message ?? 'No answer.'}</mark></p>`
  }${texts.map(({ name, body: text }) => html`<p class="line quiet">${name}</p>${bodyMarkup(text)}`)}</div>
${timesMarkup(operation)}</div>`;
}

/** The line of the page that a problem is in, its place marked. */
export function markedMarkup(problem: Problem): Markup | undefined {
  const lines = markedLine(problem);
  return lines.length === 0 ? undefined : html`<pre>${lines.join('\n')}</pre>`;
}

function markIf(condition: boolean, text: Markup): Markup {
  return condition ? html`<mark>${text}</mark>` : text;
}

/** A long address may be broken behind each of its parts. */
function breakable(url: string): Markup {
  const parts = url.split(/(?<=[/?&=])/);
  return html`${parts.map(part => html`${part}<wbr>`)}`;
}

function headersMarkup(
  headers: readonly (readonly [string, string])[],
  called: string,
  failing: readonly CheckEvent[] = [],
): Markup | undefined {
  if (headers.length === 0) return undefined;
  const asked = new Set(
    failing.flatMap(({ text }) => /\bheader\s+"?([\w-]+)/i.exec(text)?.[1]?.toLowerCase() ?? []),
  );
  const isAsked = (name: string) => asked.has(name.toLowerCase());
  // Folded, but where a check that does not hold speaks of one of them.
  const isOpen = headers.some(([name]) => isAsked(name));
  return html`<details class="headers"${isOpen && new Markup(' open')}><summary>${counted(headers.length, called)}</summary><dl>${headers.map(
    ([name, value]) => html`<dt>${name}</dt><dd>${markIf(isAsked(name), html`${value}`)}</dd>`,
  )}</dl></details>`;
}

function bodyMarkup(body: Payload | undefined, failing: readonly CheckEvent[] = []): Markup | undefined {
  if (!body || body.size === 0) return undefined;
  const { text, base64, size, cut, files } = body;
  if (text === undefined) {
    const what = files
      ? `from ${files.join(', ')}`
      : base64
        ? 'that are no text'
        : 'that this page does not hold';
    return html`<p class="quiet">${sizeText(size)} ${what}</p>`;
  }
  const isLong = text.length > shownBody;
  const note = cut || isLong ? html`<p class="quiet">The beginning of ${sizeText(size)}.</p>` : undefined;
  const shown = isLong
    ? html`${text.slice(0, shownBody)} …`
    : new Markup(laidOutBody(safeText(text), bodyWidth, failing, part => `<mark>${part}</mark>`));
  // What can be scrolled can be reached by the keyboard.
  const scrolls = shown.text.length > 1500 || shown.text.split('\n').length > 22;
  return html`<pre${scrolls && html` tabindex="0"`}>${shown}</pre>${note}`;
}

/** No character of JSON that means something is changed by this. */
function safeText(text: string): string {
  return visible(text).replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
}

/** Where the time of an exchange went: drawn, and each phase by its colour and in words. */
function timesMarkup({ type, times, received, fault }: OperationEvent): Markup {
  const phases = phasesOf(times);
  const sum = phases.reduce((all, { time }) => all + time, 0);
  const scale = 1000 / Math.max(sum, times.total, 0.001);
  let x = 0;
  const bars = phases.map(({ phase, time }) => {
    const bar = html`<rect class="${phase}" x="${x.toFixed(1)}" width="${Math.max(1, time * scale).toFixed(1)}" height="6"/>`;
    x += time * scale;
    return bar;
  });
  const told = phases.map(
    ({ phase, name, time }) => html`<li><i class="${phase}"></i>${name} ${durationText(time)}</li>`,
  );
  return html`<div class="times"><svg class="phases" viewBox="0 0 1000 6" preserveAspectRatio="none" aria-hidden="true">${bars}</svg>
<ul class="quiet"><li>${fault ? 'given up after' : 'answered in'} ${timeText(times.total)}${type === 'exchange' && times.connect === undefined && ', over an open connection'}</li>${told}${(type === 'exchange' || received > 0) && html`<li>${sizeText(received)} received</li>`}</ul></div>`;
}
