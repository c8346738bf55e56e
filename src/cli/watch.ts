import { relative, resolve } from 'node:path';
import { affectedPages } from '../core/analysis/affected-pages.ts';
import { isUsageError } from '../core/model/usage-error.ts';
import type { Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';
import { Changes } from './watch-files.ts';

/** Runs, and tells what was made ready before anything is sent; nothing is where the answer is no. */
type RunOnce = (
  paths: readonly string[],
  onPrepared: (prepared: Prepared) => Promise<boolean>,
) => Promise<void>;

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
      await runOnce(chosen, async prepared => {
        last = prepared;
        // What changes while it runs counts too.
        changes ??= await Changes.of(prepared.root);
        if (chosen === paths) asked = new Set(prepared.plan.pages.map(page => page.file));
        return !changes.isInterrupted;
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
    await changes.close();
  }
}

function clock(): string {
  return new Date().toTimeString().slice(0, 8);
}
