import { createServer, type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http';
import { createSecureServer } from 'node:http2';
import type { AddressInfo, Server, Socket } from 'node:net';
import { booksOf } from './books.ts';
import type { Defect } from './defects.ts';
import { findRoute, Problem, readBytes, readJson, send } from './http.ts';
import type { Ledger } from './ledger.ts';
import { Office } from './office.ts';
import { routesOf } from './routes.ts';
import authority from './tls/authority.pem';
import key from './tls/server.key';
import certificate from './tls/server.pem';

export { Ledger } from './ledger.ts';

export interface Harbour {
  /** `http://127.0.0.1:7070` */
  readonly url: string;
  /** The same over TLS, with a certificate of the harbour's own authority. */
  readonly safeUrl: string;
  /** Starts the tide gauge anew. */
  restartGauge(): void;
  close(): Promise<void>;
}

/**
 * Opens the harbour office on the loopback address, and one port further over TLS (HTTP/2 too). Port 0 takes free ones.
 * @param books which data it has; 0 for the usual ones
 */
export async function openHarbour(
  port = 0,
  defects: Iterable<Defect> = [],
  ledger?: Ledger,
  books?: number,
): Promise<Harbour> {
  const office = new Office(new Set(defects), ledger, booksOf(books ?? 0));
  const answer = listenerOf(office);
  const open = createServer(answer);
  const safe = createSecureServer(
    { key, cert: certificate, ca: authority, requestCert: true, rejectUnauthorized: false, allowHTTP1: true },
    answer as never,
  );
  const taken = await listen(open, port);
  const sockets = new Set<Socket>();
  for (const server of [open, safe])
    server.on('connection', (socket: Socket) => {
      sockets.add(socket);
      socket.on('close', () => sockets.delete(socket));
    });
  const close = async () => {
    for (const socket of sockets) socket.destroy();
    await Promise.all([open, safe].map(server => new Promise(closed => server.close(closed))));
    ledger?.close();
  };
  try {
    const safePort = await listen(safe, port === 0 ? 0 : taken + 1);
    return {
      url: `http://127.0.0.1:${taken}`,
      safeUrl: `https://127.0.0.1:${safePort}`,
      restartGauge: () => office.gauge.restart(),
      close,
    };
  } catch (error) {
    await close();
    throw error;
  }
}

async function listen(server: Pick<Server, 'listen' | 'once' | 'address'>, port: number): Promise<number> {
  await new Promise<void>((open, fail) => server.once('error', fail).listen(port, '127.0.0.1', open));
  return (server.address() as AddressInfo).port;
}

function listenerOf(office: Office): RequestListener {
  const routes = routesOf(office);
  return async (request: IncomingMessage, response: ServerResponse) => {
    try {
      const { pathname, searchParams } = new URL(request.url ?? '/', 'http://skerry.example');
      const { route, path } = findRoute(routes, request.method ?? 'GET', pathname);
      const bytes = await readBytes(request);
      const body = readJson(bytes, request.headers['content-type']);
      send(request, response, await route.answer({ request, query: searchParams, path, bytes, body }));
    } catch (error) {
      const problem =
        error instanceof Problem ? error : new Problem(500, 'Out of order', (error as Error).message);
      const { status, title, detail, headers } = problem;
      send(request, response, {
        status,
        headers: { 'Content-Type': 'application/problem+json', ...headers },
        body: { title, status, detail },
      });
    }
  };
}
