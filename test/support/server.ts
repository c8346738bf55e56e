import { createServer, type RequestListener } from 'node:http';
import { type AddressInfo, createServer as createRawServer, type Socket } from 'node:net';
import type { TestContext } from 'node:test';

/** An HTTP server on loopback, closed when the test ends. Gives its origin. */
export async function serve(test: Pick<TestContext, 'after'>, listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  await new Promise<void>(open => server.listen(0, '127.0.0.1', open));
  test.after(() => {
    server.close();
    server.closeAllConnections();
  });
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

/** A server below HTTP: what it does with each connection is up to the test. */
export async function serveRaw(
  test: Pick<TestContext, 'after'>,
  onConnection: (socket: Socket) => void,
): Promise<string> {
  const sockets = new Set<Socket>();
  const server = createRawServer(socket => {
    sockets.add(socket);
    socket.on('error', () => undefined);
    onConnection(socket);
  });
  await new Promise<void>(open => server.listen(0, '127.0.0.1', open));
  test.after(() => {
    for (const socket of sockets) socket.destroy();
    server.close();
  });
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

/** A port of loopback at which nothing listens. */
export async function closedPort(): Promise<number> {
  const server = createRawServer();
  await new Promise<void>(open => server.listen(0, '127.0.0.1', open));
  const { port } = server.address() as AddressInfo;
  await new Promise(closed => server.close(closed));
  return port;
}
