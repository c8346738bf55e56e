import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import type { SecureContext, SecureContextOptions } from 'node:tls';
import type { Tls } from '../core/settings/transport.ts';

/** A file of certificates that cannot be used. */
export class TlsError extends Error {}

/** What a connection is secured with. */
export interface TlsFiles {
  /** The usual authorities among them. */
  readonly ca?: readonly string[];
  readonly cert?: string;
  readonly key?: string;
  readonly pfx?: Buffer;
  readonly passphrase?: string;
}

/**
 * Reads what the setting `tls` names; nothing where it names no file. Throws TlsError.
 * @param root that paths are relative to
 */
export function readTlsFiles(
  tls: Omit<Tls, 'verify'>,
  root: string,
): { readonly files: TlsFiles; readonly secureContext: SecureContext } | undefined {
  const { ca, cert, key, pkcs12, passphrase } = tls;
  const read = (path: string) => {
    try {
      return readFileSync(resolve(root, path));
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      throw new TlsError(
        `'${path}' of the setting 'tls' ${code === 'ENOENT' ? 'is not there' : `cannot be read (${code})`}.`,
      );
    }
  };
  /** A file in PEM that holds what is wanted; anything else would be passed over in silence. */
  const readPem = (path: string, wanted: 'CERTIFICATE' | 'PRIVATE KEY') => {
    const bytes = read(path);
    const text = bytes.toString('latin1');
    if (text.includes(`${wanted}-----`)) return text;
    const hint = isPkcs12(bytes) ? ' It looks like a PKCS #12 file: tls: { pkcs12: FILE }' : '';
    throw new TlsError(`'${path}' of the setting 'tls' holds no ${wanted.toLowerCase()} in PEM.${hint}`);
  };
  if (ca === undefined && cert === undefined && key === undefined && pkcs12 === undefined) return undefined;
  const { createSecureContext, rootCertificates } = process.getBuiltinModule('node:tls');
  const pem = key === undefined ? undefined : readPem(key, 'PRIVATE KEY');
  if (pem !== undefined && passphrase === undefined && isEncrypted(pem))
    throw new TlsError(`The key '${key}' is encrypted; the setting 'tls' gives it no passphrase.`);
  const files: TlsFiles = {
    ...(ca !== undefined && { ca: [...rootCertificates, readPem(ca, 'CERTIFICATE')] }),
    ...(cert !== undefined && { cert: readPem(cert, 'CERTIFICATE') }),
    ...(pem !== undefined && { key: pem }),
    ...(pkcs12 !== undefined && { pfx: read(pkcs12) }),
    ...(passphrase !== undefined && { passphrase }),
  };
  try {
    // Made once for all connections: reading every authority takes many times longer than the rest.
    return { files, secureContext: createSecureContext(files as SecureContextOptions) };
  } catch (error) {
    throw new TlsError(whyUnusable(error as Error, tls));
  }
}

/** As PKCS #8 and the older form say it. */
function isEncrypted(pem: string): boolean {
  return pem.includes('ENCRYPTED PRIVATE KEY-----') || /^Proc-Type: 4,ENCRYPTED$/m.test(pem);
}

/** A sequence that begins with the version 3 (RFC 7292). */
function isPkcs12(bytes: Buffer): boolean {
  return bytes[0] === 0x30 && bytes.subarray(0, 10).includes(Buffer.from([0x02, 0x01, 0x03]));
}

function whyUnusable({ message }: Error, { ca, cert, key, pkcs12, passphrase }: Omit<Tls, 'verify'>): string {
  const [file] = [pkcs12, key].filter(each => each !== undefined);
  if (file !== undefined && /mac verify failure|bad decrypt|bad password|wrong passphrase/i.test(message))
    return passphrase === undefined
      ? `'${file}' is encrypted; the setting 'tls' gives it no passphrase.`
      : `The passphrase of the setting 'tls' does not open '${file}'.`;
  if (pkcs12 !== undefined && /not enough data|wrong tag|asn1|header too long/i.test(message))
    return `'${pkcs12}' of the setting 'tls' is no PKCS #12 file.`;
  const files = [ca, cert, key, pkcs12].filter(each => each !== undefined).join(', ');
  return `What the setting 'tls' names (${files}) cannot be used: ${message}.`;
}
