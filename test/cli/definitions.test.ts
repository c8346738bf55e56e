import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const definition = `openapi: 3.1.0
info: { title: Skerry Harbour, version: "1" }
servers: [{ url: "https://skerry.example/v1" }]
paths:
  /berths:
    get:
      summary: The berths
      parameters: [{ name: state, in: query, schema: { enum: [free] } }]
      responses:
        "200": { description: yes, content: { application/json: { schema: { type: array, items: { $ref: "parts.yaml#/Berth" } } } } }
        "400": { description: no }
        "503": { description: later }
    post:
      summary: A new one
      requestBody: { content: { application/json: { schema: { $ref: "parts.yaml#/Berth" } } } }
      responses:
        "201": { description: made, content: { application/json: { schema: { $ref: "parts.yaml#/Berth" } } } }
        "422": { description: no }
  /tides: { get: { summary: The tides, responses: { "200": { description: yes, content: { text/xml: {} } }, default: { description: no } } } }
  /gauge: { get: { summary: The gauge, responses: { "200": { description: yes }, default: { description: no } } } }
`;
const parts = `Berth: { type: object, required: [code, depth], properties: { code: { type: string }, depth: { type: number }, crew: { type: array, items: { type: object, properties: { name: { type: string } } } } } }\n`;

const settings = (origin: string) => `base: ${origin}/v1\ndefinition: api/harbour.yaml\n`;
const check = '```mervok\nstatus is 2xx or status is 4xx\n```\n';
const request = (title: string, text: string, statements = check) =>
  `## ${title}\n\n\`\`\`http\n${text}\n\`\`\`\n\n${statements}\n`;

/** A harbour that tells the depth of a berth as a number, or as another value. */
const harbour = (depth: unknown = 4.5) =>
  ({
    'GET /v1/berths': [200, 'application/json', JSON.stringify([{ code: '0417', depth }])],
    'GET /v1/berths?state=free': [200, 'application/json', '[]'],
    'GET /v1/berths?state=flooded': [400, 'text/plain', ''],
    'POST /v1/berths': [201, 'application/json', JSON.stringify({ code: '0418', depth: 2 })],
    'GET /v1/tides': [200, 'text/xml', '<tides/>'],
    'GET /v1/old': [302, '', ''],
  }) as { [request: string]: [number, string, string] };

function startHarbour(t: Parameters<typeof serve>[0], depth?: unknown): Promise<string> {
  const answers = harbour(depth);
  return serve(t, (call, response) => {
    call.resume();
    const [status, type, body] = answers[`${call.method} ${call.url}`] ?? [404, 'text/plain', ''];
    response.writeHead(status, {
      ...(type !== '' && { 'Content-Type': type }),
      ...(status === 302 && { Location: '/v1/berths' }),
    });
    response.end(body);
  });
}

const pages = {
  'berths.md':
    '# Berths\n\n' +
    request('All', 'GET /berths', '```mervok\nstatus = 200\neach $[*].depth exists\n```\n') +
    request('Flooded', 'GET /berths?state=flooded') +
    request(
      'New',
      'POST /berths\nContent-Type: application/json\n\n{ "code": "0418", "depth": 2, "crew": [{ "name": "Mira" }] }',
    ) +
    request('Tides', 'GET /tides') +
    request('Nowhere', 'GET /nowhere') +
    request('The old address', 'GET /old'),
};

test('every response is held to the definition; what cannot be is told', async t => {
  const origin = await startHarbour(t);
  const files = {
    'mervok.yaml': settings(origin),
    'api/harbour.yaml': definition,
    'api/parts.yaml': parts,
    ...pages,
  };
  const folder = folderWith(t, files);
  const good = await mervok(folder, ['run', '-o', 'run.json', '-o', 'run.html', '-o', 'run.xml']);
  assert.equal(good.code, 0, good.out + good.err);
  assert.match(
    good.out.replaceAll('\n', ' '),
    /Held to api\/harbour\.yaml: 4 responses; not held: 2 \(no schema is described for the status 200; GET \/nowhere is not described, and the service does not know it either \(404\)\)\./,
  );
  const { definitions } = JSON.parse(readFileSync(join(folder, 'run.json'), 'utf8'));
  assert.deepEqual(
    [definitions[0].file, definitions[0].held, definitions[0].notHeld],
    ['api/harbour.yaml', 4, 2],
  );
  assert.match(readFileSync(join(folder, 'run.html'), 'utf8'), /Held to api\/harbour\.yaml: 4 responses/);
});

test('a member of another kind fails by the definition alone, in every report', async t => {
  const origin = await startHarbour(t, 'deep');
  const folder = folderWith(t, {
    'mervok.yaml': settings(origin),
    'api/harbour.yaml': definition,
    'api/parts.yaml': parts,
    ...pages,
  });
  const bad = await mervok(folder, [
    'run',
    'berths.md#all',
    '-o',
    'run.xml',
    '-o',
    'run.tap',
    '-o',
    'run.md',
  ]);
  assert.equal(bad.code, 1);
  assert.match(
    bad.out,
    /as api\/harbour\.yaml says +berths\.md:6\n +set in +mervok\.yaml\n +expected +a number\n +found +"deep"\n +at +\$\[0\]\.depth\n/,
  );
  for (const report of ['run.xml', 'run.tap', 'run.md'])
    assert.match(readFileSync(join(folder, report), 'utf8'), /as api\/harbour\.yaml says/);
});

test('a service that takes what it says it does not take fails', async t => {
  const origin = await startHarbour(t);
  const folder = folderWith(t, {
    'mervok.yaml': settings(origin),
    'api/harbour.yaml': definition.replace('enum: [free]', 'enum: [taken]'),
    'api/parts.yaml': parts,
    'a.md':
      request('Free', 'GET /berths?state=free&colour=red') + request('Flooded', 'GET /berths?state=flooded'),
    'b.md': request('Free', 'GET /berths?state=free'),
  });
  const bad = await mervok(folder, ['run']);
  assert.equal(bad.code, 1);
  assert.match(bad.out, /expected +one of "taken"\n +found +"free"\n +at +sent query state/);
  assert.match(
    bad.out.replaceAll('\n', ' '),
    /2 cases of 3; .*sent without being described: the query parameter 'colour' of GET \/berths\./,
  );
});

test('nothing is held because nobody looked at it', async t => {
  const origin = await startHarbour(t);
  const base = { 'api/harbour.yaml': definition, 'api/parts.yaml': parts };
  const outside = folderWith(t, {
    'mervok.yaml': `base: ${origin}/v1\ndefinition: { file: api/harbour.yaml, at: "${origin}/v2" }\n`,
    ...base,
    'a.md': request('All', 'GET /berths', '```mervok\nstatus = 200\n```\n'),
  });
  const unheld = await mervok(outside, ['run', '-o', 'run.xml']);
  assert.equal(unheld.code, 1);
  assert.match(unheld.out, /not kept as api\/harbour\.yaml says/);
  assert.match(
    unheld.out.replaceAll(/\s+/g, ' '),
    /nothing could be held to it: GET http:\/\/127\.0\.0\.1:\d+\/v1\/berths is outside of/,
  );
  assert.match(readFileSync(join(outside, 'run.xml'), 'utf8'), /failures="1"/);
  // A page, or a case, may do without; and what it holds is no check of the author.
  const without = folderWith(t, {
    'mervok.yaml': settings(origin),
    ...base,
    'a.md': `---\ndefinition: null\n---\n${request('Tides', 'GET /tides')}`,
    'b.md': request('All', 'GET /berths', ''),
  });
  const run = await mervok(without, ['run']);
  assert.equal(run.code, 0, run.out);
  assert.match(run.out, /Held to api\/harbour\.yaml: 1 response\./);
  const lint = await mervok(without, ['lint']);
  assert.match(lint.out, /warning request-unchecked/);
});

test('a definition that cannot be used keeps the run from beginning', async t => {
  const rows: [settings: string, files: { [path: string]: string }, err: RegExp][] = [
    [
      'definition: api/harbor.yaml\n',
      {},
      /mervok\.yaml:2:13 {2}error definition-missing\n.*'api\/harbor\.yaml' is not in the collection/,
    ],
    ['definition: a.md\n', {}, /a\.md:3:1 {2}error definition-unreadable/],
    [
      'definition: api/harbour.yaml\n',
      { 'api/harbour.yaml': 'openapi: 9.0.0' },
      /api\/harbour\.yaml:1:1 {2}error definition-unreadable\n {2}'9\.0\.0' is no version/,
    ],
    ['definition: [api/harbour.yaml]\n', {}, /error setting-form\n {2}'definition'/],
    ['definition: { file: api/harbour.yaml, base: x }\n', {}, /error setting-unknown\n/],
    ['definition: ../harbour.yaml\n', {}, /error definition-missing/],
  ];
  for (const [text, files, err] of rows) {
    const folder = folderWith(t, {
      'mervok.yaml': `base: http://127.0.0.1:9\n${text}`,
      'api/harbour.yaml': definition,
      'a.md': request('All', 'GET /berths'),
      ...files,
    });
    const ended = await mervok(folder, ['run']);
    assert.equal(ended.code, 2, text);
    assert.match(ended.err, err, text);
    assert.match(ended.err, /Nothing was sent\.\n$/);
  }
});

test('lint of a definition; the settings say what its findings weigh', async t => {
  const folder = folderWith(t, {
    'mervok.yaml': 'base: http://skerry.example\ndefinition: api/harbour.yaml\n',
    'api/harbour.yaml': definition.replace('summary: The tides, ', '').replace('name: state', 'name: token'),
    'api/parts.yaml': parts,
    'api/strict/mervok.yaml':
      'lint: { definition-prose: error, definition-credentials: off, definition-limit: warning }\n',
    'api/strict/harbour.yaml': definition
      .replace('summary: The tides, ', '')
      .replaceAll('parts.yaml', '../parts.yaml'),
    'a.md': request('All', 'GET /berths'),
  });
  const lint = (...args: string[]) => mervok(folder, ['lint', ...args]);
  const plain = await lint('api/harbour.yaml');
  assert.equal(plain.code, 0);
  assert.match(plain.out, /api\/harbour\.yaml:8:\d+ {2}warning definition-credentials\n/);
  assert.match(plain.out, /\n3 warnings\n$/);
  assert.deepEqual(
    [(await lint('api/harbour.yaml', '-q')).out, (await lint('api/harbour.yaml', '--strict')).code],
    ['', 2],
  );
  const strict = await lint('api/strict/harbour.yaml');
  assert.equal(strict.code, 2);
  assert.match(strict.out, /error definition-prose/);
  assert.match(strict.out, /api\/strict\/harbour\.yaml:10:\d+ {2}warning definition-limit/);
  assert.doesNotMatch(strict.out, /credentials/);
  const whole = await lint();
  assert.match(
    whole.out,
    /\napi\/harbour\.yaml: 3 warnings\. They are told by: mervok lint api\/harbour\.yaml\n$|^api\/harbour/m,
  );
  const json = JSON.parse((await lint('--json', 'api/harbour.yaml', 'a.md')).out);
  assert.deepEqual(json.definitions, [{ file: 'api/harbour.yaml', version: '3.1', operations: 4 }]);
  assert.deepEqual(
    json.findings.map((each: { file: string; code: string }) => `${each.file} ${each.code}`),
    [
      'api/harbour.yaml definition-credentials',
      'api/harbour.yaml definition-prose',
      'api/harbour.yaml definition-no-schema',
    ],
  );
  const missing = await lint('api/harbor.yaml');
  assert.equal(missing.code, 2);
  assert.match(missing.err, /There is no 'api\/harbor\.yaml'\. Did you mean 'api\/harbour\.yaml'\?/);
  // Outside of any collection.
  const alone = folderWith(t, {
    'harbour.json': '{ "swagger": "2.0", "info": { "title": "x", "version": "1" }, "paths": {} }',
  });
  assert.equal(
    (await mervok(alone, ['lint', 'harbour.json'])).out,
    'harbour.json: OpenAPI 2.0, 0 operations: nothing to find fault with.\n',
  );
});

test('coverage: what of a definition runs have exercised', async t => {
  const origin = await startHarbour(t);
  const folder = folderWith(t, {
    'mervok.yaml': settings(origin),
    'api/harbour.yaml': definition,
    'api/parts.yaml': parts,
    ...pages,
  });
  const coverage = (...args: string[]) => mervok(folder, ['coverage', ...args]);
  assert.match((await coverage()).err, /No run is on record here/);
  await mervok(folder, ['run', 'berths.md#all', 'berths.md#new']);
  const first = await coverage();
  assert.equal(first.code, 0);
  const never = first.out.slice(first.out.indexOf('Never sent'), first.out.indexOf('Seen in part'));
  assert.match(never, /GET \/tides {2}The tides\n {2}GET \/gauge/);
  assert.match(
    first.out,
    /GET \/berths {2}The berths\n {6}statuses {4}200; not 400\n {6}parameters {2}0 of 1 parameter; not query state\n {6}looked at {3}1 of 3 members; not \$\[\*\]\.code and \$\[\*\]\.crew\[\*\]\.name\n/,
  );
  assert.match(
    first.out,
    /POST \/berths {2}A new one\n {6}statuses {4}201; not 422\n {6}body {8}3 of 3 members\n/,
  );
  assert.match(first.out, /\n2 of 6 described responses of 4 operations were seen, 33\.3 %\.\n$/);
  // Several runs add up; what failed does not count; 5xx and default only where they are asked for.
  await mervok(folder, ['run', 'berths.md#flooded', 'berths.md#tides']);
  const ids = (await mervok(folder, ['runs', '--json'])).out;
  const [a, b] = JSON.parse(ids).runs.map((each: { id: string }) => each.id);
  const both = JSON.parse((await coverage(a, b, '--json')).out);
  assert.deepEqual([both.definitions[0].seen, both.definitions[0].pairs], [4, 6]);
  assert.equal(JSON.parse((await coverage(a, b, '--json', '--all')).out).definitions[0].pairs, 9);
  assert.match((await coverage(a, a)).err, /is named twice/);
  const least = await coverage(a, b, '--at-least', '80 %');
  assert.deepEqual(
    [least.code, least.err],
    [1, 'api/harbour.yaml: less than 80 % of what is described was seen.\n'],
  );
  assert.equal((await coverage(a, b, '--at-least', '0.6')).code, 0);
  assert.match(
    (await coverage('--at-least', 'most')).err,
    /'most' is no share\. For example: --at-least '80 %'/,
  );
  // Files.
  assert.match((await coverage('-o', 'coverage.pdf')).err, /is written as \.html \(to read\)/);
  await coverage('-o', 'coverage.html');
  assert.match(
    readFileSync(join(folder, 'coverage.html'), 'utf8'),
    /<h1 class="plain">3 of 6 described responses/,
  );
  await coverage(a, b, '-o', 'coverage.md', '--definition', 'api/harbour.yaml');
  assert.match(
    readFileSync(join(folder, 'coverage.md'), 'utf8'),
    /\*\*4 of 6 described responses of 4 operations were seen, 66\.7 %\*\* \(`api\/harbour\.yaml`\)/,
  );
  assert.match(
    (await coverage('--definition', 'api/harbor.yaml')).err,
    /Did you mean 'api\/harbour\.yaml'\?/,
  );
  // Another definition under the same name.
  const { writeFileSync } = await import('node:fs');
  writeFileSync(join(folder, 'api/parts.yaml'), parts.replace('crew', 'mates'));
  assert.match((await coverage(a)).err, /api\/harbour\.yaml has changed since this run/);
  await mervok(folder, ['run', 'berths.md#all']);
  assert.match((await coverage('last', a)).err, /held to 2 different versions of api\/harbour\.yaml/);
});
