import { readFileSync } from 'node:fs';
import type { Socket } from 'node:net';
import { resolve } from 'node:path';
import type { TLSSocket } from 'node:tls';
import type { Connection } from '../../core/engine/ports.ts';
import type { Tls } from '../../core/settings/transport.ts';

/** A file of certificates that cannot be used. */
export class TlsMistake extends Error {}

/** What the connector takes for the settings of `tls`. Throws TlsMistake. */
export function tlsOptions({ ca, cert, key, verify }: Tls, root: string) {
  const read = (path: string) => {
    try {
      return readFileSync(resolve(root, path));
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      throw new TlsMistake(
        `'${path}' of the setting 'tls' ${code === 'ENOENT' ? 'is not there' : `cannot be read (${code})`}.`,
      );
    }
  };
  return {
    ...(ca !== undefined && { ca: [...process.getBuiltinModule('node:tls').rootCertificates, read(ca)] }),
    ...(cert !== undefined && { cert: read(cert) }),
    ...(key !== undefined && { key: read(key) }),
    ...(!verify && { rejectUnauthorized: false }),
  };
}

/** What is known of a connection once it is open. */
export function describeConnection(socket: Socket): Connection {
  const { remoteAddress, remotePort } = socket;
  const host = remoteAddress?.includes(':') ? `[${remoteAddress}]` : remoteAddress;
  const secure = socket as Partial<TLSSocket>;
  const certificate = secure.encrypted ? secure.getPeerCertificate?.() : undefined;
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
