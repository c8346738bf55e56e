import type { DigestCredentials } from './digest/credentials.ts';
import type { OAuthCredentials } from './oauth2/credentials.ts';

/** Credentials that take exchanges of their own to authorize a request: a challenge, a token. */
export type ExchangedCredentials = DigestCredentials | OAuthCredentials;
