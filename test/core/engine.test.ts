import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import { Plain } from '../../src/core/model/value.ts';
import { RunTotals } from '../../src/core/record/totals.ts';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { rolesOf } from '../../src/core/steps/http/exchange-event.ts';
import { caseText, givenBySet } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';
import { hearWhole } from '../support/whole.ts';

const root = 'base: "http://skerry.example"\n';
const ok: Answer = () => ({ body: { id: 1 } });

test('fences run in the order in which they are read, and values go on', async () => {
  const page = `## Reserve

~~~mervok
let quay = "North Quay"
~~~

~~~http
POST /berths?quay={quay}
X-Quay: {quay}

{ "quay": "{quay}", "nights": {nights} }
~~~

~~~mervok
status = 201
keep $.id as id
~~~

~~~http
GET /berths/{id}
~~~

~~~mervok
$.id = {id}
~~~
`;
  const { sent, outcomes, checks } = await runTexts(
    {
      'mervok.yaml': `${root}variables: { nights: 2 }\nheaders: { Accept: text/plain, X-Quay: none }\n`,
      'a.md': page,
    },
    ({ method }) =>
      method === 'POST'
        ? { status: 201, body: '{"id": 9007199254740993}' }
        : { body: '{"id": 9007199254740993}' },
  );
  assert.deepEqual(outcomes, ['Reserve: passed']);
  assert.deepEqual(
    sent.map(({ method, url, body }) => [method, url, body?.join('')]),
    [
      ['POST', 'http://skerry.example/berths?quay=North%20Quay', '{ "quay": "North Quay", "nights": 2 }'],
      ['GET', 'http://skerry.example/berths/9007199254740993', undefined],
    ],
  );
  assert.deepEqual(sent[0]!.headers, [
    ['User-Agent', 'mervok'],
    ['Accept-Encoding', `gzip, deflate, br${process.versions.zstd === undefined ? '' : ', zstd'}`],
    ['Accept', 'text/plain'],
    ['X-Quay', 'North Quay'],
    ['Content-Type', 'application/json'],
  ]);
  assert.deepEqual(
    checks.map(({ text, holds, place }) => [text, holds, place.line]),
    [
      ['status = 201', 'yes', 15],
      ['$.id = {id}', 'yes', 24],
    ],
  );
});

test('a failed check does not end its case; a value that is missing does not come about', async () => {
  const { outcomes, checks, cases, sent } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md':
        caseText('Make', 'POST /berths', 'status = 201\nkeep $.nope as berth\n$.id = 1') +
        caseText('Read', 'GET /berths/{berth}', 'status = 200') +
        caseText('Free', 'GET /berths', 'status = 200'),
      'b.md':
        caseText('Elsewhere', 'GET /berths/{berth}/x', 'status = 200\nkeep $.id as far') +
        caseText('Further', 'GET /{far}', 'status = 200'),
    },
    ok,
  );
  assert.deepEqual(outcomes, [
    'Make: failed',
    'Read: blocked',
    'Free: passed',
    'Elsewhere: blocked',
    'Further: blocked',
  ]);
  assert.equal(sent.length, 2);
  assert.deepEqual(
    checks.map(({ holds }) => holds),
    ['no', 'no', 'yes', 'yes'],
  );
  assert.equal(checks[1]!.found, "nothing: $ has no member 'nope'; there is id");
  assert.deepEqual(cases[1]!.blocked, { name: 'berth', by: 'a.md#make', cause: 'a.md#make' });
  assert.deepEqual(cases[4]!.blocked, { name: 'far', by: 'b.md#elsewhere', cause: 'a.md#make' });
});

test('a default stands in for a value that is missing', async () => {
  const { outcomes, sent } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md':
        caseText('Make', 'GET /', 'status = 200\nkeep $.nope as berth or "0417"') +
        caseText('Read', 'GET /{berth}', 'status = 200'),
    },
    ok,
  );
  assert.deepEqual(outcomes, ['Make: passed', 'Read: passed']);
  assert.equal(sent[1]!.url, 'http://skerry.example/0417');
});

test('a fault ends its case as an error, and blocks what needs it', async () => {
  const { outcomes, cases, exchanges } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md':
        caseText('Make', 'GET /', 'status = 200\nkeep $.id as berth') +
        caseText('Read', 'GET /{berth}', 'status = 200'),
    },
    () => ({ fault: { kind: 'refused', message: 'No connection.' } }),
  );
  assert.deepEqual(outcomes, ['Make: error', 'Read: blocked']);
  assert.deepEqual(cases[0]!.problem, {
    message: 'No connection.',
    place: { file: 'a.md', line: 4, column: 1 },
  });
  assert.deepEqual(exchanges[0]!.fault, { kind: 'refused', message: 'No connection.' });
});

test('a request that cannot be filled is not sent', async () => {
  const { outcomes, cases, sent } = await runTexts(
    {
      'mervok.yaml': `${root}variables: { berth: "" }\n`,
      'a.md': caseText('Cancel', 'DELETE /berths/{berth}', 'status = 204'),
    },
    ok,
  );
  assert.deepEqual(outcomes, ['Cancel: error']);
  assert.equal(sent.length, 0);
  assert.equal(
    cases[0]!.problem?.message,
    '{berth} is empty, which would make another path of this one (from mervok.yaml).',
  );
});

test('after its own keep has failed, a case stops where the value is needed and stays failed', async () => {
  const page =
    '## A\n\n~~~http\nGET /\n~~~\n\n~~~mervok\nkeep $.nope as id\n~~~\n\n~~~http\nGET /{id}\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n';
  const { outcomes, cases, sent } = await runTexts({ 'mervok.yaml': root, 'a.md': page }, ok);
  assert.deepEqual(outcomes, ['A: failed']);
  assert.equal(sent.length, 1);
  assert.equal(cases[0]!.problem?.message, "'id' has no value here.");
});

test('a text of the settings that refers to a name whose keep has failed has no value either, secret or not', async () => {
  const page = `## A\n\n~~~http\nGET /\n~~~\n\n~~~mervok\nkeep $.nope as secret id\nkeep $.id as near or {id}\nlet far = "{way}/x"\n~~~\n`;
  const texts = { 'mervok.yaml': `${root}variables: { way: "/berths/{id}" }\n`, 'a.md': page };
  const { outcomes, cases } = await runTexts(texts, ok);
  assert.deepEqual(outcomes, ['A: failed']);
  assert.equal(cases[0]!.problem?.message, "'id' has no value here.");
});

test('a secret of the settings is one in every round, also where no page asks for it', async () => {
  const texts = {
    'mervok.yaml': `${root}variables: { key: { secret: anchor-chain }, spare: { os: SPARE, secret: true } }\n`,
    'a.md': caseText('A', 'GET /', '$.said = "none"'),
  };
  const answer: Answer = () => ({ body: { said: 'anchor-chain and gull-and-tern' } });
  const { events } = await runTexts(texts, answer, { rounds: 3, os: { SPARE: 'gull-and-tern' } });
  assert.doesNotMatch(JSON.stringify(events), /anchor-chain|gull-and-tern/);
});

test('what a secret list holds stays secret, whatever is made of it; how many there are does not', async () => {
  const statements =
    'let one = first {tokens}\nlet shout = upper({one})\nlet many = count {tokens}\nlet long = length({one})\n$.said = "none"\n$.many = {many}\n$.long = {long}';
  const texts = {
    'mervok.yaml': `${root}variables: { tokens: { secret: [gull-and-tern, ebb-and-flood, petrel-egg] } }\n`,
    'a.md': caseText('A', 'GET /', statements),
  };
  const answer: Answer = () => ({ body: { said: 'GULL-AND-TERN', many: 31, long: 131 } });
  const { checks, events } = await runTexts(texts, answer);
  assert.doesNotMatch(JSON.stringify(events), /gull-and-tern/i);
  assert.deepEqual(
    checks.slice(1).map(({ expected }) => expected),
    ['3', '13'],
  );
});

test('what is computed is computed anew where a page says something else of what it is made of', async () => {
  const page = (quay: string) =>
    `---\nvariables: { quay: ${quay} }\n---\n${caseText('A', 'GET /{wide}/{wide}', 'status = 200')}`;
  const texts = {
    'mervok.yaml': `${root}variables: { quay: none, wide: { let: "join([{quay}, uuid()], \\"-\\")" } }\n`,
    ...{ 'a.md': page('north'), 'b.md': page('south'), 'c.md': page('north') },
  };
  let turn = 0;
  const { sent } = await runTexts(texts, ok, { chance: () => `${++turn}` });
  assert.deepEqual(
    sent.map(({ url }) => new URL(url).pathname),
    ['/north-1/north-1', '/south-2/south-2', '/north-1/north-1'],
  );
});

test('a page without a heading has the name of its file', async () => {
  const page = '~~~http\nGET /\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n';
  const { events } = await runTexts(
    { 'mervok.yaml': root, 'north/low/tides.md': page, 'Quay.MD.md': page },
    ok,
  );
  const titles = events.flatMap(event => (event.type === 'page' ? event.title : []));
  assert.deepEqual(titles, ['Quay.MD', 'tides']);
});

test('who throws while it hears of a run ends it, and nothing more is sent', async () => {
  const page = [...'ABCDEF'].map(title => caseText(title, 'GET /', 'status = 200')).join('');
  for (const deferred of [true, false]) {
    let asked = 0;
    const record = (event: RunEvent) => {
      if (event.type === 'check') throw new Error('the disk is full');
    };
    const counted: Answer = () => {
      asked++;
      return {};
    };
    const many = { 'mervok.yaml': root, 'a.md': page };
    await assert.rejects(runTexts(many, counted, { run: { record, deferred } }), /the disk is full/);
    assert.ok(asked <= 2, `${asked} requests`);
  }
});

test('checks of the settings are made after every response, outermost first, and say where they stand', async () => {
  const { checks } = await runTexts(
    {
      'mervok.yaml': `${root}checks: status = 201\n`,
      'a.md': `---\nchecks: $.id = 1\n---\n${caseText('A', 'GET /', '$.id is number')}`,
    },
    ok,
  );
  assert.deepEqual(
    checks.map(({ text, level, holds }) => [text, level, holds]),
    [
      ['status = 201', 'mervok.yaml', 'no'],
      ['$.id = 1', 'the front matter of a.md', 'yes'],
      ['$.id is number', undefined, 'yes'],
    ],
  );
});

test('which value a name has: case and page, command line, page variables, other page, environment, collection', async () => {
  const texts = {
    'mervok.yaml': `${root}variables: { a: root, b: root, c: root, d: root }\nenvironments: { local: { b: local, c: local } }\nenvironment: local\n`,
    'keeps.md': caseText('Keeps', 'GET /', 'status = 200\nkeep $.id as c\nkeep $.id as d'),
    'uses.md': `---\nvariables: { d: page }\n---\n${caseText('Uses', 'GET /{a}/{b}/{c}/{d}/{e}', 'status = 200')}`,
  };
  const urls = async (given: [string, Plain][]) =>
    (await runTexts(texts, () => ({ body: { id: 'kept' } }), { plan: { given: givenBySet(given) } })).sent
      .at(-1)!
      .url.slice(22);
  assert.equal(await urls([['e', new Plain('given')]]), 'root/local/kept/page/given');
  assert.equal(
    await urls([
      ['e', new Plain('x')],
      ['a', new Plain('given')],
      ['d', new Plain('given')],
    ]),
    'given/local/kept/given/x',
  );
});

test('a value that is not renewed does not live on under its name', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md':
      caseText('Make', 'POST /', 'status = 200\nkeep $.id as revision') +
      caseText('Change', 'PUT /{revision}', 'status = 200\nkeep $.nope as revision') +
      caseText('Change again', 'PUT /{revision}', 'status = 200'),
  };
  const { outcomes, cases } = await runTexts(texts, ok);
  assert.deepEqual(outcomes, ['Make: passed', 'Change: failed', 'Change again: blocked']);
  assert.deepEqual(cases[2]!.blocked, { name: 'revision', by: 'a.md#change', cause: 'a.md#change' });
});

test('a computed name of the page is not replaced by what another page keeps', async () => {
  const texts = {
    'mervok.yaml': root,
    'a.md': caseText('Keeps', 'GET /', 'status = 200\nkeep $.id as berth'),
    'b.md': `${caseText('Computes', 'GET /', 'let berth = $.nope').trimEnd()}\n\n${caseText('Uses', 'GET /{berth}', 'status = 200')}`,
  };
  assert.deepEqual((await runTexts(texts, ok)).outcomes, [
    'Keeps: passed',
    'Computes: error',
    'Uses: blocked',
  ]);
});

test('each round begins anew', async () => {
  let id = 0;
  const { sent, cases } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md':
        caseText('Make', 'POST /', 'status = 200\nkeep $.id as id') +
        caseText('Read', 'GET /{id}', 'status = 200'),
    },
    ({ method }) => (method === 'POST' ? { body: { id: ++id } } : {}),
    { rounds: 3 },
  );
  assert.deepEqual(
    sent.map(each => each.url.slice(22)),
    ['', '1', '', '2', '', '3'],
  );
  assert.deepEqual(
    cases.map(each => each.round),
    [1, 1, 2, 2, 3, 3],
  );
});

test('an interrupt ends the run in order', async () => {
  const controller = new AbortController();
  const { events, outcomes } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md': caseText('One', 'GET /', 'status = 200') + caseText('Two', 'GET /', 'status = 200'),
    },
    () => {
      controller.abort();
      return { fault: { kind: 'interrupted', message: 'Interrupted.' } };
    },
    { signal: controller.signal },
  );
  assert.deepEqual(outcomes, ['One: error']);
  const end = events.at(-1)!;
  assert.ok(end.type === 'end' && end.stopped === 'interrupt');
});

test('secrets are masked in every event, in every form; credentials always', async () => {
  const secret = 'spring/tide "+?';
  const forms = [
    secret,
    encodeURIComponent(secret),
    JSON.stringify(secret).slice(1, -1),
    Buffer.from(secret).toString('base64'),
    Buffer.from(secret).toString('hex'),
    'spring/tide &quot;+?',
  ];
  const joined = Buffer.from(`x:${secret}:y`).toString('base64');
  const texts = {
    'mervok.yaml': `${root}variables: { password: { secret: '${secret}' }, hidden: { os: HIDDEN, secret: true } }\nheaders: { Authorization: "Bearer {token}" }\n`,
    'sign-in.md': `---\nheaders: { Authorization: null }\n---\n${caseText('Sign in', 'POST /sessions?p={password}\nX-P: {password}\nX-H: {hidden}\n\n{ "password": "{password}" }', 'status = 200\nkeep $.token as secret token\nlet derived = "x{token}y"\n$.echo = "other"\n$.token = "other {password} {derived}"')}`,
    'use.md': caseText('Use', 'GET /{token}', 'status = 404'),
  };
  const { events, sent, outcomes } = await runTexts(
    texts,
    () => ({
      body: { token: 'tok-12345', echo: [...forms, joined].join(' ') },
      headers: [
        ['Set-Cookie', 'sid=top'],
        ['Content-Type', 'application/json'],
      ],
    }),
    { os: { HIDDEN: 'hid-98765' } },
  );
  assert.deepEqual(outcomes, ['Sign in: failed', 'Use: failed']);
  assert.equal(
    sent[1]!.headers.find(([name]) => name === 'Authorization')?.[1],
    'Bearer tok-12345',
    'what is sent is not masked',
  );
  const all = JSON.stringify(events);
  for (const form of [...forms, joined.slice(4, -6), 'tok-12345', 'hid-98765', 'sid=top']) {
    assert.ok(!all.includes(form) && !all.includes(JSON.stringify(form).slice(1, -1)), form);
  }
  assert.ok(all.includes('[secret]'));
});

test('a secret that is also a word of the record hides nothing of what happened', async () => {
  for (const secret of ['case', 'check', 'exchange', 'failed', 'end', 'run', 'a.md']) {
    const { outcomes, checks, events } = await runTexts(
      {
        'mervok.yaml': `${root}variables: { password: { secret: "${secret}" } }\n`,
        'a.md': caseText('A', 'GET /', 'status = 404'),
      },
      ok,
    );
    assert.deepEqual([outcomes, checks.map(each => each.holds)], [['A: failed'], ['no']], secret);
    assert.deepEqual(
      events.map(each => each.type),
      ['run', 'page', 'exchange', 'check', 'case', 'end'],
      secret,
    );
    assert.equal(checks[0]!.case, 'a.md#a');
  }
});

test('what is known of secrets does not grow with the rounds', () => {
  const run = new Masker();
  for (let round = 1; round <= 3; round++) {
    const pass = run.forIteration();
    pass.addValue(`token-${round}`, 'passing');
    pass.addValue(`lasting-${round}`, 'lasting');
    assert.equal(pass.text(`lasting-1 token-1 token-${round}`).includes(`token-${round}`), false);
    pass.end();
  }
  const last = run.forIteration();
  last.addValue('token-4', 'passing');
  assert.equal(last.text('lasting-1 lasting-3 token-1 token-4'), '[secret] [secret] token-1 [secret]');
  // What another user has come by is as secret, as long as that one is under way.
  const other = run.forIteration();
  assert.equal(other.text('token-4 token-1'), '[secret] token-1');
  assert.equal(run.text('token-4'), '[secret]');
  const fresh = new Masker();
  const brief = fresh.forIteration();
  brief.addValue('token-5', 'passing');
  brief.end();
  assert.equal(fresh.text('berth'), 'berth');
});

test('a secret that is cut is masked as far as it goes', () => {
  const nested = new Masker();
  const word = 'tide"s\\mark\n';
  nested.addValue(word, 'lasting');
  let text = word;
  for (let level = 0; level < 5; level++) {
    assert.equal(nested.text(`<${text}>`), '<[secret]>', `escaped ${level} times`);
    text = JSON.stringify(text).slice(1, -1);
  }
  nested.addValue('\\\\\\', 'lasting');
  assert.equal(nested.text('C:\\berths\\0417'), 'C:\\berths\\0417');
  const masker = new Masker();
  masker.addValue('spring-tide-of-the-year', 'lasting');
  const rows: [text: unknown, masked: unknown][] = [
    ['the word is spring-tide-of …', 'the word is [secret] …'],
    ['the word is spr …', 'the word is [secret] …'],
    ['it is spring', 'it is spring'],
    [
      { text: '{"a":"spring-ti', cut: true },
      { text: '{"a":"[secret]', cut: true },
    ],
    [{ text: 'spring' }, { text: 'spring' }],
    ['Basic c3ByaW5nLX …', 'Basic [secret] …'],
  ];
  for (const [text, masked] of rows) assert.deepEqual(masker.deep(text), masked);
});

test('secrecy belongs to the name, whichever level or option gives the value', async () => {
  const texts = {
    'mervok.yaml': `${root}variables: { password: { secret: x-outer } }\nenvironments: { local: { password: x-local } }\nenvironment: local\n`,
    'a.md':
      caseText('A', 'GET /{password}', 'status = 200\nkeep $.id as password') +
      caseText('B', 'GET /{password}', 'status = 200'),
  };
  const answer: Answer = () => ({ body: { id: 'x-kept' } });
  const local = await runTexts(texts, answer);
  assert.deepEqual(
    local.sent.map(each => each.url.slice(22)),
    ['x-local', 'x-kept'],
  );
  assert.ok(!/x-local|x-kept/.test(JSON.stringify(local.events)));
  const given = await runTexts(texts, answer, {
    plan: { given: givenBySet([['password', new Plain('x-given')]]) },
  });
  assert.equal(given.sent[0]!.url.slice(22), 'x-given');
  assert.ok(!/x-given/.test(JSON.stringify(given.events)));
});

test('a response that is nested too deeply ends its case, not the run', async () => {
  const deep = `${'['.repeat(60_000)}${']'.repeat(60_000)}`;
  const { outcomes, cases } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md':
        caseText('Deep', 'GET /deep', '$[0] = [[1]]\n$ = 1') + caseText('Next', 'GET /', 'status = 200'),
    },
    ({ url }) => ({ body: url.endsWith('deep') ? deep : '{}' }),
  );
  assert.deepEqual(outcomes, ['Deep: failed', 'Next: passed']);
  assert.match(cases[0]!.problem!.message, /nested too deeply/);
});

test('bodies in the record are cut at a limit, at a whole character, with length and hash', async () => {
  const long = 'é'.repeat(40_000);
  const { exchanges } = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'status = 200') },
    () => ({ body: `x${long}` }),
  );
  const { body } = exchanges[0]!.response!;
  assert.equal(body.size, 80_001);
  assert.equal(body.cut, true);
  assert.match(body.sha256!, /^[0-9a-f]{64}$/);
  assert.equal(body.text, `x${'é'.repeat(32_767)}`);
  const binary = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'status = 200') },
    () => ({ body: 'plain' }),
  );
  assert.deepEqual(binary.exchanges[0]!.response!.body, { size: 5, text: 'plain' });
});

test('the figures of a run are counted, few times exactly, many by a histogram', () => {
  const totals = new RunTotals();
  const exchange = (total: number) =>
    totals.add({
      type: 'exchange',
      round: 1,
      case: 'a',
      at: 0,
      place: { file: '', line: 1, column: 1 },
      request: { method: 'GET', url: '', headers: [] },
      response: { status: 200, reason: '', headers: [], body: { size: 1 } },
      times: { total },
      received: 10,
    });
  for (let time = 1; time <= 100; time++) exchange(time);
  assert.deepEqual([totals.requests, totals.received, totals.p50, totals.p95], [100, 1000, 50, 95]);
  for (let time = 1; time <= 4900; time++) exchange(50);
  assert.ok(Math.abs(totals.p50! - 50) < 0.1);
  assert.equal(totals.passed, false, 'nothing was checked');
});

test('a fault is an error, unless a check that looks at its request speaks of it', async () => {
  const refuse: Answer = ({ url }) =>
    url.endsWith('/open') ? { body: {} } : { fault: { kind: 'refused', message: 'No connection.' } };
  const { outcomes, checks } = await runTexts(
    {
      'mervok.yaml': `${root}checks: status = 200\n`,
      'a.md':
        caseText('Closed', 'GET /closed', 'fault = "refused"') +
        caseText('Wrong', 'GET /closed', 'fault = "timeout"\nstatus = 200') +
        caseText('Silent', 'GET /closed', 'time < 2 s') +
        caseText('Open', 'GET /open', 'fault = "none"') +
        // Only the check below the first request speaks of a fault, so that of the second is an error.
        '## Two\n\n~~~http\nGET /closed\n~~~\n\n~~~mervok\nfault = "refused"\n~~~\n\n~~~http\nGET /closed\n~~~\n',
    },
    refuse,
  );
  assert.deepEqual(outcomes, [
    'Closed: passed',
    'Wrong: failed',
    'Silent: error',
    'Open: passed',
    'Two: error',
  ]);
  const unsent = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'fault is text') },
    () => ({ fault: { kind: 'unsendable', message: 'It cannot be sent.' } }),
  );
  assert.deepEqual(unsent.outcomes, ['A: error']);
  const ofWrong = checks.filter(check => check.case === 'a.md#wrong');
  assert.deepEqual(
    ofWrong.map(({ holds, found }) => [holds, found]),
    [
      ['no', '"refused"'],
      ['unknown', 'cannot be decided: no response came: refused'],
    ],
  );
  assert.equal(checks.filter(({ level }) => level !== undefined).length, 1, 'level checks need a response');
});

test('every exchange on the way is told, and tokens in them are masked', async () => {
  const times = { total: 5 };
  const request = { method: 'GET', url: 'http://skerry.example/', headers: [] };
  const response = {
    ...request,
    status: 200,
    reason: '',
    version: 'HTTP/1.1',
    headers: [['Set-Cookie', 'hop=1']] as [string, string][],
    body: Buffer.from('{"access_token":"tok-tide-1"}'),
    size: 29,
    time: 5,
  };
  const { exchanges, outcomes, events } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md': caseText('A', 'GET /', 'cookie hop = 1\nsent url ends with "/first"\n$.access_token exists'),
    },
    () => ({
      exchanges: [
        { request, response: { ...response, headers: [] }, times, received: 9, cause: 'token' },
        { request: { ...request, url: 'http://skerry.example/first' }, response, times, received: 9 },
        { request, response: { ...response, headers: [] }, times, received: 9, cause: 'redirect' },
      ],
      secrets: ['tok-tide-1'],
    }),
  );
  assert.deepEqual(outcomes, ['A: passed']);
  assert.deepEqual(
    exchanges.map(({ cause, at }) => [cause, at - exchanges[0]!.at]),
    [
      ['token', 0],
      [undefined, 5],
      ['redirect', 10],
    ],
  );
  assert.ok(!JSON.stringify(events).includes('tok-tide-1'));
});

test('what it takes to send a request: which exchanges lead to the one that counts, and what that takes with them', () => {
  const request = { method: 'GET', url: 'http://skerry.example/', headers: [] };
  const causes = [undefined, 'token', 'redirect', 'retry', 'challenge', 'fresh'] as const;
  const trails = causes.flatMap(a => causes.flatMap(b => [[a, b], ...causes.map(c => [a, b, c])]));
  const told = [[undefined], ...trails].map(trail => [
    trail,
    rolesOf(
      trail.map((cause, at) => ({
        request,
        received: 0,
        at: 1000 * at,
        times: { total: 10 + at },
        ...(cause === 'fresh'
          ? { cause: 'retry' as const, fresh: true }
          : cause && { cause: cause as 'retry' }),
      })),
    ),
  ]);
  hearWhole('roles', 'of exchanges', told);
  assert.deepEqual(told[0]![1], [{}]);
});

test('what authorization refers to is secret without being declared', async () => {
  const { events, outcomes } = await runTexts(
    {
      'mervok.yaml': `${root}auth: { bearer: "{token}" }\n`,
      'a.md': `## Sign in\n\n~~~yaml settings\nauth: { basic: { user: pilot, password: "{word}" } }\nvariables: { word: spring-tide }\n~~~\n\n~~~http\nPOST /sessions\n~~~\n\n~~~mervok\nkeep $.token as token\n~~~\n\n${caseText('Use', 'GET /x', '$.echo = "none"')}`,
    },
    () => ({ body: { token: 'tok-4711', echo: 'tok-4711 spring-tide' } }),
  );
  assert.deepEqual(outcomes, ['Sign in: passed', 'Use: failed']);
  const all = JSON.stringify(events);
  assert.ok(!all.includes('tok-4711') && !all.includes('spring-tide'));
});

test('a page begins with the cookies of the pages that it takes names from', async () => {
  const opened: string[][] = [];
  const jars = new Map<object, string>();
  await runTexts(
    {
      'mervok.yaml': root,
      'a.md': caseText('A', 'GET /a', 'keep $.id as id'),
      'b.md': caseText('B', 'GET /b/{id}', 'keep $.id as other'),
      'c.md': caseText('C', 'GET /c', 'status = 200'),
      'd.md': caseText('D', 'GET /d/{id}/{other}', 'status = 200'),
    },
    ok,
    {
      openPage: from => {
        opened.push(from.map(jar => jars.get(jar)!));
        const jar = { isEmpty: true };
        jars.set(jar, 'abcd'[jars.size]!);
        return jar;
      },
    },
  );
  assert.deepEqual(opened, [[], ['a'], [], ['a', 'b']]);
});
