import type { Socket } from 'node:net';
import type { Client } from 'undici';
import type { Exchange, OutgoingRequest } from '../../core/engine/ports.ts';
import { toMicrosecond } from '../../core/engine/time.ts';
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

/** One connection of the client, and how long its opening took until an exchange has told it. */
interface Connection {
  readonly client: Client;
  opened?: ConnectionTimes | undefined;
}

/**
 * Sends requests over connections that are kept open. Each carries one exchange at a time; a new one is opened only
 * when all others of its origin are taken.
 */
export async function createHttpDriver(): Promise<HttpDriver> {
  const { Client, buildConnector } = await loadClient();
  const connector = buildConnector({ timeout: 0 });
  const idle = new Map<string, Connection[]>();
  const taken = new Set<Connection>();

  function open(origin: string): Connection {
    const client = new Client(origin, {
      // The timers of the package are coarse; the handler has its own.
      headersTimeout: 0,
      bodyTimeout: 0,
      connect: (options, callback) => {
        const socket = connector(options, callback) as unknown as Socket;
        timeConnection(socket, options.protocol === 'https:', times => {
          connection.opened = times;
        });
      },
    });
    const connection: Connection = { client };
    return connection;
  }

  /** A connection of the origin, or nothing where no connection can be opened to it. */
  function take(origin: string): Connection | undefined {
    let free = idle.get(origin);
    if (!free) {
      if (!isOrigin(origin)) return undefined;
      free = [];
      idle.set(origin, free);
    }
    const connection = free.pop() ?? open(origin);
    taken.add(connection);
    return connection;
  }

  /** After a fault nobody knows what a connection will still carry; it is dropped. */
  function giveBack(connection: Connection, origin: string, sound: boolean): void {
    taken.delete(connection);
    if (sound) idle.get(origin)!.push(connection);
    else void connection.client.destroy();
  }

  return {
    send(request, signal) {
      const address = splitAddress(request.url);
      const connection = address && take(address.origin);
      if (!connection) {
        return Promise.resolve({ fault: addressFault(request.url), times: { total: 0 }, received: 0 });
      }
      return new Promise(settle => {
        const handler = new ExchangeHandler(request, address.origin, connection, signal, exchange => {
          giveBack(connection, address.origin, !exchange.fault);
          settle(exchange);
        });
        try {
          const { method, headers, body = null } = request;
          connection.client.dispatch(
            { path: address.path, method: method as 'GET', headers: headers.flat(), body },
            handler,
          );
        } catch (error) {
          handler.fail(faultOf(error as Error, address.origin));
        }
      });
    },
    async close() {
      const open = [...taken, ...[...idle.values()].flat()];
      idle.clear();
      await Promise.all(open.map(({ client }) => client.destroy()));
    },
  };
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
