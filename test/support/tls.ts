import { readFileSync } from 'node:fs';
import type { RequestListener } from 'node:http';
import { createSecureServer, type SecureServerOptions } from 'node:http2';
import type { AddressInfo } from 'node:net';
import type { TestContext } from 'node:test';

export const serverFiles = 'demo/harbour/tls';
/** Where the authority and the certificate of a client lie, from the root of the project. */
export const clientFiles = 'demo/collection/office/tls';

/** An HTTPS server on loopback with the certificate of the demo harbour; it speaks HTTP/2 and HTTP/1.1. */
export async function serveTls(
  test: Pick<TestContext, 'after'>,
  listener: (...given: Parameters<RequestListener>) => void = (_request, response) => response.end('ok'),
  options: SecureServerOptions = {},
): Promise<string> {
  const server = createSecureServer(
    {
      cert: readFileSync(`${serverFiles}/server.pem`),
      key: readFileSync(`${serverFiles}/server.key`),
      allowHTTP1: true,
      ...options,
    },
    listener as never,
  );
  const sessions = new Set<{ destroy(): void }>();
  server.on('session', session => sessions.add(session));
  server.on('secureConnection', socket => sessions.add(socket));
  server.on('sessionError', () => undefined);
  await new Promise<void>(open => server.listen(0, '127.0.0.1', open));
  test.after(() => {
    for (const session of sessions) session.destroy();
    server.close();
  });
  return `https://127.0.0.1:${(server.address() as AddressInfo).port}`;
}
