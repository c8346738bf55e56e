import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { test } from 'node:test';

const files = readdirSync('src', { recursive: true })
  .map(file => join('src', String(file)))
  .filter(file => file.endsWith('.ts'));

const imports = (file: string) =>
  [...readFileSync(file, 'utf8').matchAll(/(?:from|import\()\s*'([^']+)'/g)].map(([, path]) =>
    path!.startsWith('.') ? normalize(join(dirname(file), path!)) : path!,
  );

/** Each folder may import from those behind it in this list, and from itself. */
const layers = ['src/cli', 'src/reports', 'src/platform', 'src/core'];

test('imports point down only', () => {
  for (const file of files) {
    const own = layers.findIndex(layer => file.startsWith(`${layer}/`));
    for (const path of imports(file)) {
      const other = layers.findIndex(layer => path.startsWith(`${layer}/`));
      const sideways = [own, other].sort().join() === '1,2';
      assert.ok(other < 0 || (other >= own && !sideways), `${file} imports ${path}`);
    }
  }
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

test('no file of the core imports itself in a circle of values', () => {
  const values = (file: string) =>
    [...readFileSync(file, 'utf8').matchAll(/^(?:import|export) (?!type )(?:[^;]*?)from\s*'(\.[^']+)'/gm)]
      .filter(([text]) => !/^import \{(?:\s*type \w+,?)+\s*\}/.test(text!))
      .map(([, path]) => normalize(join(dirname(file), path!)));
  const done = new Set<string>();
  const visit = (file: string, trail: string[]) => {
    assert.ok(!trail.includes(file), [...trail, file].join(' → '));
    if (done.has(file)) return;
    for (const next of values(file)) visit(next, [...trail, file]);
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
