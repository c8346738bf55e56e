import type { DigestCredentials } from '../../../core/auth/digest/credentials.ts';
import type { BodyPart, Header } from '../../../core/model/http-messages.ts';
import { isUsageError } from '../../../core/model/usage-error.ts';
import type { OutgoingRequest } from '../../../core/steps/http/http-port.ts';
import type { FilePlaces } from '../../file-places.ts';
import { splitAddress } from '../../http/address.ts';
import { prepareOutgoing } from '../../http/outgoing.ts';
import type { Authorizer, ChallengeAnswers } from '../authorizer.ts';
import type { DigestChallenge } from './digest-header.ts';

/** Answers challenges of digest authorization, and remembers them: later requests are answered for in advance. */
export class DigestAuthorizer implements Authorizer<DigestCredentials>, ChallengeAnswers<DigestCredentials> {
  readonly #known = new Map<string, { challenge: DigestChallenge; uses: number }>();

  constructor(readonly places: FilePlaces) {}

  get challenges(): this {
    return this;
  }

  async anticipate(credentials: DigestCredentials, request: OutgoingRequest): Promise<string | undefined> {
    const known = this.#known.get(keyOf(credentials, request));
    return known && this.#answer(known, credentials, request);
  }

  async answer(
    credentials: DigestCredentials,
    request: OutgoingRequest,
    headers: readonly Header[],
    tried: boolean,
  ): Promise<string | undefined> {
    const { readDigestChallenge } = await import('./digest-header.ts');
    const challenge = readDigestChallenge(headers);
    const key = keyOf(credentials, request);
    const before = this.#known.get(key);
    this.#known.delete(key);
    if (!challenge || (tried && !challenge.stale && before?.challenge.nonce === challenge.nonce))
      return undefined;
    const known = { challenge, uses: 0 };
    this.#known.set(key, known);
    return this.#answer(known, credentials, request);
  }

  async #answer(
    known: { challenge: DigestChallenge; uses: number },
    credentials: DigestCredentials,
    { method, url, body }: OutgoingRequest,
  ): Promise<string> {
    known.uses++;
    const count = known.uses;
    const { digestHeader } = await import('./digest-header.ts');
    const protectsBody = known.challenge.protection === 'auth-int';
    const bytes = body && protectsBody ? await readWhole(body, this.places) : Buffer.alloc(0);
    return digestHeader(
      known.challenge,
      credentials,
      { method, uri: splitAddress(url)!.path, body: bytes },
      { count },
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
