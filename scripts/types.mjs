// Writes the types of the library into dist/types: what src/api says, and of everything else only what that refers to.
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';

const [all, target] = ['build/types', 'dist/types'];

export function writeTypes() {
  rmSync(all, { recursive: true, force: true });
  const options = '--noEmit false --declaration --emitDeclarationOnly --stripInternal --rootDir src --outDir';
  const { status, stdout } = spawnSync(
    process.execPath,
    ['node_modules/typescript/bin/tsc', '-p', 'src/api', ...options.split(' '), all],
    { encoding: 'utf8' },
  );
  if (status !== 0) throw new Error(`The types of the library cannot be written:\n${stdout}`);
  take('api/index.d.ts', new Set());
}

/** A file of types, and all that it refers to; a package would not be there for those who use them. */
function take(file, taken) {
  if (taken.has(file)) return;
  taken.add(file);
  const text = readFileSync(join(all, file), 'utf8');
  const own = text.replace(/((?:from|import\()\s*')([^']+)\.ts'/g, "$1$2.js'");
  mkdirSync(dirname(join(target, file)), { recursive: true });
  writeFileSync(join(target, file), own);
  for (const [, path] of text.matchAll(/(?:from|import\()\s*'([^']+)'/g)) {
    if (!path.startsWith('.')) throw new Error(`The types of the library refer to '${path}', in ${file}.`);
    take(normalize(join(dirname(file), path)).replace(/\.ts$/, '.d.ts'), taken);
  }
}
