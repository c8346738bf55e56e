import assert from 'node:assert/strict';
import { test } from 'node:test';
import { graphOf } from '../../src/core/analysis/flow-graph.ts';
import type { EventOf } from '../../src/core/model/events.ts';
import { Missing } from '../../src/core/model/value.ts';
import { OrderedEvents } from '../../src/core/runner/ordered-events.ts';
import { chunksOf, TableError } from '../../src/core/values/table-reader.ts';
import { type GraphLayout, layOutGraph } from '../../src/reports/graph-layout.ts';
import { graphMermaid } from '../../src/reports/graph-mermaid.ts';
import { graphSvg } from '../../src/reports/graph-svg.ts';
import { caseText, givenBySet, planOf, type Texts, told } from '../support/collection.ts';
import { type Answer, type Ran, runTexts } from '../support/engine.ts';

const root = 'base: http://harbour.skerry.example\n';
const simple = (title: string, request = 'GET /') => caseText(title, request, 'status = 200');
const keeping = (title: string, name: string, from = 'GET /') =>
  caseText(title, from, `status = 200\nkeep $.id as ${name}`);
const settings = (yaml: string) => `~~~yaml settings\n${yaml}\n~~~\n\n`;
/** A case with settings of its own. */
const own = (title: string, yaml: string, request = 'GET /') =>
  simple(title, request).replace('\n\n', `\n\n${settings(yaml)}`);
/** Tables by their path. */
const files = (tables: { [path: string]: string }) => (path: string) =>
  tables[path] === undefined ? new Missing(`There is no ${path}`) : chunksOf(tables[path]);
const answer = () => ({ body: { id: 7 } });
const way = (url: string) => new URL(url).pathname;

async function addresses(texts: Texts, options: Parameters<typeof planOf>[1] = {}): Promise<string[]> {
  const { plan, findings } = await planOf({ 'mervok.yaml': root, ...texts }, options);
  const errors = findings.filter(each => each.severity === 'error');
  assert.deepEqual(told(errors), []);
  return plan.pages.flatMap(page => page.cases.map(each => each.address));
}

const quays: Texts = {
  'quay/mervok.yaml': 'tags: [berths]\n',
  'quay/list.md': simple('List') + own('Slow', 'tags: [slow]'),
  'quay/bare.md': own('Bare', 'tags: null'),
  'sea/tides.md': `---\ntags: [slow]\n---\n${simple('Tides')}`,
};

test('cases are chosen by paths, tags and what is left out', async () => {
  const rows: [choice: Parameters<typeof planOf>[1], chosen: string[]][] = [
    [{}, ['quay/bare.md#bare', 'quay/list.md#list', 'quay/list.md#slow', 'sea/tides.md#tides']],
    [{ tags: ['berths'] }, ['quay/list.md#list', 'quay/list.md#slow']],
    [{ tags: ['slow'] }, ['quay/list.md#slow', 'sea/tides.md#tides']],
    [{ tags: ['slow', 'berths'] }, ['quay/list.md#list', 'quay/list.md#slow', 'sea/tides.md#tides']],
    [{ tags: ['berths'], notTags: ['slow'] }, ['quay/list.md#list']],
    [{ paths: ['quay'], notTags: ['slow'] }, ['quay/bare.md#bare', 'quay/list.md#list']],
    [{ without: ['quay/list.md#slow', 'sea'] }, ['quay/bare.md#bare', 'quay/list.md#list']],
    [{ among: new Set(['sea/tides.md#tides']) }, ['sea/tides.md#tides']],
  ];
  for (const [choice, chosen] of rows)
    assert.deepEqual(await addresses(quays, choice), chosen, JSON.stringify(choice));
  const deep = {
    'sea/mervok.yaml': 'tags: [water]\n',
    ...{
      'sea/deep/mervok.yaml': 'title: Deep\n',
      'sea/deep/wrecks.md': simple('Wrecks'),
      'a.md': simple('A'),
    },
  };
  assert.deepEqual(await addresses(deep, { tags: ['water'] }), ['sea/deep/wrecks.md#wrecks']);
});

test('a selection that comes to nothing says why, with the nearest right word', async () => {
  const rows: [choice: Parameters<typeof planOf>[1], says: RegExp][] = [
    [{ tags: ['bersth'] }, /No case has the tag 'bersth'\. Did you mean 'berths'\?/],
    [{ notTags: ['fog'] }, /No case has the tag 'fog'\. There are berths and slow\./],
    [{ notTags: ['fog'], paths: ['sea', 'quay'] }, /There are berths and slow\./],
    [{ tags: ['slow'], notTags: ['slow'] }, /no case answers to all of --tag and --not-tag/],
    [
      { tags: ['slow'], notTags: ['slow'], shard: { index: 1, of: 4, durations: new Map() } },
      /no case answers to all of --tag and --not-tag/,
    ],
    [
      { without: ['quay/lst.md'] },
      /There is no page or folder 'quay\/lst\.md'\. Did you mean 'quay\/list\.md'\?/,
    ],
    [{ shard: { index: 4, of: 4, durations: new Map() } }, /Shard 4 of 4 is empty: there are 3 pages/],
  ];
  for (const [choice, says] of rows) await assert.rejects(addresses(quays, choice), says);
  const plain = { 'a.md': simple('A') };
  await assert.rejects(
    addresses(plain, { tags: ['fog'] }),
    /No case has the tag 'fog'\. There are no tags here\.$/,
  );
  const given = givenBySet([
    ['used', 1],
    ['spare', 2],
    ['hidden', 3],
  ]);
  const texts = {
    'mervok.yaml': root,
    'a.md':
      caseText('A', 'GET /{used}', 'keep $.id as hidden') + caseText('B', 'GET /{hidden}', 'status = 200'),
  };
  assert.deepEqual((await planOf(texts, { given })).plan.unusedGiven, [
    { name: 'spare' },
    { name: 'hidden' },
  ]);
  const slip = givenBySet([['usd', 1]]);
  assert.deepEqual((await planOf(texts, { given: slip })).plan.unusedGiven, [
    { name: 'usd', nearest: 'used' },
  ]);
});

test('needed cases run despite tags; one that is left out is told', async () => {
  const texts = {
    'a.md': keeping('Make', 'berth'),
    'b.md': own('Use', 'tags: [booking]', 'GET /{berth}'),
  };
  assert.deepEqual(await addresses(texts, { tags: ['booking'] }), ['a.md#make', 'b.md#use']);
  await assert.rejects(
    addresses(texts, { without: ['a.md'] }),
    /a\.md#make is left out, but b\.md#use needs it\. Leave both out, or none\./,
  );
  assert.deepEqual(
    await addresses(texts, { without: ['a.md', 'b.md'], paths: [] }).catch(String),
    'UsageError: Nothing is left to run: no case answers to --without.',
  );
});

test('shares are whole pages, the same on every machine, balanced by what is known of every page', async () => {
  const texts = Object.fromEntries(
    ['a', 'b', 'c', 'd'].map((name, at) => [
      `${name}.md`,
      Array.from({ length: at + 1 }, (_, n) => simple(`C ${n}`)).join(''),
    ]),
  );
  const share = async (index: number, durations: [string, number][] = []) =>
    (await addresses(texts, { shard: { index, of: 2, durations: new Map(durations) } })).map(
      each => each[0]!,
    );
  // By the number of cases: 4 and 1 against 3 and 2.
  assert.deepEqual([...new Set(await share(1))], ['a', 'd']);
  assert.deepEqual([...new Set(await share(2))], ['b', 'c']);
  const known: [string, number][] = [
    ['a.md#c-0', 900],
    ['b.md#c-0', 10],
    ['c.md#c-0', 20],
    ['d.md#c-0', 30],
  ];
  assert.deepEqual([...new Set(await share(1, known))], ['a']);
  assert.deepEqual([...new Set(await share(2, known))], ['b', 'c', 'd']);
  // What is known of some pages alone does not count: another machine may know of others.
  assert.deepEqual(await share(1, known.slice(1)), await share(1));
  const names = new Set<string | undefined>();
  for (const index of [1, 2]) {
    const { plan } = await planOf(
      { 'mervok.yaml': root, ...texts },
      { shard: { index, of: 2, durations: new Map() } },
    );
    names.add(plan.shard?.share);
  }
  assert.equal(names.size, 1);
});

test('pages run in the order that settings give, else by name, but after what they need', async () => {
  const texts = {
    'mervok.yaml': `${root}order: [sea, b.md]\n`,
    'a.md': simple('A'),
    'b.md': simple('B'),
    'sea/mervok.yaml': 'order: [tide-10.md]\n',
    'sea/tide-9.md': simple('Nine'),
    'sea/tide-10.md': simple('Ten'),
  };
  assert.deepEqual(
    (await planOf(texts)).plan.pages.map(page => page.file),
    ['sea/tide-10.md', 'sea/tide-9.md', 'b.md', 'a.md'],
  );
  const needing = { ...texts, 'sea/tide-10.md': own('Ten', 'needs: [a.md#a]') };
  assert.deepEqual(
    (await planOf(needing)).plan.pages.map(page => page.file),
    ['a.md', 'sea/tide-10.md', 'sea/tide-9.md', 'b.md'],
  );
});

test('what is wrong with needs and order is told at its place', async () => {
  const rows: [texts: Texts, findings: string[], says: string][] = [
    [
      { 'a.md': own('A', 'needs: [b.md#x]'), 'b.md': simple('B') },
      ['a.md:4:9 need-unknown'],
      "no case 'x' in b.md",
    ],
    [
      { 'a.md': own('A', 'needs: [bb.md]'), 'b.md': simple('B') },
      ['a.md:4:9 need-unknown'],
      "Did you mean 'b.md'?",
    ],
    [
      { 'a.md': own('A', 'needs: [b.md]'), 'b.md': '# Nothing here\n' },
      ['a.md:4:9 need-unknown'],
      "The page 'b.md' has no case.",
    ],
    [{ 'a.md': own('A', "needs: ['#b']") + simple('B') }, ['a.md:4:9 need-unknown'], 'does not run before'],
    [
      { 'mervok.yaml': `${root}order: [c.md]\n`, 'a.md': simple('A') },
      ['mervok.yaml:2:9 order-unknown'],
      "'c.md'",
    ],
    [
      {
        'mervok.yaml': `${root}order: [a.md, b.md]\n`,
        'a.md': simple('A', 'GET /{id}'),
        'b.md': keeping('B', 'id'),
      },
      ['mervok.yaml:2:9 order-contradicted'],
      'a.md#a takes what b.md#b makes',
    ],
    [
      { 'a.md': own('A', 'needs: [b.md]'), 'b.md': own('B', 'needs: [a.md#a]') },
      ['a.md:1:1 page-cycle'],
      'a.md, b.md and again a.md',
    ],
    [
      { 'a.md': keeping('A', 'id'), 'b.md': keeping('B', 'id'), 'c.md': simple('C', 'GET /{id}') },
      ['c.md:4:7 name-ambiguous'],
      'needs: [a.md#a]',
    ],
    [
      { 'a.md': `---\nrows: r.csv\n---\n${keeping('A', 'id')}`, 'b.md': simple('B', 'GET /{id}') },
      ['b.md:4:7 name-of-rows'],
      'once for each row',
    ],
  ];
  for (const [texts, findings, says] of rows) {
    const found = (
      await planOf({ 'mervok.yaml': root, ...texts }, { openFile: files({ 'r.csv': 'x\n1\n' }) })
    ).findings;
    const errors = found.filter(each => each.severity === 'error');
    assert.deepEqual(told(errors), findings, says);
    assert.ok(`${errors[0]!.message} ${errors[0]!.remedy}`.includes(says), errors[0]!.message);
  }
});

test('a name that several pages keep is that of the page that is needed', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md': keeping('A', 'id', 'GET /a'),
    'b.md': keeping('B', 'id', 'GET /b'),
    'c.md': own('C', 'needs: [a.md#a]', 'GET /{id}'),
  };
  const { sent } = await runTexts(texts, ({ url }) => ({ body: { id: url.slice(-1) } }));
  assert.deepEqual(
    sent.map(each => each.url.slice(-2)),
    ['/a', '/b', '/a'],
  );
});

test('needs of a whole collection do not hold for the needed page; whoever needs what did not pass is blocked', async () => {
  const texts = {
    'mervok.yaml': `${root}needs: [open.md]\n`,
    'open.md': simple('Open', 'GET /open') + simple('Doors', 'GET /doors'),
    'a.md': simple('A', 'GET /a') + own('Free', 'needs: null', 'GET /free'),
  };
  const good = await runTexts(texts, answer);
  assert.deepEqual(good.outcomes, ['Open: passed', 'Doors: passed', 'A: passed', 'Free: passed']);
  const bad = await runTexts(texts, ({ url }) => ({ status: url.endsWith('/open') ? 500 : 200 }));
  assert.deepEqual(bad.outcomes, ['Open: failed', 'Doors: passed', 'A: blocked', 'Free: passed']);
  assert.deepEqual(bad.cases[2]!.blocked, { by: 'open.md#open', cause: 'open.md#open' });
});

test('a page with rows runs once for each, each with names of its own, cleaned up behind; one bad row hides no other', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md': `---\nrows: berths.csv\nvariables: { quay: page }\n---\n${keeping('Make', 'id', 'POST /{code}/{quay}')}${simple('Use', 'GET /{id}/{depth}')}## Clean\n\n~~~mervok\ncleanup\n~~~\n\n~~~http\nDELETE /{id}\n~~~\n`,
  };
  const tables = files({ 'berths.csv': 'code,depth\n0417,4\n0501,5\n0733,6\n' });
  const { sent, outcomes, events } = await runTexts(
    texts,
    ({ url, method }) =>
      url.includes('0501')
        ? { status: 500, body: {} }
        : { body: { id: method === 'POST' ? url.slice(-9, -5) : 1 } },
    { plan: { openFile: tables } },
  );
  assert.deepEqual(
    sent.map(({ method, url }) => `${method} ${way(url)}`),
    [
      'POST /0417/page',
      'GET /0417/4',
      'DELETE /0417',
      'POST /0501/page',
      'POST /0733/page',
      'GET /0733/6',
      'DELETE /0733',
    ],
  );
  assert.deepEqual(outcomes, [
    'Make: passed',
    'Use: passed',
    'Clean: passed',
    'Make: failed',
    'Use: blocked',
    'Clean: skipped',
    'Make: passed',
    'Use: passed',
    'Clean: passed',
  ]);
  const pages = events.filter(event => event.type === 'page');
  assert.deepEqual(
    pages.map(page => page.rows![0]!.number),
    [1, 1, 2, 2, 3, 3],
  );
  assert.equal(pages[0]!.rows![0]!.values, 'code 0417, depth 4');
});

test('a page of which one row fails has failed for those that need it, whichever row it was', async () => {
  for (const bad of ['0417', '0501', '0733']) {
    const texts = {
      'mervok.yaml': root,
      'a.md': `---\nrows: berths.csv\n---\n${simple('Make', 'GET /{code}')}`,
      'b.md': own('Use', 'needs: [a.md]'),
    };
    const { outcomes } = await runTexts(texts, ({ url }) => ({ status: url.includes(bad) ? 500 : 200 }), {
      plan: { openFile: files({ 'berths.csv': 'code\n0417\n0501\n0733\n' }) },
    });
    assert.equal(outcomes.at(-1), 'Use: blocked', bad);
  }
});

test('rows of a page and of a case: every combination, and the columns of the case win', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md': `---\nrows: quays.csv\n---\n~~~csv rows berths\ncode, side\n1, west\n2, west\n~~~\n\n## A\n\n~~~mervok\neach row of berths\n~~~\n\n~~~http\nGET /{quay}/{code}/{side}/{pass}\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`,
  };
  const openFile = files({ 'quays.csv': 'quay,side\nn,east\ns,east\n' });
  const { openNamed } = await import('../../src/core/analysis/tables.ts');
  const rows = await openNamed('pass.ndjson', chunksOf('{"pass":1}\n{"pass":2}\n'));
  const { sent, cases } = await runTexts(texts, answer, { plan: { openFile, rows } });
  assert.deepEqual(
    sent.map(each => way(each.url)),
    [
      '/n/1/west/1',
      '/n/2/west/1',
      '/s/1/west/1',
      '/s/2/west/1',
      '/n/1/west/2',
      '/n/2/west/2',
      '/s/1/west/2',
      '/s/2/west/2',
    ],
  );
  assert.equal(cases.length, 8);
});

test('pages that do not need each other run at once, and are told in their order all the same', async () => {
  const texts: Texts = {
    'mervok.yaml': root,
    'a.md': simple('A', 'GET /a'),
    'b.md': keeping('B', 'id', 'GET /b'),
    'c.md': simple('C', 'GET /c'),
    'd.md': simple('D', 'GET /{id}'),
  };
  const untimed = ({ events }: Ran) => events.map(event => ({ ...event, at: 0, time: 0 }));
  // The first one takes longest.
  const takes = (url: string) => (url.endsWith('/a') ? 20 : 3);
  const slow: Answer = ({ url }) => ({ body: { id: 7 }, takes: takes(url) });
  const alone = await runTexts(texts, slow);
  const begun: [request: string, at: number][] = [];
  const together = await runTexts(
    texts,
    ({ url }, at) => {
      begun.push([way(url), at]);
      return { body: { id: 7 }, takes: takes(url) };
    },
    { run: { jobs: 3 } },
  );
  assert.deepEqual(untimed(together), untimed(alone));
  assert.deepEqual(begun, [
    ['/a', 0],
    ['/b', 0],
    ['/c', 0],
    ['/7', 3],
  ]);
  assert.deepEqual(
    [alone, together].map(({ events }) => (events.at(-1) as EventOf<'end'>).time),
    [29, 20],
  );
});

test('what only cleans up takes does not keep its page waiting', async () => {
  const texts: Texts = {
    'mervok.yaml': root,
    'a.md': `${keeping('A', 'quay')}## Clean\n\n~~~mervok\ncleanup\n~~~\n\n~~~http\nDELETE /{berth}\n~~~\n`,
    'b.md': keeping('B', 'berth', 'GET /{quay}'),
  };
  const { outcomes } = await runTexts(texts, answer, { run: { jobs: 2 } });
  assert.deepEqual(outcomes, ['A: passed', 'B: passed', 'Clean: passed']);
});

test('a table of a page, or of the whole selection, that changes ends what it was for as an error', async () => {
  const { openNamed } = await import('../../src/core/analysis/tables.ts');
  const changing = (after: number) => {
    let checks = 0;
    const check = () => {
      if (checks++ === after) throw new TableError('it has changed since the run began');
    };
    return Object.assign(chunksOf('code\n1\n2\n3\n'), { check });
  };
  const texts: Texts = {
    'mervok.yaml': root,
    'a.md': simple('A', 'GET /{code}') + simple('Second'),
    'b.md': simple('B'),
  };
  const rows = await openNamed('berths.csv', changing(2));
  const whole = await runTexts(texts, answer, { plan: { rows } });
  assert.deepEqual(whole.outcomes, [
    'A: passed',
    'Second: passed',
    'B: passed',
    'A: passed',
    'Second: passed',
    'B: passed',
    'A: error',
  ]);
  assert.equal(
    whole.cases.at(-1)!.problem!.message,
    'berths.csv cannot be read any further: it has changed since the run began.',
  );
  const page = { ...texts, 'a.md': `---\nrows: berths.csv\n---\n${texts['a.md']}` };
  for (const jobs of [1, 2]) {
    const { outcomes } = await runTexts(page, answer, {
      plan: { openFile: () => changing(1) },
      run: { jobs },
    });
    assert.deepEqual(outcomes, ['A: passed', 'Second: passed', 'A: error', 'B: passed']);
    const none = await runTexts(page, answer, { plan: { openFile: () => changing(0) }, run: { jobs } });
    assert.deepEqual(none.outcomes, ['A: error', 'B: passed']);
    assert.deepEqual(none.events.map(event => event.type).slice(0, 3), ['run', 'page', 'case']);
  }
});

test('users have names and cookies of their own, and their events say whose they are', async () => {
  const texts = { 'mervok.yaml': root, 'a.md': keeping('Make', 'id', 'POST /') + simple('Use', 'GET /{id}') };
  let next = 0;
  const { sent, events, cases } = await runTexts(
    texts,
    ({ method }) => ({ body: { id: method === 'POST' ? ++next : 0 } }),
    {
      rounds: 2,
      run: { users: 3 },
    },
  );
  assert.equal(cases.length, 12);
  assert.deepEqual(
    sent
      .filter(each => each.method === 'GET')
      .map(each => each.url.slice(-1))
      .sort(),
    ['1', '2', '3', '4', '5', '6'],
  );
  for (const event of events) if (event.type === 'case') assert.ok(event.user! >= 1 && event.user! <= 3);
  const end = events.at(-1)!;
  assert.ok(end.type === 'end' && end.totals.cases.passed === 12 && end.totals.requests === 12);
});

test('what one user keeps as a secret is masked in the answers to others too', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md': `${caseText('Sign in', 'POST /', 'status = 200\nkeep $.token as secret token')}${simple('Who is here', 'GET /{token}')}`,
  };
  const issued: string[] = [];
  const { events, sent } = await runTexts(
    texts,
    ({ method }) => {
      if (method === 'GET') return { body: { here: issued } };
      issued.push(`tide-${issued.length}-of-the-day`);
      return { body: { token: issued.at(-1) } };
    },
    { run: { users: 4 }, rounds: 2 },
  );
  assert.equal(new Set(sent.map(each => way(each.url))).size, 9);
  const last = events.filter(event => event.type === 'exchange' && event.request.method === 'GET').slice(-1);
  assert.match(JSON.stringify(last), /\[secret\]/);
  for (const token of issued.slice(-4)) assert.ok(!JSON.stringify(last).includes(token), token);
});

test('the first failure ends the run where that is wanted, and what was made is cleaned up', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md': `${keeping('Make', 'id')}${simple('Bad', 'GET /bad')}${simple('Never')}## Clean\n\n~~~mervok\ncleanup\n~~~\n\n~~~http\nDELETE /{id}\n~~~\n`,
    'b.md': simple('Never either'),
  };
  const { outcomes, events } = await runTexts(
    texts,
    ({ url }) => ({ status: url.endsWith('/bad') ? 500 : 200, body: { id: 1 } }),
    { run: { failFast: true }, rounds: 3 },
  );
  assert.deepEqual(outcomes, ['Make: passed', 'Bad: failed', 'Clean: passed']);
  const end = events.at(-1)!;
  assert.ok(end.type === 'end' && end.stopped === 'failure');
});

test('variables: files, the process, what is computed once a round; a secret stays one', async () => {
  const texts = {
    'mervok.yaml': `${root}variables:\n  key: { file: key.txt, secret: true }\n  home: { os: HOME_QUAY }\n  nights: 2\n  twice: { let: "{nights} * 2" }\n  badge: { let: 'base64({key})' }\n  chance: { let: "uuid()" }\n`,
    'a.md':
      caseText('A', 'GET /{home}/{twice}/{chance}\nX-Badge: {badge}', 'status = 200\n{badge} = 1') +
      simple('B', 'GET /{chance}/{key}'),
  };
  let turn = 0;
  const { sent, events } = await runTexts(texts, answer, {
    rounds: 2,
    os: { HOME_QUAY: 'north' },
    files: { 'key.txt': 'spring-tide\n' },
    plan: { hasFile: path => path === 'key.txt' },
    chance: () => `chance-${++turn}`,
  });
  assert.deepEqual(
    sent.map(each => way(each.url)),
    ['/north/4/chance-1', '/chance-1/spring-tide', '/north/4/chance-2', '/chance-2/spring-tide'],
  );
  assert.equal(sent[0]!.headers.find(([name]) => name === 'X-Badge')![1], 'c3ByaW5nLXRpZGU=');
  assert.ok(!/spring-tide|c3ByaW5nLXRpZGU/.test(JSON.stringify(events)));
  const missing = await planOf(texts, { hasFile: () => false });
  assert.deepEqual(told(missing.findings.filter(each => each.severity === 'error')), [
    'mervok.yaml:3:3 file-missing',
  ]);
});

test('what the settings want never to be shown is masked', async () => {
  const texts = {
    'mervok.yaml': `${root}redact: { headers: [X-Pilot], paths: [$..phone] }\n`,
    'a.md': caseText(
      'A',
      'POST /\nX-Pilot: pilot-nine\n\n{ "phone": "555-0101" }',
      'status = 201\n$.master.phone = "none"',
    ),
  };
  const { events } = await runTexts(texts, () => ({ body: { master: { phone: '555-0199', name: 'Ada' } } }));
  const text = JSON.stringify(events);
  assert.ok(!/555-01|pilot-nine/.test(text), text);
  assert.match(text, /Ada/);
});

test('a variable of a page that hides what another page keeps is warned of', async () => {
  const { findings } = await planOf({
    'mervok.yaml': root,
    'a.md': keeping('A', 'id'),
    'b.md': `---\nvariables: { id: 4 }\n---\n${simple('B', 'GET /{id}')}`,
  });
  assert.ok(told(findings).includes('b.md:2:14 name-shadowed'), told(findings).join());
});

test('a variable of a page that hides that of the environment is warned of; an environment that overrides others is not', async () => {
  const { findings } = await planOf({
    'mervok.yaml': `${root}variables: { quay: none }\nenvironments: { local: { quay: north, side: west } }\nenvironment: local\n`,
    'a.md': `---\nvariables: { side: east }\n---\n${simple('A', 'GET /{quay}/{side}')}`,
  });
  assert.deepEqual(told(findings), ['a.md:2:14 name-shadowed']);
  assert.match(findings[0]!.message, /The variable 'side' hides that of the environment local\./);
});

test('a column of a page that hides a variable is warned of', async () => {
  const { findings } = await planOf(
    {
      'mervok.yaml': `${root}variables: { code: none }\n`,
      'a.md': `---\nrows: berths.csv\n---\n${simple('A', 'GET /{code}')}${simple('B')}`,
    },
    { openFile: files({ 'berths.csv': 'code\n0417\n' }) },
  );
  assert.deepEqual(told(findings), ['a.md:2:7 name-shadowed']);
});

test('two cases whose headings read the same have addresses of their own, which are warned of', async () => {
  const { plan, findings } = await planOf(
    { 'mervok.yaml': root, 'a.md': `${simple('One')}${simple('Two')}${simple('One')}` },
    { paths: ['a.md#one-1'] },
  );
  assert.deepEqual(
    plan.pages[0]!.cases.map(each => [each.address, each.place.line]),
    [['a.md#one-1', 21]],
  );
  assert.deepEqual(told(findings), ['a.md:21:1 case-address']);
});

test('what several say is heard in order; who says too much waits for its turn', async () => {
  const heard: string[] = [];
  const order = new OrderedEvents<string>(event => heard.push(event));
  const [first, second, third] = [order.lane(), order.lane(), order.lane()];
  third.emit('c1');
  second.emit('b1');
  first.emit('a1');
  assert.deepEqual(heard, ['a1']);
  second.end();
  for (let at = 0; at < 4000; at++) third.emit('c');
  const waits = third.room();
  assert.ok(waits && !first.room());
  first.emit('a2');
  first.end();
  assert.deepEqual(heard.slice(0, 4), ['a1', 'a2', 'b1', 'c1']);
  await waits;
  third.emit('c2');
  assert.equal(heard.at(-1), 'c2');
});

test('the flow is drawn: each name from the case that keeps it to those that take it', async () => {
  const { plan } = await planOf({
    'mervok.yaml': root,
    'a.md': keeping('Sign "in" <now>', 'token'),
    'b.md': simple('Use', 'GET /{token}') + own('Late', 'needs: [a.md]'),
  });
  const graph = graphOf(plan);
  assert.deepEqual(
    graph.edges.map(({ from, name, to }) => [from.address, name, to.map(each => each.address)]),
    [
      ['a.md#sign-in-now', 'token', ['b.md#use']],
      ['a.md#sign-in-now', undefined, ['b.md#late']],
    ],
  );
  assert.equal(
    graphMermaid(graph),
    `flowchart LR
  subgraph p1["Sign #quot;in#quot; <now>"]
    c1["Sign #quot;in#quot; <now>"]
  end
  subgraph p2["Use"]
    c2["Use"]
    c3["Late"]
  end
  c1 -->|"token"| c2
  c1 -.->|"first"| c3
`,
  );
  const svg = graphSvg(graph);
  assert.match(svg, /^<svg [^>]+>/);
  assert.match(svg, />Sign &quot;in&quot; &lt;now&gt;</);
  assert.equal(svg.match(/class="flow[^>]* C/g)!.length, 2);
});

/** Where arrows are level they meet no box. */
function assertPastBoxes({ boxes, routes }: Pick<GraphLayout, 'boxes' | 'routes'>): void {
  for (const { levels } of routes)
    for (const { from, to, y } of levels.slice(1, -1))
      for (const box of boxes)
        assert.ok(
          Math.max(from, to) <= box.x ||
            Math.min(from, to) >= box.x + box.width ||
            y < box.y ||
            y > box.y + box.height,
          box.page.file,
        );
}

test('an arrow goes past the boxes between its ends, and level where its name stands; each kind is explained', async () => {
  const { plan } = await planOf({
    'mervok.yaml': root,
    'a.md': keeping('Sign in', 'token'),
    'b.md': keeping('Berth', 'berth').replace('GET /', 'GET /{token}/'),
    'c.md': simple('Use', 'GET /{token}/{berth}'),
  });
  const graph = graphOf(plan);
  const { boxes, routes } = layOutGraph(graph);
  assert.deepEqual(
    boxes.map(({ page, column }) => [page.file, column]),
    [
      ['a.md', 0],
      ['b.md', 1],
      ['c.md', 2],
    ],
  );
  assertPastBoxes({ boxes, routes });
  assert.equal(routes.filter(({ levels }) => levels.length === 3).length, 1, 'one goes past a column');
  for (const { levels, label } of routes) {
    const { from, to } = levels.at(-1)!;
    assert.ok(to - from >= label.length * 6, `${label} stands above a level part`);
  }
  const svg = graphSvg(graph);
  assert.match(svg, />a value goes on</);
  assert.doesNotMatch(svg, />runs first, gives nothing<|>inside a page</);
});

test('what cleans up takes from a later page by an arrow that goes back below all boxes', async () => {
  const { plan, findings } = await planOf({
    'mervok.yaml': root,
    'a.md': `${keeping('Sign in', 'token')}# Sign out\n\n~~~mervok\ncleanup\n~~~\n~~~http\nDELETE /{berth}\n~~~\n~~~mervok\nstatus = 204\n~~~\n`,
    'b.md': keeping('Berth', 'berth').replace('GET /', 'GET /{token}/'),
  });
  assert.deepEqual(findings, []);
  const layout = layOutGraph(graphOf(plan));
  assertPastBoxes(layout);
  const [back] = layout.routes.filter(({ label }) => label === 'berth');
  const [, below, last] = back!.levels;
  assert.ok(below!.to < below!.from && below!.y > Math.max(...layout.boxes.map(box => box.y + box.height)));
  assert.ok(last!.from > 0 && last!.to === layout.boxes[0]!.x);
  assert.ok(below!.y < layout.height);
});
