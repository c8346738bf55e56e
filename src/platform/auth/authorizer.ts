import type { Exchange, Fault, Header } from '../../core/model/http-messages.ts';
import type { OutgoingRequest } from '../../core/steps/http/http-port.ts';

/** Authorizes requests by credentials that take exchanges of their own. */
export interface Authorizer<Credentials> {
  /** What comes before a request, and holds for its redirects to the same origin too. */
  authorize?(credentials: Credentials, request: OutgoingRequest, signal: AbortSignal): Promise<Authorized>;
  /** How challenges are answered, where that is the way. */
  readonly challenges?: ChallengeAnswers<Credentials>;
  /** What of the exchanges on the way must not be shown. */
  secretsIn?(exchanges: readonly Exchange[]): string[];
}

export interface ChallengeAnswers<Credentials> {
  /** The header Authorization for a request to an origin whose challenge is known. */
  anticipate(credentials: Credentials, request: OutgoingRequest): Promise<string | undefined>;
  /**
   * The one that answers a 401; nothing where it cannot be answered, or where the answer was refused.
   * @param tried whether the request that was refused had an answer already
   */
  answer(
    credentials: Credentials,
    request: OutgoingRequest,
    headers: readonly Header[],
    tried: boolean,
  ): Promise<string | undefined>;
}

export interface Authorized {
  /** The header Authorization. */
  readonly header?: string;
  /** Why there is none. */
  readonly fault?: Fault;
  /** The exchanges that it took, for the one who had to wait for them first. */
  readonly exchanges: readonly Exchange[];
}
