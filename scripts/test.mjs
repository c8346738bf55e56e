// Hands the tests to Node's own runner, several files at a time.
//   npm test -- [WORD…] [--changed[=REVISION]]
// Words narrow the files. --changed leaves those that a change touches since the last commit, or since a revision.
// --full runs those of hardening alone, at their full length.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { changedSince, inputsOf, startsProgram, touchedBy } from './changed.mjs';
import { bundleOf, bundleTests, testFiles } from './test-bundles.mjs';

const words = process.argv.slice(2);
const narrow = words.filter(word => !word.startsWith('--'));
const isFull = words.includes('--full');
const [, since = 'HEAD'] = words.find(word => /^--changed(?:=|$)/.test(word))?.split('=') ?? [];
const isChanged = words.some(word => word.startsWith('--changed'));

function stop(code, message) {
  console.error(message);
  process.exit(code);
}

let files = testFiles().filter(
  file =>
    (!isFull || file.startsWith('test/hardening/')) &&
    (narrow.length === 0 || narrow.some(part => file.includes(part))),
);
if (files.length === 0)
  stop(2, `No test file has ${narrow.map(each => `'${each}'`).join(' or ')} in its path.`);
const inputs = inputsOf(files, await bundleTests(files, 'build/test'));
if (isChanged) {
  const changed = changedSince(since);
  const touched = touchedBy(changed, inputs);
  const left = files.filter(file => startsProgram(inputs.get(file)) && !touched.includes(file));
  const told = `${changed.length} changed since ${since}: ${touched.length} of ${files.length} test files are touched`;
  console.error(
    `${told}${left.length > 0 ? `; ${left.length} that start the program are left to a run of all` : ''}.`,
  );
  if (touched.length === 0) process.exit(0);
  files = touched;
}
if (files.some(file => startsProgram(inputs.get(file))) || !existsSync('dist/NOTICES.txt'))
  if (spawnSync(process.execPath, ['scripts/ready.mjs'], { stdio: 'inherit' }).status !== 0) process.exit(1);
const { status } = spawnSync(
  process.execPath,
  [
    ...['--enable-source-maps', '--test', `--test-concurrency=${availableParallelism()}`],
    ...files.map(file => bundleOf(file, 'build/test')),
  ],
  { stdio: 'inherit', env: { ...process.env, ...(isFull && { MERVOK_HARDENING: 'full' }) } },
);
process.exit(status ?? 1);
