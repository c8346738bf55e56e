// Bundles the program into dist/: one small entry, and a chunk for each part that is loaded only where it is used.
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as esbuild from 'esbuild';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
process.chdir(root);
const { version } = JSON.parse(readFileSync('package.json', 'utf8'));

// Some bundled packages are CommonJS and ask for Node's modules with require().
const banner = {
  js: "import { createRequire as mervokRequire } from 'node:module'; const require = mervokRequire(import.meta.url);",
};

/** Parts of packages that Mervok never reaches, and that would only be read and compiled at every start. */
const trimmed = {
  name: 'trimmed',
  setup(build) {
    // markdown-it looks for bare links in running text; pages are only cut into headings and fences.
    build.onResolve({ filter: /^linkify-it$/ }, () => ({ path: 'linkify-it', namespace: 'empty' }));
    build.onLoad({ filter: /.*/, namespace: 'empty' }, () => ({ contents: 'export default class {}' }));
    // The HTTP/1 client asks for node:http2 (several milliseconds) although it may never speak it.
    build.onLoad({ filter: /undici\/lib\/dispatcher\/client\.js$/ }, ({ path }) => ({
      contents: readFileSync(path, 'utf8').replace(
        "const connectH2 = require('./client-h2.js')",
        "const connectH2 = (...args) => require('./client-h2.js')(...args)",
      ),
    }));
  },
};

rmSync('dist', { recursive: true, force: true });
const result = await esbuild.build({
  entryPoints: { mervok: 'src/cli/main.ts', core: 'src/core/index.ts' },
  outdir: 'dist',
  bundle: true,
  splitting: true,
  minify: true,
  platform: 'node',
  format: 'esm',
  target: 'node20.18',
  chunkNames: 'parts/[name]-[hash]',
  define: { __MERVOK_VERSION__: JSON.stringify(version) },
  plugins: [trimmed],
  banner,
  metafile: true,
  logLevel: 'warning',
});
cpSync('demo/collection', 'dist/collection', { recursive: true });

/** Everything bundled brings its licence along. */
const names = new Set(
  Object.keys(result.metafile.inputs).flatMap(
    path => /node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(path)?.[1] ?? [],
  ),
);
const notices = [...names].sort().map(name => {
  const folder = join('node_modules', name);
  const { version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
  const file = readdirSync(folder).find(entry => /^licen[cs]e/i.test(entry));
  return `${name} ${version} (${license})\n\n${file ? readFileSync(join(folder, file), 'utf8').trim() : ''}`;
});
mkdirSync('dist', { recursive: true });
writeFileSync('dist/NOTICES.txt', `${notices.join(`\n\n${'-'.repeat(72)}\n\n`)}\n`);
