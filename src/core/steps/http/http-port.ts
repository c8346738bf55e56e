import type { ExchangedCredentials } from '../../auth/exchanged.ts';
import type { BodyPart, Exchange, Header } from '../../model/http-messages.ts';
import type { HttpLimits, HttpVersion, Retry, Timeout, Tls } from '../../settings/transport.ts';
import type { OperationPort } from '../operation-port.ts';

/** Whether parts of a request hold a secret, in any form, or are made of one: another origin must not see them. */
export interface Secrecy {
  header(header: Header): boolean;
  body(parts: readonly BodyPart[]): boolean;
}

/** A request with everything filled in. */
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
  readonly auth?: ExchangedCredentials;
  readonly timeout: Timeout;
  readonly redirects: number;
  readonly tls: Tls;
  readonly http?: HttpVersion;
  /** A URL; `none` where even the proxy of the process environment does not count. */
  readonly proxy?: string;
  /** `none` where not even a connection that turns out to be closed is opened anew. */
  readonly retry?: Retry | 'none';
  readonly limits: HttpLimits;
  /** Where cookies are taken from and put; nothing where they do not count. */
  readonly jar?: CookieJar;
}

/** The cookies of a page; only who made it looks inside. */
export interface CookieJar {
  readonly isEmpty: boolean;
}

/** Everything that it took to send a request; the last exchange is the one that counts. */
export interface Sent {
  readonly exchanges: readonly Exchange[];
  /** What came to be known on the way and must not be shown: tokens. */
  readonly secrets?: readonly string[];
}

/** What sends requests. What it keeps for a page is its cookies. */
export interface HttpPort extends OperationPort<CookieJar> {
  send(request: OutgoingRequest, signal: AbortSignal): Promise<Sent>;
}
