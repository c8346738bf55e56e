import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import type { RequestListener } from 'node:http';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { eventSchema } from '../../src/core/record/event-schema.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok, program } from '../support/program.ts';
import { serve } from '../support/server.ts';

/** Answers with what it was asked; `status=` and `after=` (milliseconds) in a target say how. */
const harbour: RequestListener = (request, response) => {
  const query = new URL(request.url!, 'http://harbour.skerry.example').searchParams;
  setTimeout(
    () => {
      response.writeHead(Number(query.get('status') ?? 200), { 'Content-Type': 'application/json' });
      response.end(JSON.stringify({ id: 7, asked: request.url, cookie: request.headers.cookie ?? null }));
    },
    Number(query.get('after') ?? 0),
  );
};

type Files = { [path: string]: string | Buffer };

async function collection(t: TestContext, files: Files, settings = ''): Promise<string> {
  const origin = await serve(t, harbour);
  return folderWith(t, { 'mervok.yaml': `base: ${origin}\n${settings}`, ...files });
}

const simple = (title: string, request = 'GET /', more = '') =>
  caseText(title, request, `status = 200${more === '' ? '' : `\n${more}`}`);
const recordsIn = (folder: string) =>
  existsSync(join(folder, '.mervok/runs')) ? readdirSync(join(folder, '.mervok/runs')).sort() : [];
/** As they began. */
const idsOf = async (folder: string): Promise<string[]> =>
  JSON.parse((await mervok(folder, ['runs', '--json'])).out).runs.map(({ id }: { id: string }) => id);
const lastRecord = (folder: string) =>
  readFileSync(join(folder, '.mervok/runs', recordsIn(folder).at(-1)!), 'utf8');

test('variables of files that teams have already: --set is stronger than they are, they than the settings', async t => {
  const folder = await collection(
    t,
    {
      'a.md': simple('A', 'GET /{quay}/{nights}/{berth.code}', '$.asked = "{want}"'),
      '.env': '# of the office\nexport quay="north quay"\nnights=2 # two of them\n',
      'harbour.properties': 'berth.code = 0417\nberth.depth: 4\n',
      'vars.json': '{ "nights": 5, "berth": { "code": "0501" } }',
      'vars.yaml': 'quay: south\nberth: { code: 0733 }\n',
      'odd.json': '{ "1a": 1 }',
      'list.yaml': '- a\n',
    },
    'variables: { quay: none, nights: 1, berth: { code: none } }\n',
  );
  const rows: [args: string[], want: string][] = [
    [['--vars', '.env', '--vars', 'harbour.properties'], '/north%20quay/2/0417'],
    [['--vars', 'vars.yaml', '--vars', 'vars.json'], '/south/5/0501'],
    [['--vars', 'vars.json', '--vars', 'vars.yaml', '--set', 'quay=set'], '/set/5/0733'],
  ];
  for (const [args, want] of rows) {
    const { code, out, err } = await mervok(folder, ['run', ...args, '--set', `want=${want}`]);
    assert.equal(code, 0, out + err);
    assert.equal(err, '');
  }
  const wrong: [file: string, says: RegExp][] = [
    ['odd.json', /'odd\.json': '1a' cannot name a variable/],
    ['list.yaml', /'list\.yaml' holds a list; names and their values are wanted/],
    ['a.md', /'a\.md' is no file of variables: there are \.env/],
    ['var.json', /There is no file 'var\.json'/],
  ];
  for (const [file, says] of wrong) {
    const { code, err } = await mervok(folder, ['run', '--vars', file, '--set', 'want=x']);
    assert.equal(code, 2);
    assert.match(err, says);
  }
});

test('environments side by side: what differs, what one of them lacks, and no secret', async t => {
  const folder = await collection(
    t,
    {
      'a.md': simple('A', 'GET /{quay}/{key}/{lamp}'),
      'b.md': `---\nvariables: { side: "{quay} side" }\n---\n${simple('B', 'GET /{side}')}`,
    },
    'variables: { lamp: lit }\nenvironments:\n  local: { quay: north, key: { secret: gull }, only: 1 }\n  staging: { quay: south, key: { secret: petrel } }\n',
  );
  const { code, out } = await mervok(folder, ['vars', '--compare', 'local', 'staging']);
  assert.equal(code, 0);
  assert.equal(
    out,
    `      local                                          staging
key   [secret]                                       [secret]
only  1                                              not there
quay  north                                          south
side  north side                                     south side

staging lacks only.
The same in both: lamp.
`,
  );
  // Of a case, what it can see.
  const one = await mervok(folder, ['vars', 'a.md#a', '--compare', 'local', 'staging']);
  assert.ok(/^quay +north +south$/m.test(one.out) && !one.out.includes('side'), one.out);
  assert.match((await mervok(folder, ['vars', '--compare', 'local'])).err, /takes two environments/);
  assert.match(
    (await mervok(folder, ['vars', '--compare', 'local', 'stagin'])).err,
    /Did you mean 'staging'\?/,
  );
});

test('list: the tree with requests, tags, flow and checks; the same as JSON', async t => {
  const folder = await collection(t, {
    'quay/mervok.yaml': 'tags: [berths]\n',
    'quay/list.md': `# Berths\n\n${simple('List', 'GET /berths?state=free', 'keep $.id as berth')}`,
    'sea.md': `---\ninternal: true\n---\n# Sea\n\n${simple('Use it', 'PUT /{berth}').replace('\n\n', '\n\n~~~yaml settings\ntags: [slow]\n~~~\n\n')}`,
  });
  const { out, code } = await mervok(folder, ['list'], { COLUMNS: '72' });
  assert.equal(code, 0);
  assert.equal(
    out,
    `Berths, 2 pages, 2 cases, 2 checks

Berths  quay/list.md, tag berths
  #list    GET /berths?state=free                              1 check
    keeps berth

Sea  sea.md, tag slow
  #use-it  PUT /{berth}                                        1 check
    needs berth; internal
`,
  );
  const told = JSON.parse((await mervok(folder, ['list', '--json', '--tag', 'slow'])).out);
  assert.equal(told.format, 'mervok-list');
  assert.deepEqual(
    told.pages.flatMap((page: { cases: { case: string; needs: unknown }[] }) =>
      page.cases.map(each => each.case),
    ),
    ['sea.md#use-it'],
  );
  assert.deepEqual(told.pages[0].cases[0].needs, [{ name: 'berth', from: ['quay/list.md#list'] }]);
  writeFileSync(join(folder, 'sea.md'), '# Sea\n\n## A\n\n~~~mervok\nstatsu = 200\n~~~\n');
  const broken = await mervok(folder, ['list']);
  assert.equal(broken.code, 2);
  assert.match(broken.err, /errors? in the pages, so this may not be all; mervok lint tells them/);
});

test('graph: as text, as Mermaid, as a drawing; by the form or the ending', async t => {
  const folder = await collection(t, {
    'a.md': simple('Make', 'GET /', 'keep $.id as berth'),
    'b.md': simple('Use', 'GET /{berth}'),
    'c.md': simple('Alone'),
  });
  const text = await mervok(folder, ['graph']);
  assert.equal(text.out, 'Make  a.md\n  Make\n    berth  to  b.md #use\n');
  assert.match((await mervok(folder, ['graph', '--as', 'mermaid'])).out, /^flowchart LR\n.*-->\|"berth"\|/s);
  assert.equal((await mervok(folder, ['graph', '-o', 'out/flow.svg'])).out, '');
  assert.match(readFileSync(join(folder, 'out/flow.svg'), 'utf8'), /^<svg .*<\/svg>\n$/s);
  assert.match((await mervok(folder, ['graph', 'c.md'])).out, /No case takes anything from another one/);
  const wrong: [args: string[], says: RegExp][] = [
    [['--as', 'mermiad'], /Did you mean 'mermaid'\?/],
    [['-o', 'flow.pdf'], /No drawing has the ending of 'flow\.pdf'/],
    [['-o', 'a.md/flow.svg'], /could not be written/],
  ];
  for (const [args, says] of wrong) {
    const { code, err } = await mervok(folder, ['graph', ...args]);
    assert.equal(code, 2);
    assert.match(err, says);
  }
});

test('every run leaves a record; runs lists them, compare sets them against each other, --failed runs what did not pass', async t => {
  const folder = await collection(t, {
    'a.md':
      simple('Make', 'GET /?status={first}', 'keep $.id as id') + simple('Use', 'GET /{id}?status={second}'),
    'b.md': simple('Other'),
  });
  const run = (first: number, second: number, ...more: string[]) =>
    mervok(folder, ['run', '--set', `first=${first}`, '--set', `second=${second}`, ...more]);
  assert.equal((await run(200, 500)).code, 1);
  assert.equal((await run(200, 200, 'a.md', 'b.md')).code, 0);
  const third = await run(500, 200);
  assert.match(third.out, /\nFailed: 1 case of 3; 2 of 3 checks hold/);
  assert.match(third.out, /mervok run a\.md#make --set first=500 --set second=200$/m);
  for (const line of lastRecord(folder).trimEnd().split('\n')) eventSchema.parse(JSON.parse(line));
  assert.equal(readFileSync(join(folder, '.mervok/.gitignore'), 'utf8'), '*\n');

  const listed = (await mervok(folder, ['runs'])).out;
  assert.match(
    listed,
    /^\d{8}-\d{6}\S* +failed +all +[\d.]+ m?s\n +Failed: 1 case of 3; 2 of 3 checks hold\./m,
  );
  assert.match(listed, /^\d{8}-\d{6}\S* +passed +a\.md b\.md +/m);
  assert.match(listed, /\n3 runs; mervok compare/);
  const ids = JSON.parse((await mervok(folder, ['runs', '--json'])).out).runs.map(
    ({ id }: { id: string }) => id,
  );

  const compared = await mervok(folder, ['compare', ids[0], 'last']);
  assert.equal(compared.code, 1);
  assert.match(compared.out, /^newly failing +a\.md#make +passed, now failed$/m);
  const repaired = await mervok(folder, ['compare', ids[0], ids[1]]);
  assert.equal(repaired.code, 0);
  assert.match(repaired.out, /^repaired +a\.md#use +failed, now passed$/m);
  assert.match((await mervok(folder, ['compare'])).out, /^newly failing +a\.md#make/m);
  assert.match((await mervok(folder, ['compare', `${ids[0]}.ndjson`, ids[1]])).out, /repaired/);
  const file = join('.mervok/runs', `${ids[0]}.ndjson`);
  assert.match((await mervok(folder, ['compare', file, ids[1]])).out, /repaired/);

  const again = await run(200, 200, '--failed');
  assert.match(again.out, /passed +Make .*\n\nPassed: 1 case; the one check holds\./);
  assert.match((await run(200, 200, '--failed')).err, /in the last run, \S+, no case failed or was blocked/);
  const wrong: [args: string[], says: RegExp][] = [
    [['compare', '2026', 'last'], /'2026' is the beginning of 4 runs/],
    [['compare', '19990101-000000.ndjson'], /There is no run '19990101-000000\.ndjson'/],
    [['compare', 'lats'], /There is no run 'lats'\. Did you mean 'last'\?/],
    [['compare', 'last', 'last'], /Both are the same run/],
  ];
  for (const [args, says] of wrong) {
    const { code, err } = await mervok(folder, args);
    assert.equal(code, 2);
    assert.match(err, says);
  }
});

test('a page that runs alone has nothing beside it, of other pages or users', async t => {
  const going = new Set<string>();
  const beside: string[] = [];
  const origin = await serve(t, (request, response) => {
    const page = request.url!.slice(1, 2);
    for (const other of going) if (page === 'b' || other === 'b') beside.push(`${page}${other}`);
    going.add(page);
    setTimeout(() => {
      going.delete(page);
      response.setHeader('Content-Type', 'application/json').end('{}');
    }, 15);
  });
  const page = (name: string, front = '') =>
    `${front}${simple(name, `GET /${name}1`)}${simple(`${name}2`, `GET /${name}2`)}`;
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': page('a'),
    'b.md': page('b', '---\nalone: true\n---\n'),
    'c.md': page('c'),
    'd.md': page('d'),
  });
  for (const words of [
    ['--jobs', '4'],
    ['--users', '4', '--rounds', '2'],
    ['--users', '3', '--jobs', '2'],
  ]) {
    const { code, out } = await mervok(folder, ['run', '-q', ...words]);
    assert.deepEqual([code, beside], [0, []], out);
  }
});

test('a page may be cleaned up as soon as nothing that is still to run takes from it', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(`${request.method} ${request.url}`);
    setTimeout(
      () => response.setHeader('Content-Type', 'application/json').end('{ "id": 7 }'),
      request.url === '/a' ? 60 : 5,
    );
  });
  const maker = (name: string, front: string) =>
    `${front}${simple(name, `POST /${name}`, `keep $.id as ${name}`)}${caseText('Clean', `DELETE /${name}/{${name}}`, 'status = 200').replace('~~~http', '~~~mervok\ncleanup\n~~~\n\n~~~http')}`;
  const early = '---\nearly-cleanup: true\n---\n';
  const pages = {
    'a.md': maker('a', early),
    'b.md': simple('B', 'GET /b/{a}'),
    'c.md': simple('C', 'GET /c'),
    'd.md': maker('d', early),
    'e.md': maker('e', ''),
    'f.md': simple('F', 'GET /f'),
  };
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, ...pages });
  const sequence = [
    'POST /a',
    'GET /b/7',
    'DELETE /a/7',
    'GET /c',
    'POST /d',
    'DELETE /d/7',
    'POST /e',
    'GET /f',
    'DELETE /e/7',
  ];
  const first = await mervok(folder, ['run']);
  assert.deepEqual([first.code, asked], [0, sequence], first.err);
  const shown = (out: string) => out.match(/^passed .*?(?=(?: {2,}[\d.]+ m?s)?$)/gm);
  // What is told, and the record of it, keep that order whatever runs at the same time.
  for (const jobs of ['2', '4']) {
    asked.length = 0;
    const { code, out } = await mervok(folder, ['run', '--jobs', jobs]);
    assert.equal(code, 0);
    assert.deepEqual(shown(out), shown(first.out));
    assert.deepEqual(shown((await mervok(folder, ['report'])).out), shown(first.out));
    assert.ok(asked.indexOf('DELETE /a/7') > asked.indexOf('GET /b/7'));
    assert.ok(asked.indexOf('DELETE /d/7') < asked.indexOf('DELETE /e/7'));
  }
  // One that cleans up elsewhere and takes from it keeps it waiting until the end.
  writeFileSync(
    join(folder, 'f.md'),
    caseText('F', 'GET /f/{a}', 'status = 200').replace('~~~http', '~~~mervok\ncleanup\n~~~\n\n~~~http'),
  );
  asked.length = 0;
  await mervok(folder, ['run']);
  assert.deepEqual(asked.slice(-3), ['GET /f/7', 'DELETE /e/7', 'DELETE /a/7']);
});

test('like is set against like; a run that has a name is found by it, and stays', async t => {
  const folder = await collection(
    t,
    { 'a.md': simple('Make', 'GET /?status={first}'), 'b.md': simple('Other') },
    'environments: { quay: { first: 200 }, roads: { first: 500 } }\nenvironment: quay\n',
  );
  const run = (...words: string[]) => mervok(folder, ['run', '-q', ...words]);
  await run();
  const named = await mervok(folder, ['runs', '--name', 'main']);
  assert.match(named.out, /^main is the run \d{8}-\d{6}\. It is kept/);
  await run('@roads');
  await run('b.md');
  await run('--set', 'first=404');
  const compare = async (...words: string[]) => mervok(folder, ['compare', ...words]);
  // The last run of the same is the first one, whatever ran in between.
  const like = await compare();
  assert.deepEqual([like.code, like.err], [1, '']);
  assert.match(like.out, /^newly failing +a\.md#make/m);
  assert.match((await compare('main')).out, /^newly failing +a\.md#make/m);
  const ids = await idsOf(folder);
  const unlike = await compare(ids[1]!, ids[2]!);
  assert.match(
    unlike.err,
    /^These runs are not alike: all, environment roads, then b\.md, environment quay\.$/m,
  );
  await run('b.md', '@roads');
  assert.match(
    (await compare()).err,
    /No run before \S+ was of the same: b\.md, environment roads\. Name one/,
  );

  const told = JSON.parse((await compare('main', ids[3]!, '--json', '-o', 'out/diff.md')).out);
  assert.equal(told.format, 'mervok-comparison');
  assert.deepEqual(
    [told.before.id, told.now.environment, told.newlyFailing[0].address],
    [ids[0], 'quay', 'a.md#make'],
  );
  assert.match(
    readFileSync(join(folder, 'out/diff.md'), 'utf8'),
    /^\*\*Of 2 cases[\s\S]*### Newly failing\n\n- `a\.md#make`/,
  );
  await compare('main', ids[3]!, '-o', 'diff.txt');
  assert.match(readFileSync(join(folder, 'diff.txt'), 'utf8'), /^newly failing +a\.md#make/);

  assert.match((await mervok(folder, ['runs'])).out, /^\d{8}-\d{6} main +passed/m);
  assert.match((await mervok(join(folder, '..'), ['runs', folder])).out, /^\d{8}-\d{6} main +passed/m);
  assert.match(
    (await mervok(folder, ['runs', ids[1]!, '--name', 'main'])).out,
    /; before it was \d{8}-\d{6}\./,
  );
  assert.equal((await mervok(folder, ['report', 'main', '-o', 'json:-'])).code, 0);
  const wrong: [words: string[], says: RegExp][] = [
    [['compare', 'mian'], /There is no run 'mian'\. Did you mean 'main'\?/],
    [['compare', '-o', 'diff.html'], /\.md \(for a review\), \.json/],
    [['runs', '--name', 'last'], /'last' cannot name a run/],
    [['runs', '--name', '1st'], /'1st' cannot name a run/],
    [['runs', '--unname', 'man'], /No run has the name 'man'\. Did you mean 'main'\?/],
    [['runs', 'nowhere'], /There is no folder 'nowhere'/],
  ];
  for (const [words, says] of wrong) {
    const { code, err } = await mervok(folder, words);
    assert.equal(code, 2, words.join(' '));
    assert.match(err, says);
  }
  for (let at = 10; at < 55; at++) writeFileSync(join(folder, `.mervok/runs/20990101-1200${at}.ndjson`), '');
  await run();
  assert.ok(
    recordsIn(folder).includes(`${ids[1]}.ndjson`) && !recordsIn(folder).includes(`${ids[0]}.ndjson`),
  );
  assert.match((await mervok(folder, ['runs', '--unname', 'main'])).out, /^main is no name any more\.$/m);
  await run();
  assert.ok(!recordsIn(folder).includes(`${ids[1]}.ndjson`));
});

test('records are limited by their bytes as well: the oldest go, the last two stay', async t => {
  const folder = await collection(t, { 'a.md': simple('A') });
  mkdirSync(join(folder, '.mervok/runs'), { recursive: true });
  for (const [at, megabytes] of [100, 150, 200, 260].entries()) {
    const path = join(folder, `.mervok/runs/20260101-12000${at}.ndjson`);
    writeFileSync(path, '');
    truncateSync(path, megabytes * 1_000_000);
  }
  await mervok(folder, ['run', '-q']);
  assert.deepEqual((await idsOf(folder)).slice(0, -1), ['20260101-120002', '20260101-120003']);
  truncateSync(join(folder, '.mervok/runs/20260101-120003.ndjson'), 600_000_000);
  const last = (await idsOf(folder)).at(-1)!;
  await mervok(folder, ['run', '-q']);
  assert.deepEqual((await idsOf(folder)).slice(0, -1), [last]);
});

test('old records go, the latest stay; without a place for one a run goes on', async t => {
  const folder = await collection(t, { 'a.md': simple('A') });
  mkdirSync(join(folder, '.mervok/runs'), { recursive: true });
  for (let at = 10; at < 55; at++) writeFileSync(join(folder, `.mervok/runs/20260101-1200${at}.ndjson`), '');
  writeFileSync(join(folder, '.mervok/runs/notes.txt'), 'mine');
  await mervok(folder, ['run']);
  const records = recordsIn(folder);
  assert.equal(records.length, 31);
  assert.ok(records.includes('notes.txt') && !records.includes('20260101-120025.ndjson'));
  assert.match((await mervok(folder, ['runs'])).out, /is empty:\s+its run was killed/);

  const blocked = await collection(t, { 'a.md': simple('A'), '.mervok': 'in the way' });
  const { code, out, err } = await mervok(blocked, ['run', '-o', 'run.json']);
  assert.equal(code, 0, err);
  assert.match(err, /^This run leaves no record: /);
  assert.match(out, /the one check holds/);
  assert.ok(existsSync(join(blocked, 'run.json')));
});

test('a disk that is full spoils the record, not the run; that is told, and ends with 3', async t => {
  const many = Array.from({ length: 400 }, (_, at) => simple(`Case ${at}`)).join('');
  const folder = await collection(t, { 'a.md': many });
  const child = spawn('bash', ['-c', `ulimit -f 64; trap '' XFSZ; exec node ${program} run -q`], {
    cwd: folder,
  });
  let [out, err] = ['', ''];
  child.stdout.on('data', chunk => (out += chunk));
  child.stderr.on('data', chunk => (err += chunk));
  const code = await new Promise(ended => child.on('close', ended));
  assert.match(out, /Passed: 400 cases; all 400 checks hold\./);
  assert.match(err, /^The record is not whole: EFBIG/);
  assert.equal(code, 3);
  // What is there can be read.
  assert.match((await mervok(folder, ['runs'])).out, /cut off/);
});

test('--rows runs the selection for each row; what is wrong with the file is told before anything is sent', async t => {
  const folder = await collection(t, {
    'a.md':
      simple('Make', 'GET /{code}?status={status}', 'keep $.id as id') + simple('Use', 'GET /{id}/{code}'),
    'berths.csv': 'code,status\n0417,200\n0501,500\n0733,200\n',
    'empty.csv': 'code,status\n',
    'lacking.csv': 'code\n0417\n',
    'folder.csv/a.txt': '',
  });
  const { out, code } = await mervok(folder, ['run', '--rows', 'berths.csv']);
  assert.equal(code, 1);
  assert.match(out, /^Make, each row of berths\.csv\n/);
  assert.match(out, /^Make, row 2 +a\.md\n +row 2 of 3: code 0501, status 500\nfailed +Make/m);
  assert.match(out, /Failed: 1 case of 6; 5 of 6 checks hold\./);
  const wrong: [file: string, says: RegExp][] = [
    ['empty.csv', /empty\.csv cannot be used: it holds no rows/],
    [
      'lacking.csv',
      /a\.md:4:\d+ +error name-unknown\n.*'status' has no value anywhere.*The columns of --rows are code\./,
    ],
    ['folder.csv', /folder\.csv cannot be used: it cannot be read \(EISDIR\)/],
    ['none.csv', /There is no file 'none\.csv'/],
    ['a.md', /'a\.md' is no table/],
  ];
  for (const [file, says] of wrong) {
    const { code: refused, err } = await mervok(folder, ['run', '--rows', file]);
    assert.equal(refused, 2, file);
    assert.match(err, says);
  }
});

test('with --jobs every report is the same as without', async t => {
  const pages = Object.fromEntries(
    Array.from({ length: 6 }, (_, at) => [
      `p${at}.md`,
      simple('One', `GET /${at}?after=${(6 - at) * 5}`, 'keep $.id as own') +
        simple('Bad', 'GET /{own}?status=404'),
    ]),
  );
  const folder = await collection(t, pages);
  const reportOf = async (...args: string[]) => {
    await mervok(folder, ['run', '-q', '-o', 'run.json', ...args]);
    const report = JSON.parse(readFileSync(join(folder, 'run.json'), 'utf8'));
    return JSON.stringify(report, (key, value) =>
      [
        'at',
        'milliseconds',
        'medianMilliseconds',
        'p95Milliseconds',
        'times',
        'connection',
        'received',
        'bytesReceived',
        'headers',
      ].includes(key)
        ? undefined
        : value,
    );
  };
  assert.equal(await reportOf('--jobs', '4'), await reportOf());
});

test('how a run ends before its end: the limit of time, the first failure', async t => {
  const folder = await collection(t, {
    'a.md': `${simple('Make', 'GET /', 'keep $.id as id')}${simple('Bad', 'GET /?status=500')}${simple('Waits', 'GET /?after=20000')}## Clean\n\n~~~mervok\ncleanup\n~~~\n\n~~~http\nDELETE /{id}\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`,
  });
  const fast = await mervok(folder, ['run', '--fail-fast']);
  assert.equal(fast.code, 1);
  assert.match(fast.out, /passed +Clean .*\n\n.*The run ended with the first failure\./s);
  const timed = await mervok(folder, ['run', '--timeout', '300ms']);
  assert.equal(timed.code, 3);
  assert.match(timed.out, /passed +Clean .*\n\n.*The time for the run was over\s+before it had ended\./s);
});

test('users and rounds, for a while, with pauses; only what failed is told', async t => {
  const folder = await collection(t, {
    'a.md': simple('Make', 'GET /', 'keep $.id as id') + simple('Use', 'GET /{id}'),
  });
  const { out, code } = await mervok(folder, [
    'run',
    '--users',
    '3',
    '--rounds',
    '4',
    '--pause',
    '5ms',
    '-o',
    'run.xml',
  ]);
  assert.equal(code, 0);
  assert.equal(out.split('\n')[0], 'Make, 3 users, 4 rounds');
  assert.match(out, /Passed: 24 cases; all 24 checks hold\./);
  const junit = readFileSync(join(folder, 'run.xml'), 'utf8');
  assert.equal(junit.match(/<testsuite /g)!.length, 12);
  assert.match(junit, /<testsuite name="Make, user 2, round 3" tests="2"/);
  assert.match(
    (await mervok(folder, ['run', '--for', '200ms'])).out,
    /^Make, for 200 ms\n\n +sent [\s\S]*^in total .*\n\nPassed: \d+ cases; all \d+ checks hold/m,
  );
});

test('what is told: every exchange, the events, a log with the bodies of what failed', async t => {
  const folder = await collection(t, {
    'a.md': simple('Good', 'POST /in\n\n{ "quay": "north" }') + simple('Bad', 'GET /out?status=500'),
  });
  const verbose = await mervok(folder, ['run', '--verbose']);
  assert.match(
    verbose.out,
    /passed +Good.*\n\n {2}POST http:.*\/in\n.*\{ "quay": "north" \}\n\n {2}200 OK\n.*"asked": "\/in"/s,
  );
  assert.match(verbose.out, /failed +Bad.*expected +200.*GET http:.*\n {2}500 Internal Server Error/s);
  const events = (await mervok(folder, ['run', '--json'])).out
    .trimEnd()
    .split('\n')
    .map(line => JSON.parse(line));
  for (const event of events) eventSchema.parse(event);
  assert.deepEqual([events[0].type, events.at(-1).type], ['run', 'end']);
  await mervok(folder, ['run', '-q', '--log', 'run.log']);
  const lines = readFileSync(join(folder, 'run.log'), 'utf8')
    .trimEnd()
    .split('\n')
    .map(line => JSON.parse(line));
  assert.deepEqual(
    lines.map(({ method, status, outcome }) => [method, status, outcome]),
    [
      ['POST', 200, 'passed'],
      ['GET', 500, 'failed'],
    ],
  );
  assert.equal(lines[0].responseBody, undefined);
  assert.match(lines[1].responseBody, /"asked":"\/out\?status=500"/);
  const before = recordsIn(folder);
  assert.match((await mervok(folder, ['run', '--log', 'a.md/x'])).err, /The log cannot be written/);
  assert.deepEqual(recordsIn(folder), before);
  const failures = (await mervok(folder, ['run', '--only-failures'])).out;
  assert.ok(/failed +Bad/.test(failures) && !/passed +Good/.test(failures));
  assert.match(
    (await mervok(folder, ['run', '--json', '--verbose'])).err,
    /--verbose and --json do not go together/,
  );
});

test('--watch runs again what a changed file touches, until it is interrupted', async t => {
  const folder = await collection(t, {
    'a.md': simple('Make', 'GET /', 'keep $.id as id'),
    'b.md': simple('Use', 'GET /{id}'),
    'c.md': simple('Other'),
  });
  let shown = '';
  const { out, err } = await mervok(folder, ['run', '--watch'], {}, child => {
    let step = 0;
    child.stdout!.on('data', chunk => {
      shown += chunk;
      const waits = shown.match(/Waiting for changes/g)?.length ?? 0;
      if (waits === 1 && step === 0) {
        step = 1;
        writeFileSync(join(folder, 'a.md'), simple('Make', 'GET /?status=500', 'keep $.id as id'));
      } else if (waits === 2 && step === 1) {
        step = 2;
        writeFileSync(join(folder, 'notes.txt'), 'nothing that a page names');
        writeFileSync(join(folder, 'c.md'), simple('Other', 'GET /{unknown}'));
      } else if (waits === 3 && step === 2) {
        step = 3;
        child.kill('SIGINT');
      }
    });
  });
  const [first, second, third] = out.split(/changed: (?:a|c|notes).*\n/);
  assert.match(first!, /Passed: 3 cases/);
  assert.match(second!, /failed +Make/);
  assert.match(second!, /Use/);
  assert.ok(!/Other/.test(second!), second);
  // A slip is told, and waited for to be mended.
  assert.match(err, /name-unknown/);
  assert.match(third!, /^\nWaiting for changes/);
});

test('many users wait at the same time without a word on standard error; the same failure is told three times', async t => {
  const folder = await collection(t, {
    'a.md': `${caseText('A', 'GET /?after=20&status=404', 'status = 200\nkeep $.none as none')}${simple('B', 'GET /{none}')}`,
  });
  const { out, err } = await mervok(folder, ['run', '--users', '30']);
  assert.equal(err, '');
  assert.equal(out.match(/^failed/gm)!.length, 3);
  assert.equal(out.match(/^blocked/gm)!.length, 3);
  assert.match(out, /^27 more cases did not pass; a report tells all of them: -o run\.csv$/m);
});

test('what the settings want never to be shown is shown by no command', async t => {
  const folder = await collection(
    t,
    { 'a.md': caseText('A', 'POST /\nX-Pilot: pilot-nine\n\n{ "phone": "555-0101" }', 'status = 201') },
    'redact: { headers: [X-Pilot], paths: [$..phone] }\n',
  );
  for (const words of [
    ['show', 'a.md#a'],
    ['send', 'a.md#a'],
    ['run', '--verbose'],
    ['run', '--json'],
  ]) {
    const { out, err } = await mervok(folder, words);
    assert.ok(out.includes('[secret]') || words[0] === 'send', words.join(' '));
    assert.ok(!/pilot-nine|555-0101/.test(out + err), words.join(' '));
  }
  for (const file of recordsIn(folder))
    assert.ok(!/pilot-nine|555-0101/.test(readFileSync(join(folder, '.mervok/runs', file), 'utf8')));
});
