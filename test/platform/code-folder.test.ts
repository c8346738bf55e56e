import assert from 'node:assert/strict';
import {
  chmodSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { CodeFolder, mostFiles, placesForCode } from '../../src/platform/code-folder.ts';
import { folderWith } from '../support/folder.ts';

const source = Buffer.from('exports.depth = 4.2;');
const kept = { parts: ['./program.cjs', './client.cjs'], code: Buffer.from('\n what was compiled \n of it') };

test('what is kept comes back for the same source alone, and only as it was written', t => {
  const place = join(folderWith(t), 'a', 'compiled');
  const folder = CodeFolder.make([place])!;
  assert.equal(lstatSync(place).mode & 0o777, 0o700);
  assert.equal(folder.read('./program.cjs', source), undefined);
  folder.write('./program.cjs', source, kept);
  assert.deepEqual(CodeFolder.find([place])!.read('./program.cjs', source), kept);
  const [name] = readdirSync(place) as [string];
  assert.match(name, /^program-[0-9a-f]{64}$/);
  assert.equal(lstatSync(join(place, name)).mode & 0o777, 0o600);
  assert.equal(folder.read('./program.cjs', Buffer.from('exports.depth = 4.3;')), undefined);
  assert.equal(folder.read('./client.cjs', source), undefined);
  const whole = readFileSync(join(place, name));
  for (let at = 0; at < whole.length; at++) {
    const damaged = Buffer.from(whole);
    damaged[at]! ^= 1;
    writeFileSync(join(place, name), damaged);
    assert.equal(folder.read('./program.cjs', source), undefined, String(at));
    writeFileSync(join(place, name), whole.subarray(0, at));
    assert.equal(folder.read('./program.cjs', source), undefined, String(at));
  }
});

test('only a folder that is nobody else’s is used, and no link is followed', t => {
  const root = folderWith(t, { file: 'no folder', 'elsewhere/x': '' });
  const [open, link, fine] = ['open', 'link', 'fine'].map(name => join(root, name)) as [
    string,
    string,
    string,
  ];
  mkdirSync(open);
  for (const mode of [0o755, 0o770, 0o707, 0o710, 0o701]) {
    chmodSync(open, mode);
    assert.equal(CodeFolder.find([open]), undefined, mode.toString(8));
    assert.equal(CodeFolder.make([open]), undefined, mode.toString(8));
  }
  chmodSync(join(root, 'elsewhere'), 0o700);
  symlinkSync(join(root, 'elsewhere'), link);
  const wrong = [open, link, join(root, 'file'), join(root, 'file', 'below')];
  assert.equal(CodeFolder.find(wrong), undefined);
  assert.equal(CodeFolder.make(wrong), undefined);
  assert.equal(CodeFolder.make([...wrong, fine])!.path, fine);
  assert.equal(CodeFolder.find([...wrong, fine])!.path, fine);
  if (process.getuid) {
    const own = process.getuid;
    process.getuid = () => own() + 1;
    assert.equal(CodeFolder.find([fine]), undefined, 'the folder of somebody else');
    process.getuid = own;
  }
  // A link in the place of what is kept.
  const folder = CodeFolder.make([fine])!;
  folder.write('./program.cjs', source, kept);
  const [name] = readdirSync(fine) as [string];
  const other = CodeFolder.make([join(root, 'other')])!;
  symlinkSync(join(fine, name), join(root, 'other', name));
  assert.equal(other.read('./program.cjs', source), undefined);
  other.write('./program.cjs', source, kept);
  assert.deepEqual(other.read('./program.cjs', source), kept);
  assert.ok(lstatSync(join(root, 'other', name)).isFile());
});

test('every part has room, under the flags of commands that send and of those that do not', () => {
  const [, parts = ''] =
    /const parts = new Set\(\[([\s\S]*?)\]\);/.exec(readFileSync('scripts/build.mjs', 'utf8')) ?? [];
  const count = parts.split('\n').filter(line => line.includes("'")).length;
  assert.ok(count > 30 && 3 * count < mostFiles, String(count));
});

test('what is not possible leaves nothing behind, and there are never many', t => {
  const place = join(folderWith(t), 'compiled');
  const folder = CodeFolder.make([place])!;
  folder.write('./program.cjs', source, kept);
  const [name] = readdirSync(place) as [string];
  // A folder stands in its place.
  const blocked = CodeFolder.make([join(place, 'blocked')])!;
  mkdirSync(join(blocked.path, name));
  assert.throws(() => blocked.write('./program.cjs', source, kept));
  assert.deepEqual(readdirSync(blocked.path), [name]);

  const many = CodeFolder.make([join(place, 'many')])!;
  const names: string[] = [];
  for (let version = 0; version < mostFiles + 2; version++) {
    many.write('./program.cjs', Buffer.from(`version ${version}`), kept);
    const added = readdirSync(many.path).find(each => !names.includes(each))!;
    names.push(added);
    utimesSync(join(many.path, added), version, version);
  }
  const left = readdirSync(many.path);
  assert.equal(left.length, mostFiles);
  assert.deepEqual(
    names.filter(each => !left.includes(each)),
    names.slice(0, 2),
  );
});

test('beside the program, and else where the system keeps what can be made again', t => {
  const { XDG_CACHE_HOME, HOME } = process.env;
  t.after(() => {
    for (const [key, value] of Object.entries({ XDG_CACHE_HOME, HOME }))
      if (value === undefined) delete process.env[key];
      else process.env[key] = value;
  });
  const rows: [home: string | undefined, cache: string | undefined, places: string[]][] = [
    ['/home/skerry', undefined, ['/p/compiled', '/home/skerry/.cache/mervok']],
    ['/home/skerry', '/var/skerry', ['/p/compiled', '/var/skerry/mervok']],
    ['/home/skerry', 'relative', ['/p/compiled', '/home/skerry/.cache/mervok']],
    ['/home/skerry', '', ['/p/compiled', '/home/skerry/.cache/mervok']],
    ['relative', undefined, ['/p/compiled']],
    ['', undefined, ['/p/compiled']],
    [undefined, undefined, ['/p/compiled']],
  ];
  for (const [home, cache, places] of rows) {
    if (home === undefined) delete process.env.HOME;
    else process.env.HOME = home;
    if (cache === undefined) delete process.env.XDG_CACHE_HOME;
    else process.env.XDG_CACHE_HOME = cache;
    if (process.platform === 'linux') assert.deepEqual(placesForCode('/p'), places);
  }
});

// The last one: what it sets stays set.
test('the flags of V8 belong to the key', t => {
  const folder = CodeFolder.make([join(folderWith(t), 'compiled')])!;
  folder.write('./program.cjs', source, kept);
  assert.deepEqual(folder.read('./program.cjs', source), kept);
  process.getBuiltinModule('node:v8').setFlagsFromString('--wasm-tiering-budget=1234567');
  assert.equal(folder.read('./program.cjs', source), undefined);
});
