// The client is loaded without the rest of its package, which would double the time of a short run.
declare module 'undici/lib/dispatcher/client.js' {
  export { Client as default } from 'undici';
}
declare module 'undici/lib/core/connect.js' {
  export { buildConnector as default } from 'undici';
}
declare module 'undici/lib/core/symbols.js' {
  const symbols: { readonly kParser: symbol };
  export default symbols;
}
