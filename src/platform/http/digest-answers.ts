import type { BodyPart, Header } from '../../core/model/http.ts';
import { isUsageError } from '../../core/model/usage-error.ts';
import type { OutgoingRequest } from '../../core/steps/http/http-port.ts';
import { splitAddress } from './address.ts';
import type { DigestChallenge, DigestCredentials } from './digest.ts';
import { type FilePlaces, prepareOutgoing } from './outgoing.ts';

/** Answers challenges of digest authorization, and remembers them: later requests are answered for in advance. */
export class DigestAnswers {
  readonly #known = new Map<string, { challenge: DigestChallenge; uses: number }>();

  /** The header for a request to an origin whose challenge is known. */
  async forRequest(
    credentials: DigestCredentials,
    request: OutgoingRequest,
    places: FilePlaces,
  ): Promise<string | undefined> {
    const known = this.#known.get(keyOf(credentials, request));
    return known && this.#answer(known, credentials, request, places);
  }

  /**
   * The header that answers a 401; nothing where it cannot be answered, or where the answer was refused.
   * @param tried whether the request that was refused had an answer already
   */
  async forChallenge(
    credentials: DigestCredentials,
    request: OutgoingRequest,
    headers: readonly Header[],
    tried: boolean,
    places: FilePlaces,
  ): Promise<string | undefined> {
    const { readDigestChallenge } = await import('./digest.ts');
    const challenge = readDigestChallenge(headers);
    const key = keyOf(credentials, request);
    const before = this.#known.get(key);
    this.#known.delete(key);
    if (!challenge || (tried && !challenge.stale && before?.challenge.nonce === challenge.nonce))
      return undefined;
    const known = { challenge, uses: 0 };
    this.#known.set(key, known);
    return this.#answer(known, credentials, request, places);
  }

  async #answer(
    known: { challenge: DigestChallenge; uses: number },
    credentials: DigestCredentials,
    { method, url, body }: OutgoingRequest,
    places: FilePlaces,
  ): Promise<string> {
    known.uses++;
    const count = known.uses;
    const { digestHeader } = await import('./digest.ts');
    const protectsBody = known.challenge.protection === 'auth-int';
    const bytes = body && protectsBody ? await readWhole(body, places) : Buffer.alloc(0);
    return digestHeader(
      known.challenge,
      credentials,
      { method, uri: splitAddress(url)!.path, body: bytes },
      count,
    );
  }
}

/** A file that is not there is told when the request is about to be sent. */
async function readWhole(body: readonly BodyPart[], places: FilePlaces): Promise<Buffer> {
  try {
    return await prepareOutgoing(body, places).read();
  } catch (error) {
    if (isUsageError(error)) return Buffer.alloc(0);
    throw error;
  }
}

function keyOf({ user, password }: DigestCredentials, { url }: OutgoingRequest): string {
  return JSON.stringify([splitAddress(url)?.origin, user, password]);
}
