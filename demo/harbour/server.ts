import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Defect } from './defects.ts';
import { findRoute, Problem, readBody, send } from './http.ts';
import { Office } from './office.ts';
import { routesOf } from './routes.ts';

export interface Harbour {
  /** `http://127.0.0.1:7070` */
  readonly url: string;
  close(): Promise<void>;
}

/** Opens the harbour office on the loopback address. Port 0 takes a free one. */
export async function openHarbour(port = 0, defects: Iterable<Defect> = []): Promise<Harbour> {
  const routes = routesOf(new Office(new Set(defects)));
  const server = createServer(async (request, response) => {
    try {
      const { pathname, searchParams } = new URL(request.url ?? '/', 'http://skerry.example');
      const { route, path } = findRoute(routes, request.method ?? 'GET', pathname);
      const body = await readBody(request);
      send(response, route.answer({ request, query: searchParams, path, body }));
    } catch (error) {
      const problem =
        error instanceof Problem ? error : new Problem(500, 'Out of order', (error as Error).message);
      const { status, title, detail } = problem;
      send(response, {
        status,
        headers: { 'Content-Type': 'application/problem+json' },
        body: { title, status, detail },
      });
    }
  });
  await new Promise<void>((open, fail) => server.once('error', fail).listen(port, '127.0.0.1', open));
  const { port: taken } = server.address() as AddressInfo;
  return {
    url: `http://127.0.0.1:${taken}`,
    close: () =>
      new Promise(closed => {
        server.close(() => closed());
        server.closeAllConnections();
      }),
  };
}
