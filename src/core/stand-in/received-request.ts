import { withoutOrigin } from '../text/hosts.ts';
import { percentDecoded } from '../text/percent.ts';
import type { ReceivedBody } from './body/body-pattern.ts';
import { pairsOf } from './target-pattern.ts';

/** A request that came, with what patterns look at made ready when they first ask. */
export class ReceivedRequest {
  readonly method: string;
  /** Path and query, as they came. */
  readonly target: string;
  readonly body: ReceivedBody;
  readonly #headers: { readonly [name: string]: string | readonly string[] | undefined };
  #segments: readonly string[] | undefined;
  #query: readonly (readonly [string, string])[] | undefined;

  /** @param headers by their names in lower case */
  constructor(
    method: string,
    target: string,
    headers: { readonly [name: string]: string | readonly string[] | undefined },
    body: ReceivedBody,
  ) {
    this.method = method;
    this.target = withoutHost(target);
    this.body = body;
    this.#headers = headers;
  }

  /** The same by another method. */
  as(method: string): ReceivedRequest {
    return new ReceivedRequest(method, this.target, this.#headers, this.body);
  }

  /** Several of one name are joined as a list. */
  header(name: string): string | undefined {
    const value = this.#headers[name];
    return typeof value === 'string' || value === undefined ? value : value.join(', ');
  }

  get headers(): (readonly [name: string, value: string])[] {
    return Object.keys(this.#headers).map(name => [name, this.header(name) ?? ''] as const);
  }

  /** Of the path, decoded. */
  get segments(): readonly string[] {
    this.#segments ??= segmentsOf(this.path);
    return this.#segments;
  }

  get path(): string {
    const mark = this.target.indexOf('?');
    return mark < 0 ? this.target : this.target.slice(0, mark);
  }

  /** Names and values, decoded. */
  get query(): readonly (readonly [name: string, value: string])[] {
    const mark = this.target.indexOf('?');
    this.#query ??= mark < 0 ? [] : pairsOf(this.target.slice(mark + 1));
    return this.#query;
  }
}

/** Whoever takes this for a proxy sends whole addresses (RFC 9112, 3.2.2). */
function withoutHost(target: string): string {
  const path = withoutOrigin(target);
  return path.startsWith('/') ? path : `/${path}`;
}

function segmentsOf(path: string): readonly string[] {
  const segments = path.slice(1).split('/');
  return path.includes('%') ? segments.map(percentDecoded) : segments;
}
