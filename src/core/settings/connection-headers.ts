/** What these say is for the connection to say, and the client sees to it. */
const connectionHeaders = new Set(['transfer-encoding', 'keep-alive', 'upgrade', 'expect']);

/** Whether a header is one that only the connection itself can speak. */
export function isAboutConnection(name: string): boolean {
  return connectionHeaders.has(name.toLowerCase());
}
