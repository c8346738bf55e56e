import assert from 'node:assert/strict';
import { cpSync, existsSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { defects } from '../../demo/harbour/defects.ts';
import { openHarbour } from '../../demo/harbour/server.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { type Ended, mervok } from '../support/program.ts';
import { closedPort } from '../support/server.ts';

const { version } = JSON.parse(readFileSync('package.json', 'utf8'));

test('--version and --help', async t => {
  const folder = folderWith(t);
  assert.deepEqual(await mervok(folder, ['--version']), { code: 0, out: `mervok ${version}\n`, err: '' });
  assert.deepEqual(await mervok(folder, ['-V']), { code: 0, out: `mervok ${version}\n`, err: '' });
  const help = await mervok(folder, ['--help']);
  assert.equal(help.code, 0);
  for (const command of ['run', 'lint', 'init', 'demo']) {
    assert.match(help.out, new RegExp(`^  ${command} `, 'm'));
    const own = await mervok(folder, [command, '--help']);
    assert.equal(own.code, 0);
    assert.match(own.out, new RegExp(`^Usage: mervok ${command}`));
  }
  const bare = await mervok(folder, []);
  assert.deepEqual([bare.code, bare.out], [0, help.out]);
});

test('lint says all at once, with 2 on errors and 0 on warnings alone', async t => {
  const wrong = folderWith(t, {
    'mervok.yaml': 'tittle: x\n',
    'a.md': `# A\n\n${caseText('B', 'GET http://skerry.example/{berht}', 'statsu = 200\n$.a[*] = 1\ntime < 300')}`,
  });
  const { code, out, err } = await mervok(wrong, ['lint']);
  assert.deepEqual([code, err], [2, '']);
  for (const line of [
    /^a\.md:6:28 {2}error name-unknown$/m,
    /^a\.md:10:1 {2}error word-unknown$/m,
    /^a\.md:11:1 {2}error many-values$/m,
    /^a\.md:12:1 {2}error never-equal$/m,
    /^mervok\.yaml:1:1 {2}error setting-unknown$/m,
    /^5 errors$/m,
  ])
    assert.match(out, line);
  assert.match(out, /^ {4}statsu = 200\n {4}\^{6}$/m);
  const bare = folderWith(t, { 'a.md': '# A\n\n~~~http\nGET http://skerry.example/\n~~~\n' });
  const warned = await mervok(bare, ['lint', 'a.md']);
  assert.equal(warned.code, 0);
  assert.match(warned.out, /warning request-unchecked/);
  assert.deepEqual(await mervok(bare, ['lint', '--quiet', 'a.md']), { code: 0, out: '', err: '' });
  const good = folderWith(t, { 'a.md': caseText('A', 'GET http://skerry.example/', 'status = 200') });
  assert.match(
    (await mervok(good, ['lint', 'a.md'])).out,
    /^1 page, 1 case, 1 check: nothing to find fault with\.$/m,
  );
});

test('init writes a collection that runs against the demo harbour, and never over what is there', async t => {
  const folder = folderWith(t, { '.gitignore': 'node_modules/\n' });
  const { code, out } = await mervok(folder, ['init', 'mine']);
  assert.equal(code, 0);
  assert.match(out, /mervok run/);
  const harbour = await openHarbour();
  t.after(() => harbour.close());
  const ran = await mervok(join(folder, 'mine'), ['run', '--set', `harbour=${harbour.url}`]);
  assert.equal(ran.code, 0, ran.out + ran.err);
  assert.match(ran.out, /^Passed: 2 cases; all \d+ checks hold\.$/m);
  assert.match((await mervok(join(folder, 'mine'), ['lint'])).out, /nothing to find fault with/);
  const again = await mervok(folder, ['init', 'mine']);
  assert.deepEqual(
    [again.code, again.out],
    [0, "Nothing is missing in 'mine': it is a collection with pages. Next: mervok run\n"],
  );
  const inside = await mervok(folder, ['init', 'mine/quay']);
  assert.deepEqual([inside.code, existsSync(join(folder, 'mine/quay'))], [2, false]);
  assert.match(inside.err, /'mine\/quay' lies in the collection .*mine; nothing was written/);
  const pages = folderWith(t, { 'tides.md': '# Tides\n' });
  const beside = await mervok(pages, ['init']);
  assert.deepEqual([beside.code, readdirSync(pages).sort()], [0, ['.gitignore', 'mervok.yaml', 'tides.md']]);
  assert.match(beside.out, /The 1 page that is there stayed as it is/);
  assert.match((await mervok(pages, ['lint'])).out, /nothing to find fault with/);
  rmSync(join(pages, '.gitignore'));
  assert.equal((await mervok(pages, ['init'])).out.split('\n')[0], 'written  .gitignore');
  await mervok(folder, ['init']);
  assert.equal(
    readFileSync(join(folder, '.gitignore'), 'utf8'),
    'node_modules/\n.mervok/\nmervok.secret.yaml\n',
  );
});

test('the demo passes without defects, and catches each of them', async t => {
  const folder = folderWith(t);
  const { code, out } = await mervok(folder, ['demo']);
  assert.equal(code, 0, out);
  assert.match(
    out,
    /^The demo harbour is open at http:\/\/127\.0\.0\.1:\d+, and over TLS at https:\/\/127\.0\.0\.1:\d+\.$/m,
  );
  const [, cases] = /^Passed: (\d+) cases, 2 skipped; all \d+ checks hold; the bound is kept\.$/m.exec(out)!;
  assert.ok(Number(cases) >= 15);
  assert.ok(out.match(/\.md$/gm)!.length >= 4, 'at least four pages');
  for (const defect of Object.keys(defects)) {
    const caught = await mervok(folder, ['demo', '--defect', defect]);
    assert.equal(caught.code, 1, defect);
    assert.match(caught.out, /^failed /m, defect);
  }
  assert.ok(!existsSync(join(folder, '.mervok')));
});

test('the repairs of the demo start a part of the harbour anew, by a command that somebody has allowed', async t => {
  const folder = folderWith(t);
  const port = await closedPort();
  cpSync('demo/repairs', folder, { recursive: true });
  const args = ['run', '--set', `harbour=http://127.0.0.1:${port}`];
  const ran: Ended[] = [];
  const serving = await mervok(folder, ['demo', '--serve', '--port', String(port)], {}, child => {
    child.stdout!.once('data', async () => {
      ran.push(await mervok(folder, args), await mervok(folder, [...args, '--commands']));
      child.kill('SIGINT');
    });
  });
  const [refused, allowed] = ran;
  assert.equal(refused!.code, 2, refused!.out);
  assert.match(refused!.err, /step-refused/);
  assert.equal(allowed!.code, 0, allowed!.out + allowed!.err);
  assert.match(allowed!.out, /^Passed: 2 cases; all 5 checks hold\.$/m);
  const [, ledger = ''] = /--set ledger-file=(\S+)/.exec(serving.out) ?? [];
  assert.match(ledger, /ledger\.db$/);
  assert.ok(!existsSync(ledger), 'the ledger goes with the harbour');
});

test('the demo refuses what it does not know, and serves until it is interrupted', async t => {
  const folder = folderWith(t);
  const unknown = await mervok(folder, ['demo', '--defect', 'lying-cont']);
  assert.deepEqual([unknown.code, unknown.out], [2, '']);
  assert.match(unknown.err, /Did you mean 'lying-count'\?/);
  assert.equal((await mervok(folder, ['demo', '--port', 'x'])).code, 2);
  const port = await closedPort();
  let answered: number | undefined;
  const serving = await mervok(folder, ['demo', '--serve', '--port', String(port)], {}, child => {
    child.stdout!.once('data', async () => {
      answered = (await fetch(`http://127.0.0.1:${port}/v1/berths`)).status;
      const taken = await mervok(folder, ['demo', '--serve', '--port', String(port)]);
      assert.match(taken.err, /port \d+ is taken/);
      child.kill('SIGINT');
    });
  });
  assert.deepEqual([serving.code, answered], [0, 200]);
});
