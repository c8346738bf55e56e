import type { IncomingMessage, ServerResponse } from 'node:http';
import { gzipSync } from 'node:zlib';

/** A problem as RFC 9457 describes it, thrown by whatever finds it. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly headers: { readonly [name: string]: string } = {},
  ) {
    super(detail);
  }
}

export interface Call {
  readonly request: IncomingMessage;
  readonly query: URLSearchParams;
  /** The parts of the path that the route names. */
  readonly path: { readonly [name: string]: string };
  /** The body as it came. */
  readonly bytes: Buffer;
  /** The JSON of the body, where it is some. */
  readonly body: unknown;
}

export interface Answer {
  readonly status: number;
  readonly headers?: { readonly [name: string]: string | string[] };
  /** Goes out as JSON. */
  readonly body?: unknown;
  /** Goes out as it is, instead. */
  readonly text?: string;
}

export interface Route {
  readonly method: string;
  /** `/berths/:berth` */
  readonly path: string;
  readonly answer: (call: Call) => Answer | Promise<Answer>;
}

const largest = 1_000_000;

export async function readBytes(request: IncomingMessage): Promise<Buffer> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request) {
    size += (chunk as Buffer).length;
    if (size > largest)
      throw new Problem(413, 'Too large', 'The harbour office reads no letters of more than 1 MB.');
    chunks.push(chunk as Buffer);
  }
  return Buffer.concat(chunks);
}

export function readJson(bytes: Buffer, contentType = 'application/json'): unknown {
  if (bytes.length === 0 || !/json/i.test(contentType)) return undefined;
  try {
    return JSON.parse(bytes.toString('utf8'));
  } catch {
    throw new Problem(400, 'Not readable', 'The body is no JSON.');
  }
}

/** What is long goes out compressed, to those who can read that. */
const worthCompressing = 2000;

export function send(
  request: IncomingMessage,
  response: ServerResponse,
  { status, headers = {}, body, text }: Answer,
): void {
  const content = text ?? (body === undefined ? undefined : writeJson(body));
  if (content === undefined) {
    response.writeHead(status, headers).end();
    return;
  }
  const compress =
    content.length > worthCompressing && /\bgzip\b/.test(String(request.headers['accept-encoding'] ?? ''));
  const bytes = compress ? gzipSync(content) : Buffer.from(content);
  response
    .writeHead(status, {
      ...(text === undefined && { 'Content-Type': 'application/json' }),
      'Content-Length': bytes.length,
      ...(compress && { 'Content-Encoding': 'gzip' }),
      ...headers,
    })
    .end(bytes);
}

/** JSON with 64-bit ids as numbers; JSON.stringify cannot write a bigint. */
export function writeJson(value: unknown): string {
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
  const exact = matching.find(({ route }) => route.method === method || headOf(route, method));
  if (exact) return exact;
  if (matching.length === 0) throw new Problem(404, 'Not found', `There is nothing at ${path}.`);
  const allow = [...new Set(matching.map(({ route }) => route.method)), 'OPTIONS'].join(', ');
  if (method === 'OPTIONS')
    return { route: { method, path, answer: () => ({ status: 204, headers: { Allow: allow } }) }, path: {} };
  throw new Problem(405, 'Not allowed', `${method} is not possible here.`, { Allow: allow });
}

function headOf(route: Route, method: string): boolean {
  return method === 'HEAD' && route.method === 'GET';
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
