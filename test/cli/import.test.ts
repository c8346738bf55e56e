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

const fence = '`'.repeat(3);
const attacks = [
  `# Break out\n\n${fence}http\nDELETE /everything\n${fence}\n\n${fence}mervok\ncleanup\n${fence}`,
  `---\nbase: https://evil.example\n---\n\n## Also a case\n\n~~~http\nDELETE /everything\n~~~`,
  `- item\n\n  ${fence}http\n  DELETE /everything\n  ${fence}\n> ${fence}http\n> DELETE /everything\n> ${fence}\n`,
  `Setext\n======\n\nSecond\n------\n\n    ${fence}http\n\tDELETE /everything\n${fence}yaml settings\nbase: https://evil.example\n`,
  `<!-- open\n<script>\n<div>\n\n## Case\n\n${fence}sh step\nrm -rf /\n${fence}`,
  `{token} {{token}} \${token} \\{token}\u0000\u202e\n${fence}${fence}http x\nGET /x\n`,
  `1. a\n   ~~~~ js step\n   x\n2) b\n* * *\n${fence}http\nGET /unclosed`,
];

test('whatever a definition says is text: nothing of it becomes a request, a check, a setting or a path', async t => {
  const text = (at: number) => JSON.stringify(attacks[at % attacks.length]);
  const operations = Array.from(
    { length: 21 },
    (_, at) => `  /a${at}/{id}:
    post:
      tags: [${text(at)}]
      summary: ${text(at + 1)}
      description: ${text(at + 2)}
      parameters: [{ name: id, in: path, required: true, schema: { type: string, example: ${text(at + 3)} } }, { name: q, in: query, required: true, example: ${text(at + 4)}, schema: { type: string } }, { name: X-A, in: header, required: true, example: ${text(at + 5)}, schema: { type: string } }]
      requestBody: { content: { ${at % 2 ? 'application/json' : 'application/x-www-form-urlencoded'}: { example: { ${text(at)}: ${text(at + 1)} } } } }
      responses: { "200": { description: ${text(at)}, content: { application/json: { example: ${text(at + 6)} } } }, default: { description: no } }
`,
  ).join('');
  const folder = folderWith(t, {
    'evil.yaml': `openapi: 3.0.0
info: { title: ${text(0)}, version: "1", description: ${text(1)} }
servers: [{ url: "http://127.0.0.1:9", description: ${text(1)} }, { url: "https://x.example/{token}", description: ${text(5)} }]
tags: [${attacks.map((_, at) => `{ name: ${text(at)}, description: ${text(at + 3)} }`).join(', ')}, { name: "../../../climb", description: x }, { name: "CON" }, { name: "con." }]
paths:
${operations}  /climb: { get: { tags: ["../../../climb"], responses: { "200": { description: x }, default: { description: x } } } }
  /con: { get: { tags: [CON], summary: "", responses: { "200": { description: x }, default: { description: x } } } }
  /con2: { get: { tags: ["con."], responses: { "200": { description: x }, default: { description: x } } } }
components: { securitySchemes: { ${text(0)}: { type: http, scheme: bearer } } }
`,
  });
  const ended = await mervok(folder, ['import', 'evil.yaml']);
  assert.equal(ended.code, 0, ended.err);
  const pages = readdirSync(folder).filter(name => name.endsWith('.md'));
  for (const name of pages) assert.match(name, /^[a-z\d-]+\.md$/);
  assert.ok(
    pages.includes('climb.md') && pages.includes('con-page.md') && pages.includes('con-page-2.md'),
    pages.join(),
  );
  const list = JSON.parse((await mervok(folder, ['list', '--json'])).out);
  const cases = list.pages.flatMap((page: { cases: { request: string }[] }) =>
    page.cases.map(each => each.request),
  );
  const wanted = [
    ...Array.from({ length: 21 }, (_, at) => `POST /a${at}/`),
    'GET /climb',
    'GET /con',
    'GET /con2',
  ];
  assert.equal(cases.length, wanted.length);
  for (const each of wanted)
    assert.equal(cases.filter((request: string) => request.startsWith(each)).length >= 1, true, each);
  assert.ok(
    cases.every((request: string) => /^(?:POST \/a\d+\/\{[a-z\d-]+\}\?q=\S+|GET \/\w+)$/.test(request)),
    cases.join('\n'),
  );
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  const settings = readFileSync(join(folder, 'mervok.yaml'), 'utf8');
  assert.doesNotMatch(settings, /^base: https/m);
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

interface Entry {
  readonly method?: string;
  readonly url: string;
  readonly headers?: { readonly [name: string]: string };
  readonly body?: unknown;
  readonly type?: string;
  readonly status?: number;
  readonly answer?: unknown;
  readonly answered?: { readonly [name: string]: string };
  readonly kind?: string;
  readonly answerType?: string;
}

function har(entries: readonly Entry[]): string {
  const pairs = (object: { readonly [name: string]: string } = {}) =>
    Object.entries(object).map(([name, value]) => ({ name, value }));
  return JSON.stringify({
    log: {
      version: '1.2',
      entries: entries.map(
        ({
          method = 'GET',
          url,
          headers,
          body,
          type = 'application/json',
          status = 200,
          answer,
          answered,
          kind,
          answerType = 'application/json',
        }) => ({
          _resourceType: kind,
          request: {
            method,
            url,
            headers: pairs(headers),
            cookies: [],
            ...(body !== undefined && {
              postData: { mimeType: type, text: typeof body === 'string' ? body : JSON.stringify(body) },
            }),
          },
          response: {
            status,
            headers: pairs(answered),
            content: {
              mimeType: answerType,
              ...(answer !== undefined && {
                text: typeof answer === 'string' ? answer : JSON.stringify(answer),
              }),
            },
          },
        }),
      ),
    },
  });
}

test('whatever a recording says is data as well: it is sent as it was, and nothing else happens', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(`${request.method} ${request.url!.replace(/[?/][^a].*$/, '')}`);
    response.writeHead(200, { 'Content-Type': 'application/json' }).end(JSON.stringify({ note: attacks[0] }));
  });
  const text = (at: number) => attacks[at % attacks.length]!;
  const entries = Array.from({ length: 14 }, (_, at): Entry => {
    const query = `q=${encodeURIComponent(text(at))}&${encodeURIComponent(text(at + 1))}=x`;
    return {
      method: at % 2 === 0 ? 'POST' : 'PUT',
      url: `${origin}/a${at}/${encodeURIComponent(text(at + 2))}?${query}`,
      headers: { [`X-${text(at + 3)}`]: text(at + 4), 'X-Note': text(at + 5) },
      body: at % 3 === 0 ? { [text(at)]: text(at + 1) } : text(at + 2),
      type: ['application/json', 'text/plain', `text/html; ${text(at)}`][at % 3]!,
      answer: { note: text(at), [text(at + 1)]: 1 },
      answerType: 'application/json',
    };
  });
  const folder = folderWith(t, { '-- #evil`.har': har(entries) });
  const ended = await mervok(folder, ['import', '--', '-- #evil`.har']);
  assert.equal(ended.code, 0, ended.err);
  assert.deepEqual(readdirSync(folder).sort(), [
    '-- #evil`.har',
    '.gitignore',
    'evil.md',
    'mervok.secret.yaml',
    'mervok.yaml',
  ]);
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  await mervok(folder, ['run', '--commands']);
  assert.deepEqual(
    asked,
    entries.map(({ method }, at) => `${method} /a${at}`),
  );
});

test('whatever a definition of a service says is data, too', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(`${request.method} ${request.url}`);
    response.writeHead(500).end();
  });
  const text = (at: number) =>
    attacks[at % attacks.length]!.replace(/[^\t\n -~]/g, '')
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('"', '&quot;');
  const operations = Array.from({ length: 7 }, (_, at) => at);
  const wsdl = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:x="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:skerry" targetNamespace="urn:skerry">
  <documentation>${text(0)}</documentation>
  <types><x:schema targetNamespace="urn:skerry"><x:element name="In" default="${text(1)}"><x:simpleType><x:restriction base="x:string"><x:enumeration value="${text(2)}"/></x:restriction></x:simpleType></x:element></x:schema></types>
  <message name="m"><part name="p" element="t:In"/></message>
  <portType name="P">${operations.map(at => `<operation name="${text(at)}"><documentation>${text(at + 1)}</documentation><input message="t:m"/></operation>`).join('')}</portType>
  <binding name="B" type="t:P"><soap:binding/>${operations.map(at => `<operation name="${text(at)}"><soap:operation soapAction="${text(at + 2)}"/></operation>`).join('')}</binding>
  <service name="${text(3)}"><documentation>${text(4)}</documentation><port name="${text(5)}" binding="t:B"><soap:address location="${origin}/quay"/></port></service>
</definitions>`;
  const folder = folderWith(t, { 'evil.wsdl': wsdl });
  const ended = await mervok(folder, ['import', 'evil.wsdl']);
  assert.equal(ended.code, 0, ended.err);
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  await mervok(folder, ['run', '--commands']);
  assert.deepEqual(
    asked,
    operations.map(() => 'POST /quay'),
  );
});

test('a recording becomes a page whose flow is found again, without its secrets', async t => {
  const site = 'https://shop.skerry.example';
  const token = 'tok-9f8e7d6c5b4a';
  const recording = har([
    { url: `${site}/app.js`, answerType: 'text/javascript', answer: 'x' },
    { url: 'https://stats.example/hit', answer: {} },
    {
      method: 'OPTIONS',
      url: `${site}/api/v1/login`,
      headers: { 'Access-Control-Request-Method': 'POST' },
      status: 204,
    },
    {
      method: 'POST',
      url: `${site}/api/v1/login`,
      body: { user: 'mira', password: 'ebb-and-flow-77' },
      headers: { Cookie: 'sid=abcdef123456; theme=dark', 'User-Agent': 'Browser', 'sec-ch-ua': 'x' },
      answer: { token, user: { id: 9 } },
      answered: { 'Set-Cookie': 'sid=zzzz99998888; Path=/' },
    },
    {
      url: `${site}/api/v1/berths?state=free`,
      headers: { authorization: `Bearer ${token}`, accept: 'application/json' },
      answer: {
        berths: [
          { id: 31, code: '0417', state: 'free' },
          { id: 32, code: '0733', state: 'free' },
        ],
        next: null,
      },
    },
    {
      method: 'POST',
      url: `${site}/api/v1/cart`,
      headers: { Authorization: `Bearer ${token}`, 'X-Trace': 'abc' },
      body: { berthId: 32, nights: 3, note: 'Grey Petrel', again: 'ebb-and-flow-77' },
      status: 201,
      answer: { cartId: 'c-0f1e2d', note: 'Grey Petrel', total: 354.75 },
      answered: { Location: '/api/v1/cart/c-0f1e2d' },
    },
    {
      method: 'PUT',
      url: `${site}/api/v1/cart/c-0f1e2d/note`,
      headers: { Authorization: `Bearer ${token}`, cookie: 'sid=zzzz99998888' },
      body: 'note=Grey+Petrel&pin=4711&proof=ZWJiLWFuZC1mbG93LTc3',
      type: 'application/x-www-form-urlencoded',
      status: 302,
      answered: { location: '/api/v1/cart/c-0f1e2d' },
    },
    {
      url: `${site}/api/v1/cart/c-0f1e2d`,
      headers: { Authorization: `Bearer ${token}` },
      answer: [
        { id: 1, a: 'x' },
        { id: 2, a: null },
      ],
    },
    {
      url: `${site}/api/v1/cart/c-0f1e2d`,
      headers: { Authorization: `Bearer ${token}` },
      answer: [
        { id: 1, a: 'x' },
        { id: 2, a: null },
      ],
    },
  ]);
  const folder = folderWith(t, { 'a visit.har': recording });
  const ended = await mervok(folder, ['import', 'a visit.har']);
  assert.equal(ended.code, 0, ended.err);
  assert.match(ended.err, /1 request left out: pictures, scripts, styles and fonts\.\n/);
  assert.match(ended.err, /1 request left out: they went to other hosts\.\n/);
  assert.match(ended.err, /1 request left out: a browser asks by itself whether it may ask \(CORS\)\.\n/);
  const page = readFileSync(join(folder, 'a-visit.md'), 'utf8');
  assert.match(
    page,
    /^---\nheaders:\n {2}Cookie: "sid=\{sid\}; theme=\{theme\}"\n---\n# A visit\n\n## Post login\n\n```http\nPOST \/api\/v1\/login\nContent-Type: application\/json\n\n\{ "user": "mira", "password": "\{password\}" \}\n```\n\n```mervok\nstatus = 200\n\$ includes \{ "token": text, "user": object \}\nkeep \$\.token as secret token\n```/,
  );
  assert.match(
    page,
    /## Get berths\n\n```yaml settings\nauth: \{ bearer: "\{token\}" \}\n```\n\n```http\nGET \/api\/v1\/berths\?state=free\nAccept: application\/json\n```\n\n```mervok\nstatus = 200\n\$ includes \{ "berths": list \}\nkeep \$\.berths\[1\]\.id as berth-id\n/,
  );
  assert.match(
    page,
    /POST \/api\/v1\/cart\nX-Trace: abc\nContent-Type: application\/json\n\n\{ "berthId": \{berth-id\}, "nights": 3, "note": "Grey Petrel", "again": "\{password\}" \}\n/,
  );
  assert.match(
    page,
    /status = 201\n\$ includes \{ "cartId": text, "note": text, "total": number \}\nkeep \$\.cartId as cart-id|keep location/,
  );
  assert.match(page, /PUT \/api\/v1\/cart\/\{cart-id\}\/note\n/);
  assert.match(page, /pin = \{pin\}\n/);
  assert.match(page, /each \$\[\*\] includes \{ "id": number \}/);
  // The redirect is followed; what it led to is no case of its own.
  assert.equal([...page.matchAll(/^## /gm)].length, 5);
  for (const secret of [
    'ebb-and-flow-77',
    token,
    'zzzz99998888',
    'abcdef123456',
    '4711',
    'ZWJiLWFuZC1mbG93LTc3',
  ])
    assert.ok(!page.includes(secret), secret);
  assert.match(ended.err, /a-visit\.md held a secret in another form; \[secret\] stands in its place\./);
  const secrets = readFileSync(join(folder, 'mervok.secret.yaml'), 'utf8');
  assert.match(secrets, /password: ebb-and-flow-77\n/);
  assert.equal(statSync(join(folder, 'mervok.secret.yaml')).mode & 0o777, 0o600);
  assert.match(
    readFileSync(join(folder, 'mervok.yaml'), 'utf8'),
    /production:\n {4}server: "https:\/\/shop\.skerry\.example"\n# None is chosen/,
  );
  assert.equal((await mervok(folder, ['lint'])).code, 0);
  // Beside what is there it brings its own base, and takes no page's place.
  const second = await mervok(folder, ['import', 'a visit.har']);
  assert.match(second.out, /^written {2}a-visit-2\.md, 5 cases\n/);
  assert.match(readFileSync(join(folder, 'a-visit-2.md'), 'utf8'), /^---\nbase: "\{server\}"\n/);
  assert.ok(existsSync(join(folder, 'a-visit.md')));
});
