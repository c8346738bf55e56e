// Bundles the tests beside the built program and hands them to Node's own runner. Words narrow the files; --full runs
// those of hardening alone, at their full length.
import { spawnSync } from 'node:child_process';
import { readdirSync, rmSync } from 'node:fs';
import * as esbuild from 'esbuild';
import { patched } from './packages/index.mjs';

/** Packages that only tests use; all others are tested as they ship. */
const testsAlone = ['esbuild', 'har-schema', 'playwright-core', 'tap-parser', 'xmllint-wasm'];
/** What bundled packages find around them in the program. */
const asShipped = `import { createRequire as requireFrom } from 'node:module';
import { pathToFileURL as urlOf } from 'node:url';
const require = requireFrom(import.meta.url);
const [__dirname, __filename] = [process.cwd() + '/dist', process.cwd() + '/dist/mervok.cjs'];
const mervokUrl = urlOf(__filename).href;`;

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
  plugins: patched,
  external: testsAlone,
  platform: 'node',
  format: 'esm',
  target: 'node20.18',
  sourcemap: 'inline',
  define: { __MERVOK_VERSION__: '"test"' },
  banner: { js: asShipped },
  loader: { '.pem': 'text', '.key': 'text', '.css': 'text', '.client.js': 'text' },
  logLevel: 'warning',
});
const built = files.map(file => `build/${file.replace(/\.ts$/, '.mjs')}`);
const { status } = spawnSync(process.execPath, ['--enable-source-maps', '--test', ...built], {
  stdio: 'inherit',
  env: { ...process.env, ...(isFull && { MERVOK_HARDENING: 'full' }) },
});
process.exit(status ?? 1);
