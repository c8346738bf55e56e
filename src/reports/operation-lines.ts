import type { OperationEvent, Payload } from '../core/model/events.ts';
import { viewOf } from '../core/record/operations.ts';
import { sizeText } from '../core/values/text.ts';
import { type ExchangeView, fieldsText, operationFigures } from './exchange-text.ts';
import { formatJson } from './json-text.ts';
import { visible } from './style.ts';

/** So many lines of a body are shown; a record or a report has all of it. */
const shownLines = 40;

/** An operation of a record: what was asked, the answer or the fault, and the figures. */
export function operationLines(event: OperationEvent, view: ExchangeView): string[] {
  const { fault, cause } = event;
  const { verb, target, fields, body, answer, texts } = viewOf(event);
  const { paint } = view;
  const why = cause === undefined ? '' : paint('quiet', `  (${cause})`);
  const came = answer
    ? [
        paint(answer.isBad ? 'failed' : 'strong', `${answer.code} ${visible(answer.words)}`.trim()),
        ...fieldsText(answer.fields, view),
        ...bodyLines(answer.body, view),
      ]
    : [paint('error', visible(fault?.message ?? ''))];
  return [
    paint('strong', visible(`${verb} ${target}`)) + why,
    ...fieldsText(fields, view),
    ...bodyLines(body, view),
    '',
    ...came,
    ...texts.flatMap(({ name, body: text }) => ['', paint('quiet', name), ...bodyLines(text, view).slice(1)]),
    paint('quiet', operationFigures(event)),
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
