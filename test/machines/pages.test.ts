import assert from 'node:assert/strict';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { berthPage, harbour } from '../support/harbour.ts';
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
import { endOf, recordIn } from '../support/records.ts';

const skip = queueProgram() === undefined && 'there is no NATS server on this machine';
const berths = ['n1', 'n2', 'n3', 's1', 's2', 's3'];
const looks = 6;
/** Of every berth: what reserves it, what looks at it, what leaves it. */
const casesOfAll = berths.length * (looks + 2);

function collectionFor(t: TestContext, origin: string, more: { [path: string]: string } = {}): string {
  return folderWith(t, {
    'mervok.yaml': `title: Skerry Harbour\nbase: ${origin}\n`,
    ...Object.fromEntries(berths.map(each => [`${each}.md`, berthPage(each, looks)])),
    ...more,
  });
}

function totalsOf(folder: string) {
  const { totals } = endOf(recordIn(folder));
  const { p50: _p50, p95: _p95, received: _received, ...counts } = totals;
  return counts;
}

test('three workers come to the same as one machine, and each case runs once', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 5 }));
  const folder = collectionFor(t, origin);
  assert.equal((await mervok(folder, ['run', '-q'])).code, 0);
  const alone = totalsOf(folder);
  seen.length = 0;
  const queue = await startQueue(t);
  await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 3));
  assert.equal(code, 0, out + err);
  assert.match(err, /^3 workers: quay-\d, quay-\d and quay-\d\. Each is sent the collection: /);
  assert.match(out, /\nPassed: 48 cases; all 48 checks hold\./);
  assert.deepEqual(totalsOf(folder), alone);
  assert.deepEqual([seen.length, new Set(seen.map(({ what }) => what)).size], [casesOfAll, casesOfAll]);
  const events = recordIn(folder);
  assert.ok(events[0]?.type === 'run' && events[0].machines === 3);
  // Pages stand one behind the other, each whole.
  const pages = events.flatMap(event => (event.type === 'page' && !event.cleanup ? [event.file] : []));
  assert.deepEqual(pages.toSorted(), berths.map(each => `${each}.md`).toSorted());
  for (const name of ['r.html', 'r.xml', 'r.har', 'r.json']) {
    const report = await mervok(folder, ['report', '-o', name]);
    assert.equal(report.code, 0, report.err);
  }
});

test('of a worker that is killed another one takes over the share', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 60 }));
  const folder = collectionFor(t, origin);
  assert.equal((await mervok(folder, ['run', '-q'])).code, 0);
  const alone = totalsOf(folder);
  seen.length = 0;
  const queue = await startQueue(t);
  const [first] = await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 3), async () => {
    await until(
      () => seen.length >= 8,
      () => 'nothing is sent',
    );
    first!.child.kill('SIGKILL');
  });
  assert.equal(code, 0, out + err);
  assert.deepEqual(totalsOf(folder), alone);
  const { leftBehind = [], missing } = endOf(recordIn(folder));
  assert.equal(missing, undefined);
  assert.equal(leftBehind.length, 1);
  assert.match(
    leftBehind[0]!,
    /^quay-1 was lost with [ns]\d\.md; quay-[23] ran it again from the beginning\. What it had made may still be there: (?:nothing had been heard of it|it was last heard of behind [ns]\d\.md#\S+)\.$/,
  );
  assert.match(out.replaceAll('\n', ' '), /quay-1 was lost with/);
  assert.ok(seen.length > casesOfAll);
});

test('one that is cut off stops sending before its share is given to another, and cleans up', {
  skip,
}, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 150 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const way = await cuttableWay(t, queue);
  const cutOff = await startWorker(t, way, 'quay-1');
  await startWorker(t, queue, 'quay-2');
  let cutAt = 0;
  const { code, out, err } = await runWhile(folder, overQueue(queue, 2, '3s'), async () => {
    await until(
      () => seen.length >= 3,
      () => 'nothing is sent',
    );
    way.cut();
    cutAt = Date.now();
  });
  assert.equal(code, 0, out + err);
  assert.equal(totalsOf(folder).cases.passed, casesOfAll);
  const [left] = endOf(recordIn(folder)).leftBehind!;
  const share = /with ([ns]\d)\.md/.exec(left!)![1]!;
  const deletes = seen.filter(({ what }) => what === `DELETE /${share}`).map(({ at }) => at);
  const begins = seen.filter(({ what }) => what === `POST /${share}`).map(({ at }) => at);
  assert.deepEqual([deletes.length, begins.length], [2, 2]);
  // It has cleaned up before the other one began, at two thirds of the lease at the latest.
  assert.ok(deletes[0]! < begins[1]!, `cleaned up ${deletes[0]! - begins[1]!} ms behind`);
  assert.ok(deletes[0]! - cutAt < 3000);
  assert.doesNotMatch(cutOff.said(), /mistake/);
});

test('one that stands still for longer than its lease changes nothing', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 40 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const [first] = await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 3, '1s'), async () => {
    await until(
      () => seen.length >= 8,
      () => 'nothing is sent',
    );
    first!.child.kill('SIGSTOP');
    await delay(2500);
    first!.child.kill('SIGCONT');
  });
  assert.equal(code, 0, out + err);
  const { cases, requests } = totalsOf(folder);
  assert.deepEqual([cases.passed, requests], [casesOfAll, casesOfAll]);
});

test('a queue that is started anew in the middle is waited for', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 60 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 3, '6s'), async () => {
    await until(
      () => seen.length >= 8,
      () => 'nothing is sent',
    );
    await queue.stop('SIGKILL');
    await delay(500);
    await queue.start();
  });
  assert.equal(code, 0, out + err);
  assert.deepEqual([totalsOf(folder).cases.passed, seen.length], [casesOfAll, casesOfAll]);
});

test('a queue that is away for good ends the run, which says what is missing', { skip }, async t => {
  for (const isInterrupted of [false, true]) {
    const { origin, seen } = await harbour(t, () => ({ takes: 100 }));
    const folder = collectionFor(t, origin);
    const queue = await startQueue(t);
    await startWorkers(t, queue, 2);
    let goneAt = 0;
    const { code, out } = await runWhile(folder, overQueue(queue, 2, '1s'), async child => {
      await until(
        () => seen.length >= 4,
        () => 'nothing is sent',
      );
      await queue.stop('SIGKILL');
      goneAt = Date.now();
      await delay(1500);
      if (isInterrupted) child.kill('SIGINT');
    });
    assert.equal(code, isInterrupted ? 130 : 3, out);
    const told = out.replace(/\s+/g, ' ');
    assert.match(told, /quay-\d was lost with [ns]\d\.md\. What it had made may still be there/);
    if (!isInterrupted) assert.match(told, /Not finished: .* are missing: no worker is left\./);
    // Whoever is not heard has stopped, and cleaned up.
    assert.ok(seen.every(({ at }) => at < goneAt + 2500));
    const count = (method: string) => seen.filter(({ what }) => what.startsWith(method)).length;
    assert.equal(count('DELETE'), count('POST'));
  }
});

test('a queue that is away at the end is waited for, so that everything is told', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 40 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 3);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 3, '3s'), async () => {
    await until(
      () => seen.length >= casesOfAll - 1,
      () => 'it does not come to its end',
    );
    await queue.stop('SIGKILL');
    await delay(2500);
    await queue.start();
  });
  assert.equal(code, 0, out + err);
  assert.equal(totalsOf(folder).cases.passed, casesOfAll);
});

test('workers of a run that is killed clean up, and are free for the next one', { skip }, async t => {
  const { origin, seen, countOf } = await harbour(t, () => ({ takes: 100 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const workers = await startWorkers(t, queue, 2);
  const killed = await runWhile(folder, overQueue(queue, 2, '1s'), async child => {
    await until(
      () => seen.length >= 4,
      () => 'nothing is sent',
    );
    child.kill('SIGKILL');
  });
  assert.equal(killed.code, null);
  for (const each of workers) await each.says(/ends the job: nobody hears what it has to tell/);
  for (const each of berths) assert.equal(countOf(`DELETE /${each}`), countOf(`POST /${each}`), each);
  seen.length = 0;
  const next = await runWhile(folder, overQueue(queue, 2, '1s'));
  assert.equal(next.code, 0, next.out + next.err);
  assert.equal(seen.length, casesOfAll);
});

test('where there is no queue, or too few workers, nothing is sent', { skip }, async t => {
  const { origin, seen } = await harbour(t);
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  await startWorker(t, queue, 'quay-1');
  const few = await runWhile(folder, overQueue(queue, 2));
  assert.equal(few.code, 2);
  assert.match(
    few.err,
    /^2 workers are wanted, and 1 of those at nats:\/\/127\.0\.0\.1:\d+ took the job within 10 s\. Is 'mervok worker /,
  );
  await queue.stop();
  const none = await runWhile(folder, overQueue(queue, 1));
  assert.equal(none.code, 2);
  assert.match(
    none.err,
    /^The queue nats:\/\/127\.0\.0\.1:\d+ cannot be used: nobody listens at 127\.0\.0\.1:\d+\.\n$/,
  );
  assert.equal(seen.length, 0);
});

test('two runs on one queue do not disturb each other', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 20 }));
  const folders = [collectionFor(t, origin), collectionFor(t, origin)];
  const queue = await startQueue(t);
  await startWorkers(t, queue, 4);
  const runs = await Promise.all(folders.map(folder => runWhile(folder, overQueue(queue, 2))));
  for (const { code, out, err } of runs) assert.equal(code, 0, out + err);
  for (const folder of folders) assert.equal(totalsOf(folder).cases.passed, casesOfAll);
  assert.equal(seen.length, 2 * casesOfAll);
});

test('an interrupt cleans up on all workers', { skip }, async t => {
  const { origin, seen, countOf } = await harbour(t, () => ({ takes: 80 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const workers = await startWorkers(t, queue, 2);
  const { code, out } = await runWhile(folder, overQueue(queue, 2), async child => {
    await until(
      () => seen.length >= 6,
      () => 'nothing is sent',
    );
    child.kill('SIGINT');
  });
  assert.equal(code, 130, out);
  const begun = berths.filter(each => countOf(`POST /${each}`) > 0);
  assert.ok(begun.length > 0 && begun.length < berths.length);
  for (const each of begun) assert.equal(countOf(`DELETE /${each}`), 1, each);
  // What had run by then is on record.
  const cases = recordIn(folder).filter(event => event.type === 'case');
  assert.ok(cases.length >= begun.length);
  for (const each of workers) await each.says(/has done its part/);
});

test('a worker that is asked to leave gives its share back, and cleans up', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 60 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const [first] = await startWorkers(t, queue, 2);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 2), async () => {
    await until(
      () => seen.length >= 6,
      () => 'nothing is sent',
    );
    first!.child.kill('SIGINT');
  });
  assert.equal(code, 0, out + err);
  assert.equal(totalsOf(folder).cases.passed, casesOfAll);
  assert.equal(await first!.ended, 130);
});

test('pages that hang together go to one worker, and those that run alone run alone', { skip }, async t => {
  let open = 0;
  const together: string[] = [];
  const { origin } = await harbour(t, what => {
    open++;
    if (what === 'GET /dry-dock' && open > 1) together.push(what);
    setTimeout(() => open--, 50);
    return { takes: 50, body: { id: 'N1' } };
  });
  const maker = `# Making\n\n${caseText('Make', 'POST /berths', 'status = 200\nkeep $.id as berth')}`;
  const user = `# Using\n\n${caseText('Use', 'GET /berths/{berth}', 'status = 200')}`;
  const folder = collectionFor(t, origin, {
    'making.md': maker,
    'using.md': user,
    'dock.md': `---\nalone: true\n---\n# Dock\n\n${caseText('Dock', 'GET /dry-dock', 'status = 200')}`,
  });
  const queue = await startQueue(t);
  await startWorkers(t, queue, 2);
  const { code, out, err } = await runWhile(folder, overQueue(queue, 2));
  assert.equal(code, 0, out + err);
  assert.deepEqual(together, []);
  assert.match(out, /Passed: 51 cases/);
});

test('--fail-fast ends all of them with the first failure', { skip }, async t => {
  const { origin, countOf } = await harbour(t, what => ({
    takes: 60,
    status: what === 'GET /n1/1' ? 500 : 200,
  }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  await startWorkers(t, queue, 2);
  const { code, out } = await runWhile(folder, [...overQueue(queue, 2), '--fail-fast']);
  assert.equal(code, 1, out);
  assert.equal(countOf('GET /n1/2'), 0);
  assert.ok(
    berths.some(each => countOf(`POST /${each}`) === 0),
    out,
  );
});

test('a thread of a worker that dies costs its share a second beginning, and nothing else', {
  skip,
}, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 120 }));
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const dying = join(queue.folder, 'dies.cjs');
  writeFileSync(
    dying,
    "if (!require('node:worker_threads').isMainThread) setTimeout(() => process.exit(9), 1500);",
  );
  const args = ['--allow-os', 'NODE_OPTIONS'];
  const environment = { NODE_OPTIONS: `--require ${dying}` };
  const worker = await startWorker(t, queue, 'quay-1', { args, environment });
  await startWorker(t, queue, 'quay-2');
  const { code, out, err } = await runWhile(folder, overQueue(queue, 2));
  assert.equal(code, 0, out + err);
  assert.equal(totalsOf(folder).cases.passed, casesOfAll);
  const { leftBehind = [] } = endOf(recordIn(folder));
  assert.match(worker.said(), /quay-1 has lost its thread \(exit code 9\)/);
  assert.match(leftBehind.join(' '), /^quay-1 was lost with [ns]\d\.md; quay-2 ran it again/);
  assert.ok(seen.length >= casesOfAll);
});

test('an interrupt while workers are looked for ends it, and leaves nothing', { skip }, async t => {
  const { origin, seen } = await harbour(t);
  const folder = collectionFor(t, origin);
  const queue = await startQueue(t);
  const worker = await startWorker(t, queue, 'quay-1');
  const { code, err } = await runWhile(folder, overQueue(queue, 2), async child => {
    await delay(2500);
    child.kill('SIGINT');
  });
  assert.equal(code, 130, err);
  assert.match(err, /Interrupted before anything was sent\./);
  await worker.says(/ends the job|has done its part/);
  assert.equal(seen.length, 0);
});
