import assert from 'node:assert/strict';
import {
  existsSync,
  lstatSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { har } from '../support/har.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const definition = (server: string) => `openapi: 3.0.3
info: { title: Skerry Harbour, version: "1" }
servers:
  - { url: "${server}" }
  - { url: "https://staging.skerry.example/v1", description: Staging }
  - { url: "https://api.skerry.example/v1" }
tags: [{ name: vessels, description: Who lies here. }, { name: berths }]
security: [{ token: [] }]
paths:
  /sessions:
    post:
      tags: [office]
      operationId: signIn
      security: []
      requestBody: { required: true, content: { application/json: { schema: { type: object, required: [user, password], properties: { user: { type: string, example: mira }, password: { type: string } } } } } }
      responses: { "200": { description: in, content: { application/json: { schema: { type: object, properties: { accessToken: { type: string } } } } } }, "401": { description: no } }
  /vessels/{vesselId}:
    parameters: [{ name: vesselId, in: path, required: true, schema: { type: integer } }]
    delete: { tags: [vessels], summary: Strike it off, responses: { "204": { description: gone }, default: { description: no } } }
    get: { tags: [vessels], summary: One vessel., description: "What is known of it.", responses: { "200": { description: yes, content: { application/json: { schema: { $ref: "#/components/schemas/Vessel" }, example: { id: 7, name: "{berth}" } } } }, default: { description: no } } }
    put: { tags: [vessels], operationId: vessel.renameIt, requestBody: { content: { application/json: { schema: { $ref: "#/components/schemas/Vessel" } } } }, responses: { "200": { description: yes, content: { application/json: { schema: { $ref: "#/components/schemas/Vessel" } } } }, default: { description: no } } }
  /vessels:
    get: { tags: [vessels], summary: All, responses: { "200": { description: yes, content: { application/json: { schema: { type: array, items: { $ref: "#/components/schemas/Vessel" } } } } }, default: { description: no } } }
    post: { tags: [vessels], summary: A new one, requestBody: { content: { application/json: { schema: { $ref: "#/components/schemas/Vessel" } } } }, responses: { "201": { description: made, content: { application/json: { schema: { $ref: "#/components/schemas/Vessel" } } } }, default: { description: no } } }
  /berths/{code}/stays:
    post: { tags: [berths], summary: A stay, parameters: [{ name: code, in: path, required: true, schema: { type: string, pattern: "^\\\\d{4}$" } }, { name: season, in: query, required: true, schema: { enum: [summer] } }, { name: X-Quay, in: header, required: true, example: North }], requestBody: { content: { application/json: { schema: { type: object, required: [vessel], properties: { vessel: { type: integer }, note: { type: string } } } } } }, responses: { "201": { description: made }, default: { description: no } } }
components:
  schemas:
    Vessel: { type: object, required: [id, name], properties: { id: { type: integer, readOnly: true }, name: { type: string, example: Grey Petrel } } }
  securitySchemes: { token: { type: http, scheme: bearer } }
`;

test('a definition becomes a collection that runs: in the order of the flow, by names, signed in', async t => {
  const asked: string[] = [];
  const origin = await serve(t, async (call, response) => {
    let text = '';
    for await (const chunk of call) text += chunk;
    asked.push(
      `${call.method} ${call.url} ${call.headers.authorization ?? '-'} ${call.headers['x-quay'] ?? ''}${text}`,
    );
    const answer = (status: number, body?: unknown) =>
      response
        .writeHead(status, { 'Content-Type': 'application/json' })
        .end(body === undefined ? '' : JSON.stringify(body));
    if (call.url === '/v1/sessions') return answer(200, { accessToken: 'spring-tide-token' });
    if (call.method === 'DELETE') return response.writeHead(204).end();
    if (call.url?.includes('/stays')) return response.writeHead(201).end();
    return answer(
      call.method === 'POST' ? 201 : 200,
      call.url === '/v1/vessels' && call.method === 'GET' ? [] : { id: 41, name: 'x' },
    );
  });
  const folder = folderWith(t, { 'api/harbour.yaml': definition(`${origin}/v1`) });
  const listed = await mervok(folder, ['import', 'api/harbour.yaml', '--list']);
  assert.deepEqual([listed.code, readdirSync(folder)], [0, ['api']]);
  assert.match(listed.out, /^would be written {2}mervok\.yaml\nwould be written {2}vessels\.md, 5 cases\n/);
  const ended = await mervok(folder, ['import', 'api/harbour.yaml']);
  assert.equal(ended.code, 0, ended.err);
  assert.deepEqual(readdirSync(folder).sort(), [
    '.gitignore',
    'api',
    'berths.md',
    'mervok.secret.yaml',
    'mervok.yaml',
    'office.md',
    'vessels.md',
  ]);
  assert.equal(statSync(join(folder, 'mervok.secret.yaml')).mode & 0o777, 0o600);
  assert.match(
    readFileSync(join(folder, 'mervok.yaml'), 'utf8'),
    /base: "\{server\}"\n\n# Every exchange is held to it\.\ndefinition: api\/harbour\.yaml\n\nauth: \{ bearer: "\{token\}" \}\n\nenvironments:\n {2}local:\n {4}server: "http:\/\/127\.0\.0\.1:\d+\/v1"\n {2}staging:\n {4}server: "https:\/\/staging\.skerry\.example\/v1"\n {2}production:\n[\s\S]*environment: local\n/,
  );
  const vessels = readFileSync(join(folder, 'vessels.md'), 'utf8');
  assert.deepEqual(
    [...vessels.matchAll(/^## (.*)\n/gm)].map(([, title]) => title),
    ['A new one', 'All', 'One vessel', 'Rename it', 'Strike it off'],
  );
  assert.match(
    vessels,
    /## One vessel\n\nWhat is known of it\.\n\n```http\nGET \/vessels\/\{vessel-id\}\n```\n\n```mervok\nstatus = 200\n```\n\n```http\nHTTP\/1\.1 200 OK\nContent-Type: application\/json\n\n\{ "id": 7, "name": "\\\{berth\}" \}\n```\n/,
  );
  assert.match(vessels, /keep \$\.id as vessel-id/);
  assert.match(
    readFileSync(join(folder, 'berths.md'), 'utf8'),
    /^---\nvariables:\n {2}berth-code: "1111"\n---\n# Berths\n\n## A stay\n\n```http\nPOST \/berths\/\{berth-code\}\/stays\?season=summer\nX-Quay: North\nContent-Type: application\/json\n\n\{ "vessel": \{vessel-id\} \}\n```/,
  );
  assert.match(
    readFileSync(join(folder, 'office.md'), 'utf8'),
    /\{ "user": "\{user\}", "password": "\{password\}" \}\n```\n\n```mervok\nstatus = 200\nkeep \$\.accessToken as secret token\n/,
  );
  assert.equal((await mervok(folder, ['lint'])).code, 0);
  const run = await mervok(folder, ['run']);
  assert.equal(run.code, 0, run.out + run.err);
  assert.match(run.out, /Passed: 7 cases; all 14 checks hold\.\nHeld to api\/harbour\.yaml: 7 responses\./);
  assert.deepEqual(asked, [
    'POST /v1/sessions - {"user":"mira","password":"to-be-filled-in"}'.replace(
      /\{.*/,
      '{ "user": "mira", "password": "to-be-filled-in" }',
    ),
    'POST /v1/vessels Bearer spring-tide-token { "name": "Grey Petrel" }',
    'GET /v1/vessels Bearer spring-tide-token ',
    'GET /v1/vessels/41 Bearer spring-tide-token ',
    'PUT /v1/vessels/41 Bearer spring-tide-token { "name": "Grey Petrel" }',
    'POST /v1/berths/1111/stays?season=summer Bearer spring-tide-token North{ "vessel": 41 }',
    'DELETE /v1/vessels/41 Bearer spring-tide-token ',
  ]);
});

test('nothing runs against another machine by accident; lint has nothing against it', async t => {
  const folder = folderWith(t, { 'harbour.yaml': definition('https://api.skerry.example/v2') });
  const ended = await mervok(folder, ['import', 'harbour.yaml', '-o', 'harbour']);
  assert.match(
    ended.out,
    /written {2}harbour\/api\/harbour\.yaml\n\nNext: mervok lint harbour, then mervok run harbour @production\n$/,
  );
  const lint = await mervok(folder, ['lint', 'harbour']);
  assert.equal(lint.code, 0);
  assert.match(lint.out, /warning environment-unchosen/);
  const run = await mervok(folder, ['run', 'harbour']);
  assert.equal(run.code, 2);
  assert.match(
    run.err,
    /error environment-unchosen\n {2}'server' has a value in environments alone, and none is chosen\.[\s\S]*Nothing was sent\./,
  );
});

test('importing again adds what is new at the end, and says what is gone', async t => {
  const folder = folderWith(t, { 'harbour.yaml': definition('http://127.0.0.1:9/v1') });
  await mervok(folder, ['import', 'harbour.yaml']);
  const page = join(folder, 'vessels.md');
  const mine = readFileSync(page, 'utf8').replace('# Vessels', '# My vessels\r\n\r\nWords of my own.');
  writeFileSync(page, mine);
  writeFileSync(
    join(folder, 'mine.md'),
    '## Old\n\n```http\nGET /old/{vessel-id}?a=b\n```\n\n```mervok\nstatus = 200\n```\n',
  );
  const unchanged = await mervok(folder, ['import', 'harbour.yaml']);
  assert.equal(unchanged.out.split('\n')[0], "Nothing in 'harbour.yaml' is new.");
  assert.equal(
    unchanged.err,
    'mine.md speaks of GET /old/{vessel-id}, which the definition does not have.\n',
  );
  const more =
    `${definition('http://127.0.0.1:9/v1').replace('/vessels/{vesselId}:', '/vessels/{id}:').replace('name: vesselId', 'name: id')}`
      .replace(
        '  /vessels:\n',
        '  /vessels/{id}/log: { get: { tags: [vessels], summary: Its log, security: [{ key: [] }], parameters: [{ name: id, in: path, required: true, schema: { type: integer } }], responses: { "200": { description: yes }, default: { description: no } } } }\n  /tides: { get: { tags: [Tides], responses: { "200": { description: yes }, default: { description: no } } } }\n  /vessels:\n',
      )
      .replace('securitySchemes: {', 'securitySchemes: { key: { type: apiKey, in: header, name: X-Key },');
  writeFileSync(join(folder, 'harbour.yaml'), more);
  const again = await mervok(folder, ['import', 'harbour.yaml']);
  assert.match(
    again.out,
    /^written {2}vessels\.md, 1 case at its end\nwritten {2}tides\.md, 1 case\nwritten {2}mervok\.secret\.yaml, 1 name at its end\n/,
  );
  const now = readFileSync(page, 'utf8');
  assert.ok(now.startsWith(mine));
  assert.match(
    now.slice(mine.length),
    /^\r\n## Its log\r\n\r\n```yaml settings\r\nauth: \{ api-key: \{ name: X-Key, value: "\{key\}", in: header \} \}\r\n```/,
  );
  assert.match(
    readFileSync(join(folder, 'mervok.secret.yaml'), 'utf8'),
    /\n {2}# The key that 'X-Key' carries\.\n {2}key: to-be-filled-in\n$/,
  );
  assert.deepEqual(
    (await mervok(folder, ['import', 'harbour.yaml'])).out.split('\n')[0],
    "Nothing in 'harbour.yaml' is new.",
  );
});

test('forms take names and secrets as JSON does, a range of types is the one that fits, of several good statuses any will do', async t => {
  const folder = folderWith(t, {
    'harbour.yaml': `openapi: 3.0.3
info: { title: Skerry Harbour, version: '1' }
servers: [{ url: 'http://127.0.0.1:9' }]
components:
  schemas:
    Vessel: { type: object, required: [name], properties: { name: { type: string, example: Grey Petrel } } }
    Held: { type: object, properties: { metadata: { type: object, properties: { name: { type: string } } } } }
  securitySchemes:
    office: { type: oauth2, flows: { password: { tokenUrl: token, scopes: {} } } }
    keeper: { type: oauth2, flows: { password: { tokenUrl: 'https://keeper.skerry.example/token', scopes: { light: to light it } } } }
paths:
  /token:
    post:
      summary: Sign in
      tags: [harbour]
      requestBody:
        required: true
        content:
          application/x-www-form-urlencoded:
            schema: { type: object, required: [username, password], properties: { username: { type: string, example: pilot }, password: { type: string } } }
      responses:
        '200': { description: yes, content: { application/json: { schema: { type: object, properties: { access_token: { type: string } } } } } }
        default: { description: no }
  /vessels:
    post:
      summary: Register
      tags: [harbour]
      security: [{ office: [] }]
      requestBody: { required: true, content: { '*/*': { schema: { $ref: '#/components/schemas/Vessel' } } } }
      responses:
        '200': { description: known, content: { '*/*': { schema: { $ref: '#/components/schemas/Held' }, example: { metadata: { name: grey-petrel } } } } }
        '201': { description: new }
        default: { description: no }
  /papers:
    post:
      summary: Hand in papers
      tags: [harbour]
      requestBody:
        required: true
        content:
          multipart/form-data:
            schema: { type: object, required: [vessel, manifest, chart], properties: { vessel: { type: string }, manifest: { type: string }, chart: { type: string, format: binary } } }
            encoding: { manifest: { contentType: text/csv } }
      responses: { '204': { description: yes }, default: { description: no } }
  /vessels/{vessel}:
    get:
      summary: Harbour
      tags: [harbour]
      security: [{ keeper: [light] }]
      parameters: [{ name: vessel, in: path, required: true, schema: { type: string } }]
      responses: { '200': { description: yes }, default: { description: no } }
`,
  });
  await mervok(folder, ['import', 'harbour.yaml']);
  const page = readFileSync(join(folder, 'harbour.md'), 'utf8');
  assert.match(
    page,
    /```form body\nusername = \{username\}\npassword = \{password\}\n```\n\n```mervok\nstatus = 200\nkeep \$\.access_token as secret office\n```/,
  );
  assert.match(
    page,
    /POST \/vessels\nContent-Type: application\/json\n\n\{ "name": "Grey Petrel" \}\n```\n\n```mervok\nstatus in 200, 201\nkeep \$\.metadata\.name as vessel\n```/,
  );
  assert.match(page, /HTTP\/1\.1 200 OK\nContent-Type: application\/json\n\n\{ "metadata"/);
  assert.match(
    page,
    /```multipart body\nvessel = \{vessel\}\nmanifest = text as text\/csv\nchart = file "samples\/chart\.bin"\n```/,
  );
  assert.match(
    page,
    /## GET \/vessels\/\{vessel\}\n\n```yaml settings\nauth: \{ oauth2: \{ flow: password, token-url: "https:\/\/keeper\.skerry\.example\/token", client-id: "\{keeper-client\}", client-auth: none, user: "\{keeper-user\}", password: "\{keeper-password\}", scope: light \} \}\n```/,
  );
  assert.equal(
    (await mervok(folder, ['lint', '--strict', '.'])).out.split('\n')[0],
    '1 page, 4 cases, 8 checks: nothing to find fault with.',
  );
});

test('a form of the older version sends its file, and what has no kind is sent all the same', async t => {
  const folder = folderWith(t, {
    'harbour.yaml': `swagger: '2.0'
info: { title: Skerry Harbour, version: '1' }
host: 127.0.0.1:9
schemes: [http]
paths:
  /papers:
    post:
      summary: Hand in papers
      description: Takes <b>papers</b>.<br/><br/>Of each vessel:<ul><li>big ones</li><li>small ones</li></ul><p>And <pilot>.
      tags: [harbour]
      consumes: [multipart/form-data]
      parameters:
        - { name: chart, in: formData, type: file, required: true, description: A chart }
        - { name: manifest, in: formData, type: file }
        - { name: vessel, in: formData, type: string, required: true }
      responses: { '204': { description: yes }, default: { description: no } }
    put:
      operationId: PapersController_correctAll
      tags: [harbour]
      parameters:
        - name: body
          in: body
          required: true
          schema: { type: object, required: [cargo, note], properties: { cargo: {}, note: { description: Anything }, of: { $ref: '#/definitions/Papers' } } }
      responses: { '204': { description: yes }, default: { description: no } }
definitions:
  Papers: { type: object, required: [of], properties: { of: { $ref: '#/definitions/Papers' } } }
`,
  });
  await mervok(folder, ['import', 'harbour.yaml']);
  const page = readFileSync(join(folder, 'harbour.md'), 'utf8');
  assert.match(
    page,
    /papers\n\nTakes papers\.\n\nOf each vessel:\n- big ones\n- small ones\n\nAnd <pilot>\.\n/,
  );
  assert.match(page, /```multipart body\nchart = file "samples\/chart\.bin"\nvessel = text\n```/);
  assert.match(page, /## Correct all\n[^#]*\{ "cargo": "text", "note": "text" \}/);
  assert.ok(existsSync(join(folder, 'samples/chart.bin')));
});

test('numbers of examples keep all their digits, in YAML and in JSON', async t => {
  const big = '9223372036854775807';
  const paths = `{ "/vessels/{id}": { "put": { "summary": "Name it", "parameters": [
    { "name": "id", "in": "path", "required": true, "schema": { "type": "integer", "format": "int64", "example": ${big} } },
    { "name": "of", "in": "query", "required": true, "schema": { "type": "integer", "enum": [${big}] } },
    { "name": "X-Marks", "in": "header", "required": true, "schema": { "example": [${big}, 1.5] } } ],
    "requestBody": { "content": { "application/json": { "schema": { "type": "object", "required": ["mark", "at", "list"], "properties": {
      "mark": { "type": "integer", "default": 9007199254740993 }, "at": { "type": "number", "example": 0.1234567890123456789 },
      "list": { "example": [{ "no": 1${big} }, 2] } } } } } },
    "responses": { "200": { "description": "yes", "content": { "application/json": { "examples": { "one": { "value": { "id": ${big} } } } } } } } } } }`;
  const definition = `{ "openapi": "3.0.3", "info": { "title": "Skerry", "version": "1" }, "servers": [{ "url": "http://127.0.0.1:9" }], "paths": ${paths} }`;
  const folder = folderWith(t, { 'a.json': definition, 'b.yaml': definition.replace(/"(\w+)":/g, '$1:') });
  for (const name of ['a.json', 'b.yaml']) {
    assert.equal((await mervok(folder, ['import', name, '-o', `${name}-pages`])).code, 0);
    const page = readFileSync(join(folder, `${name}-pages/vessels.md`), 'utf8');
    assert.match(page, new RegExp(`\\n {2}vessel-id: ${big}\\n`));
    assert.match(
      page,
      new RegExp(`PUT /vessels/\\{vessel-id\\}\\?of=${big}\\nX-Marks: \\[${big}, 1.5\\]\\n`),
    );
    assert.match(
      page,
      new RegExp(
        `\\{ "mark": 9007199254740993, "at": 0.1234567890123456789, "list": \\[\\{ "no": 1${big} \\}, 2\\] \\}`,
      ),
    );
    assert.match(page, new RegExp(`HTTP/1.1 200 OK[^{]*\\{ "id": ${big} \\}`));
    assert.equal((await mervok(join(folder, `${name}-pages`), ['lint', '-q'])).code, 0);
  }
});

test('an example of more than anybody reads is left out', async t => {
  const names = [...'abcde'];
  const lists = names.map((name, at) => {
    const item = at === 0 ? '1' : `*${names[at - 1]}`;
    return `x-${name}: &${name} [${Array.from({ length: 10 }, () => item).join(', ')}]`;
  });
  const folder = folderWith(t, {
    'many.yaml': `openapi: 3.0.3
info: { title: Skerry, version: '1' }
${lists.join('\n')}
paths:
  /vessels:
    put:
      summary: Name it
      requestBody: { content: { application/json: { schema: { type: object, required: [name], properties: { name: { type: string } } }, example: { all: *e } } } }
      responses: { '200': { description: yes, content: { application/json: { example: *e } } } }
`,
  });
  const ended = await mervok(folder, ['import', 'many.yaml']);
  assert.equal(ended.code, 0, ended.err);
  assert.match(
    readFileSync(join(folder, 'vessels.md'), 'utf8'),
    /\{ "name": "text" \}\n```\n\n```mervok\nstatus = 200\n```\n$/,
  );
});

test('an operation with a server of its own is asked there, and on this machine never elsewhere', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(request.url!);
    response.writeHead(204).end();
  });
  const answers = 'responses: { "204": { description: yes }, default: { description: no } }';
  const folder = folderWith(t, {
    'harbour.yaml': `openapi: 3.0.3
info: { title: Skerry Harbour, version: '1' }
servers: [{ url: '${origin}/v1' }, { url: 'https://staging.skerry.example/v1' }]
paths:
  /berths: { get: { tags: [berths], ${answers} } }
  /charts:
    servers: [{ url: https://charts.skerry.example }]
    post: { tags: [berths], ${answers} }
    get: { tags: [berths], servers: [{ url: /files }], ${answers} }
`,
  });
  await mervok(folder, ['import', 'harbour.yaml']);
  assert.match(
    readFileSync(join(folder, 'mervok.yaml'), 'utf8'),
    / {2}staging:\n {4}server: "https:\/\/staging\.skerry\.example\/v1"\n {4}files-server: "https:\/\/staging\.skerry\.example\/files"\n {4}charts-server: "https:\/\/charts\.skerry\.example"\n/,
  );
  const run = await mervok(folder, ['run']);
  assert.equal(run.code, 0, run.out);
  assert.deepEqual(asked, ['/v1/berths', '/v1/charts', '/files/charts']);
});

test('beside settings that are there, pages say what those do not', async t => {
  const answers = 'responses: { "204": { description: yes }, default: { description: no } }';
  const parameter = '[{ name: quay, in: path, required: true, example: north, schema: { type: string } }]';
  const api = (paths: string) => `openapi: 3.0.3
info: { title: Skerry Harbour, version: '1' }
servers: [{ url: 'http://127.0.0.1:9' }]
security: [{ token: [] }]
components: { securitySchemes: { token: { type: http, scheme: bearer } } }
paths:
  /berths: { get: { tags: [berths], ${answers} } }
  /weather: { get: { tags: [weather], security: [], ${answers} } }
${paths}`;
  const folder = folderWith(t, {
    'harbour.yaml': api(''),
    'mervok.yaml':
      'base: http://127.0.0.1:9\nauth: { basic: { user: mira, password: "{word}" } }\nvariables: { word: { secret: spring-tide } }\n',
    'tides.md':
      '---\nbase: http://127.0.0.1:9/other\n---\n## Tides\n\n```http\nGET /tides\n```\n\n```mervok\nstatus = 200\n```\n',
  });
  const first = await mervok(folder, ['import', 'harbour.yaml']);
  assert.equal(
    first.err,
    'mervok.yaml stays as it is; to hold every exchange to this one: definition: harbour.yaml\n',
  );
  const page = (name: string) => readFileSync(join(folder, name), 'utf8');
  assert.match(page('berths.md'), /^---\nauth: \{ bearer: "\{token\}" \}\n---\n/);
  assert.match(page('weather.md'), /^---\nauth: none\n---\n/);
  writeFileSync(
    join(folder, 'harbour.yaml'),
    api(`  /quays/{quay}: { get: { tags: [berths], security: [], parameters: ${parameter}, ${answers} } }
  /quays/{quay}/bells: { get: { tags: [berths], parameters: ${parameter}, ${answers} } }
`),
  );
  const again = await mervok(folder, ['import', 'harbour.yaml']);
  assert.match(again.out, /^written {2}berths\.md, 2 cases at its end\n/);
  assert.match(
    page('berths.md'),
    /## GET \/quays\/\{quay\}\n\n```yaml settings\nauth: none\n```\n\n```mervok\nlet quay = "north"\n```\n\n```http\nGET \/quays\/\{quay\}\n```\n\n```mervok\nstatus = 204\n```\n\n## GET \/quays\/\{quay\}\/bells\n\n```http\n/,
  );
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  const entries = (site: string) => har([{ url: `${site}/quays`, answer: { id: 1 } }]);
  writeFileSync(join(folder, 'here.har'), entries('http://127.0.0.1:9'));
  writeFileSync(join(folder, 'there.har'), entries('https://shop.skerry.example'));
  await mervok(folder, ['import', 'here.har']);
  assert.match(
    page('here.md'),
    /^---\nbase: "\{server\}"\nauth: none\nvariables:\n {2}server: "http:\/\/127\.0\.0\.1:9"\n---\n/,
  );
  for (const [args, err] of [
    [
      ['there.har'],
      /^There is a mervok\.yaml already, which does not know https:\/\/shop\.skerry\.example\. So that nothing is sent there by accident,/,
    ],
    [
      ['there.har', '-o', 'deep/shop'],
      /^'deep\/shop' lies inside of a collection, and settings of an import stand at its root\. Import into '\.', or/,
    ],
  ] as const) {
    const refused = await mervok(folder, ['import', ...args]);
    assert.equal(refused.code, 2);
    assert.match(refused.err, err);
  }
  // Of one site a second recording needs nothing of its own.
  const other = folderWith(t, {
    'one.har': entries('https://shop.skerry.example'),
    'two.har': entries('https://shop.skerry.example'),
  });
  await mervok(other, ['import', 'one.har', 'two.har']);
  assert.match(readFileSync(join(other, 'two.md'), 'utf8'), /^# Two\n/);
  assert.equal((await mervok(other, ['lint', '-q'])).code, 0);
});

test('a newer version of a definition that lies elsewhere takes the place of its copy, and says so', async t => {
  const folder = folderWith(t, { 'from/harbour.yaml': definition('http://127.0.0.1:9/v1') });
  const first = await mervok(folder, ['import', 'from/harbour.yaml', '-o', 'quay']);
  assert.match(first.out, /written {2}quay\/api\/harbour\.yaml\n/);
  const newer = definition('http://127.0.0.1:9/v1').replace(
    '  /vessels:\n',
    '  /tides: { get: { tags: [Tides], responses: { "200": { description: yes }, default: { description: no } } } }\n  /vessels:\n',
  );
  writeFileSync(join(folder, 'from/harbour.yaml'), newer);
  const listed = await mervok(folder, ['import', 'from/harbour.yaml', '-o', 'quay', '--list']);
  const would =
    'would be written  quay/tides.md, 1 case\nwould be written  quay/api/harbour.yaml, in place of the version that was there\n';
  assert.equal(listed.out, would);
  assert.notEqual(readFileSync(join(folder, 'quay/api/harbour.yaml'), 'utf8'), newer);
  const again = await mervok(folder, ['import', 'from/harbour.yaml', '-o', 'quay']);
  assert.ok(again.out.startsWith(would.replaceAll('would be written', 'written')));
  assert.equal(readFileSync(join(folder, 'quay/api/harbour.yaml'), 'utf8'), newer);
  writeFileSync(join(folder, 'from/other.yaml'), newer);
  assert.equal(
    (await mervok(folder, ['import', 'from/other.yaml', '-o', 'quay'])).err,
    'mervok.yaml still names api/harbour.yaml; to hold every exchange to this one: definition: api/other.yaml\n',
  );
});

test('no file is written through a link, and none is overwritten', async t => {
  const outside = folderWith(t, { 'mine.md': 'mine' });
  const folder = folderWith(t, { 'harbour.yaml': definition('http://127.0.0.1:9/v1') });
  symlinkSync(join(outside, 'mine.md'), join(folder, 'vessels.md'));
  const ended = await mervok(folder, ['import', 'harbour.yaml']);
  assert.equal(ended.code, 2);
  assert.match(ended.err, /'vessels\.md' is a link, and nothing is written through one\./);
  assert.equal(readFileSync(join(outside, 'mine.md'), 'utf8'), 'mine');
  assert.ok(lstatSync(join(folder, 'vessels.md')).isSymbolicLink());
});

test('what cannot be imported is one message', async t => {
  const folder = folderWith(t, {
    'a.yaml': 'openapi: 5.0.0',
    'b.har': '{ "log": { "entries": [ { "request"',
    'c.har': '{ "log": { "entries": [] } }',
    'd.json': '{ "a": 1 }',
    'e.har': '{ "entries": 3 }',
    'g.har': har([{ url: 'http://127.0.0.1:9/quay.css', answerType: 'text/css', answer: 'a {}' }]),
    'h.yaml': 'openapi: 3.1.0\ninfo: { title: Quay, version: "1" }\npaths: {}\n',
  });
  const rows: [args: string[], err: RegExp][] = [
    [['a.yaml'], /a\.yaml:1:1 {2}error definition-unreadable/],
    [['b.har'], /b\.har:1:36 {2}error har-form\n {2}This recording is no JSON: it breaks off\./],
    [['c.har'], /Nothing in this recording was asked over HTTP and answered\./],
    [['d.json'], /it says no version of OpenAPI/],
    [['e.har'], /This is no HTTP archive: it has no log of entries\./],
    [
      ['g.har'],
      /^There is nothing to import in 'g\.har'\. 1 request left out: pictures, scripts, styles and fonts\.\n$/,
    ],
    [['h.yaml'], /^There is nothing to import in 'h\.yaml'\. It has no operation\.\n$/],
    [['f.yaml'], /There is no file 'f\.yaml'\./],
    [['a.yaml', '-o', 'd.json'], /'d\.json' is no folder\./],
    [[], /missing required argument|FILE/i],
  ];
  for (const [args, err] of rows) {
    const ended = await mervok(folder, ['import', ...args]);
    assert.equal(ended.code, 2, args.join(' '));
    assert.match(ended.err, err, args.join(' '));
  }
  assert.deepEqual(readdirSync(folder).length, 7);
});
