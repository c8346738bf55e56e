import symbols from 'undici/lib/core/symbols.js';

// The HTTP client and nothing else of its package, as one part of the bundle.
export { default as buildConnector } from 'undici/lib/core/connect.js';
export { default as Client } from 'undici/lib/dispatcher/client.js';
/** Under which a socket holds what parses its responses. */
export const { kParser } = symbols;
