/** Loads the HTTP client; not before the first request is about to be sent. */
export async function loadClient(): Promise<typeof import('./client.ts')> {
  // Its parser is WebAssembly. Left alone, V8 compiles it a second time in the background, and a short run would wait
  // for that at its end (bench/README.md has the figures).
  process.getBuiltinModule('node:v8').setFlagsFromString('--wasm-tiering-budget=2000000000');
  return import('./client.ts');
}
