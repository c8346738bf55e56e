import assert from 'node:assert/strict';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { partsOf } from '../../src/platform/compiled-parts.ts';
import { folderWith } from '../support/folder.ts';

const isBuiltIn = 'enableCompileCache' in process.getBuiltinModule('node:module');
const require = createRequire(import.meta.url);

/** A program of several parts; what it keeps it keeps beside itself. */
function program(t: TestContext) {
  const folder = folderWith(t, {
    'first.cjs':
      'const other = require("./second.cjs"); exports.name = "first"; exports.other = other.name; exports.seen = [__dirname, __filename, typeof module.exports];',
    'second.cjs':
      'exports.name = "second"; exports.back = require("./first.cjs").name; exports.path = require("node:path").sep;',
    'third.cjs': 'module.exports = () => "third";',
  });
  const { NODE_DISABLE_COMPILE_CACHE: off } = process.env;
  delete process.env.NODE_DISABLE_COMPILE_CACHE;
  t.after(() => {
    if (off !== undefined) process.env.NODE_DISABLE_COMPILE_CACHE = off;
  });
  const kept = () =>
    existsSync(join(folder, 'compiled')) ? readdirSync(join(folder, 'compiled')).sort() : [];
  /** A process that loads parts and ends. */
  const start = (...names: string[]) => {
    const before = process.listeners('exit');
    const load = partsOf(folder, require);
    const loaded = names.map(name => load(name));
    for (const listener of process.listeners('exit'))
      if (!before.includes(listener)) {
        process.removeListener('exit', listener);
        listener.call(process, 0);
      }
    return loaded;
  };
  return { folder, start, kept };
}

test('parts are loaded once, may ask for each other, and for anything else', { skip: isBuiltIn }, t => {
  const { folder, start } = program(t);
  const [first, again, path, third] = start('./first.cjs', './first.cjs', 'node:path', './third.cjs');
  assert.deepEqual(first, {
    name: 'first',
    other: 'second',
    seen: [folder, join(folder, 'first.cjs'), 'object'],
  });
  assert.equal(first, again);
  assert.equal(path, require('node:path'));
  assert.equal((third as () => string)(), 'third');
  assert.throws(() => start('./none.cjs'), /ENOENT/);
});

test('what was compiled is kept at the end, and made anew by whoever loads more', { skip: isBuiltIn }, t => {
  const { folder, start, kept } = program(t);
  start();
  assert.deepEqual(kept(), []);
  start('./third.cjs');
  assert.equal(kept().length, 1);
  const contents = () => kept().map(name => readFileSync(join(folder, 'compiled', name), 'latin1'));
  const [before] = contents();
  start('./third.cjs');
  assert.deepEqual(contents(), [before]);
  start('./first.cjs', './third.cjs');
  assert.equal(kept().length, 3);
  const all = contents();
  assert.ok(!all.includes(before!));
  start('./first.cjs');
  assert.deepEqual(contents(), all);
});

test('nothing is kept where that is switched off', t => {
  const { folder, kept } = program(t);
  process.env.NODE_DISABLE_COMPILE_CACHE = '1';
  assert.equal(partsOf(folder, require), require);
  delete process.env.NODE_DISABLE_COMPILE_CACHE;
  assert.deepEqual(kept(), []);
});
