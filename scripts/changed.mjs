// Which test files a change touches.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';

/** Layers of the code that have tests of their own; all others are tested by the built program alone. */
const tested = /^src\/(?:core|platform|reports)\//;
/** What starts the built program. */
export const startsProgram = inputs => inputs.has('test/support/program.ts');

/** What differs from a revision, files that are not under Git yet too. */
export function changedSince(revision) {
  const git = (...args) => {
    const { status, stdout, stderr } = spawnSync('git', args, { encoding: 'utf8' });
    if (status === 0) return stdout.split('\n').filter(line => line !== '');
    console.error(stderr.trim());
    return process.exit(2);
  };
  return [
    ...git('diff', '--name-only', '--relative', revision),
    ...git('ls-files', '--others', '--exclude-standard'),
  ];
}

/** By test file: all that goes into it, what it loads only where it is used too. */
export function inputsOf(files, metafile) {
  return new Map(
    files.map(file => {
      const inputs = new Set([file]);
      for (const input of inputs)
        for (const { path } of metafile.inputs[input]?.imports ?? []) inputs.add(path);
      return [file, inputs];
    }),
  );
}

/**
 * Which test files look at something that was changed: what goes into them, or a file that they name. Those that start the
 * program look at all of it; where a change is in what has tests of its own, they are left to a run of all tests.
 * @param inputs by test file
 */
export function touchedBy(changed, inputs) {
  const isProgram = changed.some(path => /^(?:src|demo|scripts)\//.test(path) && !tested.test(path));
  const texts = new Map();
  const names = (file, path) => {
    if (!texts.has(file)) texts.set(file, existsSync(file) ? readFileSync(file, 'utf8') : '');
    return texts.get(file).includes(path);
  };
  return [...inputs.keys()].filter(file => {
    const own = inputs.get(file);
    if (isProgram && startsProgram(own)) return true;
    return changed.some(path => own.has(path) || names(file, path));
  });
}
