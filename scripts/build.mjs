// Bundles the program into dist/: one small entry, and a chunk for each part that is loaded only where it is used.
// --readable keeps names and lines as they are written, for profiles.
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as esbuild from 'esbuild';
import { writeTypes } from './types.mjs';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
process.chdir(root);
const { version } = JSON.parse(readFileSync('package.json', 'utf8'));

/** Parts of packages that Mervok never reaches, and that would only be read and compiled at every start. */
const empty = new Map([
  // markdown-it looks for bare links, entities and punctuation in running text; Mervok only cuts pages into blocks.
  ['linkify-it', 'export default class {}'],
  ['entities', 'export const decodeHTML = text => text; export const decodeHTMLStrict = decodeHTML;'],
  ['uc.micro', 'export const P = /[^]/, S = /[^]/, Any = /[^]/, Cc = /[^]/, Cf = /[^]/, Z = /[^]/;'],
  ['./parser_inline.mjs', 'export default class { ruler = { enableOnly() {} }; ruler2 = this.ruler; }'],
  ['./renderer.mjs', 'export default class {}'],
  ['./rules_core/smartquotes.mjs', 'export default () => {};'],
  ['./rules_core/replacements.mjs', 'export default () => {};'],
  ['./rules_core/linkify.mjs', 'export default () => {};'],
  // Only bodies of fetch(), such as FormData, are read with these.
  ['../web/fetch/body.js', 'module.exports = {};'],
  ['no-child-process', 'module.exports = {};'],
  // The client asks these two for a limit, which it is given, for a class, which it never meets, and for plain checks.
  ['no-http', 'module.exports = { maxHeaderSize: 16384, IncomingMessage: class {} };'],
  [
    'no-assert',
    `const assert = (value, message) => { if (!value) throw message instanceof Error ? message : new Error(message ?? 'undici: broken assertion'); };
     assert.strictEqual = assert.equal = (a, b, message) => assert(a === b, message);
     assert.notStrictEqual = (a, b, message) => assert(a !== b, message);
     module.exports = assert;`,
  ],
]);

const trimmed = {
  name: 'trimmed',
  setup(build) {
    build.onResolve({ filter: /./ }, ({ path, importer }) => {
      // What reads HTML needs its entities.
      const needed = path === 'entities' && !importer.includes('/markdown-it/');
      return empty.has(path) && !needed ? { path, namespace: 'empty' } : undefined;
    });
    // For Node the package offers CommonJS, which cannot be trimmed and starts slower; its modules are the same.
    build.onResolve({ filter: /^yaml$/ }, () => ({
      path: join(root, 'node_modules/yaml/browser/dist/index.js'),
    }));
    // commander can start other programs as commands; Mervok has none.
    build.onResolve({ filter: /^node:child_process$/ }, ({ importer }) =>
      importer.includes('/commander/') ? { path: 'no-child-process', namespace: 'empty' } : undefined,
    );
    build.onResolve({ filter: /^node:(?:http|assert)$/ }, ({ path, importer }) =>
      importer.includes('/undici/') ? { path: path.replace('node:', 'no-'), namespace: 'empty' } : undefined,
    );
    build.onLoad({ filter: /./, namespace: 'empty' }, ({ path }) => ({ contents: empty.get(path) }));
    // The HTTP/1 client asks for node:http2 (several milliseconds) although it may never speak it.
    build.onLoad({ filter: /undici\/lib\/dispatcher\/client\.js$/ }, ({ path }) => ({
      contents: replaceEach(
        readFileSync(path, 'utf8'),
        "const connectH2 = require('./client-h2.js')",
        "const connectH2 = (...args) => require('./client-h2.js')(...args)",
      ),
    }));
    // Its parser comes twice; the one for processors without SIMD stays in a file of its own, read only there.
    build.onLoad({ filter: /undici\/lib\/dispatcher\/client-h1\.js$/ }, ({ path }) => ({
      contents: replaceEach(
        replaceEach(
          readFileSync(path, 'utf8'),
          "require('../llhttp/llhttp-wasm.js')",
          "require('./llhttp-plain.cjs')",
        ),
        // A server may say 100 without being asked (RFC 9110, 15.2); it is an interim response like any other.
        'if (statusCode === 100) {',
        'if (false) {',
      ),
    }));
    build.onResolve({ filter: /^\.\/llhttp-plain\.cjs$/ }, ({ path }) => ({ path, external: true }));
    // Its bytes lie beside it, rather than as a text that every start has to read and decode.
    build.onLoad({ filter: /undici\/lib\/llhttp\/llhttp_simd-wasm\.js$/ }, () => ({
      contents: "module.exports = require('node:fs').readFileSync(new URL('./llhttp.wasm', mervokUrl));",
    }));
  },
};

/** Replaces a text that has to be there: another version of a package must not lose the change in silence. */
function replaceEach(text, from, to) {
  if (!text.includes(from)) throw new Error(`Nothing to replace: ${from}`);
  return text.replaceAll(from, to);
}

/** What the program loads only where it is used, each as a file of its own: its source, or a package. */
const parts = new Set([
  'src/cli/program.ts',
  'src/cli/exchange-output.ts',
  'src/cli/interactive-commands.ts',
  'src/platform/http/client.ts',
  'src/platform/auth/digest/digest.ts',
  'src/platform/variable-files-library.ts',
  'src/core/settings/libraries.ts',
  'src/core/language/documents/html-library.ts',
  'src/core/language/documents/schema-library.ts',
  'src/core/language/dates-library.ts',
  'src/core/values/workbook-library.ts',
  'src/reports/width.ts',
  'src/reports/formats.ts',
  'src/reports/page/report.ts',
  'src/reports/pdf/report.ts',
  'src/reports/spreadsheet.ts',
  'demo/harbour/server.ts',
  'csv-parse',
  'fontoxpath',
  'oauth4webapi',
  're2js',
  'slimdom',
  'tough-cookie',
]);
/** What shows running text needs all of markdown-it. */
const untrimmed = new Set(['src/reports/page/report.ts']);
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
  plugins: [apart, trimmed],
  metafile: true,
  loader: { '.pem': 'text', '.key': 'text', '.css': 'text', '.client.js': 'text' },
  logLevel: 'warning',
};

/** CommonJS, loaded by require(): Node starts it a twentieth faster than modules. */
async function bundle(source, file, banner = '', plugins = common.plugins) {
  const result = await esbuild.build({
    ...common,
    plugins,
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
for (const part of parts)
  metafiles.push(await bundle(part, fileOf(part), here, untrimmed.has(part) ? [apart] : common.plugins));
await esbuild.build({
  ...common,
  plugins: [trimmed],
  entryPoints: ['src/api/index.ts'],
  outfile: 'dist/api.js',
  format: 'esm',
  banner: {
    js: "import { createRequire } from 'node:module'; const mervokUrl = import.meta.url, require = createRequire(mervokUrl);",
  },
});
writeTypes();
writeFileSync('dist/llhttp.wasm', createRequire(import.meta.url)('undici/lib/llhttp/llhttp_simd-wasm.js'));
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
