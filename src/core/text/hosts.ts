/** Whether a host is this machine itself. */
export function isLoopback(host: string): boolean {
  return /^(?:localhost|127(?:\.\d+){3}|\[?(?:::1|0:0:0:0:0:0:0:1)\]?)$/i.test(host);
}

/** The host of an address, with what stands before it: `http://quay.example:7070`; nothing where it names none. */
export function originIn(address: string): string | undefined {
  return /^[a-z][a-z\d+.-]*:\/\/[^/?#]+/i.exec(address)?.[0];
}

/** An address without its host: a path, a query and what stands behind a #. */
export function withoutOrigin(address: string): string {
  return address.replace(/^[a-z][a-z\d+.-]*:\/\/[^/?#]*/i, '');
}
