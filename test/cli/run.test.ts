import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { eventSchema } from '../../src/core/record/event-schema.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { closedPort, serve } from '../support/server.ts';

/** A small harbour: berths can be made, read and taken away. */
async function harbour(test: TestContext): Promise<string> {
  const berths = new Map<string, unknown>();
  return serve(test, async (request, response) => {
    const [, , id = ''] = request.url!.split('/');
    let body = '';
    for await (const chunk of request) body += chunk;
    const answer = (status: number, value?: unknown) =>
      response
        .writeHead(status, { 'Content-Type': 'application/json' })
        .end(value === undefined ? '' : JSON.stringify(value));
    if (request.url === '/html')
      return response.writeHead(200, { 'Content-Type': 'text/html' }).end('<h1>\u001b[31mHarbour</h1>');
    if (request.method === 'POST') {
      const berth = { id: String(berths.size + 1), ...JSON.parse(body) };
      berths.set(berth.id, berth);
      return answer(201, berth);
    }
    if (!berths.has(id)) return answer(404, { title: 'Not found' });
    if (request.method === 'DELETE') berths.delete(id);
    return request.method === 'DELETE' ? answer(204) : answer(200, berths.get(id));
  });
}

const page = `# Berths

${caseText('Make', 'POST /berths\nContent-Type: application/json\n\n{ "quay": "{quay}", "depth": 4.2 }', 'status = 201\n$.depth = 4.2\nkeep $.id as berth')}${caseText('Read', 'GET /berths/{berth}', 'status = 200\n$.quay = {quay}')}${caseText('Remove', 'DELETE /berths/{berth}', 'status = 204')}${caseText('Gone', 'GET /berths/{berth}', 'status = 404\n$.quay absent')}`;

async function collection(test: TestContext, files: { [path: string]: string } = {}) {
  const origin = await harbour(test);
  const settings = `title: Skerry Harbour\nbase: "${origin}"\nvariables: { quay: North Quay }\nenvironments:\n  local: {}\n  south: { quay: South Quay }\nenvironment: local\n`;
  return { origin, folder: folderWith(test, { 'mervok.yaml': settings, 'berths.md': page, ...files }) };
}

test('a run that passes ends with 0 and says so', async t => {
  const { folder } = await collection(t);
  const { code, out, err } = await mervok(folder, ['run']);
  assert.deepEqual([code, err], [0, '']);
  assert.match(out, /^Skerry Harbour, environment local$/m);
  assert.match(out, /^passed {3}Make {2,}POST \/berths {2,}201 {2,}[\d.]+ ms$/m);
  assert.match(out, /^Passed: 4 cases; all 7 checks hold\.$/m);
  assert.match(out, /^4 requests in /m);
  assert.ok(!out.includes('\u001b'), 'no colour where there is no terminal');
});

test('paths, environments and given values choose what runs and how', async t => {
  const { folder } = await collection(t, {
    'sub/more.md': caseText('More', 'GET /berths/9', 'status = 404'),
  });
  assert.match((await mervok(folder, ['run', 'berths.md#read'])).out, /Passed: 2 cases; all 4 checks hold\./);
  assert.match((await mervok(folder, ['run', 'sub', '-q'])).out, /^Passed: 1 case; the one check holds\.\n$/);
  assert.match((await mervok(join(folder, 'sub'), ['run', '-q'])).out, /all 8 checks hold/);
  assert.match((await mervok(join(folder, 'sub'), ['run', '../berths.md', '-q'])).out, /all 7 checks hold/);
  for (const args of [['--env', 'south'], ['@south'], ['--set', 'quay=South Quay']]) {
    const { out, code } = await mervok(folder, ['run', ...args, '-o', 'out.json']);
    assert.equal(code, 0, out);
    const made = JSON.parse(readFileSync(join(folder, 'out.json'), 'utf8'));
    assert.equal(made.passed, true);
  }
});

test('a value that is given for nothing is told, and the run goes on', async t => {
  const { folder } = await collection(t);
  const { code, err } = await mervok(folder, [
    'run',
    '-q',
    '--set',
    'qauy=x',
    '--set',
    'berth=9',
    '--set',
    'quay=y',
  ]);
  assert.equal(code, 0);
  assert.match(err, /^--set qauy has no effect: .*\n--set berth has no effect: .*\n$/);
});

test('a page alone runs without any settings', async t => {
  const { origin } = await collection(t);
  const folder = folderWith(t, { 'alone.md': caseText('Alone', `GET ${origin}/berths/9`, 'status = 404') });
  const { code, out } = await mervok(folder, ['run', 'alone.md']);
  assert.equal(code, 0);
  assert.match(out, /the one check holds/);
});

test('rounds run the selection again', async t => {
  const { folder } = await collection(t);
  const { code, out } = await mervok(folder, ['run', '--rounds', '25']);
  assert.equal(code, 0);
  assert.match(out, /^Skerry Harbour, environment local, 25 rounds$/m);
  assert.match(out, /^Passed: 100 cases; all 175 checks hold\.$/m);
});

test('a failure ends with 1 and shows all that is needed', async t => {
  const { folder } = await collection(t, {
    'wrong.md':
      caseText('Wrong', 'GET /berths/77', 'status = 200\nkeep $.id as far') +
      caseText('Far', 'GET /berths/{far}', 'status = 200'),
  });
  const { code, out } = await mervok(folder, ['run']);
  assert.equal(code, 1);
  assert.match(out, /^failed {3}Wrong/m);
  assert.match(out, /^ {9}status = 200 {2,}wrong\.md:8$/m);
  assert.match(out, /^ {11}expected {3}200\n {11}found {6}404$/m);
  assert.match(out, /^blocked {2}Far: 'far' did not come from Wrong$/m);
  assert.match(out, /^Failed: 1 case of \d, 1 blocked by it; \d of \d checks hold\.$/m);
  assert.match(out, /^Once it is mended: mervok run --failed$/m);
  mkdirSync(join(folder, 'sub'));
  assert.match((await mervok(join(folder, 'sub'), ['run'])).out, /mervok run \.\.\/ --failed$/m);
});

test('an answer that is no JSON, a server that is not there', async t => {
  const port = await closedPort();
  const { folder } = await collection(t, {
    'odd.md':
      caseText('Html', 'GET /html', '$.a = 1') +
      caseText('Closed', `GET http://127.0.0.1:${port}/`, 'status = 200'),
  });
  const { code, out } = await mervok(folder, ['run', 'odd.md']);
  assert.equal(code, 1);
  assert.match(out, /cannot be decided: the body is no JSON: its Content-Type is text\/html/);
  assert.match(out, /No connection to http:\/\/127\.0\.0\.1:\d+: it is refused\./);
  assert.ok(!out.includes('\u001b'));
  assert.ok(!/\n\s+at /.test(out), 'no stack trace');
});

test('whatever is wrong before the run ends with 2, in one message, and nothing is sent', async t => {
  let calls = 0;
  const origin = await serve(t, (_request, response) => {
    calls++;
    response.end();
  });
  const good = caseText('A', 'GET /', 'status = 200');
  const settings = `base: "${origin}"\n`;
  const rows: [what: string, files: { [path: string]: string | Buffer }, args: string[], says: RegExp][] = [
    [
      'a page that is no text',
      { 'mervok.yaml': settings, 'a.md': Buffer.from([0xff, 0xfe, 0x00]) },
      ['run'],
      /a\.md' is no text in UTF-8/,
    ],
    [
      'broken YAML',
      { 'mervok.yaml': 'base: "x\n', 'a.md': good },
      ['run'],
      /mervok\.yaml:2:1 {2}error yaml-form/,
    ],
    [
      'an unknown key',
      { 'mervok.yaml': `${settings}tittle: x\n`, 'a.md': good },
      ['run'],
      /'tittle' is no setting\. Did you mean 'title'\?/,
    ],
    [
      'an unknown name',
      { 'mervok.yaml': settings, 'a.md': caseText('A', 'GET /{berth}', 'status = 200') },
      ['run'],
      /a\.md:4:7 {2}error name-unknown\n {2}'berth' has no value anywhere/,
    ],
    [
      'a body that is no JSON',
      { 'mervok.yaml': settings, 'a.md': caseText('A', 'POST /\n\n{ "a": }', 'status = 200') },
      ['run'],
      /a\.md:6:8 {2}error body-json/,
    ],
    [
      'an unknown environment',
      { 'mervok.yaml': `${settings}environments: { staging: {} }\n`, 'a.md': good },
      ['run', '--env', 'stagin'],
      /There is no environment 'stagin'\. Did you mean 'staging'\?/,
    ],
    [
      'an unknown page',
      { 'mervok.yaml': settings, 'berths.md': good },
      ['run', 'berths'],
      /There is no 'berths'\. Did you mean 'berths\.md'\?/,
    ],
    [
      'a page that lies elsewhere',
      { 'mervok.yaml': settings, 'quay/berths.md': good },
      ['run', 'berths.md'],
      /There is no 'berths\.md'\. Did you mean 'quay\/berths\.md'\?/,
    ],
    [
      'an unknown case',
      { 'mervok.yaml': settings, 'a.md': good },
      ['run', 'a.md#b'],
      /There is no case 'b' in a\.md/,
    ],
    ['no collection', {}, ['run'], /no mervok\.yaml in .*mervok init/],
    ['nothing to run', { 'mervok.yaml': settings }, ['run'], /There is nothing to run/],
    [
      'nothing that checks',
      { 'mervok.yaml': settings, 'a.md': '## A\n\n~~~http\nGET /\n~~~\n' },
      ['run'],
      /nothing that was selected checks anything/,
    ],
    ['an unknown command', {}, ['rnu'], /^'rnu' is no command\. Did you mean 'run'\?\n$/],
    [
      'an unknown option',
      {},
      ['run', '--round', '3'],
      /^'--round' is no option of run\. Did you mean '--rounds'\?\n$/,
    ],
    ['a value that is missing', {}, ['run', '--set'], /^A value is missing behind .*--set/],
    [
      'a wrong count',
      { 'mervok.yaml': settings, 'a.md': good },
      ['run', '--rounds', '0'],
      /--rounds takes a whole number from 1/,
    ],
    ['a wrong pair', { 'mervok.yaml': settings, 'a.md': good }, ['run', '--set', 'nights'], /NAME=VALUE/],
    [
      'an unknown ending',
      { 'mervok.yaml': settings, 'a.md': good },
      ['run', '-o', 'run.docx'],
      /No report has the ending of 'run\.docx'/,
    ],
  ];
  for (const [what, files, args, says] of rows) {
    const { code, out, err } = await mervok(folderWith(t, files), args);
    assert.deepEqual([code, out], [2, ''], `${what}: ${out}${err}`);
    assert.match(err, says, what);
    assert.ok(!/\n\s+at /.test(err), `${what}: no stack trace`);
  }
  assert.equal(calls, 0);
});

test('reports are written whole, into folders that are made; the record follows its schema', async t => {
  const { folder } = await collection(t);
  const { code } = await mervok(folder, [
    'run',
    '-q',
    '-o',
    'out/deep/run.xml',
    '-o',
    'out/run.json',
    '-o',
    'out/run.ndjson',
  ]);
  assert.equal(code, 0);
  assert.match(
    readFileSync(join(folder, 'out/deep/run.xml'), 'utf8'),
    /<testsuites name="Skerry Harbour" tests="4" failures="0"/,
  );
  assert.equal(JSON.parse(readFileSync(join(folder, 'out/run.json'), 'utf8')).totals.held, 7);
  const lines = readFileSync(join(folder, 'out/run.ndjson'), 'utf8').trimEnd().split('\n');
  const events = lines.map(line => eventSchema.parse(JSON.parse(line)));
  assert.equal(events.filter(event => event.type === 'exchange').length, 4);
  assert.deepEqual(readdirSync(join(folder, 'out')).sort(), ['deep', 'run.json', 'run.ndjson']);
});

test('a report that cannot be written ends with 3; the verdict is still printed', async t => {
  const { folder } = await collection(t);
  writeFileSync(join(folder, 'file'), '');
  mkdirSync(join(folder, 'dir.json'));
  const { code, out, err } = await mervok(folder, [
    'run',
    '-q',
    '-o',
    'file/run.xml',
    '-o',
    'dir.json',
    '-o',
    'good.json',
  ]);
  assert.equal(code, 3);
  assert.match(out, /all 7 checks hold/);
  assert.match(err, /The report 'file\/run\.xml' could not be written/);
  assert.match(err, /The report 'dir\.json' could not be written/);
  assert.ok(existsSync(join(folder, 'good.json')));
});

test('output that nobody reads to its end is no mistake', async t => {
  const { folder } = await collection(t);
  const { err } = await mervok(folder, ['run'], {}, child => child.stdout!.destroy());
  assert.ok(!err.includes('EPIPE') && !err.includes('mistake in Mervok'), err);
});
