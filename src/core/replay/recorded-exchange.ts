import type { ExchangeEvent, Payload } from '../model/events.ts';
import type { Exchange, ReceivedResponse } from '../model/http-messages.ts';
import { factsOf, viewOfSent } from '../steps/http/exchange-event.ts';
import { ResponseView } from '../steps/http/response-view.ts';
import type { Answer } from '../steps/step.ts';
import { sizeText } from '../values/text.ts';

/** What became of a request, as its record tells it. */
export interface RecordedAnswer extends Answer {
  readonly response: ResponseView | undefined;
  /** The one that counts: neither a hop, nor a challenge, a token or an earlier try. */
  readonly exchange: Exchange;
  /** When it was over, in milliseconds since 1970. */
  readonly at: number;
}

/** @param events of one request: all that it took, in order */
export function recordedAnswer(events: readonly ExchangeEvent[]): RecordedAnswer {
  const begin = events.findLastIndex(({ cause }) => cause === 'repeat');
  const own = events.slice(Math.max(0, begin));
  const last = own.at(-1)!;
  const exchanges = own.map(exchangeOf);
  const exchange = exchanges.at(-1)!;
  const { response } = exchange;
  const timed = response && last.whole !== undefined ? { ...response, time: last.whole } : response;
  const unreadable = last.response && whyUnreadable(last.response.body);
  // What is masked is shorter than it was, and no less whole.
  const { unreadable: _, ...known } = factsOf(exchanges);
  const facts = { ...known, ...(unreadable !== undefined && { unreadable }) };
  return {
    exchange,
    response: timed && new ResponseView(timed, facts),
    sent: () => viewOfSent(exchanges),
    fault: exchange.fault?.kind,
    at: last.at + last.times.total,
  };
}

/** Why a body that is on record cannot be looked at. */
function whyUnreadable({ size, text, base64, cut }: Payload): string | undefined {
  const isKept = size === 0 || text !== undefined || base64 !== undefined;
  if (isKept && !cut) return undefined;
  return `the record keeps only a part of the ${sizeText(size)} that came; the setting limits: { record: … } says how much`;
}

function exchangeOf(event: ExchangeEvent): Exchange {
  const { at, request, response, fault, times, received, connection, cause, fresh } = event;
  const { method, url, headers, body } = request;
  const sent = body && (body.files ? body.files.map(file => ({ file })) : [bytesOf(body).toString()]);
  return {
    at,
    request: { method, url, headers, ...(sent && { body: sent }) },
    ...(response && { response: responseOf(event, response) }),
    ...(fault && { fault: fault as Exchange['fault'] & {} }),
    times: times as Exchange['times'],
    received,
    ...(connection && { connection: connection as Exchange['connection'] & {} }),
    ...(cause !== undefined && { cause }),
    ...(fresh && { fresh }),
  };
}

function responseOf(
  { request: { url }, times, connection }: ExchangeEvent,
  { status, reason, headers, trailers, body, encoded }: ExchangeEvent['response'] & {},
): ReceivedResponse {
  return {
    url,
    status,
    reason,
    version: connection?.protocol ?? 'HTTP/1.1',
    headers,
    ...(trailers && { trailers }),
    body: bytesOf(body),
    size: body.size,
    ...(encoded !== undefined && { encodedSize: encoded }),
    time: times.total,
  };
}

function bytesOf({ text, base64 }: Payload): Buffer {
  return base64 === undefined ? Buffer.from(text ?? '') : Buffer.from(base64, 'base64');
}
