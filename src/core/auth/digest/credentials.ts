/** Proved to the challenge of a server. */
export interface DigestCredentials {
  readonly kind: 'digest';
  readonly user: string;
  readonly password: string;
}
