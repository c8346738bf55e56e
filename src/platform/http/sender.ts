import type { Socket } from 'node:net';
import type { OsEnvironment } from '../../core/model/external-sources.ts';
import type { Exchange, Fault, Header } from '../../core/model/http-messages.ts';
import { isUsageError } from '../../core/model/usage-error.ts';
import type { OutgoingRequest } from '../../core/steps/http/http-port.ts';
import type { FilePlaces } from '../file-places.ts';
import { TlsError } from '../tls-files.ts';
import { addressFault, isOrigin, splitAddress } from './address.ts';
import { faultOf } from './fault.ts';
import {
  type Framing,
  FramingError,
  framedHeaders,
  framingOf,
  Invitation,
  piecesOf,
  plain,
} from './framing.ts';
import { ExchangeHandler } from './handler.ts';
import { type OutgoingBody, prepareOutgoing, withLength } from './outgoing.ts';
import { type ClientLibrary, Pool, type PooledConnection, type Route } from './pool.ts';
import { ProxyError, proxyOfEnvironment } from './proxy.ts';
import { Watch } from './time-watch.ts';

/** A request whose response may go into a file as it comes. */
export interface SavableRequest extends OutgoingRequest {
  readonly saveTo?: string;
}

/** An exchange; `stale` where nothing came over a connection that had been open before. */
export type OneExchange = Exchange & { readonly stale?: boolean };

const sendsBodyByHttp2 = new Set(['POST', 'PUT', 'PATCH']);

/** What an address comes to, with these settings. */
interface Way extends Pick<SavableRequest, 'tls' | 'limits' | 'http'> {
  readonly proxy: string | undefined;
  /** What goes into the request line. */
  readonly path: string;
  readonly route: Route;
}

interface Dispatch {
  /** What goes into the request line. */
  readonly path: string;
  readonly connection: PooledConnection;
  readonly framing: Framing;
  readonly signal: AbortSignal;
}

/** So many are remembered. */
const mostWays = 1000;

/** Sends one request and takes its one response, over a connection of the pool. */
export class Sender {
  readonly #pool: Pool;
  /** The proxy that the process environment names for an origin, for every origin that a connection can be opened to. */
  readonly #origins = new Map<string, string | undefined>();
  readonly #ways = new Map<string, Way>();
  readonly #watches = new WeakMap<AbortSignal, Watch>();

  constructor(
    readonly library: ClientLibrary,
    readonly options: FilePlaces & { readonly environment: OsEnvironment },
  ) {
    this.#pool = new Pool(library, options.root);
  }

  exchange(request: SavableRequest, signal: AbortSignal): Promise<OneExchange> {
    const way = this.#wayOf(request);
    if (!way) return Promise.resolve(unsendable(request, addressFault(request.url)));
    try {
      const body = request.body && prepareOutgoing(request.body, this.options);
      if (request.http === '2') refuseByHttp2(request);
      const framing = framingOf(request.headers, (body?.size ?? 0) > 0, request.http === '2');
      const connection = this.#pool.take(way.route);
      return this.#dispatch(request, body, { path: way.path, connection, framing, signal });
    } catch (error) {
      if (
        isUsageError(error) ||
        error instanceof TlsError ||
        error instanceof ProxyError ||
        error instanceof FramingError
      )
        return Promise.resolve(unsendable(request, { kind: 'unsendable', message: error.message }));
      throw error;
    }
  }

  close(): Promise<void> {
    return this.#pool.close();
  }

  #watchOf(signal: AbortSignal): Watch {
    let watch = this.#watches.get(signal);
    if (!watch) {
      watch = new Watch(signal);
      this.#watches.set(signal, watch);
    }
    return watch;
  }

  /** Most requests of a run go where others went before. */
  #wayOf(request: SavableRequest): Way | undefined {
    const { url, tls, limits, proxy, http } = request;
    const protocol = http ?? (isByHttp1Alone(request) ? '1.1' : undefined);
    const known = this.#ways.get(url);
    if (
      known?.tls === tls &&
      known.limits === limits &&
      known.proxy === proxy &&
      known.route.protocol === protocol
    )
      return known;
    const address = splitAddress(url);
    if (!address || !this.#knows(address.origin)) return undefined;
    const { origin, path } = address;
    const named = proxy === 'none' ? undefined : (proxy ?? this.#origins.get(origin));
    const route = this.#pool.route({ origin, tls, head: limits.head, proxy: named, protocol });
    const way = { tls, limits, proxy, path, route };
    if (this.#ways.size >= mostWays) this.#ways.clear();
    this.#ways.set(url, way);
    return way;
  }

  #knows(origin: string): boolean {
    if (this.#origins.has(origin)) return true;
    if (!isOrigin(origin)) return false;
    this.#origins.set(origin, proxyOfEnvironment(origin, this.options.environment));
    return true;
  }

  #dispatch(
    request: SavableRequest,
    body: OutgoingBody | undefined,
    { path, connection, framing, signal }: Dispatch,
  ): Promise<OneExchange> {
    const { passedOnBy } = connection;
    const { origin } = connection.route;
    const invitation = framing.waits ? new Invitation() : undefined;
    const whole =
      body && !framing.chunked ? withLength(request.headers, body, framing.waits) : request.headers;
    const headers = framedHeaders(whole, framing);
    return new Promise(settle => {
      const handler = new ExchangeHandler(
        {
          method: request.method,
          url: request.url,
          headers: request.headers,
          ...(body && { body: body.parts }),
        },
        request,
        {
          connection,
          watch: this.#watchOf(signal),
          httpMinor: () => httpMinorOf(connection.socket, this.library.kParser),
          ...(invitation && { invitation }),
        },
        (ended, stale) => {
          this.#pool.giveBack(connection, !ended.fault);
          settle(stale ? { ...ended, stale } : ended);
        },
      );
      try {
        connection.client.dispatch(
          {
            path: passedOnBy ? origin + path : path,
            method: request.method as 'GET',
            headers: flat(passedOnBy ? forProxy(headers, origin, passedOnBy.authorization) : headers),
            body: (body && framing !== plain
              ? piecesOf(body, invitation)
              : (body?.open() ?? null)) as Buffer | null,
          },
          handler,
        );
      } catch (error) {
        handler.fail(faultOf(error as Error, origin, request.limits.head));
      }
    });
  }
}

/** With other methods the client cannot send a body by HTTP/2; what is expected, only HTTP/1.1 tells. */
function isByHttp1Alone({ method, headers, body }: SavableRequest): boolean {
  return (
    body !== undefined &&
    (!sendsBodyByHttp2.has(method) || headers.some(([name]) => name.length === 6 && /^expect$/i.test(name)))
  );
}

/** Throws FramingError. */
function refuseByHttp2({ method, body }: SavableRequest): void {
  if (body !== undefined && !sendsBodyByHttp2.has(method))
    throw new FramingError(
      `By HTTP/2 a body is sent with POST, PUT and PATCH alone, not with ${method}; the setting 'http' asks for 2.`,
    );
}

/** Names and values in turn, as the client wants them. */
function flat(headers: readonly Header[]): string[] {
  const fields: string[] = [];
  for (const [name, value] of headers) fields.push(name, value);
  return fields;
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

export function unsendable({ method, url, headers, body }: OutgoingRequest, fault: Fault): Exchange {
  return {
    request: { method, url, headers, ...(body && { body }) },
    fault,
    times: { total: 0 },
    received: 0,
  };
}
