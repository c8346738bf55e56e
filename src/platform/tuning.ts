/** Tells V8 how to compile what a run does. What it compiled under other flags it would not take again. */
export function tuneCompiler(): void {
  const { setFlagsFromString } = process.getBuiltinModule('node:v8');
  // The parser of the HTTP client is WebAssembly. Left alone, V8 compiles it a second time in the background, and a short
  // run would wait for that at its end (docs/decisions.md has the figures).
  setFlagsFromString('--wasm-tiering-budget=2000000000');
  // What carries out a request is many small functions. V8 is told to compile them after a few hundred requests rather
  // than after thousands, which is what most runs have. Later versions have a compiler between the two, and other flags.
  if (Number.parseInt(process.versions.v8, 10) < 12) setFlagsFromString('--interrupt-budget=10000');
}
