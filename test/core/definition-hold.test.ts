import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { Held, HeldExchange, Holder } from '../../src/core/definition/hold/held-exchange.ts';
import { holderOf, openDefinition } from '../../src/core/definition/index.ts';
import { Source } from '../../src/core/model/source.ts';

async function holder(text: string): Promise<Holder> {
  const opened = openDefinition(new Source('api.yaml', text), path => ({ reason: `There is no ${path}` }));
  if (!opened.api) throw new Error(opened.finding.message);
  return holderOf(opened.api);
}

interface Said {
  readonly sent?: { readonly [header: string]: string };
  readonly body?: string;
  readonly status?: number;
  readonly headers?: { readonly [header: string]: string };
  readonly answer?: string;
}

const base = 'http://127.0.0.1:7070/v1';

/** What holding an exchange comes to: `held`, `not held: …`, or each difference as `at: expected, not found`. */
function held(
  known: Holder,
  request: string,
  { sent = {}, body, status = 200, ...answer }: Said,
  at = base,
): string {
  const [method = '', target = ''] = request.split(' ');
  const text = answer.answer ?? '';
  const usual = answer.answer === undefined ? {} : { 'Content-Type': 'application/json' };
  const headers = Object.entries({ ...usual, ...answer.headers });
  const exchange: HeldExchange = {
    method,
    url: target.startsWith('/') ? base + target : target,
    sent: {
      headers: Object.entries({ ...(body !== undefined && { 'Content-Type': 'application/json' }), ...sent }),
      hasBody: body !== undefined,
      ...(body !== undefined && { body }),
    },
    status,
    headers,
    body: {
      size: text.length,
      contentType: headers.find(([name]) => name === 'Content-Type')?.[1],
      json() {
        try {
          return { value: JSON.parse(text) };
        } catch {
          return { reason: 'no JSON' };
        }
      },
      text: () => text,
    },
  };
  return inWords(known.hold(exchange, at));
}

function inWords({ differences, notHeld, undecided, notes }: Held): string {
  const told = differences.map(({ at, expected, found }) => `${at}: ${expected}, not ${found}`);
  if (undecided !== undefined) told.push(`undecided: ${undecided}`);
  if (notHeld !== undefined) told.push(`not held: ${notHeld}`);
  return [...(told.length > 0 ? told : ['held']), ...notes].join('; ');
}

const harbour = await holder(`openapi: 3.0.3
info: { title: Skerry Harbour, version: "1" }
servers: [{ url: "https://skerry.example/v1" }]
paths:
  /berths:
    get:
      parameters:
        - { name: state, in: query, schema: { type: string, enum: [free, taken] } }
        - { name: depth, in: query, schema: { type: number, minimum: 0 } }
        - { name: codes, in: query, explode: false, schema: { type: array, items: { type: integer } } }
        - { name: tag, in: query, schema: { type: array, maxItems: 2, items: { type: string } } }
        - { name: where, in: query, style: deepObject, schema: { type: object, properties: { quay: { type: string }, depth: { type: number } } } }
        - { name: page, in: query, schema: { type: object, properties: { size: { type: integer }, number: { type: integer } } } }
        - { name: sort, in: query, content: { application/json: { schema: { type: array } } } }
        - { name: X-Quay, in: header, schema: { type: string, maxLength: 5 } }
        - { name: sid, in: cookie, schema: { type: integer } }
      responses:
        "200":
          description: yes
          headers:
            X-Count: { required: true, schema: { type: integer, maximum: 9 } }
            X-Tags: { schema: { type: array, items: { type: string, minLength: 2 } } }
          content:
            application/json:
              schema: { type: array, items: { $ref: "#/components/schemas/Berth" } }
            text/csv: {}
            text/plain: { schema: { type: string, pattern: "^berths" } }
        4XX: { description: no }
        default: { description: else, content: { application/problem+json: { schema: { type: object, required: [title] } } } }
    post:
      security: [{ key: [], token: [] }, { user: [] }]
      requestBody:
        required: true
        content:
          application/json: { schema: { $ref: "#/components/schemas/Berth" } }
          application/x-www-form-urlencoded: { schema: { type: object, required: [code], properties: { code: { type: string }, depth: { type: number }, tags: { type: array, items: { type: string } } } } }
          text/*: {}
      responses:
        "201": { description: made, content: { application/json: { schema: { $ref: "#/components/schemas/Berth" } } } }
        "422": { description: no }
  /berths/{berth}:
    parameters: [{ name: berth, in: path, required: true, schema: { type: integer } }]
    get: { responses: { "200": { description: yes, content: { application/json: { schema: { $ref: "#/components/schemas/Mooring" } } } } } }
    delete: { responses: { "204": { description: gone } } }
    head: { responses: { "200": { description: yes, content: { application/json: { schema: { type: object } } } } } }
  /berths/free: { get: { responses: { "200": { description: yes, content: { application/json: { schema: { $ref: "#/components/schemas/Gone" } } } } } } }
  /berths/{berth}.{ending}: { put: { parameters: [{ name: berth, in: path, required: true, schema: { type: integer } }, { name: ending, in: path, required: true, schema: { enum: [json, xml] } }], responses: { "200": { description: yes, content: { application/json: { schema: { type: object, properties: { a: { $ref: "#/nowhere" }, b: { type: string } } } } } } } } }
  /v1/log: { get: { responses: { "200": { description: yes, content: { application/json: { schema: { type: string, pattern: "^(a+)+$" } } } } } } }
components:
  schemas:
    Berth:
      type: object
      additionalProperties: false
      required: [id, code, word]
      properties:
        id: { type: integer, readOnly: true }
        code: { type: string }
        word: { type: string, writeOnly: true }
        deposit: { type: number, nullable: true, minimum: 10, exclusiveMinimum: true }
        beside: { nullable: true, allOf: [{ $ref: "#/components/schemas/Berth" }] }
    Mooring:
      oneOf: [{ $ref: "#/components/schemas/Fast" }, { $ref: "#/components/schemas/Loose" }]
      discriminator: { propertyName: kind, mapping: { fast: "#/components/schemas/Fast", loose: Loose } }
    Fast: { type: object, required: [kind, lines], properties: { kind: { type: string }, lines: { type: array, items: { type: string } } } }
    Loose: { type: object, required: [kind, since], properties: { kind: { type: string }, since: { type: string, format: date } } }
    Gone: { $ref: "#/components/schemas/Lost" }
    Vessel: { type: object, required: [kind], properties: { kind: { type: string } }, discriminator: { propertyName: kind, mapping: { tug: "#/components/schemas/Tug" } } }
    Tug: { allOf: [{ $ref: "#/components/schemas/Vessel" }, { type: object, required: [pull] }] }
  securitySchemes:
    key: { type: apiKey, in: header, name: X-Key }
    token: { type: http, scheme: bearer }
    user: { type: http, scheme: basic }
`);

const list = { headers: { 'X-Count': '1' }, answer: '[]' };
const berth = '{ "id": 1, "code": "0417" }';
const made = { status: 201, answer: berth, body: '{ "code": "0417", "word": "x" }' };
const secured = { ...made, sent: { Authorization: 'Basic eA==' } };

/** An exchange, and what holding it comes to. */
const rows: readonly (readonly [request: string, said: Said, expected: string])[] = [
  // where it is
  ['GET /berths', list, 'held'],
  [
    'GET http://127.0.0.1:7070/berths',
    list,
    'not held: GET http://127.0.0.1:7070/berths is outside of http://127.0.0.1:7070/v1',
  ],
  [
    'GET http://127.0.0.1:7070/v11/berths',
    list,
    'not held: GET http://127.0.0.1:7070/v11/berths is outside of http://127.0.0.1:7070/v1',
  ],
  [
    'GET https://127.0.0.1:7070/v1/berths',
    list,
    'not held: GET https://127.0.0.1:7070/v1/berths is outside of http://127.0.0.1:7070/v1',
  ],
  [
    'GET http://127.0.0.1:7070/v1/log',
    { answer: '"aaa"' },
    'url: an operation that is described, not GET /log',
  ],
  ['GET /v1/log', { answer: '"aaa"' }, 'held'],
  ['GET /v1/berths', list, 'held'],
  ['GET /vessels', { answer: '{}' }, 'url: an operation that is described, not GET /vessels'],
  [
    'GET /vessels',
    { status: 404 },
    'not held: GET /vessels is not described, and the service does not know it either (404)',
  ],
  ['PATCH /berths', { answer: '{}' }, 'method: one of the methods GET and POST, not PATCH /berths'],
  [
    'PATCH /berths',
    { status: 405 },
    'not held: PATCH /berths is not described, and the service does not know it either (405)',
  ],
  // status
  ['DELETE /berths/417', { status: 204 }, 'held'],
  ['DELETE /berths/417', { status: 200 }, 'status: 204, not 200'],
  ['GET /berths', { status: 404 }, 'held'],
  ['GET /berths', { status: 404, answer: '{}' }, 'not held: no body is described for the status 4XX'],
  [
    'GET /berths',
    { status: 500, answer: '{ "title": "x" }', headers: { 'Content-Type': 'application/problem+json' } },
    'held',
  ],
  [
    'GET /berths',
    { status: 500, answer: '{}', headers: { 'Content-Type': 'application/problem+json; charset=utf-8' } },
    "$: a member 'title', not an object without members",
  ],
  // what came
  ['GET /berths', { ...list, answer: `[${berth}]` }, 'held'],
  [
    'GET /berths',
    { ...list, answer: '[{ "id": "1", "code": "0417" }, { "code": "x", "more": 1 }]' },
    '$[0].id: an integer, not "1"; $[1]: a member \'id\', not an object with code, more; $[1].more: nothing: no such member is allowed, not 1',
  ],
  [
    'GET /berths',
    { ...list, answer: '[{ "id": 1, "code": "0417", "word": "x" }]' },
    '$[0].word: nothing, not "x"',
  ],
  ['GET /berths', { ...list, answer: '[{ "id": 1, "code": "x", "deposit": null, "beside": null }]' }, 'held'],
  [
    'GET /berths',
    { ...list, answer: '[{ "id": 1, "code": "x", "deposit": 10 }]' },
    '$[0].deposit: more than 10, not 10',
  ],
  [
    'GET /berths',
    { ...list, answer: '[{ "id": 1, "code": "x", "beside": { "id": 2 } }]' },
    '$[0].beside: one of 2 forms (null; a member \'code\'), not { "id": 2 }',
  ],
  ['GET /berths', { ...list, answer: 'no' }, 'body: a JSON document, not no JSON'],
  [
    'GET /berths',
    { headers: { 'X-Count': '1' } },
    'body: a body of application/json, text/csv or text/plain, not none',
  ],
  [
    'GET /berths',
    { answer: 'a', headers: { 'X-Count': '1', 'Content-Type': 'text/html' } },
    'header content-type: application/json, text/csv or text/plain, not text/html',
  ],
  [
    'GET /berths',
    { answer: 'a', headers: { 'X-Count': '1', 'Content-Type': 'text/csv' } },
    'not held: no schema is described for the status 200',
  ],
  [
    'GET /berths',
    { answer: 'boats', headers: { 'X-Count': '1', 'Content-Type': 'text/plain' } },
    'body: a text that matches /^berths/, not "boats"',
  ],
  ['GET /berths', { answer: '[]' }, 'header x-count: the header X-Count, not none'],
  [
    'GET /berths',
    { answer: '[]', headers: { 'x-count': '10', 'X-Tags': 'ab, c' } },
    'header x-count: at most 9, not 10; header x-tags[1]: at least 2 characters, not "c"',
  ],
  ['HEAD /berths/1', {}, 'held'],
  // what a discriminator chooses
  ['GET /berths/1', { answer: '{ "kind": "fast", "lines": ["aft"] }' }, 'held'],
  [
    'GET /berths/1',
    { answer: '{ "kind": "loose", "lines": [] }' },
    "$: a member 'since', not an object with kind, lines",
  ],
  ['GET /berths/1', { answer: '{ "kind": "sunk" }' }, '$.kind: one of "fast", "loose", not "sunk"'],
  // what cannot be decided
  [
    'GET /berths/free',
    { answer: '{}' },
    "undecided: the schema cannot be used: '#/components/schemas/Lost' leads nowhere: there is no 'Lost'",
  ],
  ['PUT /berths/1.json', { answer: '{ "b": "x" }' }, 'held'],
  [
    'PUT /berths/1.json',
    { answer: '{ "a": 1 }' },
    "undecided: the schema cannot be used: '#/nowhere' leads nowhere: there is no 'nowhere'",
  ],
  [
    'GET /v1/log',
    { answer: `"${'a'.repeat(40)}!"` },
    'undecided: the comparison with the schema takes longer than 2 s',
  ],
  // what was asked
  ['PUT /berths/1.txt', { answer: '{ "b": "x" }' }, 'sent path ending: one of "json", "xml", not "txt"'],
  ['DELETE /berths/deep', { status: 204 }, 'sent path berth: an integer, not "deep"'],
  [
    'GET /berths?state=free&depth=4.5&codes=1,2&tag=a&tag=b&where[quay]=North&size=3&sort=%5B%5D',
    list,
    'held',
  ],
  ['GET /berths?state=flooded', list, 'sent query state: one of "free", "taken", not "flooded"'],
  ['GET /berths?state=flooded', { status: 400 }, 'held'],
  ['GET /berths?depth=-1', list, 'sent query depth: at least 0, not -1'],
  ['GET /berths?depth=deep', list, 'sent query depth: a number, not "deep"'],
  ['GET /berths?codes=1,x', list, 'sent query codes[1]: an integer, not "x"'],
  ['GET /berths?tag=a&tag=b&tag=c', list, 'sent query tag: at most 2 items, not ["a", "b", "c"]'],
  ['GET /berths?where[depth]=deep', list, 'sent query where.depth: a number, not "deep"'],
  ['GET /berths?number=one', list, 'sent query page.number: an integer, not "one"'],
  ['GET /berths?sort=%7B%7D', list, 'sent query sort: a list, not {}'],
  ['GET /berths?colour=red&state=free', list, "held; the query parameter 'colour'"],
  [
    'GET /berths',
    { ...list, sent: { 'x-quay': 'Lighthouse', Cookie: 'a=b; sid=x' } },
    'sent header X-Quay: at most 5 characters, not "Lighthouse"; sent cookie sid: an integer, not "x"',
  ],
  ['POST /berths', secured, 'held'],
  [
    'POST /berths',
    { ...secured, body: '{ "code": 1 }' },
    "sent $: a member 'word', not an object with code; sent $.code: a text, not 1",
  ],
  ['POST /berths', { ...secured, body: '{' }, 'sent body: a JSON document, not none'],
  [
    'POST /berths',
    { status: 201, answer: berth, sent: secured.sent },
    'sent body: a body of application/json, application/x-www-form-urlencoded or text/*, not none',
  ],
  [
    'POST /berths',
    {
      ...secured,
      body: 'code=1&depth=x&tags=a',
      sent: { ...secured.sent, 'Content-Type': 'application/x-www-form-urlencoded' },
    },
    'sent $.depth: a number, not "x"',
  ],
  [
    'POST /berths',
    {
      ...secured,
      body: 'code=%zz&depth=%&tags=a',
      sent: { ...secured.sent, 'Content-Type': 'application/x-www-form-urlencoded' },
    },
    'sent $.depth: a number, not "%"',
  ],
  ['POST /berths', { ...secured, sent: { ...secured.sent, 'Content-Type': 'text/plain' } }, 'held'],
  [
    'POST /berths',
    { ...secured, sent: { ...secured.sent, 'Content-Type': 'application/xml' } },
    'sent header content-type: application/json, application/x-www-form-urlencoded or text/*, not application/xml',
  ],
  ['POST /berths', made, 'sent credentials: credentials for key, token or user, not none'],
  [
    'POST /berths',
    { ...made, sent: { 'x-key': '1' } },
    'sent credentials: credentials for key, token or user, not none',
  ],
  ['POST /berths', { ...made, sent: { 'x-key': '1', Authorization: 'Bearer x' } }, 'held'],
  ['POST /berths', { ...made, status: 422, answer: undefined as never, sent: {} }, 'held'],
];

for (const [request, said, expected] of rows)
  test(`held to a definition: ${request} ${JSON.stringify(said).slice(0, 120)}`, () =>
    assert.equal(held(harbour, request, said), expected));

test('paths count from an address of the settings, which may end with the path of a server or not', () => {
  const told = (at: string, url: string) => held(harbour, `GET ${url}`, list, at);
  assert.equal(told('http://127.0.0.1:7070', 'http://127.0.0.1:7070/berths'), 'held');
  assert.equal(told('http://127.0.0.1:7070', 'http://127.0.0.1:7070/v1/berths'), 'held');
  assert.equal(told('http://127.0.0.1:7070/', 'http://127.0.0.1:7070/v1/berths'), 'held');
  assert.equal(told('http://127.0.0.1:7070/api/v1/', 'http://127.0.0.1:7070/api/v1/berths'), 'held');
  assert.equal(told('HTTP://skerry.example:80/api', 'http://skerry.example/api/berths'), 'held');
  assert.match(told('http://127.0.0.1:7070/v2', 'http://127.0.0.1:7070/v1/berths'), /^not held/);
});

test('a schema that others are made of is looked at as the one that it says it is', async () => {
  const fleet = await holder(`openapi: 3.1.0
info: { title: Fleet, version: "1" }
paths: { /v: { get: { responses: { "200": { description: x, content: { application/json: { schema: { $ref: "#/components/schemas/Vessel" } } } } } } } }
components:
  schemas:
    Vessel: { type: object, required: [kind], discriminator: { propertyName: kind, mapping: { tug: "#/components/schemas/Tug" } } }
    Tug: { allOf: [{ $ref: "#/components/schemas/Vessel" }, { type: object, required: [pull], properties: { pull: { type: [number, "null"] }, next: { $ref: "#/components/schemas/Vessel" } } }] }
`);
  const told = (answer: string) => held(fleet, 'GET /v', { answer });
  assert.equal(told('{ "kind": "tug", "pull": null, "next": { "kind": "tug", "pull": 3 } }'), 'held');
  assert.equal(told('{ "kind": "ferry" }'), 'held');
  assert.equal(
    told('{ "kind": "tug", "pull": 1, "next": { "kind": "tug" } }'),
    "$.next: a member 'pull', not an object with kind",
  );
});
