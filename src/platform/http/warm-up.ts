import { Duplex } from 'node:stream';
import { ExchangeHandler } from './handler.ts';
import type { ClientLibrary, PooledConnection } from './pool.ts';
import { Watch } from './time-watch.ts';

const origin = 'http://nobody.example';
/** In milliseconds: it is no reason not to begin. */
const longest = 200;
const answer = 'HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: 2\r\n\r\n{}';

/** The other side of a connection that leads nowhere: it answers as soon as something was written. */
class Nobody extends Duplex {
  override _read(): void {}

  override _write(_chunk: unknown, _encoding: string, done: () => void): void {
    done();
    setImmediate(() => this.push(answer));
  }
}

/**
 * Sends a few requests that never leave the program. What carries out a request is compiled when it is first used; else
 * the first response would seem to have come later than it did.
 */
export async function warmUp(library: ClientLibrary): Promise<void> {
  let guard: NodeJS.Timeout | undefined;
  const enough = new Promise<void>(settle => {
    guard = setTimeout(settle, longest);
  });
  await Promise.race([sendToNobody(library).catch(() => undefined), enough]);
  clearTimeout(guard);
}

async function sendToNobody(library: ClientLibrary): Promise<void> {
  const client = new library.Client(origin, {
    connect: (_options, done) => {
      setImmediate(() => done(null, new Nobody() as never));
    },
  });
  const connection = { route: { origin }, client } as unknown as PooledConnection;
  const watch = new Watch(new AbortController().signal);
  const limits = { body: 1000, record: 1000, head: 16_384 };
  for (let count = 0; count < 3; count++)
    await new Promise<void>(settle => {
      const handler = new ExchangeHandler(
        { method: 'GET', url: origin, headers: [] },
        { timeout: { total: 1000 }, limits },
        { connection, watch, httpMinor: () => 1 },
        () => settle(),
      );
      client.dispatch({ path: '/', method: 'GET', headers: ['Accept', '*/*'], body: null }, handler);
    });
  await client.destroy();
}
