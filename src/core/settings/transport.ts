import type { Template } from '../language/templates/template.ts';

/** In milliseconds; `answer` is the time from the request sent to the first byte of the response. */
export interface Timeout {
  readonly connect?: number;
  readonly answer?: number;
  readonly total?: number;
}

/** In milliseconds: what limits a step where no setting does. */
export const defaultTimeout = 30_000;

/** What a connection is secured with; files are relative to the root of the collection or absolute. */
export interface Tls {
  /** Authorities that are trusted besides the usual ones. */
  readonly ca?: string;
  readonly cert?: string;
  readonly key?: string;
  /** A client certificate with its key in one file. */
  readonly pkcs12?: string;
  /** Of the key, or of that file. */
  readonly passphrase?: string;
  /** Whether the certificate of the server has to be valid. */
  readonly verify: boolean;
}

export const tlsFiles = ['ca', 'cert', 'key', 'pkcs12'] as const;

/** The same as a level says it: each part may refer to names. */
export interface TlsSetting {
  readonly parts: { readonly [Key in Exclude<keyof Tls, 'verify'>]?: Template };
  readonly verify: boolean;
  /** Where it refers to nothing, or has been filled with these texts before: always the same object for the same. */
  readonly filled: Map<string, Tls>;
  /** Makes a path of the file that it is written in one of the collection. */
  readonly pathBeside: (path: string) => string;
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

/** In bytes, unless it is said otherwise. */
export interface Limits {
  /** Of a body, as it comes and again once it is decoded. */
  readonly body: number;
  /** Of a body in the record of a run. */
  readonly record: number;
  /** Of the head of a response. */
  readonly head: number;
  /** Of what a command puts out, and of its errors. */
  readonly output: number;
  /** Of the rows of a query. */
  readonly rows: number;
  /** Of a script: in milliseconds, and in bytes. */
  readonly script: { readonly time: number; readonly memory: number };
}

/** Those of an exchange of HTTP. */
export type HttpLimits = Pick<Limits, 'body' | 'record' | 'head'>;

/** Where one of them is asked for, no other one is spoken. */
export type HttpVersion = '1.1' | '2';

/** How requests go out and what is accepted in return, whatever they say. */
export interface Transport {
  readonly timeout: Timeout;
  /** How many redirects are followed. */
  readonly redirects: number;
  /** Whether cookies are taken in and sent back. */
  readonly cookies: boolean;
  readonly tls: TlsSetting;
  readonly http?: HttpVersion;
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
  tls: { parts: {}, verify: true, filled: new Map(), pathBeside: path => path },
  limits: {
    body: 10 * 1024 * 1024,
    record: 64 * 1024,
    head: 64 * 1024,
    output: 1024 * 1024,
    rows: 10_000,
    script: { time: 1000, memory: 64 * 1024 * 1024 },
  },
};

/** What a level says of how requests go out; null takes away what an outer level says. */
export type TransportSettings = { readonly [Key in keyof Transport]?: Transport[Key] | null };
