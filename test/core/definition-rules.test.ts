import assert from 'node:assert/strict';
import { test } from 'node:test';
import { lookThrough, openDefinition } from '../../src/core/definition/index.ts';
import { Source } from '../../src/core/model/source.ts';

/** What is said of a definition: `code line:column message remedy`, in the order of their places. */
async function said(
  text: string,
  { files = {}, asked = [] }: { files?: { [path: string]: string }; asked?: string[] } = {},
): Promise<string[]> {
  const read = (path: string) => files[path] ?? { reason: `There is no file '${path}' here` };
  const { api, finding } = openDefinition(new Source('api.yaml', text), read);
  const findings = api ? await lookThrough(api, new Set(asked)) : [finding!];
  return findings
    .map(({ code, source, range, message, remedy }) => {
      const { line, column } = source.position(range.start);
      return `${code} ${source.file === 'api.yaml' ? '' : source.file}${line}:${column} ${message}${remedy ? ` ${remedy}` : ''}`;
    })
    .sort();
}

const head = `openapi: 3.0.3
info: { title: Skerry Harbour, version: "1" }
`;
/** Of an operation nothing else is to be said. */
const plain = 'summary: A berth, responses: { "204": { description: gone }, default: { description: no } }';

/** A definition of 3.0 behind its first two lines, and what is said of it. */
const rows: readonly (readonly [name: string, text: string, said: readonly string[], more?: object])[] = [
  ['nothing is wrong', `paths:\n  /berths:\n    get: { ${plain} }\n`, []],
  [
    'a slip of a word of the standard',
    `paths:\n  /berths:\n    get: { sumary: x, ${plain} }\n`,
    ["definition-form 5:12 The standard knows no 'sumary' here. Did you mean 'summary'?"],
  ],
  [
    'something that has to be there',
    `paths:\n  /berths:\n    get: { summary: x, responses: { default: { x-note: y } } }\n`,
    ["definition-form 5:37 'default' has no 'description', which the standard asks for."],
  ],
  [
    'another form',
    `paths:\n  /berths:\n    get: { tags: quay, ${plain} }\n`,
    ["definition-form 5:12 'tags' has to be a list."],
  ],
  [
    'a schema of a type that there is none of',
    `paths: {}\ncomponents:\n  schemas:\n    Berth: { type: strng }\n`,
    [
      'definition-form 6:14 \'type\' has to be one of "array", "boolean", "integer", "number", "object", "string".',
      "definition-unused 6:5 Nothing refers to 'Berth'.",
    ],
  ],
  [
    'a scheme of authorization in any letters',
    `paths:\n  /b:\n    get: { security: [{ t: [] }], ${plain} }\ncomponents:\n  securitySchemes:\n    t: { type: http, scheme: Bearer, bearerFormat: JWT }\n`,
    [],
  ],
  [
    'references that lead nowhere',
    `paths:
  /berths:
    get:
      summary: x
      responses:
        "200": { $ref: "#/components/responses/Berth" }
        "400": { $ref: "parts.yaml#/Problem" }
        "401": { $ref: "https://skerry.example/parts.yaml#/Problem" }
        "403": { $ref: "beside.yaml#/Problem" }
        "404": { $ref: "beside.yaml#/Other" }
`,
    [
      "definition-reference 10:18 'https://skerry.example/parts.yaml' leads to the network, and nothing is fetched. Put a copy beside the definition, and refer to that.",
      "definition-reference 12:18 'beside.yaml#/Other' leads nowhere: there is no 'Other'.",
      "definition-reference 8:18 '#/components/responses/Berth' leads nowhere: there is no 'components'.",
      "definition-reference 9:18 There is no file 'parts.yaml' here.",
    ],
    { files: { 'beside.yaml': 'Problem: { description: no }' } },
  ],
  [
    'references in a circle, and what is wrong in a file beside',
    `paths:\n  /b:\n    get: { summary: x, responses: { default: { $ref: "beside.yaml#/A" } } }\n`,
    [
      "definition-reference 5:48 The references behind '#/B' go round in a circle. One of them has to say something itself.",
      "definition-reference beside.yaml1:6 The references behind '#/A' go round in a circle. One of them has to say something itself.",
      "definition-reference beside.yaml2:6 The references behind '#/B' go round in a circle. One of them has to say something itself.",
    ],
    { files: { 'beside.yaml': 'A: { $ref: "#/B" }\nB: { $ref: "#/A" }\n' } },
  ],
  [
    'a member that is called $ref, and data with one, are no references',
    `paths:
  /b:
    get: { summary: x, responses: { default: { description: no, content: { application/json: { schema: { type: object, properties: { $ref: { type: string } }, example: { $ref: nowhere } } } } } } }
`,
    [],
  ],
  [
    'parameters of the path',
    `paths:\n  /berths/{berth}/log/{page}:\n    get: { parameters: [{ name: brth, in: path, required: true, schema: { type: string } }], ${plain} }\n`,
    [
      "definition-parameter 5:27 GET /berths/{berth}/log/{page}: the parameter 'brth' is one of the path, which has no {brth}. Did you mean 'berth'?",
      "definition-parameter 5:5 GET /berths/{berth}/log/{page}: the path has a parameter 'berth' that nothing declares. Did you mean 'brth'?",
      "definition-parameter 5:5 GET /berths/{berth}/log/{page}: the path has a parameter 'page' that nothing declares. A parameter with name: page and in: path declares it.",
    ],
  ],
  [
    'two operations of one name',
    `paths:\n  /a:\n    get: { operationId: read, ${plain} }\n  /b:\n    get: { operationId: read, ${plain} }\n`,
    [
      "definition-operation-id 7:12 GET /b is called 'read', and so is GET /a. Each operation has an operationId of its own.",
    ],
  ],
  [
    'paths that are the same, that overlap, and that do not',
    `paths:
  /b/{a}: { get: { parameters: [{ name: a, in: path, required: true, schema: {} }], ${plain} } }
  /b/{c}: { put: { parameters: [{ name: c, in: path, required: true, schema: {} }], ${plain} } }
  /b/free: { get: { ${plain} } }
  /b/{a}/log: { get: { parameters: [{ name: a, in: path, required: true, schema: {} }], ${plain} } }
  /b/free/{d}: { get: { parameters: [{ name: d, in: path, required: true, schema: {} }], ${plain} } }
`,
    [
      "definition-overlap 8:3 A request may be for '/b/free/{d}' and for '/b/{a}/log' alike, and neither is the more exact one.",
      "definition-path-twice 5:3 '/b/{c}' and '/b/{a}' are the same but for the names of their parameters. Put the operations of both below one of them.",
    ],
  ],
  [
    'servers',
    `servers:
  - { url: "http://{host}.skerry.example/{v}", variables: { host: { default: api } } }
  - { url: "http://127.0.0.1:7070" }
paths: { /b: { get: { security: [{ b: [] }], ${plain} } } }
components: { securitySchemes: { b: { type: http, scheme: basic } } }
`,
    [
      "definition-basic 7:37 With 'b' user and password go out as they are, and 'http://api.skerry.example/{v}' is plain http.",
      "definition-plain-http 4:7 Whatever lies on the way to 'http://api.skerry.example/{v}' can read along: it is plain http.",
      "definition-server 4:7 The address of this server has a variable 'v' that it does not declare. It is declared with a default: variables: { v: { default: … } }",
    ],
  ],
  [
    'a server of a path, told once for all of its operations',
    `paths:
  /b: { servers: [{ url: "https://{quay}.skerry.example" }], get: { ${plain} }, put: { ${plain} } }
`,
    [
      "definition-server 4:21 The address of this server has a variable 'quay' that it does not declare. It is declared with a default: variables: { quay: { default: … } }",
    ],
  ],
  [
    'patterns',
    `paths: { /b: { get: { parameters: [{ name: a, in: query, schema: { type: string, pattern: "(" } }], ${plain} } } }\n`,
    ['definition-form 3:82 /(/ is no pattern (ECMA-262).'],
  ],
  [
    'schemas that nothing can fit',
    `paths: { /b: { get: { parameters: [{ name: a, in: query, schema: { $ref: "#/components/schemas/A" } }], ${plain} } } }
components:
  schemas:
    A: { type: object, required: [b], properties: { b: { $ref: "#/components/schemas/B" } } }
    B: { type: object, required: [a], properties: { a: { $ref: "#/components/schemas/A" }, c: { $ref: "#/components/schemas/C" } } }
    C: { type: object, required: [c], properties: { c: { nullable: true, allOf: [{ $ref: "#/components/schemas/C" }] }, d: { type: array, items: { $ref: "#/components/schemas/C" } } } }
`,
    [
      'definition-circle 6:8 No value can fit this schema: it wants itself as a part of itself, without end. Let a member on the way be left out, or be null.',
      'definition-circle 7:8 No value can fit this schema: it wants itself as a part of itself, without end. Let a member on the way be left out, or be null.',
    ],
  ],
  [
    'members that have to be there and are described nowhere',
    `paths: { /b: { get: { parameters: [{ name: a, in: query, schema: { $ref: "#/components/schemas/A" } }], ${plain} } } }
components:
  schemas:
    A: { allOf: [{ $ref: "#/components/schemas/B" }], required: [code, dpth], properties: { code: { type: string } } }
    B: { type: object, required: [depth], properties: { depth: { type: number } } }
`,
    ["definition-required 6:55 'dpth' has to be there, and is described nowhere. There are code and depth."],
  ],
  [
    'examples and defaults',
    `paths:
  /b:
    get:
      summary: x
      parameters:
        - { name: a, in: query, example: many, schema: { type: integer } }
        - { name: d, in: query, schema: { type: string, enum: [free], default: taken } }
      responses:
        "200":
          description: yes
          content:
            application/json:
              schema: { $ref: "#/components/schemas/A" }
              examples:
                good: { value: { code: "0417", word: null } }
                bad: { value: { code: 417, secret: x } }
            text/plain: { schema: { type: integer }, example: text }
        default: { description: no }
components:
  schemas:
    A:
      type: object
      required: [code, secret]
      properties:
        code: { type: string, example: 417 }
        word: { type: string, nullable: true }
        secret: { type: string, writeOnly: true }
`,
    [
      'definition-example 18:24 This example does not fit its schema. At $.code expected a text, found 417 (and 1 more).',
      'definition-example 27:31 This example does not fit its schema. Expected a text, found 417.',
      'definition-example 8:33 This example does not fit its schema. Expected an integer, found "many".',
      'definition-example 9:71 This default does not fit its schema. Expected one of "free", found "taken".',
    ],
  ],
  [
    'operations without a response for what goes wrong, without a schema, without words',
    `paths:\n  /b:\n    get: { responses: { "200": { description: yes, content: { application/json: {} } } } }\n`,
    [
      'definition-errors 5:5 GET /b describes no response for what goes wrong.',
      'definition-no-schema 5:32 GET /b: the response 200 has no schema for application/json, so it cannot be held to anything.',
      'definition-prose 5:5 GET /b says nothing of what it does: it has neither a summary nor a description.',
    ],
  ],
  [
    'security',
    `paths:
  /a: { get: { security: [{ k: [] }], ${plain} } }
  /b: { get: { parameters: [{ name: api_key, in: query, schema: {} }], ${plain} } }
  /c: { get: { security: [], ${plain} } }
components: { securitySchemes: { k: { type: apiKey, in: query, name: key }, l: { type: apiKey, in: header, name: L } } }
`,
    [
      "definition-credentials 5:31 'api_key' is sent in the query. What stands in a query is written into the logs of everything on the way.",
      "definition-credentials 7:53 The key 'k' is sent in the query. What stands in a query is written into the logs of everything on the way.",
      'definition-unsecured 5:9 GET /b wants no credentials, and other operations do. Where anybody may use it, say so: security: []',
      "definition-unused 7:77 Nothing is secured by 'l'.",
    ],
  ],
  [
    'what is asked for alone',
    `paths: { /b: { get: { parameters: [{ name: a, in: query, schema: { type: array, items: { type: string } } }], summary: x, responses: { default: { description: no, content: { application/json: { schema: { type: integer } } } } } } } }\n`,
    [
      'definition-limit 3:68 This list may be of any length: it has no maxItems.',
      'definition-limit 3:90 This text may be of any length: it has no maxLength.',
      'definition-no-example 3:193 GET /b has no example of application/json.',
    ],
    { asked: ['definition-limit', 'definition-no-example'] },
  ],
];

for (const [name, text, expected, more] of rows)
  test(`of a definition: ${name}`, async () => assert.deepEqual(await said(head + text, more), expected));

/** What is no definition at all. */
const unreadable: readonly (readonly [text: string, said: string])[] = [
  ['a: [1', '1:6 This is no YAML: unexpected end of the stream within a flow collection.'],
  [
    '{ "openapi": "3.0.0", }x',
    '1:24 This is no JSON: end of the stream or a document separator is expected.',
  ],
  ['a: 1\na: 2', '2:1 This is no YAML: duplicated mapping key.'],
  [
    'a: &x { b: [&y 1, *y, *x] }',
    "1:23 '*x' stands inside of what it is the name of, which would have no end. Refer to it instead: $ref: '#/…'",
  ],
  [
    `openapi: 3.0.3\n${[...'abcdefgh'].map((name, at, all) => `x-${name}: &${name} [${Array.from({ length: 10 }, () => (at === 0 ? 1 : `*${all[at - 1]}`)).join(',')}]`).join('\n')}`,
    "7:31 '*e' and others like it stand for more than 1,000,000 values. Refer to it instead: $ref: '#/…'",
  ],
  ['- berths', '1:1 This is no definition of an API. One of OpenAPI begins with its version: openapi: 3.1.0'],
  ['', '1:1 This is no definition of an API. One of OpenAPI begins with its version: openapi: 3.1.0'],
  [
    'title: harbour',
    '1:1 This is no definition of an API: it says no version of OpenAPI. One of OpenAPI begins with its version: openapi: 3.1.0',
  ],
  [
    'asyncapi: 3.0.0',
    '1:1 This is no definition of an API: it says no version of OpenAPI, and is one of messages. One of OpenAPI begins with its version: openapi: 3.1.0',
  ],
  [
    'openapi: 4.0.0',
    '1:1 \'4.0.0\' is no version of OpenAPI that this version of Mervok can read. It reads 2.0 (swagger: "2.0"), 3.0 and 3.1 (openapi: 3.1.0).',
  ],
  [
    'swagger: "1.2"',
    '1:1 \'1.2\' is no version of OpenAPI that this version of Mervok can read. It reads 2.0 (swagger: "2.0"), 3.0 and 3.1 (openapi: 3.1.0).',
  ],
  ['openapi: 3.0.0\n---\nopenapi: 3.0.0', '1:1 This file holds 2 documents, and a definition is one.'],
];

for (const [text, expected] of unreadable)
  test(`no definition: ${JSON.stringify(text)}`, async () =>
    assert.deepEqual(await said(text), [`definition-unreadable ${expected}`]));

test('a definition of 2.0 is read in the form of the later ones', async () => {
  const text = `swagger: "2.0"
info: { title: Skerry Harbour, version: "1" }
host: skerry.example
basePath: /v1
schemes: [http]
consumes: [application/json]
produces: [application/json]
paths:
  /berths/{berth}:
    get:
      parameters: [{ name: berth, in: path, required: true, type: integer, default: deep }]
      responses:
        "200": { description: yes, schema: { $ref: "#/definitions/Berth" }, examples: { application/json: { code: 1 } } }
    post:
      summary: x
      parameters:
        - { name: depth, in: formData, type: number, required: true }
        - { name: berth, in: path, required: true, type: string }
        - { name: body, in: body, schema: { $ref: "#/definitions/Brth" } }
      responses: { default: { description: no } }
definitions:
  Berth: { type: object, required: [code], properties: { code: { type: string } } }
`;
  assert.deepEqual(await said(text), [
    'definition-errors 10:5 GET /berths/{berth} describes no response for what goes wrong.',
    'definition-example 11:76 This default does not fit its schema. Expected an integer, found "deep".',
    'definition-example 13:89 This example does not fit its schema. At $.code expected a text, found 1.',
    "definition-plain-http 5:1 Whatever lies on the way to 'http://skerry.example/v1' can read along: it is plain http.",
    'definition-prose 10:5 GET /berths/{berth} says nothing of what it does: it has neither a summary nor a description.',
    "definition-reference 19:45 '#/definitions/Brth' leads nowhere: there is no 'Brth'.",
  ]);
});

test('a definition of 3.1: schemas of JSON Schema 2020-12, with their own words', async () => {
  const text = `openapi: 3.1.0
info: { title: Skerry Harbour, version: "1" }
paths:
  /berths:
    get:
      summary: x
      responses:
        "200":
          description: yes
          content:
            application/json:
              schema: { $ref: "#/components/schemas/Berth", description: one of them }
        default: { description: no }
components:
  schemas:
    Berth:
      $id: berth
      type: [object, "null"]
      properties:
        depth: { type: numbr }
        deposit: { type: [number, "null"], examples: [100, null, many] }
        next: { $ref: "#berth" }
        list: { $anchor: berth, type: array, prefixItems: [{ const: 1 }], example: [1, 2] }
`;
  assert.deepEqual(await said(text), [
    'definition-example 21:66 This example does not fit its schema. Expected a number or null, found "many".',
    'definition-form 20:18 \'type\' has to be one of "array", "boolean", "integer", "null", "number", "object", "string".',
  ]);
});

test('a pattern that takes time without end is told where an example shows it', async () => {
  const text = `${head}paths:
  /b: { get: { parameters: [{ name: a, in: query, schema: { type: string, pattern: "^(a+)+$", example: ${'a'.repeat(40)}! } }], ${plain} } }
`;
  assert.deepEqual(await said(text), [
    'definition-example 4:95 This example cannot be compared with its schema within 1 s. Most likely a pattern of the schema takes time without end for some texts.',
  ]);
});
