import type { ClockAndRandom } from '../language/functions/signature.ts';
import type { ReceivedResponse } from '../language/response.ts';
import type { Limits, OAuthFlow, Retry, Timeout, Tls } from '../settings/transport.ts';
import type { ExternalSources } from '../variables/definition.ts';

export type Header = readonly [name: string, value: string];

/**
 * A stretch of a body: text, or a file, by its path from the root of the collection, which is sent as it is read. Its
 * size in bytes is known once it was sent.
 */
export type BodyPart = string | { readonly file: string; readonly size?: number };

/** A request with everything filled in. */
/** Whether parts of a request hold a secret, in any form, or are made of one: another origin must not see them. */
export interface Secrecy {
  header(header: Header): boolean;
  body(parts: readonly BodyPart[]): boolean;
}

export interface OutgoingRequest {
  readonly method: string;
  /** Absolute; goes out as it is. */
  readonly url: string;
  readonly headers: readonly Header[];
  readonly body?: readonly BodyPart[];
  /** Names of headers, in lower case, that another origin must not see. */
  readonly credentials: ReadonlySet<string>;
  /** Asked where a response sends on to another origin. */
  readonly secrecy?: Secrecy;
  /** What takes exchanges of its own to be authorized. */
  readonly auth?: ExchangedAuth;
  readonly timeout: Timeout;
  readonly redirects: number;
  readonly tls: Tls;
  /** A URL; `none` where even the proxy of the process environment does not count. */
  readonly proxy?: string;
  /** `none` where not even a connection that queue out to be closed is opened anew. */
  readonly retry?: Retry | 'none';
  readonly limits: Limits;
  /** Where cookies are taken from and put; nothing where they do not count. */
  readonly jar?: CookieJar;
}

export type ExchangedAuth =
  | { readonly kind: 'digest'; readonly user: string; readonly password: string }
  | {
      readonly kind: 'oauth2';
      readonly flow: OAuthFlow;
      /** By the key of the settings. */
      readonly fields: ReadonlyMap<string, string>;
    };

/** The cookies of a page; only who made it looks inside. */
export interface CookieJar {
  readonly isEmpty: boolean;
}

export type FaultKind =
  | 'refused'
  | 'timeout'
  | 'reset'
  | 'name'
  | 'tls'
  | 'protocol'
  | 'limit'
  | 'interrupted'
  /** The request is such that it cannot be sent; no check can expect that. */
  | 'unsendable';

/** Why no response came; the message says what was tried, what happened and what to look at. */
export interface Fault {
  readonly kind: FaultKind;
  readonly message: string;
}

/** How long the phases of an exchange took, in milliseconds; those of a connection only where one was opened. */
export interface Timings {
  readonly lookup?: number;
  readonly connect?: number;
  readonly tls?: number;
  /** From the request handed to the connection to the first byte of the response. */
  readonly wait?: number;
  readonly download?: number;
  /** What the phases add up to. */
  readonly total: number;
}

/** What a request went over. */
export interface Connection {
  /** `HTTP/1.1`, `HTTP/2` */
  readonly protocol: string;
  /** Address and port of the other side; that of the proxy where there is one. */
  readonly remote?: string;
  readonly certificate?: { readonly subject: string; readonly until: string };
}

/** One request as it was sent, and what came of it. */
export interface Exchange {
  /** When it began, in milliseconds since 1970; nothing for what was not sent. */
  readonly at?: number;
  readonly request: SentRequest;
  readonly response?: ReceivedResponse;
  readonly fault?: Fault;
  readonly times: Timings;
  /** Bytes of the response as they came, its head included. */
  readonly received: number;
  readonly connection?: Connection;
  /** Responses before the final one, such as 103. */
  readonly interim?: readonly { readonly status: number; readonly headers: readonly Header[] }[];
  /** Why it took place, where it is not the request itself for the first time. */
  readonly cause?: 'token' | 'challenge' | 'redirect' | 'retry' | 'repeat';
  /** Whether it was sent once more only because its connection turned out to be closed. */
  readonly fresh?: true;
  /** What went wrong the first time, where it was sent once more over a fresh connection and failed again: that counts. */
  readonly firstFault?: Fault;
}

export interface SentRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: readonly Header[];
  readonly body?: readonly BodyPart[];
}

/** Everything that it took to send a request; the last exchange is the one that counts. */
export interface Sent {
  readonly exchanges: readonly Exchange[];
  /** What came to be known on the way and must not be shown: tokens. */
  readonly secrets?: readonly string[];
}

/** What lies outside of the core, as the runner sees it. */
export interface Ports extends ClockAndRandom {
  send(request: OutgoingRequest, signal: AbortSignal): Promise<Sent>;
  /** A jar that begins with the cookies of others as they are now; later ones win. */
  openJar(from: readonly CookieJar[]): CookieJar;
  /** Milliseconds of a clock that only goes forward. */
  elapsed(): number;
  sleep(milliseconds: number, signal: AbortSignal): Promise<void>;
  /** The present, and chance that is the same for the same page of the same turn, where it is to be repeated. */
  clockAndRandomFor(user: number, round: number, row: number, page: string): ClockAndRandom;
  readonly external: ExternalSources;
}
