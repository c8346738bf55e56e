import { readFileSync } from 'node:fs';
import { isIP } from 'node:net';
import { resolve } from 'node:path';
import { isLoopback } from '../../core/settings/database.ts';
import type { FilledDatabase } from '../../core/steps/query/query-port.ts';

export interface TlsOptions {
  readonly rejectUnauthorized: true;
  readonly servername?: string;
  readonly ca?: Buffer;
  readonly cert?: Buffer;
  readonly key?: Buffer;
}

/** What secures a connection; nothing where none has to. Throws where a file cannot be read. */
export function tlsOptions({ tls, host = '' }: FilledDatabase, root: string): TlsOptions | undefined {
  if (tls === 'none' || (tls === 'elsewhere' && isLoopback(host))) return undefined;
  const files = typeof tls === 'object' ? tls : {};
  const options: { [key: string]: unknown } = { rejectUnauthorized: true };
  if (isIP(host) === 0) options.servername = host;
  for (const [key, path] of Object.entries(files)) options[key] = readFileSync(resolve(root, path));
  return options as unknown as TlsOptions;
}
