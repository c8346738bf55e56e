import type { EventOf, ExchangeEvent, Payload, RunEvent } from '../core/model/events.ts';
import { casesOf, type ReportedCase, titleOf } from './cases.ts';

/**
 * HTTP Archive 1.2: every exchange in the order in which cases ended, each with its case as a comment. Cookies are not
 * told, since their values are never on record. A body that was cut says so in its comment.
 */
export async function* harReport(events: AsyncIterable<RunEvent>): AsyncGenerator<string> {
  let separator = '';
  for await (const part of casesOf(events)) {
    if ('run' in part) yield begin(part.run);
    else if ('event' in part)
      for (const exchange of part.operations) {
        // What is no HTTP has no place in its archive.
        if (exchange.type !== 'exchange') continue;
        yield `${separator}\n${JSON.stringify(entryOf(exchange, part))}`;
        separator = ',';
      }
  }
  yield '\n]}}\n';
}

function begin({ tool, title }: EventOf<'run'>): string {
  const [name = 'mervok', version = ''] = tool.split(' ');
  const head = JSON.stringify({ version: '1.2', creator: { name, version }, comment: title });
  return `{"log":${head.slice(0, -1)},"entries":[`;
}

function entryOf(exchange: ExchangeEvent, { event }: ReportedCase) {
  const { at, request, response, fault, times, connection } = exchange;
  const timings = timingsOf(times);
  const [, address, port] = /^\[?(.*?)\]?:(\d+)$/.exec(connection?.remote ?? '') ?? [];
  const httpVersion = connection?.protocol ?? 'HTTP/1.1';
  return {
    startedDateTime: new Date(at).toISOString(),
    time: times.total,
    request: {
      method: request.method,
      url: request.url,
      httpVersion,
      cookies: [],
      headers: named(request.headers),
      queryString: queryOf(request.url),
      ...(request.body && { postData: postDataOf(request.body, request.headers) }),
      headersSize: -1,
      bodySize: request.body?.size ?? 0,
    },
    response: response
      ? {
          status: response.status,
          statusText: response.reason,
          httpVersion,
          cookies: [],
          headers: named(response.headers),
          content: {
            ...contentOf(response.body, response.headers),
            ...(response.encoded !== undefined && { compression: response.body.size - response.encoded }),
          },
          redirectURL: headerOf(response.headers, 'location') ?? '',
          headersSize: -1,
          bodySize: response.encoded ?? response.body.size,
        }
      : nothing(fault?.message),
    cache: {},
    timings,
    ...(address !== undefined && /^[\d.]+$|^[\da-f:.]+$/i.test(address) && { serverIPAddress: address }),
    ...(port !== undefined && { connection: port }),
    comment: `${event.case}, ${titleOf(event)}: ${event.outcome}`,
  };
}

/** An answer that never came, as browsers write it. */
function nothing(message = '') {
  return {
    status: 0,
    statusText: '',
    httpVersion: '',
    cookies: [],
    headers: [],
    content: { size: 0, mimeType: 'x-unknown' },
    redirectURL: '',
    headersSize: -1,
    bodySize: -1,
    comment: message,
  };
}

/** Their sum is the whole; -1 for a phase that did not take place. TLS counts as part of the connection too. */
function timingsOf({ lookup, connect, tls, download = 0, total }: ExchangeEvent['times']) {
  const connected = connect === undefined ? undefined : connect + (tls ?? 0);
  const wait = Math.max(0, total - (lookup ?? 0) - (connected ?? 0) - download);
  return {
    blocked: -1,
    dns: lookup ?? -1,
    connect: connected ?? -1,
    ssl: tls ?? -1,
    send: 0,
    wait: Number(wait.toFixed(3)),
    receive: download,
  };
}

function named(headers: readonly (readonly [string, string])[]) {
  return headers.map(([name, value]) => ({ name, value }));
}

function headerOf(headers: readonly (readonly [string, string])[], wanted: string): string | undefined {
  return headers.find(([name]) => name.toLowerCase() === wanted)?.[1];
}

function queryOf(url: string): { name: string; value: string }[] {
  const query = /\?([^#]*)/.exec(url)?.[1];
  return query === undefined ? [] : [...new URLSearchParams(query)].map(([name, value]) => ({ name, value }));
}

function contentOf({ size, text, base64, cut }: Payload, headers: readonly (readonly [string, string])[]) {
  return {
    size,
    mimeType: headerOf(headers, 'content-type') ?? 'x-unknown',
    ...(text !== undefined ? { text } : base64 !== undefined && { text: base64, encoding: 'base64' }),
    ...(cut && { comment: `only the beginning of ${size} bytes` }),
  };
}

function postDataOf(
  { size, text = '', base64, cut }: Payload,
  headers: readonly (readonly [string, string])[],
) {
  const comment = cut
    ? `only the beginning of ${size} bytes`
    : base64 === undefined
      ? undefined
      : `${size} bytes that are no text`;
  return {
    mimeType: headerOf(headers, 'content-type') ?? '',
    text,
    ...(comment !== undefined && { comment }),
  };
}
