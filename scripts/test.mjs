// Bundles the tests beside the built program and hands them to Node's own runner. Words narrow the files; --full runs
// those of hardening alone, at their full length.
import { spawnSync } from 'node:child_process';
import { readdirSync, rmSync } from 'node:fs';
import * as esbuild from 'esbuild';

const words = process.argv.slice(2);
const narrow = words.filter(word => !word.startsWith('--'));
const isFull = words.includes('--full');
const files = readdirSync('test', { recursive: true })
  .map(file => `test/${file}`)
  .filter(
    file =>
      file.endsWith('.test.ts') &&
      (!isFull || file.startsWith('test/hardening/')) &&
      (narrow.length === 0 || narrow.some(part => file.includes(part))),
  );
rmSync('build/test', { recursive: true, force: true });
await esbuild.build({
  entryPoints: files,
  outdir: 'build/test',
  outbase: 'test',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  splitting: true,
  packages: 'external',
  platform: 'node',
  format: 'esm',
  target: 'node20.18',
  sourcemap: 'inline',
  define: { __MERVOK_VERSION__: '"test"' },
  loader: { '.pem': 'text', '.key': 'text', '.css': 'text', '.client.js': 'text' },
  logLevel: 'warning',
});
const built = files.map(file => `build/${file.replace(/\.ts$/, '.mjs')}`);
const { status } = spawnSync(process.execPath, ['--enable-source-maps', '--test', ...built], {
  stdio: 'inherit',
  env: { ...process.env, ...(isFull && { MERVOK_HARDENING: 'full' }) },
});
process.exit(status ?? 1);
