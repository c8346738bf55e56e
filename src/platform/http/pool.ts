import type { Socket } from 'node:net';
import type { Client } from 'undici';
import type { Connection as ConnectionFacts } from '../../core/model/http-messages.ts';
import type { HttpVersion, Tls } from '../../core/settings/transport.ts';
import { toMicrosecond } from '../../core/text/to-microsecond.ts';
import { elapsed } from '../clock.ts';
import { connectDirectly } from './direct-socket.ts';
import { type ProxyServer, readProxy } from './proxy.ts';
import { describeConnection, tlsOptions } from './tls.ts';

export type ClientLibrary = typeof import('./client.ts');
type Connector = ReturnType<ClientLibrary['buildConnector']>;

export interface ConnectionTimes {
  readonly lookup?: number;
  readonly connect: number;
  readonly tls?: number;
}

/** What connections go to, and how: those alike can take each other's place. */
export interface Route {
  readonly origin: string;
  readonly tls: Tls;
  /** The largest head of a response, in bytes. */
  readonly head: number;
  readonly proxy: string | undefined;
  /** The one version that may be spoken; without it HTTP/2 where it is offered. */
  readonly protocol: HttpVersion | undefined;
  readonly idle: PooledConnection[];
}

/** One connection of the client. */
export interface PooledConnection {
  readonly route: Route;
  readonly client: Client;
  /** Set where requests go to a proxy that passes them on, with the whole address in the request line. */
  readonly passedOnBy?: ProxyServer;
  /** How long its opening took, until an exchange has told it. */
  opened?: ConnectionTimes | undefined;
  facts?: ConnectionFacts | undefined;
  socket?: Socket | undefined;
  /** Gives up opening it; left alone, the other side could keep the program from ending. */
  abandon?: (() => void) | undefined;
}

/** A proxy that does not open a tunnel. */
export class TunnelError extends Error {
  constructor(
    readonly proxy: string,
    readonly status: number,
  ) {
    super(`the proxy answers with status ${status}`);
  }
}

/** Without TLS it is spoken from the first byte on (RFC 9113, 3.3); the types of the package do not know all of it. */
const onlyHttp2 = { ALPNProtocols: ['h2'], useH2c: true } as object;

/** Where only HTTP/2 may be spoken, and the other side does not. */
export class OtherVersion extends Error {}

/** A proxy that no connection could be opened to. */
export class ProxyUnreachable extends Error {
  constructor(
    readonly proxy: string,
    readonly reason: Error,
  ) {
    super(reason.message);
  }
}

/**
 * Connections that are kept open. Each carries one exchange at a time; a new one is opened only when all others of its
 * kind are taken.
 */
export class Pool {
  readonly #routes = new Map<string, Route>();
  readonly #open = new Set<PooledConnection>();
  readonly #connectors = new Map<string, Connector>();

  constructor(
    readonly library: ClientLibrary,
    /** Where relative paths of certificates begin. */
    readonly root: string,
  ) {}

  /** The one route of all connections that are alike; an exchange after the other takes them from there. */
  route(way: Omit<Route, 'idle'>): Route {
    const { origin, tls, head, proxy, protocol } = way;
    const key = JSON.stringify([origin, tls, head, proxy, protocol]);
    let route = this.#routes.get(key);
    if (!route) {
      route = { origin, tls, head, proxy, protocol, idle: [] };
      this.#routes.set(key, route);
    }
    return route;
  }

  /** Throws TlsError and ProxyError. */
  take(route: Route): PooledConnection {
    return route.idle.pop() ?? this.#connect(route);
  }

  /** After a fault nobody knows what a connection will still carry; it is dropped. */
  giveBack(connection: PooledConnection, sound: boolean): void {
    if (sound && this.#open.has(connection)) {
      connection.route.idle.push(connection);
      return;
    }
    this.#open.delete(connection);
    // Not at once: the client may be in the middle of writing the very request that failed, and would lose count.
    setImmediate(() => void drop(connection));
  }

  async close(): Promise<void> {
    const open = [...this.#open];
    this.#open.clear();
    this.#routes.clear();
    await Promise.all(open.map(drop));
  }

  #connect(route: Route): PooledConnection {
    const { origin, tls, head, protocol } = route;
    const proxy = route.proxy === undefined ? undefined : readProxy(route.proxy);
    const secure = /^https:/i.test(origin);
    const passedOn = proxy && !secure;
    const connector = this.#connector(tls, protocol);
    const client = new this.library.Client(passedOn ? proxy.origin : origin, {
      // The timers of the package are coarse; the handler has its own.
      headersTimeout: 0,
      bodyTimeout: 0,
      maxHeaderSize: head,
      connect: (options, callback) => {
        const done: typeof callback = (...[error, socket]: [Error, null] | [null, Socket]) => {
          connection.abandon = undefined;
          if (error) return callback(error, null);
          connection.socket = socket;
          connection.facts = describeConnection(socket);
          if (protocol === '2' && connection.facts.protocol !== 'HTTP/2') {
            socket.destroy();
            return callback(new OtherVersion(), null);
          }
          return callback(null, socket);
        };
        const told = (times: ConnectionTimes) => {
          connection.opened = times;
        };
        if (proxy && secure) connection.abandon = this.#tunnel(proxy, { connector, options }, told, done);
        else {
          const isSafe = options.protocol === 'https:';
          const socket =
            isSafe || protocol === '2'
              ? (connector(options, done) as unknown as Socket)
              : connectDirectly(options, this.library.kParser, done);
          connection.abandon = () => socket.destroy();
          timeConnection(socket, isSafe, told);
        }
      },
    });
    const connection: PooledConnection = { route, client, ...(passedOn && { passedOnBy: proxy }) };
    this.#open.add(connection);
    return connection;
  }

  #connector(tls: Tls, protocol: HttpVersion | undefined): Connector {
    const key = JSON.stringify([tls, protocol]);
    let connector = this.#connectors.get(key);
    if (!connector) {
      connector = this.library.buildConnector({
        timeout: 0,
        allowH2: protocol !== '1.1',
        ...(protocol === '2' && onlyHttp2),
        ...tlsOptions(tls, this.root),
      });
      this.#connectors.set(key, connector);
    }
    return connector;
  }

  /** Asks the proxy for a tunnel, and opens a safe connection through it. Gives what ends that early. */
  #tunnel(
    proxy: ProxyServer,
    { connector, options }: { readonly connector: Connector; readonly options: Parameters<Connector>[0] },
    told: (times: ConnectionTimes) => void,
    done: Parameters<Connector>[1],
  ): () => void {
    const begin = elapsed();
    const target = `${options.hostname}:${options.port || 443}`;
    const toProxy = new this.library.Client(proxy.origin, { headersTimeout: 0, bodyTimeout: 0 });
    const { authorization } = proxy;
    let through: Socket | undefined;
    toProxy.dispatch(
      {
        method: 'CONNECT',
        path: target,
        headers: [
          'Host',
          target,
          ...(authorization === undefined ? [] : ['Proxy-Authorization', authorization]),
        ],
      },
      {
        onConnect: () => undefined,
        onHeaders: () => true,
        onData: () => true,
        onComplete: () => undefined,
        onError: error => done(new ProxyUnreachable(proxy.origin, error), null),
        onUpgrade: (status, _headers, socket) => {
          if (status !== 200) {
            socket.destroy();
            done(new TunnelError(proxy.origin, status), null);
            return;
          }
          const connected = elapsed();
          through = socket as Socket;
          connector({ ...options, httpSocket: socket as Socket }, (...[error, secured]) => {
            if (error) return done(error, null);
            told({ connect: toMicrosecond(connected - begin), tls: toMicrosecond(elapsed() - connected) });
            return done(null, secured!);
          });
        },
      },
    );
    return () => {
      through?.destroy();
      void toProxy.destroy();
    };
  }
}

function drop({ client, abandon }: PooledConnection): Promise<void> {
  abandon?.();
  return client.destroy();
}

/** Notes how long the phases of opening a connection take; before the client hears of it, since it then begins at once. */
function timeConnection(socket: Socket, secure: boolean, tell: (times: ConnectionTimes) => void): void {
  const begin = elapsed();
  let found = begin;
  let connected = begin;
  let lookup: number | undefined;
  socket.once('lookup', () => {
    found = elapsed();
    lookup = toMicrosecond(found - begin);
  });
  const times = () => ({
    ...(lookup !== undefined && { lookup }),
    connect: toMicrosecond(connected - found),
  });
  socket.prependOnceListener('connect', () => {
    connected = elapsed();
    if (!secure) tell(times());
  });
  if (secure)
    socket.prependOnceListener('secureConnect', () =>
      tell({ ...times(), tls: toMicrosecond(elapsed() - connected) }),
    );
}
