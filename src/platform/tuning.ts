// How V8 is told to compile. What it compiled under other flags it would not take again, so that flags are set before code
// is loaded. docs/decisions.md has the figures.

/** Modules of the runtime that every command uses. They come compiled, which V8 takes only under the flags it started with. */
const usedModules = ['node:crypto', 'node:module', 'node:net', 'node:os', 'node:perf_hooks', 'node:vm'];
/** Later versions have one compiler more, and other flags. */
const isOld = Number.parseInt(process.versions.v8, 10) < 12;

/**
 * The flags that are set, and what undoes each: V8 does not tell what they were. They are those of the process, which every
 * part of the program has to know of.
 */
const inForce = flagsOf(globalThis);

function flagsOf(holder: { [key: symbol]: unknown }): Map<string, string> {
  const key = Symbol.for('mervok: flags of V8');
  holder[key] ??= new Map();
  return holder[key] as Map<string, string>;
}

export function setFlags(flags: Iterable<string>): void {
  const { setFlagsFromString } = process.getBuiltinModule('node:v8');
  for (const flag of flags) setFlagsFromString(flag);
}

function tune(flag: string, undo: string): void {
  if (inForce.has(flag)) return;
  inForce.set(flag, undo);
  setFlags([flag]);
}

/** What a process is about. */
export type ProgramKind = 'sends' | 'tries' | 'looks';

/** For a process that runs the program alone, and ends soon. */
export function tuneProgram(kind: ProgramKind): void {
  for (const name of usedModules) process.getBuiltinModule(name);
  // Functions are inlined into those that call them up to a third of what V8 would, or a ninth: to compile them takes less
  // than it would save in a process of seconds.
  const most = '--max-inlined-bytecode-size-cumulative';
  tune(`${most}=${kind === 'sends' ? 300 : 100}`, `${most}=920`);
  // What was compiled is kept for the next start; left alone, V8 forgets what it has not needed for some collections of
  // garbage, and a process that had many would keep little.
  tune('--no-flush-bytecode', '--flush-bytecode');
  if (kind === 'sends') tuneRequests();
  // Many different functions run a few thousand times each: compiling all of them takes longer than they do.
  else if (kind === 'tries' && isOld) tune('--interrupt-budget=1000000', '--interrupt-budget=67584');
  // Where nothing is measured, code may as well wait until it is compiled, and be fast from then on.
  else tune('--no-concurrent-recompilation', '--concurrent-recompilation');
}

/** For a process that sends requests. */
export function tuneRequests(): void {
  // The parser of the HTTP client is WebAssembly. Left alone, V8 compiles it a second time in the background, and a short
  // run would wait for that at its end.
  tune('--wasm-tiering-budget=2000000000', `--wasm-tiering-budget=${isOld ? 1_800_000 : 13_000_000}`);
  // What carries out a request is many small functions. V8 is told to compile them after a few hundred requests rather
  // than after thousands, which is what most runs have.
  if (isOld) tune('--interrupt-budget=10000', '--interrupt-budget=67584');
}

/**
 * Has V8 as it was before, for a thread to start in half the time: that begins with much of the runtime, which comes
 * compiled. Gives the flags that are to be set again as soon as it has started.
 */
export function leaveTuning(): readonly string[] {
  setFlags(inForce.values());
  return [...inForce.keys()];
}
