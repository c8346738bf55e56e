import type { FilledDatabase } from '../../core/steps/query/query-port.ts';
import { isLoopback } from '../../core/text/hosts.ts';
import { readTlsFiles } from '../tls-files.ts';

/** What secures a connection; nothing where none has to. Throws TlsError. */
export function tlsOptions({ tls, host = '' }: FilledDatabase, root: string): object | undefined {
  if (tls === 'none' || (tls === 'elsewhere' && isLoopback(host))) return undefined;
  return { rejectUnauthorized: true, ...(typeof tls === 'object' && readTlsFiles(tls, root)?.files) };
}
