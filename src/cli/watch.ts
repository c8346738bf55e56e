import { type FSWatcher, watch as watchFolder } from 'node:fs';
import { relative, resolve } from 'node:path';
import { touchedPages } from '../core/plan/touched.ts';
import { FileMistake } from '../drivers/files.ts';
import { UsageMistake } from './exit.ts';
import type { Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** In milliseconds: an editor writes a file in several steps. */
const settle = 150;

/** Runs, and runs again what a changed file touches, until it is interrupted. */
export async function watch(
  paths: readonly string[],
  runOnce: (paths: readonly string[]) => Promise<Prepared>,
  { out, err, paint }: Terminal,
): Promise<void> {
  let last: Prepared | undefined;
  const attempt = async (chosen: readonly string[]) => {
    try {
      last = await runOnce(chosen);
    } catch (error) {
      if (!isMistake(error)) throw error;
      err(`${error.message}\n`);
    }
  };
  await attempt(paths);
  // Nothing that could be read has nothing that could change.
  if (!last) return;
  const changes = new Changes(last.root);
  const where = nearPath(last.root);
  const tellWaiting = () =>
    out(`\n${paint('quiet', `Waiting for changes below ${where}; Ctrl-C ends it.`)}\n`);
  try {
    tellWaiting();
    for (let changed = await changes.next(); changed; changed = await changes.next()) {
      const { root, flow, plan } = last;
      const touched = touchedPages(flow, plan, changed);
      if (touched.length === 0) continue;
      out(`\n${paint('quiet', `${clock()}  changed: ${changed.join(', ')}`)}\n`);
      // What was not there before, or settings of everything, may touch anything that was asked for.
      await attempt(touched === 'all' ? paths : touched.map(page => resolve(root, page)));
      tellWaiting();
    }
  } finally {
    changes.close();
  }
}

function isMistake(error: unknown): error is Error {
  return (
    error instanceof UsageMistake ||
    error instanceof FileMistake ||
    (error instanceof Error && error.name === 'SelectionMistake')
  );
}

function nearPath(path: string): string {
  return relative(process.cwd(), path) || '.';
}

function clock(): string {
  return new Date().toTimeString().slice(0, 8);
}

/** The files below a folder that have changed, gathered until it is quiet for a while. */
class Changes {
  readonly #watcher: FSWatcher;
  #changed = new Set<string>();
  #timer: NodeJS.Timeout | undefined;
  #told: ((files: string[] | undefined) => void) | undefined;
  readonly #onInterrupt = () => this.#tell(undefined);

  constructor(root: string) {
    this.#watcher = watchFolder(root, { recursive: true }, (_kind, file) => {
      const path = String(file).replaceAll('\\', '/');
      if (path.split('/').some(part => /^\.(?:mervok|git)$|^node_modules$|~$|\.part$|\.sw.$/.test(part)))
        return;
      this.#changed.add(path);
      clearTimeout(this.#timer);
      this.#timer = setTimeout(() => this.#tell([...this.#changed]), settle);
    });
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
    // While a run goes on, changes are gathered for the time after it.
    if (!this.#told) return;
    process.off('SIGINT', this.#onInterrupt);
    process.off('SIGTERM', this.#onInterrupt);
    this.#timer = undefined;
    if (files) this.#changed = new Set();
    this.#told(files);
    this.#told = undefined;
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#watcher.close();
  }
}
