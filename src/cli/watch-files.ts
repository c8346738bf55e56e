import { relative, sep } from 'node:path';
import type { FSWatcher } from 'chokidar';

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
  readonly #onInterrupt = () => this.#tell(undefined);

  private constructor(watcher: FSWatcher, root: string) {
    this.#watcher = watcher;
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

  /** Nothing where the wait was interrupted. */
  next(): Promise<string[] | undefined> {
    process.once('SIGINT', this.#onInterrupt);
    process.once('SIGTERM', this.#onInterrupt);
    return new Promise(tell => {
      this.#told = tell;
      if (this.#changed.size > 0) this.#timer ??= setTimeout(() => this.#tell([...this.#changed]), settle);
    });
  }

  #tell(files: string[] | undefined): void {
    this.#timer = undefined;
    // While a run goes on, changes are gathered for the time after it.
    if (!this.#told) return;
    process.off('SIGINT', this.#onInterrupt);
    process.off('SIGTERM', this.#onInterrupt);
    if (files) this.#changed = new Set();
    this.#told(files);
    this.#told = undefined;
  }

  async close(): Promise<void> {
    clearTimeout(this.#timer);
    await this.#watcher.close();
  }
}
