import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import {
  chmodSync,
  cpSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { promisify } from 'node:util';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { program } from '../support/program.ts';
import { serve } from '../support/server.ts';

const run = promisify(execFile);
/** Later versions of the runtime keep compiled code by themselves, in a form of their own. */
const isBuiltIn = 'enableCompileCache' in process.getBuiltinModule('node:module');

/** A copy of the program that nothing was compiled of yet. */
function copyOf(t: TestContext) {
  const folder = folderWith(t, { 'mervok.yaml': 'title: Skerry\n' });
  const dist = join(folder, 'program');
  cpSync(dirname(program), dist, {
    recursive: true,
    filter: path => path === dirname(program) || /\.(?:cjs|wasm)$/.test(path),
  });
  const home = join(folder, 'home');
  mkdirSync(home);
  const mervok = async (args: string[], env: { [name: string]: string } = {}) => {
    const { NODE_OPTIONS: _options, NODE_DISABLE_COMPILE_CACHE: _off, ...clean } = process.env;
    const { stdout, stderr } = await run(process.execPath, [join(dist, 'mervok.cjs'), ...args], {
      cwd: folder,
      env: { ...clean, HOME: home, XDG_CACHE_HOME: '', ...env },
    });
    assert.equal(stderr, '');
    return stdout;
  };
  return { folder, dist, home, compiled: join(dist, 'compiled'), mervok };
}

test('what was compiled is kept beside the program, for its user alone', { skip: isBuiltIn }, async t => {
  const origin = await serve(t, (_request, response) => response.end('{}'));
  const { folder, compiled, mervok, home } = copyOf(t);
  writeFileSync(
    join(folder, 'berths.md'),
    caseText('List', `GET ${origin}/berths`, 'status = 200').replaceAll('~~~', '```'),
  );
  assert.equal(await mervok(['--version']), await mervok(['--version']));
  assert.ok(!existsSync(compiled));

  await mervok(['list']);
  const parts = () =>
    readdirSync(compiled)
      .map(name => name.slice(0, -65))
      .sort();
  assert.deepEqual(parts(), ['cli-interactive-commands', 'cli-program', 'core-settings-libraries']);
  assert.equal(lstatSync(compiled).mode & 0o777, 0o700);
  for (const name of readdirSync(compiled)) assert.equal(lstatSync(join(compiled, name)).mode & 0o777, 0o600);

  // Commands that send requests have the compiler at work under flags of their own.
  rmSync(compiled, { recursive: true });
  await mervok(['run', '--help']);
  const sizes = () =>
    Object.fromEntries(
      readdirSync(compiled).map(name => [name.slice(0, -65), statSync(join(compiled, name)).size]),
    );
  const before = sizes();
  const told = await mervok(['run']);
  assert.match(told, /the one check holds/);
  // A run came by more, so more was compiled of what both need.
  const after = sizes();
  assert.ok(after['cli-program']! > before['cli-program']! + 10_000);
  assert.ok('platform-http-client' in after);
  const stamps = () => readdirSync(compiled).map(name => [name, statSync(join(compiled, name)).mtimeMs]);
  const stamped = stamps();
  assert.match(await mervok(['run']), /the one check holds/);
  await mervok(['run', '--help']);
  assert.deepEqual(stamps(), stamped);
  assert.deepEqual(readdirSync(home), []);
});

test('a start that had much to throw away spoils nothing that was kept', { skip: isBuiltIn }, async t => {
  const piece = Buffer.alloc(1 << 20, 'tide ');
  const origin = await serve(t, async (request, response) => {
    if (request.url !== '/large') return response.end('{}');
    for (let left = 300; left > 0; left--)
      if (!response.write(piece)) await new Promise(resume => response.once('drain', resume));
    return response.end();
  });
  const { folder, compiled, mervok } = copyOf(t);
  writeFileSync(join(folder, 'berths.md'), caseText('List', `GET ${origin}/berths`, 'status = 200'));
  const size = () => {
    const [name] = readdirSync(compiled).filter(each => each.startsWith('cli-program'));
    return statSync(join(compiled, name!)).size;
  };
  await mervok(['run', '-q']);
  const before = size();
  await mervok(['send', `${origin}/large`, '-o', 'large.bin']);
  assert.ok(readdirSync(compiled).some(name => name.startsWith('cli-interactive-commands')));
  assert.ok(size() >= before, `${size()} bytes, and ${before} before`);
});

test('code of another source is never carried out, nor what is damaged', { skip: isBuiltIn }, async t => {
  const { dist, compiled, mervok } = copyOf(t);
  assert.match(await mervok(['--help']), /checks that are written in Markdown pages/);
  const source = readFileSync(join(dist, 'cli-program.cjs'), 'utf8');
  const other = source.replace('that are written in Markdown pages', 'that were written in Markdown logs?');
  assert.equal(other.length, source.length + 1);
  writeFileSync(join(dist, 'cli-program.cjs'), other.replace('logs?', 'logs'));
  assert.equal(statSync(join(dist, 'cli-program.cjs')).size, Buffer.byteLength(source));
  for (let turn = 0; turn < 2; turn++)
    assert.match(await mervok(['--help']), /checks that were written in Markdown logs/);

  const [file] = readdirSync(compiled).map(name => join(compiled, name)) as [string];
  const whole = readFileSync(file);
  const damages: ((bytes: Buffer) => Buffer)[] = [
    bytes => bytes.subarray(0, 1000),
    () => Buffer.alloc(0),
    bytes => Buffer.concat([bytes.subarray(0, 300), Buffer.alloc(bytes.length - 300)]),
    bytes => bytes.fill(0x41, 5000, 9000),
  ];
  for (const damage of damages) {
    for (const name of readdirSync(compiled)) writeFileSync(join(compiled, name), damage(Buffer.from(whole)));
    assert.match(await mervok(['--help']), /checks that were written in Markdown logs/);
    // It was made anew.
    assert.ok(readdirSync(compiled).some(name => statSync(join(compiled, name)).size > 10_000));
  }
});

test('where nothing can be kept beside the program, it is in the folder of the user; else nowhere', {
  skip: isBuiltIn,
}, async t => {
  const { folder, dist, home, compiled, mervok } = copyOf(t);
  const help = await mervok(['--help'], { NODE_DISABLE_COMPILE_CACHE: '1' });
  assert.ok(!existsSync(compiled) && readdirSync(home).length === 0);

  mkdirSync(compiled);
  chmodSync(compiled, 0o777);
  assert.equal(await mervok(['--help']), help);
  assert.deepEqual(readdirSync(compiled), []);
  assert.equal(readdirSync(join(home, '.cache', 'mervok')).length, 1);

  const cache = join(folder, 'cache');
  assert.equal(await mervok(['--help'], { XDG_CACHE_HOME: cache }), help);
  assert.equal(readdirSync(join(cache, 'mervok')).length, 1);

  const elsewhere = join(folder, 'elsewhere');
  mkdirSync(elsewhere, { mode: 0o700 });
  const linked = join(folder, 'linked');
  mkdirSync(linked);
  symlinkSync(elsewhere, join(linked, 'mervok'));
  for (const XDG_CACHE_HOME of [linked, '/dev/null', join(dist, 'mervok.cjs')])
    assert.equal(await mervok(['--help'], { XDG_CACHE_HOME }), help);
  assert.deepEqual(readdirSync(elsewhere), []);
});
