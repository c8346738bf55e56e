import assert from 'node:assert/strict';
import { createReadStream, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import { folderWith } from '../support/folder.ts';
import { sequence } from '../support/fuzz.ts';
import { mervok } from '../support/program.ts';
import { scaled, seed } from '../support/scale.ts';
import { serveRaw } from '../support/server.ts';

const users = 16;
const body = '{"berth":"0417","depth":4.2}';
const answer = (status: string, length = body.length) =>
  `HTTP/1.1 ${status}\r\nContent-Type: application/json\r\nContent-Length: ${length}\r\n\r\n${body}`;

/** What a server that fails does, and what the record has to say of it. */
const ways = {
  sound: 'status 200',
  unavailable: 'status 503',
  reset: 'reset',
  cut: 'reset',
  garbage: 'protocol',
  late: 'timeout',
} as const;
type Way = keyof typeof ways;

const caseOf = (method: string) =>
  `## ${method}\n\n\`\`\`mervok\nlet id = uuid()\n\`\`\`\n\n\`\`\`http\n${method} /{id}\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\n$.berth = "0417"\n\`\`\`\n`;

test('every request of a run against a server that fails at random is in the record, once', async t => {
  const rounds = scaled(6250, 200);
  const all = users * rounds * 2;
  const next = sequence(seed);
  /** Late answers take their time, so there are few of them. */
  const wayOf = (): Way => {
    const chance = next(1000);
    if (chance < 850) return 'sound';
    if (chance < 900) return 'unavailable';
    if (chance < 930) return 'reset';
    if (chance < 960) return 'cut';
    return chance < 995 ? 'garbage' : 'late';
  };
  /** What became of each request; a GET over a connection that was closed meanwhile is sent once more. */
  const seen = new Map<string, Way[]>();
  const tooOften: string[] = [];
  const origin = await serveRaw(t, socket => {
    let text = '';
    socket.on('data', chunk => {
      text += chunk.toString('latin1');
      if (!text.endsWith('\r\n\r\n')) return;
      const [, method, id] = /^(GET|POST) \/([0-9a-f-]{36}) /.exec(text)!;
      text = '';
      const way = wayOf();
      const before = seen.get(id!) ?? [];
      seen.set(id!, [...before, way]);
      const mayComeAgain = method === 'GET' && before.length === 1 && before[0] === 'reset';
      if (before.length > 0 && !mayComeAgain) tooOften.push(id!);
      if (way === 'sound') socket.write(answer('200 OK'));
      else if (way === 'unavailable') socket.write(answer('503 Service Unavailable'));
      else if (way === 'reset') socket.resetAndDestroy();
      else if (way === 'cut') socket.end(answer('200 OK', body.length + 9));
      else if (way === 'garbage') socket.end('high water 06:12, low water 12:30\r\n\r\n');
    });
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\ntimeout: 3 s\n`,
    'soak.md': ['GET', 'POST'].map(caseOf).join('\n'),
  });
  const words = ['run', '--quiet', '--users', String(users), '--rounds', String(rounds)];
  const { code, out, err } = await mervok(folder, words, {}, undefined, 1_200_000);
  assert.equal(code, 1, err);
  assert.equal(tooOften.length, 0, 'no request was sent too often');
  assert.equal(seen.size, all);
  const [record] = readdirSync(join(folder, '.mervok/runs'));
  const told = new Map<string, number>();
  const counts = { exchanges: 0, cases: 0, checks: 0 };
  let end: Extract<RunEvent, { type: 'end' }> | undefined;
  const lines = createInterface({ input: createReadStream(join(folder, '.mervok/runs', record!)) });
  for await (const line of lines) {
    const event = JSON.parse(line) as RunEvent;
    if (event.type === 'case') counts.cases++;
    if (event.type === 'check') counts.checks++;
    if (event.type === 'end') end = event;
    if (event.type !== 'exchange') continue;
    counts.exchanges++;
    const id = event.request.url.slice(-36);
    const before = told.get(id) ?? 0;
    told.set(id, before + 1);
    const way = seen.get(id)?.[before];
    assert.ok(way, `${id} is told more often than it was sent`);
    const says = event.fault ? event.fault.kind : `status ${event.response!.status}`;
    assert.equal(says, ways[way], `${id} was ${way}: ${event.fault?.message}`);
  }
  const lost = [...seen].filter(([id, sent]) => told.get(id) !== sent.length);
  assert.equal(lost.length, 0, 'none is lost');
  const sent = [...seen.values()].flat();
  const sound = sent.filter(way => way === 'sound').length;
  assert.equal(counts.cases, all);
  assert.equal(counts.exchanges, sent.length);
  assert.equal(end!.totals.requests, sent.length);
  assert.equal(end!.totals.checks, counts.checks);
  assert.equal(end!.totals.cases.passed, sound);
  const totals = Object.keys(ways).map(way => `${way} ${sent.filter(each => each === way).length}`);
  t.diagnostic(`${sent.length} requests: ${totals.join(', ')}, seed ${seed}`);
  assert.match(out, /Failed: /);
});
