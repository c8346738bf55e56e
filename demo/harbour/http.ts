import type { IncomingMessage, ServerResponse } from 'node:http';

/** A problem as RFC 9457 describes it, thrown by whatever finds it. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
  ) {
    super(detail);
  }
}

export interface Call {
  readonly request: IncomingMessage;
  readonly query: URLSearchParams;
  /** The parts of the path that the route names. */
  readonly path: { readonly [name: string]: string };
  /** The JSON of the body. */
  readonly body: unknown;
}

export interface Answer {
  readonly status: number;
  readonly headers?: { readonly [name: string]: string };
  readonly body?: unknown;
}

export interface Route {
  readonly method: string;
  /** `/berths/:berth` */
  readonly path: string;
  readonly answer: (call: Call) => Answer;
}

export async function readBody(request: IncomingMessage): Promise<unknown> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request) {
    size += (chunk as Buffer).length;
    if (size > 1_000_000)
      throw new Problem(413, 'Too large', 'The harbour office reads no letters of more than 1 MB.');
    chunks.push(chunk as Buffer);
  }
  const text = Buffer.concat(chunks).toString('utf8');
  if (text === '') return undefined;
  try {
    return JSON.parse(text);
  } catch {
    throw new Problem(400, 'Not readable', 'The body is no JSON.');
  }
}

export function send(response: ServerResponse, { status, headers = {}, body }: Answer): void {
  if (body === undefined) {
    response.writeHead(status, headers).end();
    return;
  }
  const text = writeJson(body);
  response
    .writeHead(status, {
      'Content-Type': 'application/json',
      'Content-Length': Buffer.byteLength(text),
      ...headers,
    })
    .end(text);
}

/** JSON with 64-bit ids as numbers; JSON.stringify cannot write a bigint. */
function writeJson(value: unknown): string {
  const mark = '\u0001';
  const text = JSON.stringify(value, (_name, each) =>
    typeof each === 'bigint' ? `${mark}${each}${mark}` : each,
  );
  return text.replace(/"\\u0001(\d+)\\u0001"/g, '$1');
}

/** The route for a method and a path; a known path with another method is a problem of its own. */
export function findRoute(
  routes: readonly Route[],
  method: string,
  path: string,
): { route: Route; path: Call['path'] } {
  const matching = routes.flatMap(route => {
    const found = matchPath(route.path, path);
    return found ? [{ route, path: found }] : [];
  });
  const exact = matching.find(({ route }) => route.method === method);
  if (exact) return exact;
  if (matching.length > 0) throw new Problem(405, 'Not allowed', `${method} is not possible here.`);
  throw new Problem(404, 'Not found', `There is nothing at ${path}.`);
}

function matchPath(pattern: string, path: string): Call['path'] | undefined {
  const [wanted, given] = [pattern.split('/'), path.split('/')];
  if (wanted.length !== given.length) return undefined;
  const named: { [name: string]: string } = {};
  for (const [index, part] of wanted.entries()) {
    if (part.startsWith(':')) named[part.slice(1)] = decodeURIComponent(given[index]!);
    else if (part !== given[index]) return undefined;
  }
  return named;
}
