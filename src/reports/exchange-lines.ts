import type { ExchangeEvent, Payload } from '../core/model/events.ts';
import { durationText, sizeText } from '../core/values/text.ts';
import { type ExchangeView, fieldsText, phasesInWords } from './exchange-text.ts';
import { formatJson } from './json-text.ts';
import { visible } from './style.ts';

/** So many lines of a body are shown; a record or a report has all of it. */
const shownLines = 40;

/** An exchange of a record: the request, the response or the fault, and the figures. */
export function exchangeLines(event: ExchangeEvent, view: ExchangeView): string[] {
  const { request, response, fault, times, cause } = event;
  const { paint } = view;
  const why = cause === undefined ? '' : paint('quiet', `  (${cause})`);
  const answer = response
    ? [
        paint(
          response.status >= 400 ? 'failed' : 'strong',
          `${response.status} ${visible(response.reason)}`.trim(),
        ),
        ...fieldsText(response.headers, view),
        ...bodyLines(response.body, view),
      ]
    : [paint('error', visible(fault?.message ?? ''))];
  const figures = `${response ? `${sizeText(response.body.size)} in ` : ''}${durationText(times.total)}: ${phasesInWords(times)}`;
  return [
    paint('strong', visible(`${request.method} ${request.url}`)) + why,
    ...fieldsText(request.headers, view),
    ...bodyLines(request.body, view),
    '',
    ...answer,
    paint('quiet', figures),
  ];
}

function bodyLines(body: Payload | undefined, { paint, width }: ExchangeView): string[] {
  if (!body || body.size === 0) return [];
  const lines = textLines(body, width, paint);
  const more = lines.length - shownLines;
  if (more > 0) lines.splice(shownLines, more, paint('quiet', `… ${more} more lines`));
  if (body.cut) lines.push(paint('quiet', `… cut; ${sizeText(body.size)} in all`));
  return ['', ...lines];
}

function textLines({ text, size }: Payload, width: number, paint: ExchangeView['paint']): string[] {
  if (text === undefined) return [paint('quiet', `${sizeText(size)} of bytes`)];
  try {
    JSON.parse(text);
    return formatJson(visible(text), width - 2, paint).split('\n');
  } catch {
    return visible(text).split('\n');
  }
}
