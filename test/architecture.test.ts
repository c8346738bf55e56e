import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { test } from 'node:test';

const files = readdirSync('src', { recursive: true })
  .map(file => join('src', String(file)))
  .filter(file => file.endsWith('.ts'));

const sources = new Map(files.map(file => [file, readFileSync(file, 'utf8')]));

/** What a file imports: values and types, at once and later. */
const imports = (file: string) =>
  [...sources.get(file)!.matchAll(/(?:from|import\()\s*'([^']+)'/g)].map(([, path]) =>
    path!.startsWith('.') ? normalize(join(dirname(file), path!)) : path!,
  );

/** All folders, from the ground up: each may import from those before it in this list, and from itself. */
const order = [
  'src/core/model',
  'src/core/text',
  'src/core/values',
  'src/core/language',
  'src/core/definition',
  'src/core/secrecy',
  'src/core/yaml',
  'src/core/auth',
  'src/core/settings',
  'src/core/steps',
  'src/core/pages',
  'src/core/analysis',
  'src/core/record',
  'src/core/runner',
  'src/core/replay',
  'src/core/examples',
  'src/core/suggest',
  'src/core/doubt',
  'src/core/contract',
  'src/core/stand-in',
  'src/interchange',
  'src/platform',
  'src/reports',
  'src/site',
  'src/ci',
  'src/api',
  'src/cli',
];
const floorOf = (file: string) => order.findIndex(folder => file.startsWith(`${folder}/`));

test('imports point down only, types included', () => {
  for (const file of files) {
    const own = floorOf(file);
    assert.ok(own >= 0, `${file} stands in a folder that has no place in the order`);
    for (const path of imports(file)) {
      const other = floorOf(path);
      assert.ok(other <= own, `${file} imports ${path}, which stands above it`);
      const outer = [order[own], order[other]].sort().join();
      assert.notEqual(outer, 'src/platform,src/reports', `${file} imports ${path}, which stands beside it`);
    }
  }
});

/** The folder of a kind of step or of authorization. */
const kindOf = (path: string) => /^src\/core\/(?:steps|auth)\/[a-z\d-]+(?=\/)/.exec(path)?.[0];

test('a kind of step or of authorization knows no other one but those that it is made of', () => {
  // A check is part of what repeats and skips.
  const shared = 'src/core/steps/check';
  for (const file of files) {
    const own = kindOf(file);
    if (own === undefined) continue;
    for (const path of imports(file)) {
      const other: string = kindOf(path) ?? own;
      const isAlike = dirname(other) === dirname(own);
      assert.ok(other === own || other === shared || !isAlike, `${file} imports ${path}`);
    }
  }
});

test('the runner knows steps, and no kind of them', () => {
  for (const file of files.filter(each => each.startsWith('src/core/runner/')))
    for (const path of imports(file))
      assert.ok(
        !/^src\/core\/(?:steps\/(?:kinds\.ts|[a-z-]+\/)|auth\/)/.test(path),
        `${file} imports ${path}`,
      );
});

test('the core touches nothing outside: no network, no files, no terminal', () => {
  const outside =
    /^(?:node:(?:fs|http|https|http2|net|tls|dgram|child_process|readline|process|os|worker_threads)(?:\/|$)|undici|commander)/;
  for (const file of files.filter(each => each.startsWith('src/core/'))) {
    for (const path of imports(file)) assert.ok(!outside.test(path), `${file} imports ${path}`);
    assert.ok(
      !/console\.|process\.(?:env|argv|stdout|stderr|exit|cwd)/.test(readFileSync(file, 'utf8')),
      file,
    );
  }
});

test('no file imports itself in a circle, types included', () => {
  const done = new Set<string>();
  const visit = (file: string, trail: string[]) => {
    assert.ok(!trail.includes(file), [...trail, file].join(' → '));
    if (done.has(file)) return;
    for (const next of imports(file)) if (sources.has(next)) visit(next, [...trail, file]);
    done.add(file);
  };
  for (const file of files) visit(file, []);
});

test('files stay short', () => {
  for (const file of files) {
    const lines = readFileSync(file, 'utf8').split('\n').length;
    assert.ok(lines <= 360, `${file} has ${lines} lines`);
  }
});

test('what is looked up by words that users write is a map, or has no prototype', () => {
  for (const file of files) {
    const [table] =
      /const (\w+): \{ readonly \[\w+: string\]: [^=]*\} = \{/.exec(readFileSync(file, 'utf8')) ?? [];
    assert.equal(table, undefined, `${file}: ${table}`);
  }
});
