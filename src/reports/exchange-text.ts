import type { OperationEvent } from '../core/model/events.ts';
import type { Exchange, Header, Timings } from '../core/model/http-messages.ts';
import { viewOf } from '../core/record/operations.ts';
import { redactHeaders } from '../core/secrecy/redact-headers.ts';
import { inWords } from '../core/text/words.ts';
import { durationText, sizeText } from '../core/values/text.ts';
import { fit, type Measure, type Paint, visible, wrap } from './style.ts';

export interface ExchangeView {
  readonly paint: Paint;
  readonly measure: Measure;
  readonly width: number;
}

const causes = {
  token: 'fetched a token',
  challenge: 'answered the challenge',
  redirect: 'followed',
  retry: 'sent again',
  repeat: 'asked again',
} as const;

/** Where the connection of a request had been closed. */
export const sentAnew = 'sent once more over a fresh connection';

/** One line for each exchange that came before the one that counts. */
export function hopsText(exchanges: readonly Exchange[], view: ExchangeView): string[] {
  return exchanges.slice(0, -1).map((exchange, index) => {
    const { request, response, fault, times } = exchange;
    const outcome = response ? String(response.status) : fault!.kind;
    const next = exchanges[index + 1]!.cause;
    const why =
      exchange.cause === 'token'
        ? causes.token
        : next && next !== 'token'
          ? `then ${exchanges[index + 1]?.fresh ? sentAnew : causes[next]}`
          : '';
    const figures = `${why}  ${durationText(times.total).padStart(8)}`;
    const room = Math.max(20, view.width - 10 - figures.length);
    return view.paint(
      'quiet',
      `${outcome.padEnd(8)} ${fit(visible(`${request.method} ${request.url}`), room, view.measure)} ${figures}`,
    );
  });
}

/** The status line and the header fields of a response, names in one column. */
export function headText({ response, interim = [] }: Exchange, view: ExchangeView): string[] {
  const { paint } = view;
  const { status, reason, headers, trailers = [] } = response!;
  const words = `${status}${reason === '' ? '' : ` ${visible(reason)}`}`;
  return [
    ...interim.flatMap(each => [paint('quiet', String(each.status)), ...fieldsText(each.headers, view)]),
    paint(status >= 400 ? 'failed' : 'strong', words),
    ...fieldsText(headers, view),
    ...(trailers.length > 0 ? [paint('quiet', 'behind the body'), ...fieldsText(trailers, view)] : []),
  ];
}

/** @param told fields of which something is said rather than their value shown */
export function fieldsText(
  headers: readonly Header[],
  view: ExchangeView,
  told: readonly Header[] = [],
): string[] {
  const most = Math.max(28, Math.floor(view.width / 2) - 2);
  const column = Math.min(most, Math.max(0, ...[...headers, ...told].map(([name]) => name.length))) + 2;
  return [...redactHeaders(headers), ...told].flatMap(([name, value]) => {
    const shown = view.paint('quiet', name.padEnd(column));
    // A name that is longer than its column has a line of its own.
    return name.length > most
      ? [shown, `${' '.repeat(column)}${visible(value)}`]
      : [`${shown}${visible(value)}`];
  });
}

/** Size, time and where it went, what the exchange went over. */
export function figuresText(
  { response, times, connection, received }: Exchange,
  view: ExchangeView,
): string[] {
  const { size, encodedSize } = response!;
  const compressed = encodedSize === undefined ? '' : ` (${sizeText(encodedSize)} on the wire)`;
  const took = `${sizeText(size)}${compressed} in ${durationText(times.total)}: ${phasesInWords(times)}`;
  const lines = [...wrap(took, view.width, view.measure)];
  if (connection) {
    const { protocol, remote, certificate } = connection;
    const over = `${protocol}${remote === undefined ? '' : ` with ${remote}`}`;
    const whose = certificate
      ? `; certificate of ${visible(certificate.subject)}, until ${certificate.until}`
      : '';
    lines.push(...wrap(`${over}${whose}; ${sizeText(received)} received`, view.width, view.measure));
  }
  const cookies = cookiesIn(response!.headers);
  if (cookies.length > 0) lines.push(...wrap(`cookies set: ${inWords(cookies)}`, view.width, view.measure));
  return lines.map(line => view.paint('quiet', line));
}

type ToldTimes = { readonly [Phase in keyof Timings]?: number | undefined };

const phaseNames = {
  lookup: 'name',
  connect: 'connection',
  tls: 'TLS',
  wait: 'first byte',
  download: 'rest',
} as const;

type Phase = keyof typeof phaseNames;

/** Where the time went, in milliseconds: what there was of it, in order. */
export function phasesOf(times: ToldTimes): { phase: Phase; name: string; time: number }[] {
  return (Object.entries(phaseNames) as [Phase, string][]).flatMap(([phase, name]) => {
    const time = times[phase];
    return time === undefined ? [] : [{ phase, name, time }];
  });
}

export function phasesInWords(times: ToldTimes): string {
  const known = phasesOf(times)
    .map(({ name, time }) => `${name} ${durationText(time)}`)
    .join(', ');
  return times.connect === undefined ? `over an open connection, ${known}` : known;
}

/** How much came, how long it took, and where the time went: `74 B in 13 ms: connection 3.2 ms, …`. */
export function operationFigures(event: OperationEvent): string {
  const { body } = viewOf(event).answer ?? {};
  const took = `${body && body.size > 0 ? `${sizeText(body.size)} in ` : ''}${durationText(event.times.total)}`;
  if (event.type === 'exchange') return `${took}: ${phasesInWords(event.times)}`;
  const { queued } = event;
  return queued === undefined ? took : `${took}, after ${durationText(queued)} for a connection`;
}

function cookiesIn(headers: readonly Header[]): string[] {
  return headers.flatMap(([name, value]) =>
    /^set-cookie$/i.test(name) ? [visible(value.split('=')[0]!.trim())] : [],
  );
}
