import type { Socket } from 'node:net';
import type { Pool } from 'undici';
import type { Exchange, OutgoingRequest } from '../../core/engine/ports.ts';
import { elapsed } from '../clock.ts';
import { addressFault, isOrigin, splitAddress } from './address.ts';
import { faultOf } from './fault.ts';
import { type ConnectionTimes, ExchangeHandler } from './handler.ts';
import { loadClient } from './load.ts';

export interface HttpDriver {
  send(request: OutgoingRequest, signal: AbortSignal): Promise<Exchange>;
  /** Drops every connection. */
  close(): Promise<void>;
}

/** The connections to one origin, and the times of those that were opened and that no exchange has claimed yet. */
interface Origin {
  readonly pool: Pool;
  readonly opened: ConnectionTimes[];
}

/** Sends requests over connections that are kept open, one pool for each origin. */
export async function createHttpDriver(): Promise<HttpDriver> {
  const { Pool, buildConnector } = await loadClient();
  const origins = new Map<string, Origin>();

  function openOrigin(origin: string): Origin {
    const opened: ConnectionTimes[] = [];
    const connector = buildConnector({ timeout: 0 });
    const pool = new Pool(origin, {
      // The timers of the package are coarse; the handler has its own.
      headersTimeout: 0,
      bodyTimeout: 0,
      pipelining: 1,
      connect: (options, callback) => {
        const socket = connector(options, callback) as unknown as Socket;
        timeConnection(socket, options.protocol === 'https:', opened);
      },
    });
    const result = { pool, opened };
    origins.set(origin, result);
    return result;
  }

  return {
    send(request, signal) {
      const address = splitAddress(request.url);
      const known =
        address &&
        (origins.get(address.origin) ?? (isOrigin(address.origin) ? openOrigin(address.origin) : undefined));
      if (!known)
        return Promise.resolve({ fault: addressFault(request.url), times: { total: 0 }, received: 0 });
      const { pool, opened } = known;
      return new Promise(settle => {
        const handler = new ExchangeHandler(request, address.origin, opened, signal, settle);
        try {
          pool.dispatch(
            {
              path: address.path,
              method: request.method as 'GET',
              headers: request.headers.flat(),
              body: request.body ?? null,
            },
            handler,
          );
        } catch (error) {
          handler.fail(faultOf(error as Error, address.origin));
        }
      });
    },
    async close() {
      await Promise.all([...origins.values()].map(({ pool }) => pool.destroy()));
      origins.clear();
    },
  };
}

/** Notes how long the phases of opening a connection take. */
function timeConnection(socket: Socket, secure: boolean, opened: ConnectionTimes[]): void {
  const begin = elapsed();
  let found = begin;
  let connected = begin;
  let lookup: number | undefined;
  socket.once('lookup', () => {
    found = elapsed();
    lookup = found - begin;
  });
  socket.once('connect', () => {
    connected = elapsed();
    if (!secure) opened.push({ ...(lookup !== undefined && { lookup }), connect: connected - found });
  });
  if (secure) {
    socket.once('secureConnect', () => {
      opened.push({
        ...(lookup !== undefined && { lookup }),
        connect: connected - found,
        tls: elapsed() - connected,
      });
    });
  }
}
