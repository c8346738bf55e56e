import assert from 'node:assert/strict';
import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { openHarbour } from '../../demo/harbour/server.ts';
import { topicNames } from '../../src/cli/topic-names.ts';
import { folderWith } from '../support/folder.ts';
import { table } from '../support/inputs.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

/** Answers with what it was asked. */
const echo = (t: Pick<TestContext, 'after'>) =>
  serve(t, (request, response) => {
    response.setHeader('Content-Type', 'application/json');
    response.end(JSON.stringify({ asked: request.url }));
  });

const page = (http: string, mervok = 'status = 200') =>
  `## List\n\n\`\`\`http\n${http}\n\`\`\`\n\n\`\`\`mervok\n${mervok}\n\`\`\`\n`;

test('what people bring from other command lines is answered in one line by the form that does it', async t => {
  const folder = folderWith(t, { 'mervok.yaml': 'base: "http://127.0.0.1:1"\n', 'berths.md': page('GET /') });
  const { rows } = table('command-lines')[0]!;
  await Promise.all(
    rows.map(async ([line = '', says = '']) => {
      const { code, out, err } = await mervok(folder, line.split(' '));
      assert.deepEqual([code, out, err.trimEnd().split('\n').length], [2, '', 1], `${line}: ${out}${err}`);
      assert.ok(err.includes(says), `${line}: ${err}`);
    }),
  );
});

test('an environment is a word, and vars says what is not set', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\nvariables: { home: { os: SKERRY_HOME, secret: true } }\nenvironments:\n  quay: { berth: "0417" }\n  roads: { berth: "0733" }\n`,
    'berths.md': page('GET /{berth}?home={home}'),
  });
  const set = { SKERRY_HOME: 'gull-and-anchor' };
  const sent = await mervok(folder, ['run', '@roads', '--json'], set);
  assert.equal(sent.code, 0, sent.err);
  assert.match(sent.out, /\/0733\?home=\[secret\]/);
  assert.match((await mervok(folder, ['send', 'berths.md#list', '@quay'], set)).out, /"asked": "\/0417/);
  assert.match((await mervok(folder, ['vars', '--compare', '@quay', '@roads'], set)).out, /0417 +"?0733/);
  const none = await mervok(folder, ['run'], set);
  assert.deepEqual([none.code, none.out], [2, '']);
  assert.match(
    none.err,
    /'berth' has a value in environments alone, and none is chosen\. It is given by quay and\s+roads:\s+--env quay/,
  );
  const unset = await mervok(folder, ['run', '@quay']);
  assert.deepEqual([unset.code, unset.out], [2, '']);
  assert.match(unset.err, /SKERRY_HOME, which 'home' stands for, is not set/);
  const lint = await mervok(folder, ['lint', '@quay']);
  assert.deepEqual([lint.code, /warning os-unset/.test(lint.out)], [0, true]);
  assert.match((await mervok(folder, ['vars', '@quay'])).out, /^home +SKERRY_HOME is not set/m);
  const near = await mervok(folder, ['run', '@quay', '--set', 'bert=1'], set);
  assert.match(near.err, /no case that runs uses 'bert'\. Did you mean 'berth'\?/);
});

test('secrets that Git does not leave out are warned of, by lint and before anything is sent', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, {
    'quay/mervok.yaml': `base: ${origin}\n`,
    'quay/mervok.secret.yaml': 'variables: { berth: gull-and-anchor }\n',
    'quay/berths.md': page('GET /{berth}'),
  });
  mkdirSync(join(folder, '.git', 'info'), { recursive: true });
  const quay = join(folder, 'quay');
  const said = async () => [
    /warning secret-exposed/.test((await mervok(quay, ['lint'])).out),
    /mervok\.secret\.yaml:1: Git does not leave this file out/.test((await mervok(quay, ['run'])).err),
  ];
  assert.deepEqual(await said(), [true, true]);
  const rows: [ignore: string, rules: string, exposed: boolean][] = [
    ['quay/.gitignore', 'mervok.secret.yaml\n', false],
    ['quay/.gitignore', '!mervok.secret.yaml\n', true],
    ['.gitignore', '*.secret.yaml\n', true],
    ['quay/.gitignore', '', false],
    ['.gitignore', '/quay\n', false],
    ['.gitignore', '/mervok.secret.yaml\n', true],
    ['.git/info/exclude', 'quay/*.yaml\n', false],
  ];
  for (const [file, rules, exposed] of rows) {
    writeFileSync(join(folder, file), rules);
    const { out } = await mervok(quay, ['lint']);
    assert.equal(/secret-exposed/.test(out), exposed, `${file}: ${rules}`);
  }
});

test('--watch hears every save, also one that renames, and no passing files', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': page('GET /'),
    'sea/tides.md': page('GET /tides'),
  });
  const save = (file: string, text: string) => {
    writeFileSync(join(folder, `${file}.new~`), text);
    renameSync(join(folder, `${file}.new~`), join(folder, file));
  };
  const steps = [
    () => save('a.md', page('GET /1')),
    () => {
      writeFileSync(join(folder, '.a.md.swp'), 'x');
      writeFileSync(join(folder, '4913'), 'x');
      save('a.md', page('GET /2'));
    },
    () => save('a.md', page('GET /3')),
    () => save('sea/tides.md', page('GET /tides/4')),
    () => writeFileSync(join(folder, 'sea', 'new.md'), page('GET /new')),
  ];
  let shown = '';
  let waited = 0;
  const { out } = await mervok(folder, ['run', '--watch'], {}, child => {
    child.stdout!.on('data', chunk => {
      shown += chunk;
      const waits = shown.match(/Waiting for changes/g)?.length ?? 0;
      if (waits <= waited) return;
      waited = waits;
      const step = steps[waits - 1];
      if (step) step();
      else child.kill('SIGINT');
    });
  });
  assert.deepEqual(out.match(/changed: .*/g), [
    'changed: a.md',
    'changed: a.md',
    'changed: a.md',
    'changed: sea/tides.md',
    'changed: sea/new.md',
  ]);
  assert.match(out, /GET \/1[\s\S]*GET \/2[\s\S]*GET \/3[\s\S]*GET \/tides\/4[\s\S]*GET \/new/);
});

test('after send --save the page runs: without settings, the pages right in a folder are named and run', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, {
    'sea/tides.md': page('GET /'),
    '.hidden.md': page('GET /'),
    'notes.md': '# Notes\n',
  });
  const saved = await mervok(folder, ['send', `${origin}/berths`, '--save', 'berths.md#list']);
  assert.equal(saved.code, 0, saved.err);
  const { code, out, err } = await mervok(folder, ['run']);
  assert.equal(code, 0, err);
  assert.match(out, /^Passed: 1 case; the one check holds\.$/m);
  assert.equal(
    err,
    'There is no mervok.yaml here; what runs are the pages right in this folder: berths.md, notes.md.\n',
  );
  assert.match((await mervok(folder, ['list'])).out, /berths\.md\n {2}#list/);
  assert.match((await mervok(folder, ['run', '--failed'])).err, /no case failed or was blocked/);
});

test('help prints the reference of a topic, and what a finding means, in any width, and never a dump', async t => {
  const folder = folderWith(t);
  const help = (topic: string, columns = '80') => mervok(folder, ['help', topic], { COLUMNS: columns });
  for (const topic of topicNames) {
    const { code, out, err } = await help(topic);
    assert.deepEqual([code, err], [0, ''], topic);
    assert.ok(out.split('\n').length > 3, topic);
    assert.ok(!/\]\(|\*\*|^\|/m.test(out), topic);
  }
  const checks = (await help('checks')).out;
  assert.match(
    checks,
    /^Conditions\n[\s\S]*^is unique, is sorted, is sorted down {2}lists$[\s\S]*^ {2}status in 200, 201$/m,
  );
  assert.match((await help('Functions')).out, /^trim\(t\)|^lower\(t\), upper\(t\), trim\(t\)$/m);
  const narrow = (await help('references', '60')).out.split('\n').filter(line => !line.startsWith(' '));
  assert.ok(
    narrow.every(line => line.length <= 60),
    narrow.find(line => line.length > 60),
  );
  for (const code of ['name-unknown', 'syntax', 'reference-like'])
    assert.match((await help(code)).out, new RegExp(`^${code}\n\\S`));
  assert.match((await help('run')).out, /^Usage: mervok run/);
});

test('the demo collection is written out to begin from, and runs', async t => {
  const harbour = await openHarbour();
  t.after(() => harbour.close());
  const folder = folderWith(t, { 'full/x': '' });
  const { code, out } = await mervok(folder, ['demo', '--copy', 'mine/harbour']);
  assert.equal(code, 0);
  assert.match(out, /mervok demo --serve[\s\S]*cd mine\/harbour\n {2}mervok run\n$/);
  const set = ['--set', `harbour=${harbour.url}`, '--set', `safe-harbour=${harbour.safeUrl}`];
  const ran = await mervok(join(folder, 'mine/harbour'), ['run', ...set]);
  assert.equal(ran.code, 0, ran.out + ran.err);
  for (const taken of ['mine/harbour', 'full']) {
    const again = await mervok(folder, ['demo', '--copy', taken]);
    assert.deepEqual([again.code, again.out], [2, '']);
    assert.match(again.err, /is there already and not empty; nothing was written/);
  }
});

test('what is too much is left out: figures beside failures alone, a heading of what only cleans up', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': `${page('GET /', 'status = 200\nkeep $.asked as asked')}## Clean\n\n\`\`\`mervok\ncleanup\n\`\`\`\n\n\`\`\`http\nDELETE {asked}\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\n\`\`\`\n`,
    'b.md': `---\nneeds: a.md#list\ntags: slow\n---\n${page('GET /{asked}')}`,
    'c.md': page('GET /', 'status = 500'),
  });
  const failures = await mervok(folder, ['run', '--rounds', '2', '--only-failures']);
  assert.ok(!/ sent +failed +50 %/.test(failures.out), failures.out);
  assert.match(failures.out, /^failed +List/m);
  const tagged = await mervok(folder, ['run', '--tag', 'slow']);
  assert.equal(tagged.code, 0, tagged.out + tagged.err);
  const own = await mervok(folder, ['run', 'a.md#clean', 'c.md']);
  assert.deepEqual(own.out.match(/^List.*(?:a|c)\.md$/gm)?.length, 3);
  const only = await mervok(folder, ['run', 'a.md#clean', '--set', 'asked=/x']);
  assert.match(only.out, /^(?:List +a\.md|List, cleaning up +a\.md)\n/);
});

test('which values a case kept, computed and used stand in every output, secrets masked; checks say what they found', async t => {
  const origin = await serve(t, (_request, response) => {
    response.setHeader('Content-Type', 'application/json');
    response.end(
      JSON.stringify({
        id: 9007199254740993n.toString(),
        list: [1, 2, 3],
        token: 'spring-tide-7',
        long: 'x'.repeat(500),
      }),
    );
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: "{harbour}"\nvariables: { nights: 2, unused: 1, key: { secret: gull-and-anchor } }\nenvironments: { local: { harbour: "${origin}" } }\nenvironment: local\n`,
    'a.md': page(
      'GET /{nights}?key={key}',
      'status = 200\n$.list is not empty\neach $.list[*] > 0\n"a label": $.long starts with "x"\nkeep $.id as id\nkeep $.token as secret token\nkeep $.long as long\nlet more = {nights} + 1\nlet seal = "{token}!"',
    ),
    'b.md': `## B\n\n\`\`\`csv rows quays\nquay\nNorth\n\`\`\`\n\n\`\`\`mervok\neach row of quays\n\`\`\`\n\n\`\`\`http\nGET /{id}/{quay}/{given}\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\n\`\`\`\n`,
  });
  const set = ['--set', 'given=by hand'];
  const run = await mervok(folder, [
    'run',
    '--verbose',
    ...set,
    '-o',
    'run.ndjson',
    '-o',
    'run.json',
    '-o',
    'run.html',
  ]);
  assert.equal(run.code, 0, run.out);
  for (const line of [
    /^ {2}holds +status = 200 +200$/m,
    /^ {2}holds +\$\.list is not empty +\[1, 2, 3\]$/m,
    /^ {2}holds +each \$\.list\[\*\] > 0 +3 values$/m,
    /^ {2}holds +a label: \$\.long starts with "x" /m,
    /^ {2}kept +id = "9007199254740993"$/m,
    /^ {2}kept +token = \[secret\]$/m,
    /^ {2}computed +more = 3$/m,
    /^ {2}computed +seal = \[secret\]$/m,
    /^ {2}used +nights = 2 +from mervok\.yaml$/m,
    /^ {2}used +key = \[secret\] +from mervok\.yaml$/m,
    /^ {2}used +id = "9007199254740993" +kept in a\.md#list$/m,
    /^ {2}used +quay = North +row 1 of quays$|^ {2}used +quay = North /m,
    /^ {2}used +given = by hand +given by --set$/m,
  ])
    assert.match(run.out, line);
  const record = readFileSync(join(folder, 'run.ndjson'), 'utf8');
  const cases = record
    .trimEnd()
    .split('\n')
    .map(line => JSON.parse(line))
    .filter(({ type }) => type === 'case');
  assert.deepEqual(
    cases.map(({ values }) => values.map(({ name, how }: { name: string; how: string }) => `${how} ${name}`)),
    [
      [
        'kept id',
        'kept token',
        'kept long',
        'computed more',
        'computed seal',
        'used nights',
        'used key',
        'used harbour',
      ],
      ['used id', 'used quay', 'used given', 'used harbour'],
    ],
  );
  assert.ok(cases[0].values.every(({ value }: { value: string }) => value.length < 210));
  const told = JSON.parse(readFileSync(join(folder, 'run.json'), 'utf8'));
  assert.deepEqual(told.pages[0].cases[0].values, cases[0].values);
  const html = readFileSync(join(folder, 'run.html'), 'utf8');
  assert.match(html, /<table class="values">[\s\S]*<code>more<\/code><\/th><td><code>3<\/code>/);
  const json = await mervok(folder, ['run', '--json', ...set]);
  assert.match(json.out, /"values":\[\{"name":"id","how":"kept","value":/);
  await mervok(folder, ['run', '-q', '--rounds', '3', ...set, '-o', 'rounds.ndjson']);
  const withValues = readFileSync(join(folder, 'rounds.ndjson'), 'utf8').match(
    /^\{"type":"case".*"values":\[/gm,
  );
  assert.deepEqual(
    withValues?.map(line => /"round":(\d)/.exec(line)![1]),
    ['1', '1'],
    withValues?.join('\n'),
  );
  for (const text of [run.out, record, html, json.out]) assert.ok(!/spring-tide|gull-and-anchor/.test(text));
});
