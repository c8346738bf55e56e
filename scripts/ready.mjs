// Makes a clean clone ready: installs what package-lock.json names if that is not installed yet, then builds.
import { spawnSync } from 'node:child_process';
import { existsSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const installed = join(root, 'node_modules', '.package-lock.json');
const wanted = join(root, 'package-lock.json');

function run(command, args) {
  const { status } = spawnSync(command, args, { cwd: root, stdio: ['ignore', 'ignore', 'inherit'] });
  if (status !== 0) process.exit(status ?? 1);
}

if (!existsSync(installed) || statSync(installed).mtimeMs < statSync(wanted).mtimeMs) {
  console.error('Installing packages …');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
}
console.error('Building …');
run(process.execPath, [join(root, 'scripts', 'build.mjs')]);
