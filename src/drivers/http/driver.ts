import type { Socket } from 'node:net';
import type { Exchange, Fault, Header, OutgoingRequest, Sent } from '../../core/engine/ports.ts';
import type { OsEnvironment } from '../../core/variables/definition.ts';
import { FileMistake } from '../files.ts';
import { addressFault, isOrigin, splitAddress } from './address.ts';
import { type Jar, withCookies } from './cookies.ts';
import { DigestAnswers } from './digest-answers.ts';
import { faultOf } from './fault.ts';
import { ExchangeHandler } from './handler.ts';
import { loadClient } from './load.ts';
import { secretsOf, Tokens } from './oauth.ts';
import { type FilePlaces, type OutgoingBody, prepareOutgoing, withLength } from './outgoing.ts';
import { Pool, type PooledConnection } from './pool.ts';
import { ProxyMistake, proxyOfEnvironment } from './proxy.ts';
import { redirected, redirectTarget, tooManyRedirects } from './redirect.ts';
import { isIdempotent, waitBeforeRetry } from './retry.ts';
import { TlsMistake } from './tls.ts';

export interface HttpDriver {
  send(request: SavableRequest, signal: AbortSignal): Promise<Sent>;
  /** Drops every connection. */
  close(): Promise<void>;
}

export interface HttpDriverOptions extends FilePlaces {
  readonly environment: OsEnvironment;
  readonly now: () => number;
  readonly sleep: (milliseconds: number, signal: AbortSignal) => Promise<void>;
}

/** A request whose response may go into a file as it comes. */
export interface SavableRequest extends OutgoingRequest {
  readonly saveTo?: string;
}

type OneExchange = Exchange & { readonly stale?: boolean };

/**
 * Sends requests, with all that may be needed for it: a token first, an answer to a challenge, redirects, another try.
 * Every exchange on the way is told.
 */
export async function createHttpDriver(options: HttpDriverOptions): Promise<HttpDriver> {
  const library = await loadClient();
  const pool = new Pool(library, options.root);
  const proxies = new Map<string, string | undefined>();
  const tokens = new Tokens((request, signal) => exchange(request, signal), options.now);
  const digests = new DigestAnswers();

  function proxyFor(origin: string, { proxy }: OutgoingRequest): string | undefined {
    if (proxy !== undefined) return proxy === 'none' ? undefined : proxy;
    if (!proxies.has(origin)) proxies.set(origin, proxyOfEnvironment(origin, options.environment));
    return proxies.get(origin);
  }

  /** One request, one response; a connection that turns out to be closed is none of their business. */
  async function exchange(request: SavableRequest, signal: AbortSignal): Promise<OneExchange> {
    let body: OutgoingBody | undefined;
    let connection: PooledConnection;
    const address = splitAddress(request.url);
    if (!address || !isOrigin(address.origin)) return unsendable(request, addressFault(request.url));
    try {
      body = request.body && prepareOutgoing(request.body, options);
      const proxy = proxyFor(address.origin, request);
      connection = pool.take({
        origin: address.origin,
        tls: request.tls,
        head: request.limits.head,
        ...(proxy !== undefined && { proxy }),
      });
    } catch (error) {
      if (error instanceof FileMistake || error instanceof TlsMistake || error instanceof ProxyMistake)
        return unsendable(request, { kind: 'unsendable', message: error.message });
      throw error;
    }
    return dispatch(request, address, body, connection, signal);
  }

  function dispatch(
    { method, url, headers, timeout, limits, saveTo }: SavableRequest,
    { origin, path }: { origin: string; path: string },
    body: OutgoingBody | undefined,
    connection: PooledConnection,
    signal: AbortSignal,
  ): Promise<OneExchange> {
    return new Promise(settle => {
      const handler = new ExchangeHandler(
        {
          request: { method, url, headers, ...(body && { body: body.parts }) },
          origin,
          timeout,
          limits,
          signal,
          ...(saveTo !== undefined && { saveTo }),
        },
        connection,
        () => httpMinorOf(connection.socket, library.kParser),
        (ended, stale) => {
          pool.giveBack(connection, !ended.fault);
          settle(stale ? { ...ended, stale } : ended);
        },
      );
      const { passedOnBy } = connection;
      const sent = body ? withLength(headers, body) : headers;
      try {
        connection.client.dispatch(
          {
            path: passedOnBy ? origin + path : path,
            method: method as 'GET',
            headers: (passedOnBy ? forProxy(sent, origin, passedOnBy.authorization) : sent).flat(),
            body: (body?.open() ?? null) as Buffer | null,
          },
          handler,
        );
      } catch (error) {
        handler.fail(faultOf(error as Error, origin, limits.head));
      }
    });
  }

  /** The request with its cookies and what its authorization takes, and the redirects that follow. */
  async function attempt(request: SavableRequest, signal: AbortSignal, trail: Exchange[]): Promise<void> {
    let current: SavableRequest = request;
    let authorization: string | undefined;
    if (request.auth?.kind === 'oauth2') {
      const { token, fault, exchanges } = await tokens.authorize(request.auth, request, signal);
      trail.push(...exchanges);
      if (fault) {
        trail.push(unsendable(request, fault));
        return;
      }
      authorization = `Bearer ${token}`;
    }
    for (let redirects = 0; ; redirects++) {
      const last = await answered(current, authorization, signal, trail, redirects > 0);
      const target = last.response && redirectTarget(last.response);
      if (target === undefined || request.redirects === 0) return;
      if (redirects === request.redirects) {
        const { response, ...rest } = last;
        trail[trail.length - 1] = { ...rest, fault: tooManyRedirects(request, response!.url) };
        return;
      }
      const next = redirected(current, last.response!.status, target);
      if (!next.auth) authorization = undefined;
      current = next;
    }
  }

  /** One request of a chain of redirects, and the answer to a challenge where it is met with one. */
  async function answered(
    request: SavableRequest,
    authorization: string | undefined,
    signal: AbortSignal,
    trail: Exchange[],
    follows: boolean,
  ): Promise<Exchange> {
    const jar = request.jar as Jar | undefined;
    const { auth } = request;
    const digest = auth?.kind === 'digest' ? auth : undefined;
    const sendOnce = async (header: string | undefined, cause: Exchange['cause']): Promise<Exchange> => {
      const cookies = jar ? withCookies(request.headers, jar.headerFor(request.url)) : request.headers;
      const headers: readonly Header[] =
        header === undefined ? cookies : [...cookies, ['Authorization', header]];
      const one = await exchangeFresh(
        headers === request.headers ? request : { ...request, headers },
        signal,
        trail,
      );
      if (jar) await jar.store(one);
      const told = cause === undefined ? one : { ...one, cause: one.cause ?? cause };
      trail.push(told);
      return told;
    };
    const known = digest && (await digests.forRequest(digest, request, options));
    const first = await sendOnce(known ?? authorization, follows ? 'redirect' : undefined);
    if (!digest || first.response?.status !== 401) return first;
    const answer = await digests.forChallenge(
      digest,
      request,
      first.response.headers,
      known !== undefined,
      options,
    );
    return answer === undefined ? first : sendOnce(answer, 'challenge');
  }

  /** A connection that was open may have been closed meanwhile; what can be sent twice is then sent over a new one. */
  async function exchangeFresh(
    request: SavableRequest,
    signal: AbortSignal,
    trail: Exchange[],
  ): Promise<Exchange> {
    const { stale, ...first } = await exchange(request, signal);
    if (!stale || first.fault?.kind !== 'reset' || !isIdempotent(request.method)) return first;
    trail.push(first);
    return { ...(await exchange(request, signal)), cause: 'retry' };
  }

  return {
    async send(request, signal) {
      const exchanges: Exchange[] = [];
      for (let tries = 1; ; tries++) {
        const before = exchanges.length;
        await attempt(request, signal, exchanges);
        if (tries > 1)
          exchanges[before] = { ...exchanges[before]!, cause: exchanges[before]!.cause ?? 'retry' };
        const wait = waitBeforeRetry(request, exchanges.at(-1)!, tries, options.now());
        if (wait === undefined || signal.aborted) break;
        await options.sleep(wait, signal);
        if (signal.aborted) break;
      }
      const secrets = request.auth ? secretsOf(exchanges) : [];
      return secrets.length > 0 ? { exchanges, secrets } : { exchanges };
    },
    close: () => pool.close(),
  };
}

/** What the parser of a connection read as the second digit of the version. */
function httpMinorOf(socket: Socket | undefined, kParser: symbol): number | undefined {
  const parser = (socket as { [key: symbol]: unknown } | undefined)?.[kParser] as
    | { ptr: number; llhttp: { llhttp_get_http_minor(pointer: number): number } }
    | undefined;
  return parser?.llhttp.llhttp_get_http_minor(parser.ptr);
}

/** For a proxy that passes a request on, it is addressed to the proxy. */
function forProxy(
  headers: readonly Header[],
  origin: string,
  authorization: string | undefined,
): readonly Header[] {
  const named: Header[] = [];
  if (!headers.some(([name]) => /^host$/i.test(name))) named.push(['Host', origin.replace(/^\w+:\/\//, '')]);
  if (authorization !== undefined) named.push(['Proxy-Authorization', authorization]);
  return [...named, ...headers];
}

function unsendable({ method, url, headers, body }: OutgoingRequest, fault: Fault): Exchange {
  return {
    request: { method, url, headers, ...(body && { body }) },
    fault,
    times: { total: 0 },
    received: 0,
  };
}
