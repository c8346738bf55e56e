import assert from 'node:assert/strict';
import { test } from 'node:test';
import { caseOf, caseText, planOf } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';
import { table } from '../support/inputs.ts';

// The productions of the grammar, row by row, on responses of every kind.

const document = {
  text: 'North Quay',
  code: '0417',
  number: 4.2,
  whole: 3,
  two: 2.0,
  yes: true,
  no: false,
  nothing: null,
  list: [3, 1, 2],
  sorted: [1, 2, 2],
  down: ['c', 'b', 'a'],
  words: ['free', 'taken'],
  empty: { text: '', list: [], object: {} },
  object: { a: 1, b: [1, { c: null }] },
  berths: [
    { code: '0417', depth: 4.2, state: 'free', deposit: null },
    { code: '0418', depth: 7, state: 'taken', deposit: 250 },
    { code: '0733', depth: 7.8, state: 'free' },
  ],
  date: '2026-11-23',
  instant: '2026-11-23T12:00:00+02:00',
  uuid: '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
  url: 'https://skerry.example/a?b=c',
  mail: 'office@skerry.example',
  'line-2': 'dashed',
  odd: { "it's": 1, 'a"b': 2, '': 3, ünï: 4, '🚢': 5 },
  deep: { a: { a: { a: 1 } } },
};
const digits = '{ "id": 9007199254740993, "fee": 0.1, "large": 1e400, "exact": 0.1234567890123456789 }';

const tides = `<?xml version="1.0"?>
<t:tides xmlns:t="urn:skerry:tides" xmlns="urn:skerry:plain" quay="North Quay">
  <t:tide no="1"><height unit="m"> 4.2 </height></t:tide>
  <t:tide no="2"><height unit="m">0.7</height></t:tide>
</t:tides>`;

const page = `<!doctype html><html><head><title>Quay</title></head><body>
<main><h1>North
   Quay</h1><ul class="berths"><li id="a">0417<li class="taken">0418</ul></main></body></html>`;

const settings = `
base: http://harbour.skerry.example
namespaces: { p: "urn:skerry:plain" }
variables:
  name: North
  given: [1, 2, 3]
  berth: { code: "0417" }
  plain: 12
  pause: 300 ms
  padded: 0417
  quoted: "12"
  switch: true
`;

const answers: { readonly [path: string]: readonly [type: string, body: string] } = {
  '/document': ['application/json', JSON.stringify(document)],
  '/digits': ['application/json', digits],
  '/tides': ['application/xml', tides],
  '/page': ['text/html', page],
  '/lines': ['application/x-ndjson', '{"a":1}\n{"a":2}\n'],
  '/broken': ['application/json', '{ "a": '],
};

const answer: Answer = ({ url }) => {
  const [type, body] = answers[new URL(url).pathname]!;
  const headers: [string, string][] = [
    ['Content-Type', type],
    ['X-Depth', '4.2'],
    ['X-Limit', '5 s'],
    ['X-Several', 'a'],
    ['X-Several', 'b'],
    ['Set-Cookie', 'sid=s1'],
    ['Set-Cookie', 'lang=en'],
    ['Location', '/berths/0417'],
    ['Link', '</berths?page=2>; rel="next"'],
  ];
  return { reason: 'OK', headers, body };
};

test('every condition, value and source of the language, on responses of every kind', async () => {
  const looking = table('language');
  const pages = looking.map(({ title: path, rows }) =>
    caseText(
      `Look at ${path.slice(1)}`,
      `POST ${path}\nX-Sent: so\n\n{ "sent": 1 }`,
      rows.map(([check]) => check).join('\n'),
    ),
  );
  const ran = await runTexts({ 'mervok.yaml': settings, 'language.md': pages.join('\n') }, answer);
  for (const { title: path, rows } of looking) {
    const made = ran.checks.filter(each => each.case === `language.md#look-at-${path.slice(1)}`);
    assert.equal(made.length, rows.length);
    for (const [at, [check, holds]] of rows.entries())
      assert.equal(made[at]!.holds, holds, `${check}: ${made[at]!.found}`);
  }
});

test('what can never be right is told before anything is sent, at its place, with its remedy', async () => {
  const wrong = table('statement-errors').flatMap(({ title, rows }) =>
    rows.map(([statement = '', code, ...more]) => ({
      statement,
      code,
      at: title === 'in a collection' ? '1:' : `${more.shift()} `,
      says: more,
    })),
  );
  const cases = wrong.map(({ statement }, at) =>
    caseOf(`Case ${at + 1}`, ['http', 'GET /'], ['mervok', statement], ['mervok', 'status = 200']),
  );
  const { findings } = await planOf({
    'mervok.yaml': 'base: http://skerry.example\nvariables: { list: [1] }\n',
    'wrong.md': cases.join(''),
  });
  const placed = findings
    .filter(({ code }) => code !== 'name-unused')
    .map(({ source, range, ...each }) => ({ ...each, ...source.position(range.start) }));
  const astray: string[] = [];
  for (const [index, { statement, code: wanted, at, says }] of wrong.entries()) {
    const line = index * 14 + 7;
    const told = placed
      .filter(each => each.line > line - 7 && each.line <= line + 7)
      .map(each => `${each.line - line}:${each.column} ${each.code}: ${each.message} ${each.remedy ?? ''}`);
    const [only = ''] = told;
    const isThere = only.startsWith(at) && only.includes(` ${wanted}: `);
    if (told.length !== 1 || !isThere || !says.every(part => only.includes(part)))
      astray.push(`${statement}\n  wanted ${at} ${wanted} '${says}'\n  ${told.join('\n  ')}`);
  }
  assert.deepEqual(astray, []);
});
