import type { Template } from '../language/templates/template.ts';

/** In milliseconds; `answer` is the time from the request sent to the first byte of the response. */
export interface Timeout {
  readonly connect?: number;
  readonly answer?: number;
  readonly total?: number;
}

/** Files of certificates, relative to the root of the collection or absolute. */
export interface Tls {
  /** Authorities that are trusted besides the usual ones. */
  readonly ca?: string;
  readonly cert?: string;
  readonly key?: string;
  /** Whether the certificate of the server has to be valid. */
  readonly verify: boolean;
}

export interface Retry {
  /** How often a request is sent again, at most. */
  readonly times: number;
  /** In milliseconds, before the first of them; doubled before each further one. */
  readonly every: number;
  /** Words of faults, classes of statuses (`5xx`) and single ones (`429`). */
  readonly on: readonly string[];
  /** Set by the case itself, it holds for every method; else for idempotent ones. */
  readonly anyMethod: boolean;
}

/** In bytes. */
export interface Limits {
  /** Of a body, as it comes and again once it is decoded. */
  readonly body: number;
  /** Of a body in the record of a run. */
  readonly record: number;
  /** Of the head of a response. */
  readonly head: number;
}

/** How requests go out and what is accepted in return, whatever they say. */
export interface Transport {
  readonly timeout: Timeout;
  /** How many redirects are followed. */
  readonly redirects: number;
  /** Whether cookies are taken in and sent back. */
  readonly cookies: boolean;
  readonly tls: Tls;
  /** `none` where even the proxy of the process environment does not count. */
  readonly proxy?: Template | 'none';
  /** `none` where not even a connection that turns out to be closed is opened anew. */
  readonly retry?: Retry | 'none';
  readonly limits: Limits;
}

export const defaultTransport: Transport = {
  timeout: {},
  redirects: 5,
  cookies: true,
  tls: { verify: true },
  limits: { body: 10 * 1024 * 1024, record: 64 * 1024, head: 64 * 1024 },
};

/** What a level says of how requests go out; null takes away what an outer level says. */
export type TransportSettings = { readonly [Key in keyof Transport]?: Transport[Key] | null };
