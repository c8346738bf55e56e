import type { Cause } from './outcomes.ts';

// HTTP messages, and what became of them.

export type Header = readonly [name: string, value: string];

/**
 * A stretch of a body: text, or a file, by its path from the root of the collection, which is sent as it is read. Its
 * size in bytes is known once it was sent; its hash is found where it is asked for, as hexadecimal digits.
 */
export type BodyPart =
  | string
  | { readonly file: string; readonly size?: number; readonly sha256?: () => string | undefined };

export interface SentRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: readonly Header[];
  readonly body?: readonly BodyPart[];
}

/** A response as it came. */
export interface ReceivedResponse {
  /** Of the request that it answers, redirects followed. */
  readonly url: string;
  readonly status: number;
  readonly reason: string;
  /** `HTTP/1.1`, `HTTP/2` */
  readonly version: string;
  /** In the order and spelling in which they came. */
  readonly headers: readonly Header[];
  /** Fields that came behind the body. */
  readonly trailers?: readonly Header[];
  /** Decoded; only its beginning where it was too large to be kept. */
  readonly body: Uint8Array;
  /** Of the whole body, decoded, in bytes. */
  readonly size: number;
  /** Of the body as it came, where it was compressed. */
  readonly encodedSize?: number;
  /** From the first byte sent to the last received, in milliseconds. */
  readonly time: number;
}

/** Faults that a check can expect and a retry can answer. */
export const faultWords = ['refused', 'timeout', 'reset', 'name', 'tls', 'protocol', 'limit'] as const;

/** Those of steps that are no requests; which of them each has is for its kind to say. */
export const otherFaultWords = ['sign-in', 'locked', 'missing', 'statement', 'killed'] as const;

/** Besides those: an interrupt, and a request that is such that it cannot be sent; no check can expect these. */
export type FaultKind = (typeof faultWords)[number] | 'interrupted' | 'unsendable';

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
  readonly cause?: Cause;
  /** Whether it was sent once more only because its connection turned out to be closed. */
  readonly fresh?: true;
  /** What went wrong the first time, where it was sent once more over a fresh connection and failed again: that counts. */
  readonly firstFault?: Fault;
}
