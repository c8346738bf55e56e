import { createHash, randomBytes } from 'node:crypto';
import type { DigestCredentials } from '../../../core/auth/digest/credentials.ts';
import type { Header } from '../../../core/model/http-messages.ts';

// Digest access authentication, RFC 7616.

export interface DigestChallenge {
  readonly realm: string;
  readonly nonce: string;
  readonly opaque?: string;
  /** As the server names it. */
  readonly algorithm: string | undefined;
  readonly hash: (text: string | Buffer) => string;
  readonly session: boolean;
  readonly protection: 'auth' | 'auth-int' | undefined;
  readonly hashesUser: boolean;
  readonly stale: boolean;
}

/** By preference; what a server offers in another one cannot be answered. */
const algorithms: readonly (readonly [name: string, hash: string])[] = [
  ['SHA-512-256', 'sha512-256'],
  ['SHA-256', 'sha256'],
  ['MD5', 'md5'],
];

/** The strongest of the digest challenges of a response; nothing where there is none that can be answered. */
export function readDigestChallenge(headers: readonly Header[]): DigestChallenge | undefined {
  const offered = headers
    .filter(([name]) => /^www-authenticate$/i.test(name))
    .flatMap(([, value]) =>
      [...value.matchAll(/(?:^|,)\s*Digest\s+/gi)].map(match =>
        readParameters(value, match.index + match[0].length),
      ),
    );
  for (const [name, hash] of algorithms) {
    for (const parameters of offered) {
      const algorithm = parameters.get('algorithm');
      const [, written = 'MD5', session] = /^(.*?)(-sess)?$/i.exec(algorithm ?? 'MD5')!;
      if (written.toUpperCase() === name && parameters.has('nonce'))
        return challengeOf(parameters, hash, session !== undefined);
    }
  }
  return undefined;
}

function challengeOf(parameters: Map<string, string>, hash: string, session: boolean): DigestChallenge {
  const offered =
    parameters
      .get('qop')
      ?.toLowerCase()
      .split(/\s*,\s*/) ?? [];
  const opaque = parameters.get('opaque');
  return {
    realm: parameters.get('realm') ?? '',
    nonce: parameters.get('nonce')!,
    ...(opaque !== undefined && { opaque }),
    algorithm: parameters.get('algorithm'),
    hash: text => createHash(hash).update(text).digest('hex'),
    session,
    // With it the body is protected too, so it is taken wherever it is offered.
    protection: offered.includes('auth-int') ? 'auth-int' : offered.includes('auth') ? 'auth' : undefined,
    hashesUser: parameters.get('userhash')?.toLowerCase() === 'true',
    stale: parameters.get('stale')?.toLowerCase() === 'true',
  };
}

// parameter :: name "=" ( token | quoted )       up to the next scheme
function readParameters(text: string, start: number): Map<string, string> {
  const parameters = new Map<string, string>();
  const form = /\s*([\w-]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,]*))\s*(?:,|$)/y;
  form.lastIndex = start;
  for (let match = form.exec(text); match; match = form.exec(text)) {
    const [, name, quoted, bare] = match;
    parameters.set(name!.toLowerCase(), quoted?.replace(/\\(.)/g, '$1') ?? bare!);
  }
  return parameters;
}

/**
 * The Authorization header that answers a challenge.
 * @param uri as in the request line
 * @param count how often the nonce has been used, this time included
 */
export function digestHeader(
  challenge: DigestChallenge,
  { user, password }: DigestCredentials,
  request: { readonly method: string; readonly uri: string; readonly body: Buffer },
  {
    count,
    clientNonce = randomBytes(16).toString('hex'),
  }: { readonly count: number; readonly clientNonce?: string },
): string {
  const { realm, nonce, hash, protection, opaque, algorithm } = challenge;
  const account = hash(`${user}:${realm}:${password}`);
  const secret = challenge.session ? hash(`${account}:${nonce}:${clientNonce}`) : account;
  const body = protection === 'auth-int' ? `:${hash(request.body)}` : '';
  const what = hash(`${request.method}:${request.uri}${body}`);
  const uses = count.toString(16).padStart(8, '0');
  const response = hash(
    protection
      ? `${secret}:${nonce}:${uses}:${clientNonce}:${protection}:${what}`
      : `${secret}:${nonce}:${what}`,
  );
  const parameters = [
    ...userParameters(user, challenge),
    `realm=${quoted(realm)}`,
    `nonce=${quoted(nonce)}`,
    `uri=${quoted(request.uri)}`,
    `response="${response}"`,
    ...(algorithm === undefined ? [] : [`algorithm=${algorithm}`]),
    ...(opaque === undefined ? [] : [`opaque=${quoted(opaque)}`]),
    ...(protection || challenge.session ? [`cnonce="${clientNonce}"`] : []),
    ...(protection ? [`qop=${protection}`, `nc=${uses}`] : []),
  ];
  return `Digest ${parameters.join(', ')}`;
}

/** RFC 7616, 3.4: hashed where that is wanted; what is not ASCII goes out as RFC 5987 has it. */
function userParameters(user: string, { hashesUser, hash, realm }: DigestChallenge): string[] {
  if (hashesUser) return [`username="${hash(`${user}:${realm}`)}"`, 'userhash=true'];
  return /^[\x20-\x7e]*$/.test(user)
    ? [`username=${quoted(user)}`]
    : [`username*=UTF-8''${encodeURIComponent(user)}`];
}

function quoted(text: string): string {
  return `"${text.replace(/["\\]/g, '\\$&')}"`;
}
