import assert from 'node:assert/strict';
import { test } from 'node:test';
import { againstContract } from '../../src/core/contract/against-contract.ts';
import { againstDefinition } from '../../src/core/contract/against-definition.ts';
import { againstRecord } from '../../src/core/contract/against-record.ts';
import type { Beside } from '../../src/core/contract/broken.ts';
import { type Contract, contractSchema } from '../../src/core/contract/contract.ts';
import { contractOf } from '../../src/core/contract/contract-of.ts';
import { exercisedBy, relianceOf } from '../../src/core/contract/reliance-table.ts';
import { type ReliedRequest, reliedRequests } from '../../src/core/contract/relied-on.ts';
import { exercisedPart, holderOf, openDefinition } from '../../src/core/definition/index.ts';
import { Source } from '../../src/core/model/source.ts';
import type { Texts } from '../support/collection.ts';
import { table } from '../support/inputs.ts';
import { asRecord, plannedOf, recordOf } from '../support/trust.ts';

const schemas: { readonly [name: string]: unknown } = {
  berth: {
    type: 'object',
    required: ['code', 'constructor', 'deposit', 'note', 'state'],
    properties: {
      code: { type: 'string' },
      state: { enum: ['free', 'taken'] },
      deposit: { type: ['number', 'null'] },
      note: true,
      remark: { type: 'string' },
    },
  },
};
const settings =
  'title: Harbour office\nbase: http://skerry.example/v1\nvariables: { berth: "0417", depth: 4.2, state: free }\n';
const http = (request: string) => `~~~http\n${request}\n~~~\n\n`;
const statements = (text: string) => `~~~mervok\n${text}\n~~~\n\n`;
const pageOf = (request: string, checks: string, more = ''): Texts => ({
  'mervok.yaml': settings,
  'a.md': `${more}## A\n\n${http(request)}${statements(checks)}~~~json schema berth\n{}\n~~~\n`,
});

async function relied(texts: Texts): Promise<ReliedRequest[]> {
  const { plan, flow } = await plannedOf(texts);
  return reliedRequests(plan, flow, name => schemas[name]);
}

async function contract(texts: Texts): Promise<Contract> {
  return contractOf('Harbour office', await relied(texts));
}

const [reads, besides] = table('contract') as [Section, Section];
type Section = ReturnType<typeof table>[number];

test('what statements rely on: the parts, their kinds and their values', async () => {
  for (const [statement, expected = ''] of reads.rows as [string, string][]) {
    const { operations } = await contract(pageOf('GET /a', statement));
    const parts = operations[0]!.answers.flatMap(each => each.reads);
    const said = parts.map(({ part, kinds, values }) =>
      [part, kinds?.join(' or '), values && `one of ${values.map(value => JSON.stringify(value)).join(', ')}`]
        .filter(word => word !== undefined)
        .join(' '),
    );
    assert.equal(said.join(', '), expected.trim(), statement);
  }
});

const definition = `openapi: 3.1.0
info: { title: Harbour, version: "1" }
paths:
  /berths:
    get:
      parameters: [{ name: state, in: query, required: true, schema: { type: string } }]
      responses:
        "200": { description: All, content: { application/json: { schema: { type: array, items: { $ref: "#/components/schemas/Berth" } } } } }
        "400": { description: No }
    post:
      requestBody: { content: { application/json: { schema: { type: object, required: [id, code, depth], properties: { id: { type: integer, readOnly: true }, code: { type: string }, depth: { type: number } } } } } }
      responses: { "201": { description: Made, content: { application/json: { schema: { $ref: "#/components/schemas/Berth" } } } }, "202": { description: Later, content: { application/json: { schema: { $ref: "#/components/schemas/Named" } } } } }
  /berths/{berth}:
    parameters: [{ name: berth, in: path, required: true, schema: { type: string } }]
    get:
      responses:
        "200": { description: One, content: { application/json: { schema: { $ref: "#/components/schemas/Berth" } } } }
        4XX: { description: No }
components:
  schemas:
    Named: { type: object, required: [code], properties: { code: { type: string } } }
    Berth:
      allOf:
        - $ref: "#/components/schemas/Named"
        - type: object
          required: [depth, state, deposit, more]
          properties:
            depth: { type: number }
            state: { enum: [free, taken] }
            deposit: { type: [number, "null"] }
            note: { type: string }
            more: { type: object }
            owner: { type: object, required: [name], properties: { name: { type: string } } }
`;
const opened = openDefinition(new Source('api.yaml', definition), () => ({ reason: 'none' }));
const holder = await holderOf(opened.api!);

const told = ({ broken }: Beside) =>
  broken.map(
    ({ operation, status, part, message, isFailure }) =>
      `${isFailure ? '' : 'told: '}${[operation, status, part].filter(Boolean).join(' ')}: ${message}`,
  );

test('what of a definition breaks what pages rely on', async () => {
  for (const [request, checks, expected] of besides.rows as [string, string, string][]) {
    const more = request.includes('{place}')
      ? `## Before\n\n${http('GET /boats')}${statements('status = 404\nkeep location as place')}`
      : '';
    const said = told(againstDefinition(await relied(pageOf(request, checks, more)), holder)).join('\n');
    assert.equal(said || 'nothing', expected, `${request} ${checks}`);
  }
});

test('which statuses a case is about: its own checks say it, else those of the settings', async () => {
  const statuses = async (before: string, checks: string, more: string) => {
    const page = `## A\n\n${before}${http('GET /berths')}${statements(checks)}`;
    const [first] = await relied({ 'a.md': page, 'mervok.yaml': settings + more });
    return [first!.statuses, first!.lookedInto];
  };
  const ofSettings = 'checks: |\n  status in 200, 204\n  time < 2 s\n';
  const until = statements('repeat every 20 ms for 5 s until status = 201');
  assert.deepEqual(await statuses('', '$ exists', ''), [[], ['2xx']]);
  assert.deepEqual(await statuses('', '$ exists', 'checks: status < 500\n'), [[], ['2xx']]);
  assert.deepEqual(await statuses('', '$ exists', ofSettings), [
    ['200', '204'],
    ['200', '204'],
  ]);
  assert.deepEqual(await statuses('', 'status = 404', ofSettings), [['404'], ['404']]);
  assert.deepEqual(await statuses('', 'status >= 400', ofSettings), [[], []]);
  assert.deepEqual(await statuses(until, '$ exists', ofSettings), [['201'], ['201']]);
});

test('a contract is small, sorted, stable, and what its schema says', async () => {
  const pages = (first: string, second: string): Texts => ({
    'mervok.yaml': settings,
    'a.md': first,
    'b.md': second,
  });
  const one = `## One\n\n${http('GET /berths?state=free')}${statements('status = 200\neach $[*].code is text')}`;
  const two = `## Two\n\n${http('POST /berths\nX-Pilot: Curlew\n\n{ "code": "{berth}" }')}${statements('status = 201')}## Three\n\n${http('GET /berths')}${statements('status = 200\n$[0].depth > 3')}`;
  const made = await contract(pages(one, two));
  contractSchema.parse(made);
  assert.deepEqual(
    made.operations.map(({ by: _, ...each }) => each),
    [
      {
        method: 'GET',
        target: '/berths',
        sends: { query: ['state'] },
        answers: [
          {
            status: '200',
            reads: [
              { part: '$[*].code', kinds: ['text'] },
              { part: '$[*].depth', kinds: ['number'] },
            ],
          },
        ],
      },
      {
        method: 'POST',
        target: '/berths',
        sends: { headers: ['x-pilot'], body: ['$.code'] },
        answers: [{ status: '201', reads: [] }],
      },
    ],
  );
  const turned = await contract({ 'mervok.yaml': settings, 'a.md': two, 'b.md': one });
  assert.deepEqual(
    turned.operations.map(({ by: _, ...each }) => each),
    made.operations.map(({ by: _, ...each }) => each),
  );
});

test('a target that only a run knows is not followed, and told', async () => {
  const { operations, notFollowed } = await contract(
    pageOf(
      'GET {place}',
      'status = 200',
      `## Before\n\n${http('GET /a')}${statements('status = 200\nkeep location as place')}`,
    ),
  );
  assert.deepEqual(notFollowed, [{ case: 'a.md#a', target: 'GET {place}' }]);
  assert.deepEqual(
    operations.map(({ target }) => target),
    ['/a'],
  );
});

test('beside what was agreed: what goes beyond it fails, what nobody needs is told', async () => {
  const agreed = await contract(
    pageOf('GET /a', 'status = 200\n$.code is text\n$.deposit is number or null'),
  );
  const same = againstContract(
    await relied(pageOf('GET /a', 'status = 200\n$.code is text\n$.deposit is number or null')),
    agreed,
  );
  assert.deepEqual([same.broken, same.notes], [[], []]);
  const more = await relied(pageOf('GET /a', 'status = 200\n$.depth > 3\n$.deposit is number'));
  const beside = againstContract(more, agreed);
  assert.deepEqual(told(beside), [
    'GET /a 200 $.depth: the contract does not have it',
    'GET /a 200 $.deposit: it may be null by the contract, and has to be number',
  ]);
  assert.deepEqual(beside.notes, ['No page relies on $.code (200) of GET /a any more.']);
  const other = againstContract(await relied(pageOf('GET /b', 'status = 200')), agreed);
  assert.deepEqual(told(other), ['GET /b: the contract does not have the operation']);
});

test('beside a run: what was otherwise fails, what was never seen is told', async () => {
  const ran = pageOf('GET /berths/0417', 'status = 200');
  const events = await recordOf(ran, () => ({ body: { code: '0417', deposit: null, depth: 4.2, list: [] } }));
  const beside = async (request: string, checks: string) =>
    told(await againstRecord(await relied(pageOf(request, checks)), asRecord(events)));
  assert.deepEqual(await beside('GET /berths/{berth}', 'status = 200\n$.code is text\n$.depth > 3'), []);
  assert.deepEqual(
    await beside(
      'GET /berths/{berth}',
      'status = 200\n$.deposit is number\n$.quay exists\nheader etag exists',
    ),
    [
      'GET /berths/{berth} 200 $.deposit: it was null, and has to be number',
      'GET /berths/{berth} 200 $.quay: it was not there',
      'GET /berths/{berth} 200 header etag: it was not there',
    ],
  );
  assert.deepEqual(await beside('GET /berths/{berth}', '$.code is number'), [
    'GET /berths/{berth} 2xx $.code: it was text, and has to be number',
  ]);
  // Of the items of a list that has none nothing is known.
  assert.deepEqual(await beside('GET /berths/{berth}', 'status = 200\neach $.list[*].code is text'), []);
  assert.deepEqual(await beside('GET /berths/{berth}', 'status = 404'), [
    'told: GET /berths/{berth} 404: it was never seen in this run',
  ]);
  assert.deepEqual(await beside('GET /berths/{berth}?state=free', 'status = 200'), [
    'told: GET /berths/{berth} 200: it was never seen in this run',
  ]);
});

test('who relies on what, and what of a definition nobody does', async () => {
  const office = await contract(pageOf('GET /berths/{berth}', 'status = 200\n$.code is text'));
  const pilots = {
    ...(await contract(pageOf('GET /berths/0417', 'status = 200\n$.code is text\n$.depth > 3'))),
    consumer: 'Pilots',
  };
  const [first] = relianceOf([office, pilots]);
  assert.deepEqual(first, {
    operation: 'GET /berths/0417',
    consumers: ['Pilots'],
    rows: [
      { what: 'status', status: '200', kinds: [], consumers: ['Pilots'] },
      { what: '$.code', status: '200', kinds: ['text'], consumers: ['Pilots'] },
      { what: '$.depth', status: '200', kinds: ['number'], consumers: ['Pilots'] },
    ],
  });
  const exercised = exercisedBy(
    [office, pilots],
    ({ method, target }) =>
      holder.request(
        { method, url: `http://service.example${target.replace(/[{}]/g, '')}` },
        'http://service.example',
      )?.operation,
  );
  const { operations } = exercisedPart(opened.api!, exercised, false);
  const one = operations.find(({ operation }) => operation === 'GET /berths/{berth}')!;
  assert.equal(one.sent, 2);
  assert.ok(one.response.done.includes('$.depth') && one.response.missing.includes('$.deposit'));
  assert.equal(operations.find(({ operation }) => operation === 'GET /berths')!.sent, 0);
});
