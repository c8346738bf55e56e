// How V8 is told to compile. What it compiled under other flags it would not take again, so that flags are set before code
// is loaded. docs/decisions.md has the figures.

const setFlag = (flag: string) => process.getBuiltinModule('node:v8').setFlagsFromString(flag);

/** For a process that runs the program alone, and ends soon. */
export function tuneProgram(sendsRequests: boolean): void {
  // Functions are inlined into those that call them up to a third of what V8 would, or a ninth: to compile them takes less
  // than it would save in a process of seconds.
  setFlag(`--max-inlined-bytecode-size-cumulative=${sendsRequests ? 300 : 100}`);
  // What was compiled is kept for the next start; left alone, V8 forgets what it has not needed for some collections of
  // garbage, and a process that had many would keep little.
  setFlag('--no-flush-bytecode');
  if (sendsRequests) tuneRequests();
  // Where nothing is measured, code may as well wait until it is compiled, and be fast from then on.
  else setFlag('--no-concurrent-recompilation');
}

/** For a process that sends requests. */
export function tuneRequests(): void {
  // The parser of the HTTP client is WebAssembly. Left alone, V8 compiles it a second time in the background, and a short
  // run would wait for that at its end.
  setFlag('--wasm-tiering-budget=2000000000');
  // What carries out a request is many small functions. V8 is told to compile them after a few hundred requests rather
  // than after thousands, which is what most runs have. Later versions have a compiler between the two, and other flags.
  if (Number.parseInt(process.versions.v8, 10) < 12) setFlag('--interrupt-budget=10000');
}
