import assert from 'node:assert/strict';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { sequence } from '../support/fuzz.ts';
import { RandomMoment } from '../support/moment.ts';
import { mervok } from '../support/program.ts';
import { scaled, seed } from '../support/scale.ts';
import { serve } from '../support/server.ts';

/** What each report ends with where it is whole. */
const ends: readonly [file: string, end: RegExp][] = [
  ['r.html', /<\/html>\s*$/],
  ['r.xml', /<\/testsuites>\s*$/],
  ['r.tap', /^(?:1\.\.\d+|Bail out!.*)$/m],
  ['r.json', /\n\}\n$/],
  ['r.md', /\n$/],
];

test('an interrupt at any moment: what was made is cleaned up, the record and the reports are whole', async t => {
  const open = new Set<string>();
  let made = 0;
  const next = sequence(seed);
  const interrupt = new RandomMoment('SIGINT', 1000, next);
  const origin = await serve(t, ({ method, url }, response) => {
    interrupt.onRequest();
    const answer = () => {
      if (method === 'POST') {
        const id = `r${++made}`;
        open.add(id);
        response.writeHead(201, { 'Content-Type': 'application/json' }).end(JSON.stringify({ id }));
        return;
      }
      if (method === 'DELETE') open.delete(url!.split('/').at(-1)!);
      response.writeHead(200).end();
    };
    setTimeout(answer, made % 5);
  });
  const cases =
    caseText('Reserve', 'POST /reservations', 'status = 201\nkeep $.id as reservation') +
    caseText('Read', 'GET /reservations/{reservation}', 'status = 200') +
    '## Cancel\n\n```mervok\ncleanup\n```\n\n```http\nDELETE /reservations/{reservation}\n```\n\n```mervok\nstatus = 200\n```\n';
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': cases,
    'quay/rows.md': `---\nrows: codes.csv\n---\n${cases}`,
    'quay/codes.csv': 'code\n0417\n0418\n0419\n',
  });
  const found = { before: 0, midway: 0, ended: 0 };
  const moments = scaled(50, 8);
  for (let moment = 0; moment < moments; moment++) {
    for (const [file] of ends) rmSync(join(folder, file), { force: true });
    rmSync(join(folder, 'r.ndjson'), { force: true });
    open.clear();
    const outputs = [...ends.map(([file]) => file), 'r.ndjson'].flatMap(file => ['-o', file]);
    const words = ['run', '--quiet', '--rounds', '100', ...outputs];
    const users = [[], ['--users', '3'], ['--jobs', '2']][moment % 3]!;
    const { code, err } = await mervok(folder, [...words, ...users], {}, interrupt.arm);
    assert.notEqual(code, 2, err);
    if (!existsSync(join(folder, 'r.ndjson'))) {
      found.before++;
      assert.equal(open.size, 0, 'nothing has been sent');
      continue;
    }
    const events = readFileSync(join(folder, 'r.ndjson'), 'utf8')
      .trimEnd()
      .split('\n')
      .map(line => JSON.parse(line) as RunEvent);
    const end = events.at(-1)!;
    assert.ok(end.type === 'end', `the record ends with its end, not ${end.type}`);
    found[end.stopped ? 'midway' : 'ended']++;
    if (end.stopped) assert.deepEqual([end.stopped, code], ['interrupt', 130], err);
    for (const [file, whole] of ends) assert.match(readFileSync(join(folder, file), 'utf8'), whole, file);
    assert.equal(JSON.parse(readFileSync(join(folder, 'r.json'), 'utf8')).totals.stopped, end.stopped);
    // What the server had made but not told before the interrupt came, nobody can take back.
    for (const event of events)
      if (event.type === 'exchange' && event.response?.status === 201) {
        const { id } = JSON.parse(event.response.body.text!);
        assert.ok(!open.has(id), `${id} is left behind`);
      }
  }
  t.diagnostic(`${moments} interrupts: ${JSON.stringify(found)}, seed ${seed}`);
  assert.ok(found.midway >= moments / 2, JSON.stringify(found));
});
