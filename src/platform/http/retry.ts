import type { Exchange } from '../../core/model/http-messages.ts';
import type { Retry } from '../../core/settings/transport.ts';
import type { OutgoingRequest } from '../../core/steps/http/http-port.ts';

/** Sending them twice is as good as once (RFC 9110, 9.2.2, and what its registry says of others). */
const idempotent = new Set([
  'GET',
  'HEAD',
  'OPTIONS',
  'TRACE',
  'PUT',
  'DELETE',
  'PROPFIND',
  'REPORT',
  'SEARCH',
  'QUERY',
]);

const longestWait = 60_000;

export function isIdempotent(method: string): boolean {
  return idempotent.has(method);
}

/**
 * How long to wait before a request is sent again, in milliseconds; nothing where it is not.
 * @param tries how often it was sent
 */
export function waitBeforeRetry(
  { method, retry }: OutgoingRequest,
  { response, fault }: Exchange,
  tries: number,
  now: number,
): number | undefined {
  if (!retry || retry === 'none' || tries > retry.times || !(retry.anyMethod || isIdempotent(method)))
    return undefined;
  if (!retry.on.some(word => meets(word, response?.status, fault?.kind))) return undefined;
  const wait = retry.every * 2 ** (tries - 1);
  return Math.min(longestWait, Math.max(wait, response ? waitThatIsAsked(response.headers, now) : 0));
}

function meets(word: Retry['on'][number], status: number | undefined, fault: string | undefined): boolean {
  if (status === undefined) return word === fault;
  return word === String(status) || word === `${Math.floor(status / 100)}xx`;
}

/** The Retry-After header: seconds, or a date (RFC 9110, 10.2.3). */
function waitThatIsAsked(headers: Exchange['request']['headers'], now: number): number {
  const text = headers.find(([name]) => /^retry-after$/i.test(name))?.[1].trim() ?? '';
  if (/^\d+$/.test(text)) return Number(text) * 1000;
  const date = Date.parse(text);
  return Number.isNaN(date) ? 0 : Math.max(0, date - now);
}
