import type { Socket } from 'node:net';
import type { TLSSocket } from 'node:tls';
import type { Connection } from '../../core/model/http-messages.ts';
import type { Tls } from '../../core/settings/transport.ts';
import { readTlsFiles } from '../tls-files.ts';

/** What the connector takes for the settings of `tls`. Throws TlsError. */
export function tlsOptions(tls: Tls, root: string) {
  // Said in any case: the runtime would hear on a variable of its environment that nobody sees.
  const unchecked = { rejectUnauthorized: tls.verify };
  const read = readTlsFiles(tls, root);
  return read ? { secureContext: read.secureContext, ...unchecked } : unchecked;
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
