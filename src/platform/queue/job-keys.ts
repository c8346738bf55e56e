import {
  createPrivateKey,
  createPublicKey,
  generateKeyPairSync,
  type KeyObject,
  sign,
  verify,
} from 'node:crypto';
import { UsageError } from '../../core/model/usage-error.ts';
import { read } from '../files.ts';

// Who hands out jobs signs them (Ed25519, RFC 8032); who carries them out trusts one public key.

/** A job as it is sent: its text, and the signature over all of it. */
export interface SignedJob {
  readonly job: string;
  /** As base64. */
  readonly signature: string;
}

/** What every job says of itself, so that it can be carried out once, and soon. */
export interface JobTerms {
  readonly run: string;
  /** Never used before. */
  readonly nonce: string;
  /** In milliseconds since 1970: nobody begins with it later. */
  readonly expires: number;
}

/** A pair of keys as PEM: what signs jobs, and what trusts them. */
export function makeSigningKeys(): { readonly privateKey: string; readonly publicKey: string } {
  return generateKeyPairSync('ed25519', {
    privateKeyEncoding: { type: 'pkcs8', format: 'pem' },
    publicKeyEncoding: { type: 'spki', format: 'pem' },
  });
}

/** Throws UsageError. */
export function readSigningKey(path: string): KeyObject {
  return keyIn(path, 'private', createPrivateKey);
}

/** Throws UsageError. */
export function readTrustedKey(path: string): KeyObject {
  const text = read(path);
  // A public key could be made of it, but what signs jobs belongs on no machine that carries them out.
  if (/PRIVATE KEY/.test(text))
    throw new UsageError(
      `'${path}' holds a private key. A worker is given the public one, which trusts what it signs.`,
    );
  return keyIn(path, 'public', createPublicKey);
}

function keyIn(path: string, kind: 'private' | 'public', make: (pem: string) => KeyObject): KeyObject {
  const text = read(path);
  const remedy = `It is made by: openssl genpkey -algorithm ed25519 -out jobs.key${kind === 'public' ? '; openssl pkey -in jobs.key -pubout -out jobs.pub' : ''}`;
  let key: KeyObject;
  try {
    key = make(text);
  } catch {
    throw new UsageError(`'${path}' holds no ${kind} key in PEM. ${remedy}`);
  }
  if (key.asymmetricKeyType !== 'ed25519')
    throw new UsageError(
      `'${path}' holds a key of the kind ${key.asymmetricKeyType}; jobs are signed by Ed25519. ${remedy}`,
    );
  return key;
}

export function signJob(job: JobTerms, key: KeyObject): SignedJob {
  const text = JSON.stringify(job);
  return { job: text, signature: sign(undefined, Buffer.from(text), key).toString('base64') };
}

/** Why a job is not carried out. */
export class RefusedJob extends Error {}

/** So long a job may be waited for at the most, in milliseconds: what would never expire could be sent again for ever. */
const longestLife = 24 * 3_600_000;

/** Looks at jobs before anything of them is carried out: who signed them, whether they are new, and of now. */
export class JobGate {
  /** Those that have come, until they would have expired. */
  readonly #seen = new Map<string, number>();

  constructor(
    readonly trusted: KeyObject,
    /** In milliseconds since 1970. */
    readonly now: () => number,
  ) {}

  /** What was signed. Throws RefusedJob. */
  open<Job extends JobTerms>({ job: text, signature }: SignedJob): Job {
    if (!verify(undefined, Buffer.from(text), this.trusted, Buffer.from(signature, 'base64')))
      throw new RefusedJob('it is not signed by the key that is trusted here');
    const job = JSON.parse(text) as Job;
    const now = this.now();
    for (const [nonce, expires] of this.#seen) if (expires < now) this.#seen.delete(nonce);
    if (typeof job.expires !== 'number' || typeof job.nonce !== 'string' || typeof job.run !== 'string')
      throw new RefusedJob('it does not say which run it is of, and until when it may begin');
    if (job.expires <= now) throw new RefusedJob('it has expired');
    if (job.expires > now + longestLife) throw new RefusedJob('it would be good for more than a day');
    if (this.#seen.has(job.nonce)) throw new RefusedJob('it has come before');
    this.#seen.set(job.nonce, job.expires);
    return job;
  }
}
