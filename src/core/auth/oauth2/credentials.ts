export const oauthFlows = ['client-credentials', 'password', 'refresh-token'] as const;
export type OAuthFlow = (typeof oauthFlows)[number];

/** A token is asked for with them. */
export interface OAuthCredentials {
  readonly kind: 'oauth2';
  readonly flow: OAuthFlow;
  /** By the key of the settings: `token-url`, `client-id`, … */
  readonly fields: ReadonlyMap<string, string>;
}
