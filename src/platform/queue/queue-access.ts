/** Where a queue is, and what it asks for. */
export interface QueueAccess {
  /** `nats://HOST:PORT` or `tls://HOST:PORT`, with user and password, or a token, before the host. */
  readonly url: string;
  /** Files: credentials as the engine hands them out, or the seed of a key. */
  readonly credentials?: string | undefined;
  /** Files in PEM: an authority that is trusted, a certificate to be known by, and its key. */
  readonly ca?: string | undefined;
  readonly cert?: string | undefined;
  readonly key?: string | undefined;
}
