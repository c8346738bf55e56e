import type { Fault } from '../../core/model/http-messages.ts';

/** Whether a connection can be opened to what stands before the path. */
export function isOrigin(origin: string): boolean {
  return !origin.includes('@') && URL.canParse(origin);
}

/**
 * Cuts an absolute URL into its origin and what goes into the request line. Unlike the URL class it changes nothing:
 * what is written goes out as it is written.
 */
export function splitAddress(url: string): { origin: string; path: string } | undefined {
  const head = /^https?:\/\/[^/?#\\\s]+/i.exec(url);
  if (!head) return undefined;
  const [origin] = head;
  const fragment = url.indexOf('#', origin.length);
  const rest = url.slice(origin.length, fragment < 0 ? url.length : fragment);
  return { origin, path: rest === '' ? '/' : rest.startsWith('?') ? `/${rest}` : rest };
}

/** Whether two addresses have one origin (RFC 6454): scheme, host and port. */
export function sameOrigin(a: string, b: string): boolean {
  return new URL(a).origin === new URL(b).origin;
}

export function addressFault(url: string): Fault {
  const shown = url.length > 200 ? `${url.slice(0, 200)} …` : url;
  const user = /^https?:\/\/[^/?#]*@/i.test(url);
  return {
    kind: 'unsendable',
    message: user
      ? "The address holds a user name; a name and a password belong into the setting 'auth'."
      : `'${shown}' is no address that can be called; it begins with http:// or https:// and a host.`,
  };
}
