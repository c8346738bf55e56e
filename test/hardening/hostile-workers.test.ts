import assert from 'node:assert/strict';
import { readdirSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import { makeSigningKeys } from '../../src/platform/queue/job-keys.ts';
import { Queue } from '../../src/platform/queue/queue.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { harbour } from '../support/harbour.ts';
import { mervok } from '../support/program.ts';
import {
  overQueue,
  queueProgram,
  startQueue,
  startWorker,
  type TestWorker,
  until,
} from '../support/queue.ts';
import { endOf, recordIn } from '../support/records.ts';

const skip = queueProgram() === undefined && 'there is no NATS server on this machine';

/** Folders of jobs of a worker that are there now. */
const jobFolders = ({ child }: TestWorker) =>
  readdirSync(tmpdir()).filter(name => name.startsWith(`mervok-job-${child.pid}-`));

/** Everything that goes over a queue, as somebody who may read all of it sees it. */
async function listenIn(t: TestContext, url: string) {
  const queue = await Queue.open({ url });
  t.after(() => queue.close());
  const heard: { subject: string; data: Buffer; reply: string | undefined }[] = [];
  queue.connection.subscribe('>', {
    callback: (_, message) => {
      heard.push({ subject: message.subject, data: Buffer.from(message.data), reply: message.reply });
    },
  });
  await queue.connection.flush();
  return { queue, heard };
}

test('a worker gives the environment, files and programs of its machine to no job that was not allowed them', {
  skip,
}, async t => {
  const { origin, seen } = await harbour(t);
  const queue = await startQueue(t);
  const own = { KEEPER_TOKEN: 'kelp-and-cordage', PILOT: 'mira' };
  const worker = await startWorker(t, queue, 'quay-1', { environment: own, args: ['--allow-os', 'PILOT'] });
  const secretFile = join(folderWith(t, { 'ledger.txt': 'eleven hundred crowns' }), 'ledger.txt');
  const run = (files: { [path: string]: string }) => {
    const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, ...files });
    return mervok(folder, ['run', ...overQueue(queue, 1), '--verbose']);
  };
  const page = (front: string, text: string) => ({ 'berths.md': `---\n${front}\n---\n# Berths\n\n${text}` });
  const asking = caseText('Look', 'GET /berths?of={own}', 'status = 200');
  const allowed = await run(page('variables: { own: { os: PILOT } }', asking));
  assert.equal(allowed.code, 0, allowed.out + allowed.err);
  assert.ok(seen.some(({ what }) => what.includes('mira')));
  seen.length = 0;
  const hostile: { [what: string]: [files: { [path: string]: string }, words: RegExp] } = {
    environment: [
      page('variables: { own: { os: KEEPER_TOKEN } }', asking),
      /KEEPER_TOKEN[\s\S]*--allow-os NAME/,
    ],
    'environment of the system': [page('variables: { own: { os: HOME } }', asking), /HOME/],
    'a file by its path': [
      page(`variables: { own: { file: "${secretFile}" } }`, asking),
      /outside of the collection/,
    ],
    'a file above': [
      page('variables: { own: { file: "../../../../etc/hostname" } }', asking),
      /outside of the collection|not in the collection/,
    ],
    'a file of the system in a body': [
      page(
        '',
        `## Send\n\n~~~http\nPOST /berths\n~~~\n\n~~~file body\n${secretFile}\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`,
      ),
      /outside of the collection/,
    ],
    'an authority of the machine': [
      page(`tls: { ca: "${secretFile}" }`, asking.replace('?of={own}', '')),
      /outside of the collection|ledger\.txt/,
    ],
    'a command': [
      page('', `## Run\n\n~~~sh step\necho 1\n~~~\n\n~~~mervok\nexit = 0\n~~~\n`),
      /runs no commands/,
    ],
    'a script': [
      page('', `## Run\n\n~~~js step\nlet a = 1\n~~~\n\n${asking.replace('?of={own}', '')}`),
      /runs no scripts/,
    ],
    'a database': [
      page('', `## Ask\n\n~~~sql step sqlite:/etc/ledger.db\nselect 1\n~~~\n\n~~~mervok\nrows = 1\n~~~\n`),
      /runs no queries|sql step/,
    ],
  };
  for (const [what, [files, words]] of Object.entries(hostile)) {
    const { code, out, err } = await run(files);
    assert.notEqual(code, 0, `${what}: ${out}${err}`);
    assert.match(out + err, words, what);
    const told = out + err + JSON.stringify(seen);
    for (const secret of ['kelp-and-cordage', 'eleven hundred']) assert.ok(!told.includes(secret), what);
  }
  assert.deepEqual(seen, []);
  assert.doesNotMatch(worker.said(), /mistake/);
  await delay(300);
  assert.deepEqual(jobFolders(worker), []);
});

test('a worker that runs programs shows them what it was told to alone', { skip }, async t => {
  const { origin } = await harbour(t);
  const queue = await startQueue(t);
  const environment = { KEEPER_TOKEN: 'kelp-and-cordage' };
  await startWorker(t, queue, 'quay-1', { environment, args: ['--commands'] });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md':
      `# Berths\n\n## Run\n\n~~~sh step\necho "token is [$KEEPER_TOKEN] and home is [$HOME]"\n~~~\n\n~~~mervok\nexit = 0\n~~~\n`.replaceAll(
        '~~~',
        '```',
      ),
  });
  const { code, out, err } = await mervok(folder, ['run', ...overQueue(queue, 1), '--verbose']);
  assert.equal(code, 0, out + err);
  assert.match(out, /token is \[\] and home is \[\]/);
});

test('nobody on the queue reads what a run hands out, or gets a worker to do anything again', {
  skip,
}, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 20, body: { token: 'gull-and-anchor-0417' } }));
  const queue = await startQueue(t);
  const { queue: spy, heard } = await listenIn(t, queue.url);
  const worker = await startWorker(t, queue, 'quay-1');
  const folder = folderWith(t, {
    'mervok.yaml': `title: Skerry Harbour\nbase: ${origin}\n`,
    'mervok.secret.yaml': 'variables: { keeper: kelp-and-cordage }\n',
    'berths.md': `# Berths\n\n${caseText('Look', 'GET /berths?of={keeper}', 'status = 200\nkeep $.token as secret token')}`,
    'quays.md': `# Quays\n\n${caseText('Look', 'GET /quays', 'status = 200')}`,
  });
  const { code, out, err } = await mervok(folder, [
    'run',
    ...overQueue(queue, 1),
    '--set',
    'night=eleven-bells',
  ]);
  assert.equal(code, 0, out + err);
  await worker.says(/has done its part/);
  const all = Buffer.concat(heard.map(({ data }) => data)).toString('latin1');
  assert.ok(heard.length > 10);
  for (const text of [
    'kelp-and-cordage',
    'gull-and-anchor',
    'eleven-bells',
    'GET /berths',
    'Skerry Harbour',
    origin,
  ])
    assert.ok(!all.includes(text), text);
  // Everything once more, as it was.
  const before = seen.length;
  for (const { subject, data } of [...heard])
    if (subject.startsWith('mervok.')) spy.connection.publish(subject, data);
  await spy.connection.flush();
  await delay(1000);
  assert.equal(seen.length, before);
  assert.equal(worker.child.exitCode, null);
  const again = await mervok(folder, ['run', '-q', ...overQueue(queue, 1)]);
  assert.equal(again.code, 0, again.out + again.err);
});

test('what others put on the queue while a run goes changes nothing', { skip }, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 40 }));
  const queue = await startQueue(t);
  const { queue: spy, heard } = await listenIn(t, queue.url);
  await startWorker(t, queue, 'quay-1');
  const looks = Array.from({ length: 12 }, (_, index) =>
    caseText(`Look ${index}`, `GET /${index}`, 'status = 200'),
  );
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': `# Berths\n\n${looks.join('\n\n')}`,
  });
  let goes = true;
  const disturb = (async () => {
    while (goes) {
      await delay(20);
      for (const { subject, data } of heard.splice(0).slice(-50)) {
        if (!subject.startsWith('mervok.')) continue;
        const changed = Buffer.from(data);
        if (changed.length > 20) changed[changed.length - 5]! ^= 1;
        spy.connection.publish(subject, changed);
        spy.connection.publish(subject, data);
        spy.connection.publish(subject, Buffer.from('{}'));
        spy.connection.publish(subject, Buffer.alloc(0));
      }
      heard.length = 0;
    }
  })();
  const { code, out, err } = await mervok(folder, ['run', ...overQueue(queue, 1)]);
  goes = false;
  await disturb;
  assert.equal(code, 0, out + err);
  assert.equal(endOf(recordIn(folder)).totals.cases.passed, 12);
  assert.equal(seen.length, 12);
});

test('a job that is signed by another key is not carried out', { skip }, async t => {
  const { origin, seen } = await harbour(t);
  const queue = await startQueue(t);
  const worker = await startWorker(t, queue, 'quay-1');
  writeFileSync(join(queue.folder, 'jobs.key'), makeSigningKeys().privateKey);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': `# Berths\n\n${caseText('Look', 'GET /berths', 'status = 200')}`,
  });
  const { code, err } = await mervok(folder, ['run', ...overQueue(queue, 1)]);
  assert.equal(code, 2);
  assert.match(err, /with the key that belongs to that of --sign/);
  assert.match(worker.said(), /refuses a job: it is not signed by the key that is trusted here/);
  assert.equal(seen.length, 0);
});

test('what a worker has unpacked nobody else can read, and it does not stay where the worker is killed', {
  skip,
}, async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 3000 }));
  const queue = await startQueue(t);
  const worker = await startWorker(t, queue, 'quay-1');
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': `# Berths\n\n${caseText('Look', 'GET /berths', 'status = 200')}`,
  });
  const killed = async () => {
    await until(
      () => seen.length > 0,
      () => 'nothing is sent',
    );
    const [name] = jobFolders(worker);
    assert.equal(statSync(join(tmpdir(), name!)).mode & 0o777, 0o700);
    assert.equal(statSync(join(tmpdir(), name!, 'berths.md')).mode & 0o777, 0o600);
    worker.child.kill('SIGKILL');
  };
  let doing: Promise<void> | undefined;
  const { code, out } = await mervok(folder, ['run', ...overQueue(queue, 1, '1s')], {}, () => {
    doing = killed();
  });
  await doing;
  assert.equal(code, 3, out);
  assert.match(
    out.replace(/\s+/g, ' '),
    /berths\.md is missing: no worker is left\. .*quay-1 was lost with berths\.md/,
  );
  assert.equal(jobFolders(worker).length, 1);
  await startWorker(t, queue, 'quay-2');
  assert.deepEqual(jobFolders(worker), []);
});
