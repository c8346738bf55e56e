import assert from 'node:assert/strict';
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { sequence } from '../support/fuzz.ts';
import { RandomMoment } from '../support/moment.ts';
import { mervok } from '../support/program.ts';
import { scaled, seed } from '../support/scale.ts';
import { serve } from '../support/server.ts';

test('a run that is killed at any moment leaves a record that is readable and reports that are whole', async t => {
  let served = 0;
  const next = sequence(seed);
  const kill = new RandomMoment('SIGKILL', 700, next);
  const origin = await serve(t, ({ url }, response) => {
    served++;
    kill.onRequest();
    response.writeHead(url === '/tides' ? 500 : 200, { 'Content-Type': 'application/json' });
    response.end(JSON.stringify({ id: served, quay: 'North Quay', note: 'é'.repeat(200) }));
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md':
      caseText('List', 'GET /berths', 'status = 200\nkeep $.id as berth') +
      caseText('Read', 'GET /berths/{berth}', 'status = 200\n$.quay = "North Quay"'),
    'tides.md': `${caseText('Tides', 'GET /tides', 'status = 200\n$.height > 4')}## Leave\n\n\`\`\`mervok\ncleanup\n\`\`\`\n\n\`\`\`http\nDELETE /berths\n\`\`\`\n`,
  });
  const found = { before: 0, midway: 0, ended: 0 };
  const moments = scaled(50, 8);
  for (let moment = 0; moment < moments; moment++) {
    const before = new Set(records(folder));
    const servedBefore = served;
    const together = [['--users', '4'], ['--jobs', '2'], []][moment % 3]!;
    const words = ['run', '--quiet', '--rounds', '100', ...together];
    await mervok(folder, words, {}, kill.arm);
    const last = records(folder).find(each => !before.has(each));
    const size = last === undefined ? 0 : statSync(join(folder, '.mervok/runs', last)).size;
    if (last === undefined || size === 0) {
      if (last !== undefined) {
        const { out } = await mervok(folder, ['runs']);
        assert.match(out, /is empty:\s+its run was killed/);
      }
      assert.equal(served, servedBefore, 'what has sent a request has a record');
      found.before++;
      continue;
    }
    const lines = readFileSync(join(folder, '.mervok/runs', last), 'utf8').split('\n');
    const events = lines.slice(0, -1).map(line => JSON.parse(line) as { type: string });
    assert.equal(events[0]?.type, 'run');
    const told = events.filter(({ type }) => type === 'exchange').length;
    assert.ok(told <= served - servedBefore, `${told} told, ${served - servedBefore} served`);
    const isWhole = events.at(-1)?.type === 'end';
    found[isWhole ? 'ended' : 'midway']++;
    const { code, err } = await mervok(folder, [
      'report',
      'last',
      ...['-o', 'r.html', '-o', 'r.json', '-o', 'r.xml', '-o', 'r.tap', '-o', 'r.md', '-o', 'r.csv'],
    ]);
    assert.equal(code, 0, err);
    const report = JSON.parse(readFileSync(join(folder, 'r.json'), 'utf8'));
    assert.equal(report.totals.stopped, isWhole ? undefined : 'killed');
    assert.match(readFileSync(join(folder, 'r.html'), 'utf8'), /<\/html>\s*$/);
    assert.match(readFileSync(join(folder, 'r.xml'), 'utf8'), /<\/testsuites>\s*$/);
    assert.match(readFileSync(join(folder, 'r.tap'), 'utf8'), isWhole ? /^1\.\.\d+$/m : /^Bail out!/m);
  }
  t.diagnostic(`${moments} kills: ${JSON.stringify(found)}, seed ${seed}`);
  assert.ok(found.midway >= moments / 2, JSON.stringify(found));
});

const records = (folder: string): string[] => {
  try {
    return readdirSync(join(folder, '.mervok/runs'));
  } catch {
    return [];
  }
};

test('the empty file of a run that was killed before it began is told, and not the last run', async t => {
  const origin = await serve(t, (_, response) => response.end('{}'));
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': caseText('First', 'GET /', 'status = 200'),
  });
  await mervok(folder, ['run']);
  const [first] = records(folder);
  writeFileSync(join(folder, '.mervok/runs/20991231-235959.ndjson'), '');
  const { out } = await mervok(folder, ['runs']);
  assert.ok(out.includes(first!.replace('.ndjson', '')), out);
  assert.match(out, /20991231-235959 [\s\S]*is empty:\s+its run was killed/);
  const { code, err } = await mervok(folder, ['report', 'last', '-o', 'r.json']);
  assert.equal(code, 0, err);
});

test('a run with --jobs that is killed has told of every page, and of no secret that was still to be kept', async t => {
  const asked: string[] = [];
  const origin = await serve(t, ({ url }, response) => {
    asked.push(url!);
    response.setHeader('Content-Type', 'application/json');
    const after = url === '/slow' ? 30_000 : 0;
    setTimeout(
      () => response.end(JSON.stringify(url === '/token' ? { token: 'a-token-of-0417' } : { id: 1 })),
      after,
    ).unref();
  });
  const many = Array.from({ length: 5 }, (_, at) => caseText(`C${at}`, 'GET /quick', 'status = 200')).join(
    '',
  );
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': caseText('First', 'GET /quick', 'status = 200') + caseText('Slow', 'GET /slow', 'status = 200'),
    'b.md': many,
    'c.md': caseText('Token', 'GET /token', 'status = 200\nwait 30 s\nkeep $.token as secret token'),
  });
  // When all has been asked for, and what was answered has had the time to be written.
  await mervok(folder, ['run', '--jobs', '3'], {}, child => {
    const look = setInterval(() => {
      if (asked.length < 8) return;
      clearInterval(look);
      setTimeout(() => child.kill('SIGKILL'), 3000);
    }, 20);
  });
  const path = join(folder, '.mervok/runs', records(folder)[0]!);
  const text = readFileSync(path, 'utf8');
  assert.ok(asked.includes('/token') && asked.includes('/slow'));
  assert.ok(!text.includes('a-token-of-0417'));
  // In the order in which it happened: the page whose turn it is says nothing while it waits.
  assert.equal(text.match(/"type":"exchange"/g)?.length, 6);
  const { code, err } = await mervok(folder, ['report', 'last', '-o', 'r.json']);
  assert.equal(code, 0, err);
  const { pages } = JSON.parse(readFileSync(join(folder, 'r.json'), 'utf8'));
  assert.deepEqual(
    pages.map(({ file }: { file: string }) => file),
    ['a.md', 'b.md'],
  );
});
