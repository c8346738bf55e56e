import { connect, type Socket } from 'node:net';

/** So much is read at once, in bytes. */
const chunkSize = 64 * 1024;
/** What is read stands here only until it is handed on, right behind the reading. */
const shared = Buffer.allocUnsafeSlow(chunkSize);
/** In milliseconds, until the other side is asked for the first time whether it is still there. */
const keepAliveDelay = 60_000;

/** What takes in the bytes of responses. */
interface Parser {
  readonly paused: boolean;
  execute(chunk: Buffer): void;
}

/**
 * Opens a connection whose bytes go straight to what parses them. The streams of the runtime, in between otherwise, cost
 * a third of what the client takes for a request.
 * @param kParser under which the client keeps its parser in the socket
 */
export function connectDirectly(
  { hostname, port }: { readonly hostname: string; readonly port: string },
  kParser: symbol,
  done: (...ended: [error: Error, socket: null] | [error: null, socket: Socket]) => void,
): Socket {
  const socket: Socket = connect({
    host: hostname,
    port: Number(port || 80),
    noDelay: true,
    keepAlive: true,
    keepAliveInitialDelay: keepAliveDelay,
    onread: {
      buffer: shared,
      callback: (length, buffer) => {
        // The buffer is used again, by every connection, and parts of a body are kept.
        const chunk = Buffer.from(buffer.subarray(0, length));
        const parser = (socket as unknown as { [key: symbol]: Parser | null | undefined })[kParser];
        // What cannot be taken yet waits in the stream, from where the client takes it.
        if (!parser || parser.paused || socket.readableLength > 0) return socket.push(chunk);
        parser.execute(chunk);
        return true;
      },
    },
  });
  let isOpen = false;
  socket.once('connect', () => {
    isOpen = true;
    done(null, socket);
  });
  // Later ones are for the client.
  socket.on('error', error => {
    if (!isOpen) done(error, null);
    isOpen = true;
  });
  return socket;
}
