import type { buildConnector, Pool } from 'undici';

/** Loads the HTTP client; not before the first request is about to be sent. */
export async function loadClient(): Promise<{ Pool: typeof Pool; buildConnector: typeof buildConnector }> {
  // Its parser is WebAssembly. Left alone, V8 compiles it a second time in the background, and a short run would wait
  // for that at its end (bench/README.md has the figures).
  const { setFlagsFromString } = await import('node:v8');
  setFlagsFromString('--wasm-tiering-budget=2000000000');
  const [{ default: pool }, { default: connector }] = await Promise.all([
    import('undici/lib/dispatcher/pool.js'),
    import('undici/lib/core/connect.js'),
  ]);
  return { Pool: pool, buildConnector: connector };
}
