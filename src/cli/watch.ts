import { type FSWatcher, watch as watchFolder } from 'node:fs';
import { relative, resolve } from 'node:path';
import { affectedPages } from '../core/analysis/affected-pages.ts';
import { isUsageError } from '../core/model/usage-error.ts';
import type { Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';

/** In milliseconds: an editor writes a file in several steps. */
const settle = 150;

/** Runs, and tells what was made ready before anything is sent. */
type RunOnce = (paths: readonly string[], onPrepared: (prepared: Prepared) => void) => Promise<void>;

/** Runs, and runs again what a changed file touches, until it is interrupted. */
export async function watch(
  paths: readonly string[],
  runOnce: RunOnce,
  { out, err, paint }: Terminal,
): Promise<void> {
  let changes: Changes | undefined;
  let last: Prepared | undefined;
  /** The pages of all that was asked for, as they were when all of it was last looked at. */
  let asked = new Set<string>();
  const run = async (chosen: readonly string[]) => {
    try {
      await runOnce(chosen, prepared => {
        last = prepared;
        // What changes while it runs counts too.
        changes ??= new Changes(prepared.root);
        if (chosen === paths) asked = new Set(prepared.plan.pages.map(page => page.file));
      });
    } catch (error) {
      if (!isUsageError(error)) throw error;
      err(`${error.message}\n`);
    }
  };
  await run(paths);
  // Where nothing could be read, nothing can be waited for.
  if (!last || !changes) return;
  const { root } = last;
  const where = relative(process.cwd(), root) || '.';
  const tellWaiting = () =>
    out(`\n${paint('quiet', `Waiting for changes below ${where}; Ctrl-C ends it.`)}\n`);
  try {
    tellWaiting();
    for (let files = await changes.next(); files; files = await changes.next()) {
      const touched = affectedPages(last.flow, asked, files);
      if (touched.length === 0) continue;
      out(`\n${paint('quiet', `${clock()}  changed: ${files.join(', ')}`)}\n`);
      // What was not there before, or settings of everything, may touch anything that was asked for.
      await run(touched === 'all' ? paths : touched.map(page => resolve(root, page)));
      tellWaiting();
    }
  } finally {
    changes.close();
  }
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
    this.#timer = undefined;
    // While a run goes on, changes are gathered for the time after it.
    if (!this.#told) return;
    process.off('SIGINT', this.#onInterrupt);
    process.off('SIGTERM', this.#onInterrupt);
    if (files) this.#changed = new Set();
    this.#told(files);
    this.#told = undefined;
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#watcher.close();
  }
}
