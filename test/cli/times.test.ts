import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { fence } from '../support/cases.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { interruptAfter, mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

interface Told {
  readonly type: string;
  readonly at: number;
  readonly cause?: string;
  readonly part?: boolean;
  readonly whole?: number;
  readonly times: { readonly [phase: string]: number };
}

test('hops, challenges and tries stand at their own time; the time of a request is that of the whole chain', async t => {
  const began = new Map<string, number[]>();
  let tries = 0;
  const origin = await serve(t, async (request, response) => {
    const url = request.url!;
    began.set(url, [...(began.get(url) ?? []), Date.now()]);
    await new Promise(resume => setTimeout(resume, 120));
    if (url === '/a') response.writeHead(302, { Location: '/b' });
    if (url === '/b') response.writeHead(302, { Location: '/c' });
    if (url === '/try') response.writeHead(tries++ < 2 ? 503 : 200);
    response.end('{}');
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md':
      caseText('Chain', 'GET /a', 'status = 200\ntime > 300 ms') +
      `## Tries\n\n~~~yaml settings\nretry: { times: 3, every: 200 ms }\n~~~\n\n~~~http\nGET /try\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`,
  });
  const { code, out } = await mervok(folder, [
    'run',
    '-o',
    'r.ndjson',
    '-o',
    'r.har',
    '-o',
    'r.csv',
    '-o',
    'r.json',
  ]);
  assert.equal(code, 0, out);
  const events = readFileSync(join(folder, 'r.ndjson'), 'utf8')
    .trim()
    .split('\n')
    .map(line => JSON.parse(line) as Told);
  const exchanges = events.filter(({ type }) => type === 'exchange');
  const served = ['/a', '/b', '/c', '/try'].flatMap(url => began.get(url)!);
  assert.equal(exchanges.length, served.length);
  // Each begins before the server hears of it, and once the one before it has been answered, which takes 120 ms there; a
  // machine that is busy makes the first earlier and the second later, and neither wrong. Clocks count in milliseconds.
  for (const [index, { at }] of exchanges.entries()) {
    assert.ok(at <= served[index]! + 5, `${index}: ${at - served[index]!} ms`);
    if (index > 0) assert.ok(at >= served[index - 1]! + 115, `${index}: ${at - served[index - 1]!} ms`);
  }
  assert.deepEqual(
    exchanges.map(({ part }) => part === true),
    [true, true, false, false, false, false],
  );
  assert.ok(exchanges[2]!.whole! >= 350 && exchanges[2]!.times.total! + 230 < exchanges[2]!.whole!);
  for (const { times } of exchanges) {
    const { total, ...phases } = times;
    const sum = Object.values(phases).reduce((all, phase) => all + phase, 0);
    assert.ok(Math.abs(sum - total!) < 0.01, JSON.stringify(times));
  }
  const har = JSON.parse(readFileSync(join(folder, 'r.har'), 'utf8'));
  assert.deepEqual(
    har.log.entries.map(({ startedDateTime }: { startedDateTime: string }) => Date.parse(startedDateTime)),
    exchanges.map(({ at }) => at),
  );
});

test('waits and limits of weeks are no shorter than they say', async t => {
  const origin = await serve(t, (_request, response) => setTimeout(() => response.end('{}'), 300));
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\ntimeout: 700 h\n`,
    'a.md': caseText('One', 'GET /', 'status = 200'),
    'b.md':
      caseText('Ready', 'GET /', 'status = 200') + caseText('Wait', 'GET /', 'status = 200\nwait 700 h'),
  });
  assert.equal((await mervok(folder, ['run', 'a.md', '--timeout', '700h'])).code, 0);
  assert.equal((await mervok(folder, ['send', 'a.md', '--timeout', '700h'])).code, 0);
  const ended = await mervok(folder, ['run', 'b.md'], {}, interruptAfter('Ready', 1000));
  assert.equal(ended.code, 130);
});

test('other steps too have limits of weeks', async t => {
  const folder = folderWith(t, {
    'mervok.yaml':
      'timeout: 700 h\nlimits: { script: { time: 700 h } }\ndatabases:\n  ledger: { url: "sqlite:ledger.db", create: true }\n',
    'a.md': `## Asks\n\n${fence('sql step ledger', 'select 1 as berth')}${fence('mervok', '$[0].berth = 1')}
## Runs\n\n${fence('sh step', 'sleep 0.3')}${fence('mervok', 'exit = 0')}
## Works it out\n\n${fence('js step', "import { equals } from 'mervok:checks'\nlet sum = 0\nfor (let n = 0; n < 1e6; n++) sum += n\nequals('sum', sum, 499999500000)")}`,
  });
  for (const words of [['run'], ['send', 'a.md#runs', '--timeout', '700h']]) {
    const { code, out, err } = await mervok(folder, [...words, '--commands']);
    assert.equal(code, 0, out + err);
  }
});
