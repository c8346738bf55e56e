import type { CaseEventContext } from '../../model/event-context.ts';
import type { ExchangeEvent, Payload } from '../../model/events.ts';
import type { BodyPart, Exchange, Header, ReceivedResponse } from '../../model/http-messages.ts';
import type { Place } from '../../model/place.ts';
import { redactHeaders } from '../../secrecy/redact-headers.ts';
import { toMicrosecond } from '../../text/to-microsecond.ts';
import { payloadOf } from '../payload.ts';
import { type ExchangeFacts, RequestView } from './response-view.ts';

/** What the record keeps of an exchange. */
export interface KeptOfExchange {
  /** Of a body, in bytes. */
  readonly most: number;
  /** Names of headers, in lower case, whose values are not shown. */
  readonly redacted?: ReadonlySet<string>;
}

/**
 * What the record says of an exchange, but for what was sent and what came: that is added where it is told.
 * @param at when it began, in milliseconds since 1970
 */
export function exchangeEvent(
  { round, user, case: address, row }: CaseEventContext,
  { place, at }: { readonly place: Place; readonly at: number },
  { request, response, fault, times, received, cause, fresh }: Exchange,
): ExchangeEvent {
  const event: ExchangeEvent = {
    type: 'exchange',
    round,
    case: address,
    at,
    place,
    request: { method: request.method, url: request.url, headers: [] },
    times,
    received,
  };
  if (user !== undefined) event.user = user;
  if (row !== undefined) event.row = row;
  if (cause !== undefined) event.cause = cause;
  if (fresh) event.fresh = true;
  if (fault) event.fault = { kind: fault.kind, message: fault.message };
  if (!response) return event;
  const { status, reason, size, encodedSize } = response;
  event.response = { status, reason, headers: [], body: { size } };
  if (encodedSize !== undefined) event.response.encoded = encodedSize;
  return event;
}

/** Adds to an event what was sent and what came. */
export function addContents(
  event: ExchangeEvent,
  { request, response, connection, interim }: Exchange,
  { most, redacted }: KeptOfExchange,
): void {
  const shown = (headers: readonly Header[]) => redactHeaders(headers, redacted);
  event.request.headers = shown(request.headers);
  if (request.body) event.request.body = payloadOfParts(request.body, most);
  if (connection) event.connection = connection;
  if (interim) event.interim = interim.map(({ status, headers }) => ({ status, headers: shown(headers) }));
  if (!response || !event.response) return;
  event.response.headers = shown(response.headers);
  event.response.body = payloadOf(response.body, most, response.size);
  if (response.trailers) event.response.trailers = shown(response.trailers);
}

/** How an exchange stands to the request that counts. */
export type ExchangeRole = { readonly part?: true; readonly whole?: number };

const alone: readonly ExchangeRole[] = [{}];

/**
 * Of everything that it took to send a request: which exchanges only led to the one that counts, and what that took with
 * them, in milliseconds. A request that is tried again begins anew.
 */
export function rolesOf(exchanges: readonly Exchange[]): readonly ExchangeRole[] {
  if (exchanges.length === 1) return alone;
  const roles: ExchangeRole[] = exchanges.map(() => ({}));
  let first = 0;
  for (let index = 0; index < exchanges.length; index++) {
    const { cause, fresh, at, times } = exchanges[index]!;
    if (cause === 'retry' && !fresh) first = index;
    const after = exchanges[index + 1];
    const leadsOn = after?.cause !== undefined && !(after.cause === 'retry' && !after.fresh);
    if (leadsOn || (cause === 'token' && after && after.cause === undefined)) roles[index] = { part: true };
    else if (index > first) {
      const begin = exchanges[first]!.at;
      const whole = at === undefined || begin === undefined ? undefined : at + times.total - begin;
      roles[index] = whole === undefined ? {} : { whole: Math.max(times.total, toMicrosecond(whole)) };
    }
  }
  return roles;
}

/** A body that was sent; of a file only the path and the size are kept. */
function payloadOfParts(parts: readonly BodyPart[], kept: number): Payload {
  const files = parts.flatMap(part => (typeof part === 'string' ? [] : [part.file]));
  const payload = payloadOf(Buffer.from(textOfParts(parts)), kept);
  if (files.length === 0) return payload;
  return { ...payload, size: sizeOfParts(parts), files };
}

/** Files stand in it by their names, or as somebody tells of them. */
export function textOfParts(
  parts: readonly BodyPart[],
  tell = (part: Exclude<BodyPart, string>) => `[the file ${part.file}]`,
): string {
  return parts.map(part => (typeof part === 'string' ? part : tell(part))).join('');
}

/** The request of the case as it went out in the end: signed, but before any redirect. */
export function viewOfSent(exchanges: readonly Exchange[]): RequestView {
  const redirect = exchanges.findIndex(({ cause }) => cause === 'redirect');
  const before = redirect < 0 ? exchanges : exchanges.slice(0, redirect);
  const own = before.findLast(({ cause }) => cause !== 'token') ?? exchanges.at(-1)!;
  const { method, url, headers, body = [] } = own.request;
  const sent = { url, status: 0, reason: '', version: '', headers, size: sizeOfParts(body), time: 0 };
  if (body.every(part => typeof part === 'string'))
    return new RequestView({ ...sent, body: Buffer.from(textOfParts(body)) }, undefined, method);
  return new RequestView({ ...sent, body: Buffer.alloc(0) }, () => textOfParts(body, fileInWords), method);
}

/** `[the file crates.csv, 412 bytes, sha256 9f86d081…]`; what its part says of it stands before it anyway. */
function fileInWords({ file, size, sha256 }: Exclude<BodyPart, string>): string {
  const hash = sha256?.();
  return `[the file ${file}${size === undefined ? '' : `, ${size} bytes`}${hash === undefined ? '' : `, sha256 ${hash}`}]`;
}

function sizeOfParts(parts: readonly BodyPart[]): number {
  return parts.reduce(
    (sum, part) => sum + (typeof part === 'string' ? Buffer.byteLength(part) : (part.size ?? 0)),
    0,
  );
}

/** What hops before the last response set as cookies counts too. */
export function factsOf(exchanges: readonly Exchange[]): ExchangeFacts {
  const setCookies: string[] = [];
  let hops: ReceivedResponse[] | undefined;
  for (let at = 0; at < exchanges.length; at++) {
    const { response, cause } = exchanges[at]!;
    if (!response || cause === 'token') continue;
    // What was tried again begins anew.
    if (cause === 'retry') hops = undefined;
    if (exchanges[at + 1]?.cause === 'redirect') hops = [...(hops ?? []), response];
    for (const [name, value] of response.headers)
      if (name.length === 10 && name.toLowerCase() === 'set-cookie') setCookies.push(value);
  }
  const { response } = exchanges.at(-1)!;
  const cut = response && response.body.length < response.size;
  if (!hops && !cut) return { setCookies };
  return {
    setCookies,
    ...(hops && { hops }),
    ...(cut && { unreadable: 'the body was written to a file' }),
  };
}
