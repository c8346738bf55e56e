import { readFileSync } from 'node:fs';
import type { Socket } from 'node:net';
import { resolve } from 'node:path';
import type { TLSSocket } from 'node:tls';
import type { Connection } from '../../core/model/http-messages.ts';
import type { Tls } from '../../core/settings/transport.ts';

/** A file of certificates that cannot be used. */
export class TlsError extends Error {}

/** What the connector takes for the settings of `tls`. Throws TlsError. */
export function tlsOptions({ ca, cert, key, verify }: Tls, root: string) {
  /** A file in PEM that holds what is wanted; anything else would be passed over in silence. */
  const read = (path: string, wanted: 'CERTIFICATE' | 'PRIVATE KEY') => {
    let text: string;
    try {
      text = readFileSync(resolve(root, path), 'latin1');
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      throw new TlsError(
        `'${path}' of the setting 'tls' ${code === 'ENOENT' ? 'is not there' : `cannot be read (${code})`}.`,
      );
    }
    if (!text.includes(`${wanted}-----`))
      throw new TlsError(`'${path}' of the setting 'tls' holds no ${wanted.toLowerCase()} in PEM.`);
    return text;
  };
  // Said in any case: the runtime would hear on a variable of its environment that nobody sees.
  const unchecked = { rejectUnauthorized: verify };
  if (ca === undefined && cert === undefined && key === undefined) return unchecked;
  const { createSecureContext, rootCertificates } = process.getBuiltinModule('node:tls');
  const given = {
    ...(ca !== undefined && { ca: [...rootCertificates, read(ca, 'CERTIFICATE')] }),
    ...(cert !== undefined && { cert: read(cert, 'CERTIFICATE') }),
    ...(key !== undefined && { key: read(key, 'PRIVATE KEY') }),
  };
  try {
    // Made once for all connections: reading every authority takes many times longer than the rest.
    return { secureContext: createSecureContext(given), ...unchecked };
  } catch (error) {
    const files = [ca, cert, key].filter(each => each !== undefined).join(', ');
    throw new TlsError(
      `What the setting 'tls' names (${files}) cannot be used: ${(error as Error).message}.`,
    );
  }
}

/** What is known of a connection once it is open. */
export function describeConnection(socket: Socket): Connection {
  const { remoteAddress, remotePort } = socket;
  const host = remoteAddress?.includes(':') ? `[${remoteAddress}]` : remoteAddress;
  const secure = socket as TLSSocket;
  const certificate = secure.encrypted ? secure.getPeerCertificate() : undefined;
  return {
    protocol: secure.alpnProtocol === 'h2' ? 'HTTP/2' : 'HTTP/1.1',
    ...(host !== undefined && { remote: `${host}:${remotePort}` }),
    ...(certificate?.valid_to && {
      certificate: {
        subject: subjectOf(certificate),
        until: new Date(certificate.valid_to).toISOString().slice(0, 10),
      },
    }),
  };
}

function subjectOf({ subject, subjectaltname }: ReturnType<TLSSocket['getPeerCertificate']>): string {
  const name = subject?.CN;
  return (Array.isArray(name) ? name[0] : name) ?? subjectaltname ?? 'without a name';
}
