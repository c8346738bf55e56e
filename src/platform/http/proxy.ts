import type { OsEnvironment } from '../../core/model/external-sources.ts';

/** A proxy: where it is, and what it is told of who asks. */
export interface ProxyServer {
  readonly origin: string;
  readonly authorization?: string;
}

export class ProxyError extends Error {}

/** Reads the URL of a proxy. Throws ProxyError. */
export function readProxy(text: string): ProxyServer {
  const url = URL.canParse(text) ? new URL(text) : undefined;
  if (!url || !/^https?:$/.test(url.protocol))
    throw new ProxyError(
      `'${text.replace(/\/\/[^/@]*@/, '//')}' is no proxy that can be used; it begins with http:// or https://.`,
    );
  const { username, password } = url;
  const account = `${decoded(username)}:${decoded(password)}`;
  return {
    origin: url.origin,
    ...(username !== '' && { authorization: `Basic ${Buffer.from(account).toString('base64')}` }),
  };
}

/** A percent sign that begins no code stands for itself. */
function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replace(/%(?![0-9a-fA-F]{2})/g, '%25'));
  } catch {
    // Bytes that are no UTF-8.
    return text;
  }
}

/** The proxy that the process environment names for an origin, by the usual variables in capital or small letters. */
export function proxyOfEnvironment(origin: string, environment: OsEnvironment): string | undefined {
  const read = (name: string) => environment(name.toLowerCase()) || environment(name) || undefined;
  const url = new URL(origin);
  const proxy = url.protocol === 'https:' ? read('HTTPS_PROXY') : read('HTTP_PROXY');
  const chosen = proxy ?? read('ALL_PROXY');
  if (chosen === undefined || isExempt(url, read('NO_PROXY') ?? '')) return undefined;
  return chosen.includes('://') ? chosen : `http://${chosen}`;
}

/** `skerry.example`, `.skerry.example`, `127.0.0.1:7070`, `*` */
function isExempt({ hostname, port, protocol }: URL, list: string): boolean {
  const host = hostname.replace(/^\[|\]$/g, '').toLowerCase();
  const ownPort = port === '' ? (protocol === 'https:' ? '443' : '80') : port;
  return list
    .toLowerCase()
    .split(/[\s,]+/)
    .filter(Boolean)
    .some(entry => {
      if (entry === '*') return true;
      // An address of IPv6 has a port behind it only where it stands in brackets.
      const [, bare, bracketed, name = bare ?? bracketed ?? entry, wantedPort] =
        /^(?:([\da-f]*:[\da-f:.]*:[\da-f:.]*)|(?:\[([^\]]*)\]|([^:]*))(?::(\d+))?)$/.exec(entry) ?? [];
      if (wantedPort !== undefined && wantedPort !== ownPort) return false;
      const domain = name.replace(/^\*?\./, '');
      return host === domain || host.endsWith(`.${domain}`);
    });
}
