// Bundles the program into dist/: one small entry, and a chunk for each part that is loaded only where it is used.
// --readable keeps names and lines as they are written, for profiles.
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as esbuild from 'esbuild';
import { patched } from './packages/index.mjs';
import { writeTypes } from './types.mjs';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
process.chdir(root);
const { version } = JSON.parse(readFileSync('package.json', 'utf8'));

/** What the program loads only where it is used, each as a file of its own: its source, or a package. */
const parts = new Set([
  'src/cli/program.ts',
  'src/cli/exchange-output.ts',
  'src/cli/interactive-commands.ts',
  'src/cli/help-topics.ts',
  'src/cli/answering-commands.ts',
  'src/cli/trust-commands.ts',
  'src/cli/open-threads.ts',
  'src/cli/run-thread.ts',
  'src/cli/open-machines.ts',
  'src/cli/worker.ts',
  'src/cli/share-thread.ts',
  'src/platform/http/client.ts',
  'src/platform/command/run-command.ts',
  'src/platform/query/databases.ts',
  'src/platform/query/postgres.ts',
  'src/platform/query/mariadb.ts',
  'src/platform/query/sqlite.ts',
  'src/platform/query/sqlite-library.ts',
  'src/platform/query/sqlite-process.ts',
  'src/platform/script/script-threads.ts',
  'src/platform/script/worker.ts',
  'src/core/steps/script/parser-library.ts',
  'src/platform/auth/digest/digest-header.ts',
  'src/platform/variable-files-library.ts',
  'src/core/analysis/remedies-library.ts',
  'src/core/definition/index.ts',
  'src/interchange/index.ts',
  'src/ci/write-configuration.ts',
  'src/core/definition/standard/validators.ts',
  'src/core/settings/libraries.ts',
  'src/core/language/documents/html-library.ts',
  'src/core/language/documents/schema-library.ts',
  'src/core/language/dates-library.ts',
  'src/core/values/workbook-library.ts',
  'src/reports/width.ts',
  'src/reports/formats.ts',
  'src/reports/page/report.ts',
  'src/reports/page/coverage-page.ts',
  'src/reports/doubt/page.ts',
  'src/reports/pdf/report.ts',
  'src/reports/spreadsheet.ts',
  'demo/harbour/server.ts',
  'chokidar',
  'csv-parse',
  'csv-parse/sync',
  'fontoxpath',
  'ignore',
  'oauth4webapi',
  're2js',
  'slimdom',
  'tough-cookie',
]);
const fileOf = part =>
  `${part
    .replace(/^(?:src|demo)\//, '')
    .replace(/\.ts$/, '')
    .replaceAll('/', '-')}.cjs`;

const apart = {
  name: 'apart',
  setup(build) {
    build.onResolve({ filter: /./ }, ({ path, kind, resolveDir }) => {
      if (kind !== 'dynamic-import') return undefined;
      const part = path.startsWith('.') ? relative(root, join(resolveDir, path)) : path;
      return parts.has(part) ? { path: `./${fileOf(part)}`, external: true } : undefined;
    });
  },
};

rmSync('dist', { recursive: true, force: true });
const common = {
  bundle: true,
  minify: !process.argv.includes('--readable'),
  platform: 'node',
  target: 'node20.18',
  define: { __MERVOK_VERSION__: JSON.stringify(version), 'import.meta.url': 'mervokUrl' },
  plugins: [apart, ...patched],
  metafile: true,
  loader: {
    '.pem': 'text',
    '.key': 'text',
    '.css': 'text',
    '.md': 'text',
    '.client.js': 'text',
  },
  logLevel: 'warning',
};

/** CommonJS, loaded by require(): Node starts it a twentieth faster than modules. */
async function bundle(source, file, banner = '') {
  const result = await esbuild.build({
    ...common,
    entryPoints: [source],
    outfile: join('dist', file),
    format: 'cjs',
    supported: { 'dynamic-import': false },
    banner: { js: banner },
  });
  return result.metafile;
}

const here = "'use strict'; const mervokUrl = require('node:url').pathToFileURL(__filename).href;";
const metafiles = [await bundle('src/cli/main.ts', 'mervok.cjs')];
for (const part of parts) metafiles.push(await bundle(part, fileOf(part), here));
await esbuild.build({
  ...common,
  plugins: patched,
  entryPoints: ['src/api/index.ts'],
  outfile: 'dist/api.js',
  format: 'esm',
  banner: {
    js: "import { createRequire } from 'node:module'; const mervokUrl = import.meta.url, require = createRequire(mervokUrl);",
  },
});
writeTypes();
writeFileSync('dist/llhttp.wasm', createRequire(import.meta.url)('undici/lib/llhttp/llhttp_simd-wasm.js'));
cpSync('node_modules/@jitl/quickjs-wasmfile-release-sync/dist/emscripten-module.wasm', 'dist/quickjs.wasm');
cpSync('node_modules/undici/lib/llhttp/llhttp-wasm.js', 'dist/llhttp-plain.cjs');
cpSync('demo/collection', 'dist/collection', {
  recursive: true,
  filter: path => !path.endsWith('/.mervok'),
});

const fonts = 'node_modules/dejavu-fonts-ttf';
for (const font of ['Sans', 'Sans-Bold', 'Serif', 'Serif-Bold', 'SansMono'])
  cpSync(`${fonts}/ttf/DejaVu${font}.ttf`, `dist/fonts/DejaVu${font}.ttf`);

/** Where a package does not name its licence in the usual way: as its file LICENSE has it. */
const licences = new Map([
  ['dejavu-fonts-ttf', 'Bitstream-Vera'],
  ['png-js', 'MIT'],
]);

/** Everything bundled brings its licence along. */
const bundled = [fonts, ...metafiles.flatMap(metafile => Object.keys(metafile.inputs))];
const names = new Set(bundled.flatMap(path => /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(path)?.[1] ?? []));
const notices = [...names].sort().map(name => {
  const folder = join('node_modules', name);
  const { version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
  const file = readdirSync(folder).find(entry => /^licen[cs]e/i.test(entry));
  const text = file ? readFileSync(join(folder, file), 'utf8').trim() : '';
  return `${name} ${version} (${licences.get(name) ?? license})\n\n${text}`;
});
mkdirSync('dist', { recursive: true });
writeFileSync('dist/NOTICES.txt', `${notices.join(`\n\n${'-'.repeat(72)}\n\n`)}\n`);
