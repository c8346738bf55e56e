import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Source } from '../../src/core/model/source.ts';
import { pageOfRequest } from '../../src/core/pages/given-page.ts';
import { readPage } from '../../src/core/pages/read-page.ts';
import {
  type GivenRequest,
  readGiven,
  writeCase,
  writeRequest,
} from '../../src/core/steps/http/write-request.ts';

const given = (more: Partial<GivenRequest> = {}): GivenRequest => ({
  method: 'POST',
  target: '/berths',
  headers: [],
  ...more,
});
const json = (text: string) => given({ body: { form: 'json', text } });

test('a request is written such that it goes out as it was given', () => {
  const rows: [request: GivenRequest, written: string][] = [
    [given({ method: 'GET' }), '```http\nGET /berths\n```'],
    [given({ target: '/{a}/{b' }), '```http\nPOST /%7Ba%7D/%7Bb\n```'],
    [
      given({
        headers: [
          ['X-Pilot', 'Tern'],
          ['X-Form', '{a} {+b.c} {a-b.0} {1} { a } \\{'],
        ],
      }),
      '```http\nPOST /berths\nX-Pilot: Tern\nX-Form: \\{a} \\{+b.c} \\{a-b.0} {1} { a } \\\\{\n```',
    ],
    [json('{"a":1}\n'), '```http\nPOST /berths\n```\n\n```json body\n{"a":1}\n```'],
    [json('{"a":"{b}"}\n\n'), '```http\nPOST /berths\n```\n\n```json body\n{"a":"\\{b}"}\n```'],
    [json('a\n```\nb'), '```http\nPOST /berths\n```\n\n````json body\na\n```\nb\n````'],
    [json('a `````` b'), '```http\nPOST /berths\n```\n\n```````json body\na `````` b\n```````'],
    [
      given({ body: { form: 'graphql', text: '{ berth {code} }\n' } }),
      '```http\nPOST /berths\n```\n\n```graphql body\n{ berth {code} }\n```',
    ],
  ];
  for (const [request, written] of rows) assert.equal(writeRequest(request), written);
});

test('a case is written behind a page that stays as it is', () => {
  const added = (gap: string) =>
    `${gap}## Take it\n\n\`\`\`http\nPOST /berths\n\`\`\`\n\n\`\`\`mervok\nstatus = 201\n\`\`\`\n`;
  const rows: [page: string, gap: string][] = [
    ['', ''],
    ['# Berths', '\n\n'],
    ['# Berths\n', '\n'],
    ['# Berths\n\n', ''],
    ['# Berths\n\n\n', ''],
  ];
  for (const [page, gap] of rows)
    assert.equal(writeCase(page, 'Take it', given(), 201), page + added(gap), JSON.stringify(page));
  for (const page of ['# Berths\r\n', '# Berths\r\n\r\n'])
    assert.equal(
      writeCase(page, 'Take it', given(), 201),
      page + added(page.endsWith('\n\r\n') ? '' : '\n').replaceAll('\n', '\r\n'),
    );
  const { cases } = readPage(
    new Source('a.md', writeCase('# Berths\n', 'Take it', json('{"a":"{b}"}'), 201)),
  );
  assert.deepEqual(
    cases.map(({ title, steps }) => [title, steps.length]),
    [['Take it', 2]],
  );
});

test('a request that is given becomes a page of its own, or says what is wrong with it', () => {
  const body = { form: 'json', text: '{"a":\n1}' } as const;
  const { source, step, errors } = readGiven(given({ headers: [['A', 'b']], body }), 'the command line');
  assert.deepEqual(errors, []);
  assert.equal(source.text, 'POST /berths\nA: b\n\n{"a":\n1}');
  assert.deepEqual(step?.body?.fence, { form: 'json', crlf: false });
  assert.equal(step?.body?.start, 0);
  const { start, end } = step!.body!.excerpt.range(0, body.text.length);
  assert.equal(source.text.slice(start, end), body.text);

  const bare = readGiven(given(), 'the command line');
  assert.deepEqual([bare.source.text, bare.step?.body], ['POST /berths', undefined]);

  const page = pageOfRequest(given({ headers: [['A', 'b']] }), 'the command line');
  assert.deepEqual(
    page.cases.map(({ title, slug, address, range, lines, fences, steps }) => [
      ...[title, slug, address, range, lines, fences, steps.length],
    ]),
    [
      [
        ...['Request', 'request', 'the command line#request', { start: 0, end: 17 }, { from: 1, to: 1 }],
        ...[[], 1],
      ],
    ],
  );
  assert.deepEqual([page.title, page.findings], ['Request', []]);

  const wrong = pageOfRequest(given({ headers: [['A b', 'c']] }), 'the command line');
  assert.deepEqual(
    wrong.findings.map(({ source: { file }, severity }) => [file, severity]),
    [['the command line', 'error']],
  );
});
