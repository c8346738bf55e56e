import { relative, sep } from 'node:path';
import type { FSWatcher } from 'chokidar';
import { signals } from './interrupt.ts';

/** In milliseconds: an editor writes a file in several steps. */
const settle = 150;

/** Files that nobody means: those of tools, and those that editors keep beside the one that is being written. */
const passing =
  /^\.(?:mervok|git|hg|svn|idea|vscode)$|^node_modules$|~$|\.part$|\.sw[a-z]$|\.tmp$|\.temp$|\.bak$|\.orig$|^\.#|^#.*#$|^4913$|^\.goutputstream-|^\.~lock\.|___jb_(?:tmp|old)___$|\.crswap$/;

export function isPassing(path: string): boolean {
  return path.split('/').some(part => passing.test(part));
}

/** The files below a folder that have changed, gathered until it is quiet for a while. */
export class Changes {
  readonly #watcher: FSWatcher;
  #changed = new Set<string>();
  #timer: NodeJS.Timeout | undefined;
  #told: ((files: string[] | undefined) => void) | undefined;
  #isInterrupted = false;
  /** What else listens, as a run does, ends what it does, and the wait goes on. */
  readonly #onInterrupt = (signal: NodeJS.Signals) => {
    if (process.listenerCount(signal) > 1) return;
    this.#isInterrupted = true;
    this.#tell(undefined);
  };

  private constructor(watcher: FSWatcher, root: string) {
    this.#watcher = watcher;
    // As long as there is anything to wait for: a signal that comes while its last listener gives way to another one is lost.
    for (const signal of signals) process.on(signal, this.#onInterrupt);
    watcher.on('all', (kind, path) => {
      if (kind === 'addDir' || kind === 'unlinkDir') return;
      this.#changed.add(relative(root, path).split(sep).join('/'));
      clearTimeout(this.#timer);
      this.#timer = setTimeout(() => this.#tell([...this.#changed]), settle);
    });
    // A folder that cannot be looked into is none that a page can be read from.
    watcher.on('error', () => undefined);
  }

  /** Watches from now on. */
  static async of(root: string): Promise<Changes> {
    const { watch } = await import('chokidar');
    const watcher = watch(root, {
      ignoreInitial: true,
      ignored: path => isPassing(relative(root, path).split(sep).join('/')),
    });
    await new Promise(ready => watcher.once('ready', () => ready(undefined)));
    return new Changes(watcher, root);
  }

  /** Whether it was interrupted while nothing else was there to hear it. */
  get isInterrupted(): boolean {
    return this.#isInterrupted;
  }

  /** Nothing once it was interrupted. */
  next(): Promise<string[] | undefined> {
    if (this.#isInterrupted) return Promise.resolve(undefined);
    return new Promise(tell => {
      this.#told = tell;
      if (this.#changed.size > 0) this.#timer ??= setTimeout(() => this.#tell([...this.#changed]), settle);
    });
  }

  #tell(files: string[] | undefined): void {
    this.#timer = undefined;
    // While a run goes on, changes are gathered for the time after it.
    if (!this.#told) return;
    if (files) this.#changed = new Set();
    this.#told(files);
    this.#told = undefined;
  }

  async close(): Promise<void> {
    clearTimeout(this.#timer);
    await this.#watcher.close();
    for (const signal of signals) process.off(signal, this.#onInterrupt);
  }
}
