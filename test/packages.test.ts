import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { test } from 'node:test';
import { pathToFileURL } from 'node:url';
import * as esbuild from 'esbuild';

interface Patch {
  readonly name: string;
  /** The one that it was made for. */
  readonly version: string;
  readonly setup: esbuild.Plugin['setup'];
}

const { patches }: { patches: readonly Patch[] } = await import(
  pathToFileURL(resolve('scripts/packages/index.mjs')).href
);

/** What a module comes to with a patch, or without any. */
async function bundled(source: string, patch?: Patch): Promise<string> {
  const { outputFiles } = await esbuild.build({
    stdin: { contents: `export * from '${source}'`, resolveDir: '.' },
    bundle: true,
    write: false,
    platform: 'node',
    format: 'cjs',
    define: { 'import.meta.url': 'mervokUrl' },
    plugins: patch ? [{ name: patch.name, setup: patch.setup }] : [],
    logLevel: 'silent',
  });
  return outputFiles[0]!.text;
}

/** Where each package is used that is changed, and what shows that it is. */
const shows: { readonly [name: string]: { source: string; gone: string; stays: string } } = {
  commander: { source: 'commander', gone: 'require("node:child_process")', stays: 'parseAsync' },
  'markdown-it': { source: './src/core/pages/markdown-blocks.ts', gone: 'LinkifyIt', stays: 'StateBlock' },
  mysql2: {
    source: './src/platform/query/mariadb-client.ts',
    gone: 'dbcs-data.js',
    stays: 'createConnection',
  },
  pg: {
    source: './src/platform/query/postgres-client.ts',
    gone: 'process.env.PGSSLMODE',
    stays: 'startup',
  },
  '@jitl/quickjs-wasmfile-release-sync': {
    source: './src/platform/script/engine.ts',
    gone: 'mervokUrl',
    stays: 'QuickJSRaw',
  },
  undici: {
    source: './src/platform/http/client.ts',
    gone: 'if (statusCode === 100) {',
    stays: 'onHeadersComplete',
  },
  yaml: {
    source: './src/core/yaml/yaml-library.ts',
    gone: 'node_modules/yaml/dist/',
    stays: 'node_modules/yaml/browser/',
  },
};

for (const patch of patches) {
  const { name, version } = patch;
  test(`what is changed of ${name} is what there is, and of the version that it was made for`, async () => {
    const installed = JSON.parse(readFileSync(`node_modules/${name}/package.json`, 'utf8')).version;
    assert.equal(installed, version, `look through scripts/packages/${name}.mjs again`);
    const { source, gone, stays } = shows[name]!;
    const [before, after] = [await bundled(source), await bundled(source, patch)];
    assert.ok(before.includes(gone), `${name} has nothing like ${gone} any more`);
    assert.ok(!after.includes(gone) && after.includes(stays));
  });
}

test('reports that lay out running text get all of a package that is trimmed for others', async () => {
  const markdown = patches.find(({ name }) => name === 'markdown-it')!;
  const page = await bundled('./src/reports/page/prose-markup.ts', markdown);
  assert.ok(page.includes('LinkifyIt') && !page.includes('ruler2 = this.ruler'));
});
