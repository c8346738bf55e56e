import type { CheckEvent, OperationEvent, Payload } from '../../core/model/events.ts';
import { isAnswered, viewOf } from '../../core/record/operations.ts';
import { sizeText } from '../../core/values/text.ts';
import { phasesInWords, sentAnew } from '../exchange-text.ts';
import { formatJson } from '../json-text.ts';
import { visible } from '../style.ts';
import { timeText } from '../time-text.ts';
import { html, Markup } from './markup.ts';

/** So many characters of a body are shown; JSON that is longer is not laid out. */
const shownBody = 16_000;
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
  const { verb, target, fields, body, answer } = viewOf(operation);
  const fresh = 'fresh' in operation && operation.fresh;
  return html`<div class="exchange">
<div class="message"><p class="line"><b>${verb}</b> ${breakable(target)}${cause && html` <span class="quiet">${fresh ? sentAnew : causes[cause]}</span>`}</p>
${headersMarkup(fields)}${bodyMarkup(body)}</div>
<div class="message">${
    answer
      ? html`<p class="line">${markIf(
          failing.some(({ text }) => /^(?:not )?status\b/.test(text)),
          html`<b>${answer.code}</b> ${answer.words}`,
        )}</p>
${headersMarkup(answer.fields, failing)}${bodyMarkup(answer.body, failing)}`
      : html`<p class="line"><mark>${fault?.message ?? 'No answer.'}</mark></p>`
  }</div>
${timesMarkup(operation)}</div>`;
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
  failing: readonly CheckEvent[] = [],
): Markup | undefined {
  if (headers.length === 0) return undefined;
  const asked = new Set(
    failing.flatMap(({ text }) => /\bheader\s+"?([\w-]+)/i.exec(text)?.[1]?.toLowerCase() ?? []),
  );
  return html`<dl class="headers">${headers.map(
    ([name, value]) =>
      html`<div><dt>${name}</dt> <dd>${markIf(asked.has(name.toLowerCase()), html`${value}`)}</dd></div>`,
  )}</dl>`;
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
  const shown = isLong ? html`${text.slice(0, shownBody)} …` : laidOut(text, failing);
  // What can be scrolled can be reached by the keyboard.
  const scrolls = shown.text.length > 1500 || shown.text.split('\n').length > 22;
  return html`<pre${scrolls && html` tabindex="0"`}>${shown}</pre>${note}`;
}

/** JSON with a member a line, the offending values marked; other text as it came. */
function laidOut(text: string, failing: readonly CheckEvent[]): Markup {
  const paths = new Set(failing.flatMap(pathsOf));
  try {
    if (!/^\s*[[{]/.test(text)) return html`${text}`;
    JSON.parse(text);
    // No character of JSON that means something is changed by this.
    const safe = visible(text).replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
    const paint = (_role: string, part: string) => part;
    const shown = formatJson(safe, 84, paint, { paths, mark: part => `<mark>${part}</mark>` });
    // What is nested very deeply would be little else than white space.
    return shown.length > 3 * shownBody ? html`${text}` : new Markup(shown);
  } catch {
    // Cut, or nested too deeply to be laid out.
    return html`${text}`;
  }
}

/** The places that a check that does not hold speaks of. */
function pathsOf({ at, differences = [], found = '' }: CheckEvent): string[] {
  const inWords = [...found.matchAll(/\$[.[][^\s,;]*/g)].map(([path]) => path);
  return [...(at === undefined ? [] : [at]), ...differences.map(each => each.at), ...inWords];
}

const phases = ['lookup', 'connect', 'tls', 'wait', 'download'] as const;

/** Where the time of an exchange went, drawn and in words. */
function timesMarkup({ times, received }: OperationEvent): Markup {
  const sum = phases.reduce((all, phase) => all + (times[phase] ?? 0), 0);
  const scale = 1000 / Math.max(sum, times.total, 0.001);
  let x = 0;
  const bars = phases.flatMap(phase => {
    const time = times[phase];
    if (!time) return [];
    const bar = html`<rect class="${phase}" x="${x.toFixed(1)}" width="${Math.max(1, time * scale).toFixed(1)}" height="6"/>`;
    x += time * scale;
    return [bar];
  });
  return html`<div class="times"><svg class="phases" viewBox="0 0 1000 6" preserveAspectRatio="none" aria-hidden="true">${bars}</svg>
<p class="quiet">${timeText(times.total)}: ${phasesInWords(times)}; ${sizeText(received)} received</p></div>`;
}
