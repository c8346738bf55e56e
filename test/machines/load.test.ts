import assert from 'node:assert/strict';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import type { EventOf, RunEvent } from '../../src/core/model/events.ts';
import { caseText, cleaning } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { harbour } from '../support/harbour.ts';
import { mervok } from '../support/program.ts';
import {
  cuttableWay,
  overQueue,
  queueProgram,
  runWhile,
  startQueue,
  startWorker,
  startWorkers,
  until,
} from '../support/queue.ts';
import { endOf, figuresIn, recordIn, sumOf } from '../support/records.ts';

const skip = queueProgram() === undefined && 'there is no NATS server on this machine';
const look = caseText('Look', 'GET /berths', 'status = 200');
const leave = cleaning(caseText('Leave', 'DELETE /berths', 'status = 200'));

const collectionFor = (t: TestContext, origin: string, page = `# Berths\n\n${look}`, settings = '') =>
  folderWith(t, { 'mervok.yaml': `title: Skerry Harbour\nbase: ${origin}\n${settings}`, 'berths.md': page });

/** The most users that were there in a second, in all figures of it together. */
const usersAt = (events: readonly RunEvent[], second: number) =>
  figuresIn(events)
    .filter(({ from }) => from === second * 1000)
    .reduce((sum, { mostUsers }) => sum + mostUsers, 0);

test('a load over three workers is the sum of what they do, from a common start', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 10 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 3);
  const load = 'stay at 7 users for 2 s; "storm": stay at 60 rounds/s for 2 s';
  const { code, out, err } = await runWhile(folder, [...overQueue(queue, 3), '--load', load]);
  assert.equal(code, 0, out + err);
  assert.match(out, /Skerry Harbour, a load of 2 phases in 4 s, over 3 machines, on \d+ threads/);
  const events = recordIn(folder);
  const { totals, missing } = endOf(events);
  assert.equal(missing, undefined);
  assert.deepEqual([totals.requests, totals.cases.passed], [seen.length, seen.length]);
  assert.deepEqual(totals.load?.rounds.due, 120);
  assert.equal(usersAt(events, 0), 7);
  // Evenly spaced, whoever sends: of 60 in a second there are as many in each quarter of it.
  const begin = seen[0]!.at;
  const inOpen = seen.filter(({ at }) => at - begin >= 2500 && at - begin < 3500).length;
  assert.ok(Math.abs(inOpen - 60) <= 12, `${inOpen} in a second`);
  assert.equal((await mervok(folder, ['report', '-o', 'r.html'])).code, 0);
});

test('of a worker that is killed it is told what is missing; the rest take over its users', {
  skip,
}, async t => {
  const { origin } = await harbour(t, () => ({ takes: 10 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const [first] = await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(
    folder,
    [...overQueue(queue, 3, '2s'), '--load', 'stay at 6 users for 9 s'],
    async () => {
      await first!.says(/begins/);
      await delay(2500);
      first!.child.kill('SIGKILL');
    },
  );
  assert.equal(code, 3, out + err);
  const events = recordIn(folder);
  const { missing } = endOf(events);
  assert.equal(missing?.length, 1);
  assert.match(
    missing[0]!,
    /^quay-1 was lost [\d.]+ s after the beginning: what it did after [12](?:\.\d)? s is missing, and the others took over its share then\.$/,
  );
  assert.match(out.replace(/\s+/g, ' '), /Not finished: .* quay-1 was lost/);
  assert.deepEqual([usersAt(events, 0), usersAt(events, 3), usersAt(events, 7)], [6, 4, 6]);
  // No report passes what is not whole, also where it is merged with another.
  const again = await mervok(folder, ['run', '-q']);
  assert.equal(again.code, 0, again.err);
  const [earlier] = readdirSync(join(folder, '.mervok/runs')).sort();
  const id = earlier!.replace('.ndjson', '');
  for (const runs of [[id], [id, 'last', '--merge']]) {
    const files = ['r.xml', 'r.tap', 'r.json'].flatMap(name => ['-o', name]);
    const report = await mervok(folder, ['report', ...runs, '--verdict', ...files]);
    assert.equal(report.code, 3, report.out + report.err);
    const read = (name: string) => readFileSync(join(folder, name), 'utf8');
    assert.match(read('r.xml'), /<error message="quay-1 was lost /);
    assert.match(read('r.tap'), /Bail out! quay-1 was lost /);
    assert.deepEqual(JSON.parse(read('r.json')).totals.missing, missing);
  }
});

test('one that is cut off stops, and comes back as one that has left', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 10 }));
  const folder = collectionFor(t, origin, `# Berths\n\n${look}\n\n${leave}`);
  const queue = await startQueue(t);
  const way = await cuttableWay(t, queue);
  const cutOff = await startWorker(t, way, 'quay-1');
  const { code, out } = await runWhile(
    folder,
    [...overQueue(queue, 1, '2s'), '--load', 'stay at 4 users for 8 s'],
    async () => {
      await cutOff.says(/begins/);
      await delay(1500);
      way.cut();
      const cutAt = Date.now();
      await cutOff.says(/is not heard any more/);
      await delay(1000);
      const late = seen.filter(({ at }) => at > cutAt + 2500);
      assert.deepEqual(late, []);
    },
  );
  assert.equal(code, 3, out);
  const [why] = endOf(recordIn(folder)).missing!;
  assert.match(why!, /^quay-1 was lost .* and nobody took over its share\.$/);
  // Every round has cleaned up behind it.
  const count = (what: string) => seen.filter(each => each.what === what).length;
  const uncounted = count('DELETE /berths') - count('GET /berths');
  // Of a round that was cut off its request may not have been sent any more.
  assert.ok(uncounted >= 0 && uncounted <= 4, `${uncounted}`);
});

test('a clock that is wrong by a minute changes neither times nor starts', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 10 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const shift = join(queue.folder, 'shift.cjs');
  writeFileSync(shift, 'const now = Date.now; Date.now = () => now() + 60_000;');
  const environment = { NODE_OPTIONS: `--require ${shift}` };
  await Promise.all([
    // Its threads see what is allowed of the environment.
    startWorker(t, queue, 'quay-1', { environment, args: ['--allow-os', 'NODE_OPTIONS'] }),
    startWorker(t, queue, 'quay-2'),
  ]);
  const load = ['--load', 'stay at 40 rounds/s for 2 s', '--sample', '100%'];
  const { code, out, err } = await runWhile(folder, [...overQueue(queue, 2), ...load]);
  assert.equal(code, 0, out + err);
  const events = recordIn(folder);
  const exchanges = events.filter((event): event is EventOf<'exchange'> => event.type === 'exchange');
  assert.deepEqual([exchanges.length, seen.length], [80, 80]);
  const [begin, end] = [seen[0]!.at, seen.at(-1)!.at];
  for (const { at } of exchanges) assert.ok(at > begin - 500 && at < end + 500, `${at - begin} ms`);
});

test('what one worker has come by that is secret is masked in what another was answered', {
  skip,
}, async t => {
  const tokens: string[] = [];
  const { origin } = await harbour(t, what => {
    if (what === 'POST /tokens') tokens.push(`token-${tokens.length}-${'x'.repeat(12)}`);
    // Everybody is told of everybody's.
    return { takes: 5, body: { token: tokens.at(-1), all: tokens } };
  });
  const page = `# Tokens\n\n${caseText('Sign in', 'POST /tokens', 'status = 200\nkeep $.token as secret token')}\n\n${caseText('Who is there', 'GET /tokens?mine={token}', 'status = 200')}`;
  const folder = collectionFor(t, origin, page);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(folder, [
    ...overQueue(queue, 3),
    ...['--load', 'stay at 6 users for 1500 ms', '--sample', '100%'],
  ]);
  assert.equal(code, 0, out + err);
  const text = JSON.stringify(recordIn(folder));
  const open = tokens.filter(token => text.includes(token));
  assert.ok(tokens.length > 20);
  assert.deepEqual(open, []);
});

test('users take rows of their own, whatever machine they are on; --users and --rounds are shared out too', {
  skip,
}, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 10 }));
  const page = `# Pilots\n\n${caseText('Look', 'GET /pilots/{pilot}', 'status = 200')}`;
  const folder = collectionFor(t, origin, page);
  const names = Array.from({ length: 30 }, (_, index) => `p${index}`);
  const elsewhere = folderWith(t, {
    'pilots.csv': `pilot\n${names.join('\n')}\n`,
    'many.load': 'stay at 9 users for 1 s\neach user takes row of "pilots.csv"\n',
    'given.env': 'pilot=given\n',
  });
  const queue = await startQueue(t);
  await startWorkers(t, queue, 3);
  const over = overQueue(queue, 3);
  const ran = await runWhile(folder, [...over, '--load', join(elsewhere, 'many.load')]);
  assert.equal(ran.code, 0, ran.out + ran.err);
  assert.equal(new Set(seen.map(({ what }) => what)).size, 9);
  seen.length = 0;
  const vars = ['--vars', join(elsewhere, 'given.env')];
  const users = await runWhile(folder, [...over, '--users', '5', '--rounds', '4', ...vars]);
  assert.equal(users.code, 0, users.out + users.err);
  assert.equal(seen.filter(({ what }) => what === 'GET /pilots/given').length, 20);
  const cases = recordIn(folder).filter(event => event.type === 'case');
  assert.equal(cases.length, 20);
  seen.length = 0;
  const rows = await runWhile(folder, [...over, '--rows', join(elsewhere, 'pilots.csv')]);
  assert.equal(rows.code, 0, rows.out + rows.err);
  assert.equal(new Set(seen.map(({ what }) => what)).size, 30);
});

test('pages that run alone do so on whatever machine', { skip }, async t => {
  let open = 0;
  let most = 0;
  const { origin } = await harbour(t, () => {
    most = Math.max(most, ++open);
    setTimeout(() => open--, 20);
    return { takes: 20 };
  });
  const folder = collectionFor(t, origin, `---\nalone: true\n---\n# Dock\n\n${look}`);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 2);
  const { code, out, err } = await runWhile(folder, [
    ...overQueue(queue, 2),
    '--load',
    'stay at 4 users for 1 s',
  ]);
  assert.equal(code, 0, out + err);
  assert.equal(most, 1);
});

test('a condition, an interrupt and a limit end all of them', { skip }, async t => {
  let bad = false;
  const { origin, seen } = await harbour(t, what => ({
    takes: 10,
    status: bad && what.startsWith('GET') ? 500 : 200,
  }));
  const folder = collectionFor(t, origin, `# Berths\n\n${look}\n\n${leave}`);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 2);
  const over = overQueue(queue, 2);
  bad = true;
  const load = 'stay at 4 users for 30 s\nstop when failed > 20 % for 1 s';
  const met = await runWhile(folder, [...over, '--load', load]);
  assert.equal(met.code, 1, met.out + met.err);
  assert.match(met.out.replace(/\s+/g, ' '), /failed > 20 % for 1 s, found /);
  bad = false;
  const long = ['--load', 'stay at 4 users for 1 s; stay at 20 rounds/s for 20 s'];
  for (const [args, code, moment] of [
    [long, 130, 500],
    [long, 130, 2000],
    [[...long, '--timeout', '1s'], 3, 0],
  ] as const) {
    seen.length = 0;
    const ended = await runWhile(folder, [...over, ...args], async child => {
      await until(
        () => seen.length > 0,
        () => 'nothing is sent',
      );
      if (moment === 0) return;
      await delay(moment);
      child.kill('SIGINT');
    });
    assert.equal(ended.code, code, ended.out + ended.err);
    const count = (what: string) => seen.filter(each => each.what === what).length;
    assert.ok(count('GET /berths') > 0);
    // A round may have begun whose request was not sent any more; it is cleaned up behind all the same.
    const begun = sumOf(figuresIn(recordIn(folder)), each => each.rounds.begun);
    const unsent = begun - count('GET /berths');
    assert.ok(unsent >= 0 && unsent <= 4, `${unsent} unsent`);
    assert.ok(count('DELETE /berths') >= count('GET /berths') && count('DELETE /berths') <= begun);
  }
});

test('a queue that is started anew in the middle of a load is waited for', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 10 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const [first] = await startWorkers(t, queue, 2);
  const { code, out, err } = await runWhile(
    folder,
    [...overQueue(queue, 2, '6s'), '--load', 'stay at 4 users for 4 s'],
    async () => {
      await first!.says(/begins/);
      await delay(1500);
      await queue.stop('SIGKILL');
      await delay(500);
      await queue.start();
    },
  );
  assert.equal(code, 0, out + err);
  assert.equal(endOf(recordIn(folder)).totals.requests, seen.length);
});
