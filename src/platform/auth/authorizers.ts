import type { ExchangedCredentials } from '../../core/auth/exchanged.ts';
import type { Exchange } from '../../core/model/http-messages.ts';
import type { OutgoingRequest } from '../../core/steps/http/http-port.ts';
import type { FilePlaces } from '../file-places.ts';
import type { Authorizer } from './authorizer.ts';
import { DigestAuthorizer } from './digest/digest-authorizer.ts';
import { OAuthAuthorizer } from './oauth2/oauth-authorizer.ts';

/** What authorizers work with. */
export interface AuthorizerMeans {
  readonly send: (request: OutgoingRequest, signal: AbortSignal) => Promise<Exchange>;
  readonly now: () => number;
  readonly places: FilePlaces;
}

export type Authorizers = {
  readonly [Kind in ExchangedCredentials['kind']]: Authorizer<Extract<ExchangedCredentials, { kind: Kind }>>;
};

/** One for each kind of credentials. */
export function openAuthorizers({ send, now, places }: AuthorizerMeans): Authorizers {
  return { digest: new DigestAuthorizer(places), oauth2: new OAuthAuthorizer(send, now) };
}
