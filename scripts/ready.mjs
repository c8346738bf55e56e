// Makes a clean clone ready: installs what package-lock.json names if that is not installed yet, then builds if a source
// is newer than what was built. --packages installs only.
import { spawnSync } from 'node:child_process';
import { readdirSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
/** When something was changed last; it may not be there. */
const changed = path => statSync(join(root, path), { throwIfNoEntry: false })?.mtimeMs ?? 0;

function run(command, args) {
  const { status } = spawnSync(command, args, { cwd: root, stdio: ['ignore', 'ignore', 'inherit'] });
  if (status !== 0) process.exit(status ?? 1);
}

if (changed('node_modules/.package-lock.json') < changed('package-lock.json')) {
  console.error('Installing packages …');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
}
if (!process.argv.includes('--packages')) {
  // Folders count too, since a file may be gone.
  const sources = ['src', 'demo', 'scripts'].flatMap(folder => [
    folder,
    ...readdirSync(join(root, folder), { recursive: true })
      .filter(path => !path.includes('.mervok'))
      .map(path => join(folder, path)),
  ]);
  const newest = Math.max(...[...sources, 'package.json', 'package-lock.json', 'tsconfig.json'].map(changed));
  // The last thing that a build writes.
  if (changed('dist/NOTICES.txt') <= newest) {
    console.error('Building …');
    run(process.execPath, [join(root, 'scripts', 'build.mjs')]);
  }
}
