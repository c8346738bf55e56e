// Bundles test files so that Node's own runner takes them, with the packages as they ship.
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

/** All test files, as `test/core/engine.test.ts`. */
export const testFiles = () =>
  readdirSync('test', { recursive: true })
    .map(file => `test/${file}`)
    .filter(file => file.endsWith('.test.ts'));

/** Where the bundle of a test file is, below the folder of the bundles. */
export const bundleOf = (file, folder) => file.replace(/^test/, folder).replace(/\.ts$/, '.mjs');

/**
 * Bundles test files into a folder, which is emptied.
 * @param plugins of esbuild that come first
 * @returns by esbuild: which sources went into which bundle
 */
export async function bundleTests(files, folder, { plugins = [], sourcemap = 'inline', write = true } = {}) {
  if (write) rmSync(folder, { recursive: true, force: true });
  const { metafile } = await esbuild.build({
    entryPoints: files,
    outdir: folder,
    outbase: 'test',
    outExtension: { '.js': '.mjs' },
    bundle: true,
    splitting: true,
    plugins: [...plugins, ...patched],
    external: testsAlone,
    platform: 'node',
    format: 'esm',
    target: 'node20.18',
    sourcemap,
    write,
    metafile: true,
    define: { __MERVOK_VERSION__: '"test"', 'import.meta.url': 'mervokUrl' },
    banner: { js: asShipped },
    loader: { '.pem': 'text', '.key': 'text', '.css': 'text', '.client.js': 'text' },
    logLevel: 'warning',
  });
  return metafile;
}
