import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { ReceivedRequest } from '../../core/stand-in/received-request.ts';
import { problemAnswer, type StandInAnswer } from '../../core/stand-in/stand-in-answer.ts';
import { isLoopback } from '../../core/text/hosts.ts';
import { readRequestBody, TooLarge } from './request-body.ts';
import { writeAnswer } from './write-answer.ts';

/** A request that was answered. */
export interface Served {
  readonly request: ReceivedRequest;
  readonly answer: StandInAnswer;
  /** When it came, in milliseconds since 1970. */
  readonly at: number;
  /** In milliseconds. */
  readonly took: number;
}

/** What a client meets besides answers. */
export interface Weather {
  /** In milliseconds, before an answer. */
  delay(): number;
  /** What happens in its place, if anything does. */
  breakage(): 'unavailable' | 'reset' | 'silence' | undefined;
}

export interface ServerChoices {
  readonly host: string;
  readonly port: number;
  /** Whether pages of other origins may read answers (CORS). */
  readonly cors: boolean;
  readonly weather?: Weather | undefined;
  answer(request: ReceivedRequest): StandInAnswer;
  /** The bytes of a file that an answer sends; else why it cannot be sent. */
  readFile(path: string): Uint8Array | { readonly reason: string };
  onServed?(served: Served): void;
}

export interface OpenServer {
  readonly port: number;
  close(): Promise<void>;
}

/** Listens for requests and has them answered. Rejects where the port is taken. */
export async function openServer(choices: ServerChoices): Promise<OpenServer> {
  const server = createServer({ noDelay: true }, (message, response) => {
    serve(message, response, choices).catch(error => {
      // Whoever asks has gone, or a mistake of our own must not end the server.
      if (!response.headersSent)
        writeAnswer(
          response,
          problemAnswer({ status: 500, title: 'Mervok failed', detail: String((error as Error).message) }),
        );
      else response.destroy();
    });
  });
  server.on('clientError', (error: NodeJS.ErrnoException, socket: Socket) => {
    if (error.code === 'ECONNRESET' || !socket.writable) return;
    socket.end('HTTP/1.1 400 Bad Request\r\nConnection: close\r\nContent-Length: 0\r\n\r\n');
  });
  await new Promise<void>((ready, refuse) => {
    server.once('error', refuse);
    server.listen(choices.port, choices.host, () => {
      server.off('error', refuse);
      ready();
    });
  });
  return { port: (server.address() as AddressInfo).port, close: () => closed(server) };
}

function closed(server: Server): Promise<void> {
  return new Promise(done => {
    server.close(() => done());
    server.closeAllConnections();
  });
}

async function serve(
  message: IncomingMessage,
  response: ServerResponse,
  choices: ServerChoices,
): Promise<void> {
  const [at, begin] = [Date.now(), performance.now()];
  const { method = 'GET', url = '/', headers } = message;
  const tell = (request: ReceivedRequest, answer: StandInAnswer) =>
    choices.onServed?.({ request, answer, at, took: performance.now() - begin });
  const end = (request: ReceivedRequest, answer: StandInAnswer) => {
    const sent = withFile(answer, choices);
    writeAnswer(response, sent, choices.cors ? headers.origin : undefined);
    tell(request, sent);
  };
  const without = () => new ReceivedRequest(method, url, headers, { text: '' });
  if (!isMeant(message, choices)) {
    end(without(), misdirected(headers.host));
    return;
  }
  if (choices.cors && isPreflight(message)) {
    end(without(), preflight(message));
    return;
  }
  const body = hasBody(message) ? await readRequestBody(message) : { text: '' };
  if (body instanceof TooLarge) {
    response.setHeader('Connection', 'close');
    end(without(), problemAnswer({ status: 413, title: 'Too large', detail: body.message }));
    return;
  }
  const request = new ReceivedRequest(method, url, headers, body);
  const delay = choices.weather?.delay() ?? 0;
  if (delay > 0) await new Promise(resolve => setTimeout(resolve, delay));
  switch (choices.weather?.breakage()) {
    case 'unavailable':
      end(
        request,
        problemAnswer({ status: 503, title: 'Broken on purpose', detail: 'This is what --break asks for.' }),
      );
      return;
    case 'reset':
      tell(request, broken('reset'));
      message.socket.resetAndDestroy();
      return;
    case 'silence':
      tell(request, broken('silence'));
      return;
    default:
      end(request, choices.answer(request));
  }
}

function broken(how: string): StandInAnswer {
  return { status: 0, reason: how, headers: [], body: undefined };
}

function hasBody({ headers }: IncomingMessage): boolean {
  return headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;
}

function withFile(answer: StandInAnswer, { readFile }: ServerChoices): StandInAnswer {
  if (!answer.body || !('file' in answer.body)) return answer;
  const bytes = readFile(answer.body.file);
  if (!('reason' in bytes)) return { ...answer, body: { bytes } };
  return problemAnswer({ status: 500, title: 'No such file', detail: `${bytes.reason}.` });
}

/** Another name may lead here by a page that asks on behalf of somebody else. */
function isMeant({ headers, socket }: IncomingMessage, { host }: ServerChoices): boolean {
  const asked = /^(\[[^\]]*\]|[^:]*)(?::\d+)?$/.exec(headers.host ?? '')?.[1]?.toLowerCase();
  if (asked === undefined || asked === '') return false;
  if (isLoopback(asked) || asked.endsWith('.localhost') || asked === host.toLowerCase()) return true;
  // Whoever listens on every address is asked by one of them.
  const isEvery = host === '0.0.0.0' || host === '::';
  const address = socket.localAddress?.replace(/^::ffff:/, '');
  return isEvery && asked.replace(/^\[|\]$/g, '') === address;
}

function misdirected(host: string | undefined): StandInAnswer {
  return problemAnswer({
    status: 421,
    title: 'Not this host',
    detail: `Only this machine itself is answered here, not ${host === undefined ? 'a request without a host' : `'${host.slice(0, 100)}'`}. --host NAME listens elsewhere.`,
  });
}

function isPreflight({ method, headers }: IncomingMessage): boolean {
  return (
    method === 'OPTIONS' &&
    headers.origin !== undefined &&
    headers['access-control-request-method'] !== undefined
  );
}

function preflight({ headers }: IncomingMessage): StandInAnswer {
  const asked = headers['access-control-request-headers'];
  return {
    status: 204,
    reason: '',
    headers: [
      ['Access-Control-Allow-Methods', String(headers['access-control-request-method'])],
      ...(asked === undefined ? [] : [['Access-Control-Allow-Headers', asked] as const]),
      ...(headers['access-control-request-private-network'] === 'true'
        ? [['Access-Control-Allow-Private-Network', 'true'] as const]
        : []),
      ['Access-Control-Max-Age', '600'],
    ],
    body: undefined,
    from: 'CORS',
  };
}
