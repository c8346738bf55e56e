import { readFileSync } from 'node:fs';
import {
  newQuickJSWASMModuleFromVariant,
  newVariant,
  type QuickJSContext,
  type QuickJSRuntime,
  type QuickJSSyncVariant,
} from 'quickjs-emscripten-core';
import { loadPackages } from '../../core/language/packages.ts';
import type { EndedScript, OutgoingScript, ScriptFault } from '../../core/steps/script/script-port.ts';
import { moduleFactory, QuickJSFFI } from './engine.ts';
import { MemoryImage, pageSize } from './memory-image.ts';
import { memoryFault } from './script-faults.ts';
import { ScriptHost } from './script-host.ts';
import { ScriptModules } from './script-modules.ts';

// Scripts run in an engine of their own, which is WebAssembly: it sees nothing of the program but one function.

/** The engine does not begin with less, in pages. */
const fewestPages = 256;
/** Of its limit: memory grows by a twentieth at the least, so what could not grow any more has as much as that. */
const nearlyAll = 0.9;
/** Of the stack of the engine, in bytes: with more it would come to the end of the program's own first. */
const stackSize = 128 * 1024;
/** Jobs of promises that are carried out before the time is looked at. */
const jobsAtOnce = 1000;

let compiled: Promise<WebAssembly.Module> | undefined;

/**
 * An engine with a memory of its own, which never has more than it may. What all scripts begin with is loaded once; then
 * the memory is put back to that for every script, which is as fresh as a new engine and four times as fast.
 */
export class Sandbox {
  /** Set where something went wrong in the engine itself: it must not be used again. */
  spent = false;
  /** Of the script that runs. */
  #host: ScriptHost | undefined;
  #modules = new ScriptModules();
  #image: MemoryImage;
  readonly #context: QuickJSContext;

  private constructor(
    /** In bytes. */
    readonly limit: number,
    readonly memory: WebAssembly.Memory,
    readonly runtime: QuickJSRuntime,
  ) {
    runtime.setMaxStackSize(stackSize);
    runtime.setInterruptHandler(() => this.#host?.isOver() === true);
    runtime.setModuleLoader(
      name => this.#modules.load(name),
      (from, name) => this.#modules.nameOf(from, name),
    );
    this.#context = runtime.newContext();
    this.#begin();
    this.#image = new MemoryImage(memory);
  }

  /** @param limit of its memory, in bytes */
  static async open(limit: number): Promise<Sandbox> {
    compiled ??= WebAssembly.compile(readFileSync(new URL('./quickjs.wasm', import.meta.url)));
    const maximum = Math.max(fewestPages, Math.ceil(limit / pageSize));
    const wasmMemory = new WebAssembly.Memory({ initial: fewestPages, maximum });
    const variant = {
      type: 'sync',
      importFFI: async () => QuickJSFFI,
      importModuleLoader: async () => moduleFactory,
    } as QuickJSSyncVariant;
    const engine = await newQuickJSWASMModuleFromVariant(
      newVariant(variant, { wasmModule: await compiled, wasmMemory }),
    );
    return new Sandbox(limit, wasmMemory, engine.newRuntime());
  }

  /** Loads what every script begins with. Nothing that the engine hands out is given back: its memory is put back whole. */
  #begin(): void {
    const context = this.#context;
    const ask = context.newFunction('ask', (...given) =>
      context.newString(this.#host!.answer(given.map(each => context.getString(each)))),
    );
    context.setProp(context.global, '__host', ask);
    const loaded = context.evalCode(this.#modules.entry, 'mervok:entry', { type: 'module' });
    if (loaded.error) throw new Error(String(context.dump(loaded.error)?.message));
    this.runtime.executePendingJobs();
  }

  async run(script: OutgoingScript): Promise<EndedScript> {
    await loadPackages(script.packages);
    const begin = performance.now();
    const host = new ScriptHost(script);
    this.#host = host;
    this.#modules = new ScriptModules(script);
    host.onBegin = () => this.#modules.close();
    let fault: ScriptFault | undefined;
    try {
      this.#carryOut(host);
      fault = host.fault;
      this.spent = host.isOutOfMemory;
    } catch {
      // The engine cannot be trusted any more: its memory or its stack came to an end where it did not expect it.
      this.spent = true;
      fault = host.fault ?? memoryFault(script.limits.memory);
    }
    if (!this.spent && !this.#image.putBack()) this.spent = true;
    const { checks, console, exports } = host;
    const time = performance.now() - begin;
    return { checks, console, time, ...(fault ? { fault } : exports !== undefined && { exports }) };
  }

  #carryOut(host: ScriptHost): void {
    const context = this.#context;
    const before = this.memory.buffer.byteLength;
    const result = context.evalCode("import { carryOut } from 'mervok:inner'; carryOut();", 'mervok:run', {
      type: 'module',
    });
    if (result.error) {
      host.answer(['thrown', 'Error', String(context.dump(result.error)?.message), '']);
      return;
    }
    while (this.runtime.hasPendingJob() && !host.isOver()) this.runtime.executePendingJobs(jobsAtOnce);
    const after = this.memory.buffer.byteLength;
    host.end(after > before && after > this.limit * nearlyAll);
  }
}
