import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Script } from 'node:vm';
import { CodeFolder, placesForCode } from './code-folder.ts';

/** A part that was loaded. */
interface Part {
  readonly module: { exports: object };
  readonly source: Buffer;
  readonly script: Script;
  /** By which processes that had loaded which parts it was kept. */
  readonly keptBy: readonly string[];
}

/**
 * Loads the parts of the program, files of CommonJS in one folder, and keeps what V8 compiled of them, so that the next
 * start need not do that again. What is kept is renewed by a process that came by more parts than the one that kept it: it
 * will have compiled more of each.
 */
class CompiledParts {
  readonly #loaded = new Map<string, Part>();
  readonly #codeFolder: CodeFolder | undefined;

  constructor(
    /** That the parts lie in. */
    readonly folder: string,
    /** For all that is no part. */
    readonly requireOther: NodeJS.Require,
  ) {
    this.#codeFolder = CodeFolder.find(placesForCode(folder));
    process.once('exit', () => this.#keep());
  }

  /** @param name of a part as it is required (`./program.cjs`), or of anything else */
  readonly load = (name: string): unknown => {
    if (!/^\.\/.+\.cjs$/.test(name)) return this.requireOther(name);
    return (this.#loaded.get(name) ?? this.#read(name)).module.exports;
  };

  #read(name: string): Part {
    const path = join(this.folder, name);
    const source = readFileSync(path);
    const kept = this.#codeFolder?.read(name, source);
    const script = new (process.getBuiltinModule('node:vm').Script)(
      `(function (exports, require, module, __filename, __dirname) {${source}\n})`,
      { filename: path, ...(kept && { cachedData: kept.code }) },
    );
    const module = { exports: {} };
    // Also where V8 did not take it: it has other flags just now, while a thread starts.
    const part = { module, source, script, keptBy: kept?.parts ?? [] };
    // Before it runs: parts may ask for each other.
    this.#loaded.set(name, part);
    script.runInThisContext()(module.exports, this.load, module, path, this.folder);
    return part;
  }

  /** Never throws: the next start is slower then, and that is all. */
  #keep(): void {
    const names = [...this.#loaded.keys()];
    const lacking = [...this.#loaded].filter(([, { keptBy }]) => !names.every(each => keptBy.includes(each)));
    if (lacking.length === 0) return;
    try {
      const folder = CodeFolder.make(placesForCode(this.folder));
      if (!folder) return;
      for (const [name, { source, script, keptBy }] of lacking) {
        const parts = [...new Set([...keptBy, ...names])];
        folder.write(name, source, { parts, code: script.createCachedData() });
      }
    } catch {
      // Nobody waits for it.
    }
  }
}

/**
 * What loads the parts of a program, in the place of `require`.
 * @param folder that they lie in
 * @param require of its entry
 */
export function partsOf(folder: string, require: NodeJS.Require): (name: string) => unknown {
  if (process.env.NODE_DISABLE_COMPILE_CACHE !== undefined) return require;
  // Later versions have it built in, and write it when they end.
  const { enableCompileCache } = process.getBuiltinModule('node:module') as {
    enableCompileCache?(folder: string): unknown;
  };
  if (!enableCompileCache) return new CompiledParts(folder, require).load;
  const own = CodeFolder.make(placesForCode(folder));
  if (own) enableCompileCache(own.path);
  return require;
}
