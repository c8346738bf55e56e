/** Whether a host is this machine itself. */
export function isLoopback(host: string): boolean {
  return /^(?:localhost|127(?:\.\d+){3}|\[?(?:::1|0:0:0:0:0:0:0:1)\]?)$/i.test(host);
}
