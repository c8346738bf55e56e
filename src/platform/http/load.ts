/** Loads the HTTP client; not before the first request is about to be sent. */
export async function loadClient(): Promise<typeof import('./client.ts')> {
  // Its parser is WebAssembly. Left alone, V8 compiles it a second time in the background, and a short run would wait
  // for that at its end (docs/decisions.md has the figures).
  const { setFlagsFromString } = process.getBuiltinModule('node:v8');
  setFlagsFromString('--wasm-tiering-budget=2000000000');
  // What carries out a request is many small functions. V8 is told to compile them after a few hundred requests rather
  // than after thousands, which is what most runs have. Later versions have a compiler between the two, and other flags.
  if (Number.parseInt(process.versions.v8, 10) < 12) setFlagsFromString('--interrupt-budget=10000');
  return import('./client.ts');
}
