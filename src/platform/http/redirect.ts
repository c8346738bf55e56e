import type { Fault, Header, ReceivedResponse } from '../../core/model/http-messages.ts';
import type { Tls } from '../../core/settings/transport.ts';
import type { OutgoingRequest } from '../../core/steps/http/http-port.ts';
import { sameOrigin } from './address.ts';

const redirecting = new Set([301, 302, 303, 307, 308]);
const aboutTheBody = /^(?:content-(?:type|length|encoding|language|location)|transfer-encoding|expect)$/i;

/** Where a response sends on, as an absolute URL; nothing where it does not. */
export function redirectTarget({ status, headers, url }: ReceivedResponse): string | undefined {
  if (!redirecting.has(status)) return undefined;
  const location = headers.find(([name]) => /^location$/i.test(name))?.[1];
  if (location === undefined || !URL.canParse(location, url)) return undefined;
  const target = new URL(location, url);
  return /^https?:$/.test(target.protocol) ? target.href : undefined;
}

/**
 * The request that follows a redirect (RFC 9110, 15.4): 303 makes a GET of everything but HEAD; 301 and 302 make one of
 * a POST, as everybody does; 307 and 308 change nothing. Credentials do not go to another origin.
 */
export function redirected(request: OutgoingRequest, status: number, target: string): OutgoingRequest {
  const { method, body, auth, tls, ...rest } = request;
  const dropsBody = status === 303 || (status <= 302 && method === 'POST');
  const elsewhere = !sameOrigin(request.url, target);
  const isSecret = (header: Header) =>
    request.credentials.has(header[0].toLowerCase()) || request.secrecy?.header(header) === true;
  const stays = (header: Header) =>
    !(dropsBody && aboutTheBody.test(header[0])) &&
    !(elsewhere && (/^host$/i.test(header[0]) || isSecret(header)));
  return {
    ...rest,
    url: target,
    method: dropsBody && method !== 'HEAD' ? 'GET' : method,
    headers: request.headers.filter(stays),
    ...(body && !dropsBody && { body }),
    ...(auth && !elsewhere && { auth }),
    tls: elsewhere ? withoutCertificate(tls) : tls,
  };
}

/** Why a redirect is not followed: its request would take a secret to another origin, in its body. */
export function bodyStaysHere(
  { url, method, body = [], secrecy }: OutgoingRequest,
  status: number,
  target: string,
): Fault | undefined {
  const dropsBody = status === 303 || (status <= 302 && method === 'POST');
  if (dropsBody || sameOrigin(url, target)) return undefined;
  if (!secrecy?.body(body)) return undefined;
  return {
    kind: 'unsendable',
    message: `${new URL(url).origin} sends on to another origin, ${new URL(target).origin}, with the same body (${status}), and that holds a secret. It is not sent there. If it may be, send it there in a case of its own; the setting 'redirects: 0' looks at the redirect itself.`,
  };
}

function withoutCertificate({ ca, verify }: Tls): Tls {
  return { verify, ...(ca !== undefined && { ca }) };
}

export function tooManyRedirects({ url, redirects }: OutgoingRequest, last: string): Fault {
  const times = redirects === 1 ? 'one redirect' : `${redirects} redirects`;
  return {
    kind: 'limit',
    message: `${url} sends on and on: after ${times} ${last} sends on again. The limit is the setting 'redirects'.`,
  };
}
