import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Source } from '../../src/core/model/source.ts';
import { readPage } from '../../src/core/pages/read-page.ts';
import { noChance } from '../../src/core/replay/offline-case-run.ts';
import { readRecordedCases } from '../../src/core/replay/recorded-case.ts';
import { replayAll } from '../../src/core/replay/replay-all.ts';
import { AskedRequests } from '../../src/core/suggest/asked-requests.ts';
import { formFields } from '../../src/core/suggest/form-fields.ts';
import { putChecks } from '../../src/core/suggest/put-checks.ts';
import {
  type AskedRequest,
  candidatesFor,
  chooseFrom,
  loadFor,
  type Suggestion,
} from '../../src/core/suggest/suggest.ts';
import { table } from '../support/inputs.ts';
import { answerOf, asRecord, plannedOf, recordOf } from '../support/trust.ts';

const kept = {
  berth: '0417',
  nights: 3,
  tariff: 88.75,
  seen: '"a1b2c3"',
  lines: ['head line', 'stern line'],
  key: 'spring-tide',
};
const before = `## Before

~~~http
GET http://skerry.example/before
~~~

~~~mervok
keep $.berth as berth
keep $.nights as nights
keep $.tariff as tariff
keep $.reservation as reservation
keep $.seen as seen
keep $.lines as lines
keep $.key as secret key
~~~
`;

interface Proposed {
  /** Everything that holds. */
  readonly candidates: readonly Suggestion[];
  readonly asked: AskedRequest;
  /** What is worth it beside the checks that are there. */
  readonly chosen: readonly string[];
}

/** What is proposed for a request that was answered so; each answer is one of a case that runs for each row. */
async function proposed(request: string, answers: readonly string[], checks = ''): Promise<Proposed> {
  const rows = answers.map((_, index) => `turn-${'ab'[index]}`).join('\n');
  const [first = '', ...rest] = request.replace(/^(\S+) \//, '$1 http://skerry.example/').split('\n');
  const page = `---\nlimits: { record: 1 MiB }\n---\n${before}\n~~~csv rows turns\nturn\n${rows}\n~~~\n\n## Case\n\n~~~mervok\neach row of turns\n~~~\n\n~~~http\n${[first, ...rest].join('\n')}\n~~~\n\n~~~mervok\n${checks}\n~~~\n`;
  const texts = { 'a.md': page };
  let turn = 0;
  const events = await recordOf(texts, ({ url }) =>
    url.endsWith('/before')
      ? { body: `{ "reservation": 9007199254740995, ${JSON.stringify(kept).slice(1)}` }
      : answerOf(answers[turn++]!),
  );
  const { plan, flow } = await plannedOf(texts);
  const asked = new AskedRequests(flow);
  const { cases } = await readRecordedCases(plan, asRecord(events));
  for (const { requests } of replayAll(plan, cases, () => ({
    chance: noChance,
    file: () => Buffer.from(''),
  })))
    for (const each of requests) asked.addRecorded(each);
  const own = asked.all.find(({ planned }) => planned.title === 'Case')!;
  assert.equal(own.observations.length, answers.length);
  await loadFor(own.observations.map(({ response }) => response));
  const candidates = candidatesFor(own);
  return { candidates, asked: own, chosen: chooseFrom(candidates, own).map(({ text }) => text) };
}

const sections = table('suggest');

test('every pattern is proposed where it must be, and not where it may be a coincidence', async () => {
  const missed: string[] = [];
  for (const { title, rows } of sections)
    for (const [request, answers, check] of rows as [string, string, string][]) {
      const { candidates } = await proposed(request, answers.split(' || '));
      const own = candidates.filter(({ pattern }) => pattern === title).map(({ text }) => text);
      const about = `${title}: ${request} -> ${answers}: ${candidates.map(({ text }) => text).join('; ')}`;
      const [, never] = /^not: (.*)$/.exec(check) ?? [];
      const isRight = never === undefined ? own.includes(check) : !own.some(text => text.includes(never));
      if (!isRight) missed.push(`${check}. ${about}`);
    }
  assert.deepEqual(missed, []);
});

test('what the case checks already is not proposed again, nor what a better check notices', async () => {
  const answer = '{ "code": "0733", "depth": 4.2 }';
  const bare = await proposed('GET /a/0733', [answer]);
  assert.deepEqual(bare.chosen, [
    'status = 200',
    '$.code = "0733"',
    'header content-type starts with "application/json"',
    '$ includes { "code": text, "depth": number }',
    'time < 200 ms',
  ]);
  const checked = 'status is 2xx\n$ includes { "code": "0733", "depth": number }\ntime < 1 s';
  const beside = await proposed('GET /a/0733', [answer], checked);
  assert.deepEqual(beside.chosen, ['header content-type starts with "application/json"']);
});

test('a value is proposed as one only where somebody asks for it', async () => {
  const { asked } = await proposed('GET /a', ['{ "quay": "North Quay" }']);
  const texts = (values: boolean) => candidatesFor(asked, { values }).map(({ text }) => text);
  assert.ok(!texts(false).includes('$.quay = "North Quay"'));
  assert.ok(texts(true).includes('$.quay = "North Quay"'));
});

test('answers that differ in everything leave what they share', async () => {
  const { chosen } = await proposed('GET /a', ['{ "code": 4, "list": [1] }', '{ "name": "x", "list": {} }']);
  assert.deepEqual(chosen, [
    'status = 200',
    'header content-type starts with "application/json"',
    'time < 200 ms',
  ]);
});

test('documents of 10,000 items, and 200 levels deep, are looked at', async () => {
  const list = Array.from({ length: 10_000 }, (_, index) => ({ id: index, name: `Berth ${index % 7}` }));
  const long = await proposed('GET /a', [JSON.stringify({ count: 10_000, list })]);
  assert.ok(long.chosen.includes('$.count = count $.list[*]'));
  assert.ok(long.chosen.includes('each $.list[*] includes { "id": integer, "name": text }'));
  const deep = `${'{ "a": '.repeat(200)}"x"${' }'.repeat(200)}`;
  assert.ok((await proposed('GET /a', [deep])).chosen.length > 2);
});

const request = '```http\nGET /a\n```\n';
const written = (page: string, checks = ['status = 200  # the same each time', '$.a is text']) => {
  const source = new Source('a.md', page);
  const [step] = readPage(source).cases[0]!.steps;
  return putChecks('a.md', page, { line: source.position(step!.range.start).line, checks });
};

test('checks are put behind those that a request has, or into a fence of their own', () => {
  const added = '```mervok\nstatus = 200  # the same each time\n$.a is text\n```\n';
  const rows: [string, string][] = [
    [`# A\n\n${request}`, `# A\n\n${request}\n${added}`],
    [`# A\n\n${request}\nBehind.\n`, `# A\n\n${request}\n${added}\nBehind.\n`],
    [`# A\n\n${request.trimEnd()}`, `# A\n\n${request}\n${added}`],
    [
      `# A\n\n${request}\n\`\`\`http\nHTTP/1.1 200 OK\n\`\`\`\n`,
      `# A\n\n${request}\n\`\`\`http\nHTTP/1.1 200 OK\n\`\`\`\n\n${added}`,
    ],
    [
      `# A\n\n${request}\n\`\`\`mervok\n$.b = 1\n\`\`\`\n\n## B\n`,
      `# A\n\n${request}\n\`\`\`mervok\n$.b = 1\nstatus = 200  # the same each time\n$.a is text\n\`\`\`\n\n## B\n`,
    ],
    [`# A\n\n${request}`.replaceAll('\n', '\r\n'), `# A\n\n${request}\n${added}`.replaceAll('\n', '\r\n')],
    [
      '# A\n\n- first\n\n  ```http\n  GET /a\n  ```\n',
      `# A\n\n- first\n\n  \`\`\`http\n  GET /a\n  \`\`\`\n\n  ${added.trimEnd().replaceAll('\n', '\n  ')}\n`,
    ],
  ];
  for (const [page, expected] of rows) assert.equal(written(page), expected);
});

test('what would make something else of a page is not written', () => {
  const page = `# A\n\n${request}`;
  for (const check of [
    '```',

    'repeat every 1 s for 2 s until status = 200',
    'status =',
    '$.a = "x\n```\n\n```http\nGET /b"',
  ])
    assert.equal(written(page, [check]), undefined, check);
});

test('the fields of a form that was sent, as far as a check can be about them', () => {
  const part = (head: string, value: string) =>
    `--b\r\nContent-Disposition: form-data; ${head}\r\n\r\n${value}\r\n`;
  const type = 'multipart/form-data; boundary=b';
  const manyNames = part('name="x"; filename="m.xml"', 'name="crate"\n'.repeat(50_000));
  const cases: [body: string, type: string, fields: [string, string][]][] = [
    [
      'a=1&b=two%20words',
      'application/x-www-form-urlencoded',
      [
        ['a', '1'],
        ['b', 'two words'],
      ],
    ],
    [`${part('name="vessel"', 'Grey Petrel')}--b--\r\n`, type, [['vessel', 'Grey Petrel']]],
    [`${part('name="vessel"', 'Grey Petrel')}--b--`, type.replace('=b', '="b"'), [['vessel', 'Grey Petrel']]],
    [`${part('name="note"', 'one\r\ntwo')}--b--`, type, []],
    [`${part('name="m"; filename="m.csv"', 'name="a"')}--b--`, type, [['file', 'm.csv']]],
    [
      `${manyNames}${part('name="vessel"', 'Kestrel')}--b--`,
      type,
      [
        ['file', 'm.xml'],
        ['vessel', 'Kestrel'],
      ],
    ],
    ['no form at all', type, []],
    ['a=1', 'multipart/form-data', []],
    ['a=1', 'text/plain', []],
  ];
  for (const [body, ofType, fields] of cases)
    assert.deepEqual([...formFields(body, ofType)], fields, `${ofType}: ${body.slice(0, 200)}`);
});
