import type { World } from '../language/functions.ts';
import type { ReceivedResponse } from '../language/response.ts';
import type { Timeout } from '../settings/level.ts';
import type { OsEnvironment } from '../variables/definition.ts';

/** A request with everything filled in. */
export interface OutgoingRequest {
  readonly method: string;
  /** Absolute; goes out as it is. */
  readonly url: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body?: string;
  readonly timeout: Timeout;
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
  | 'address';

/** Why no response came; the message says what was tried, what happened and what to look at. */
export interface Fault {
  readonly kind: FaultKind;
  readonly message: string;
}

/** How long the phases of an exchange took, in milliseconds; those of a connection only where one was opened. */
export interface Times {
  readonly lookup?: number;
  readonly connect?: number;
  readonly tls?: number;
  /** From the request sent to the first byte of the response. */
  readonly wait?: number;
  readonly download?: number;
  /** From the first byte sent, or the opening of the connection, to the last byte received. */
  readonly total: number;
}

export interface Exchange {
  readonly response?: ReceivedResponse;
  readonly fault?: Fault;
  readonly times: Times;
  /** Bytes of the response as they came, its head included. */
  readonly received: number;
}

/** The world outside, as the engine sees it. */
export interface Ports extends World {
  send(request: OutgoingRequest, signal: AbortSignal): Promise<Exchange>;
  /** Milliseconds of a clock that only goes forward. */
  elapsed(): number;
  sleep(milliseconds: number, signal: AbortSignal): Promise<void>;
  readonly environment: OsEnvironment;
}
