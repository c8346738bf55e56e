/** What these say is for the connection to say, and the client sees to it. */
const connectionHeaders = new Set(['keep-alive', 'upgrade']);

/** Whether a header is one that only the connection itself can speak. */
export function isAboutConnection(name: string): boolean {
  return connectionHeaders.has(name.toLowerCase());
}

/** How the body of one request goes out: the one value that each of these may have. */
const framingValues = new Map([
  ['transfer-encoding', 'chunked'],
  ['expect', '100-continue'],
]);

/** The only value of a header that says how a body goes out; nothing where a header says something else. */
export function framingValueOf(name: string): string | undefined {
  return framingValues.get(name.toLowerCase());
}
