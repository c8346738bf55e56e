import assert from 'node:assert/strict';
import { readFileSync, writeFileSync } from 'node:fs';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const http = (text: string) => `\`\`\`http\n${text}\n\`\`\`\n`;
const statements = (text: string) => `\`\`\`mervok\n${text}\n\`\`\`\n`;

const page = `# Berths

## Reserve one

${http('POST /berths/0417/reservations\nContent-Type: application/json\n\n{ "nights": {nights}, "key": "{key}" }')}
${statements('keep $.id as reservation')}
## Read it

${http('GET /reservations/{reservation}')}
## Give it back

${statements('cleanup')}
${http('DELETE /reservations/{reservation}')}
`;

/** An office that takes reservations, each with an id of its own. @param remembers whether a berth that is taken stays so */
async function office(t: TestContext, remembers = true): Promise<string> {
  const reservations = new Map<string, number>();
  let next = 4711;
  let isTaken = false;
  const answer = (response: ServerResponse, status: number, body?: object, headers = {}) => {
    response.writeHead(status, { ...(body && { 'Content-Type': 'application/json' }), ...headers });
    response.end(body && JSON.stringify(body));
  };
  return serve(t, (request: IncomingMessage, response) => {
    let text = '';
    request.on('data', chunk => (text += chunk));
    request.on('end', () => {
      const id = /\d+$/.exec(request.url!)?.[0] ?? '';
      if (request.method === 'POST') {
        if (isTaken && remembers) return answer(response, 409, { title: 'Not free' });
        const { nights, key } = JSON.parse(text) as { nights: number; key: string };
        isTaken = true;
        reservations.set(String(next), nights);
        const made = { id: next, berth: '0417', nights, fee: nights * 41.5, key };
        return answer(response, 201, made, { Location: `/reservations/${next++}` });
      }
      if (request.method === 'DELETE') isTaken = false;
      const nights = reservations.get(id)!;
      return request.method === 'DELETE'
        ? answer(response, 204)
        : answer(response, 200, { id: Number(id), berth: '0417', nights });
    });
  });
}

const settings = (url: string) =>
  `title: Berths\nbase: ${url}\nvariables: { nights: 3, key: { secret: spring-tide } }\n`;

async function collection(
  t: TestContext,
  pages: { [path: string]: string } = { 'berths.md': page },
  remembers = true,
) {
  return folderWith(t, { 'mervok.yaml': settings(await office(t, remembers)), ...pages });
}

test('suggest sends twice and prints checks to be pasted; --write puts them into the page, and they hold', async t => {
  const folder = await collection(t);
  const { code, out, err } = await mervok(folder, ['suggest', 'berths.md']);
  assert.equal(code, 0, err);
  assert.match(
    out,
    /^POST \/berths\/0417\/reservations {2}berths\.md:6, 2 answers\n\n```mervok\nstatus = 201 /,
  );
  for (const check of [
    '$.nights = {nights}',
    String.raw`location /([^\/]+)$/ = $.id`,
    '$.id = {reservation}',
  ])
    assert.ok(out.includes(`\n${check} `), `${check}: ${out}`);
  const written = await mervok(folder, ['suggest', 'berths.md', '--write']);
  assert.match(written.out, /^written {2}\d+ checks into berths\.md\n$/);
  const ran = await mervok(folder, ['run']);
  assert.equal(ran.code, 0, ran.out);
  const again = await mervok(folder, ['suggest', 'berths.md', '--write']);
  assert.equal(again.out, 'No check had to be written.\n');
});

test('no secret is in what is proposed, doubted or written', async t => {
  const folder = await collection(t);
  const outputs = [
    await mervok(folder, ['suggest', 'berths.md', '--all', '--values']),
    await mervok(folder, ['suggest', 'berths.md', '--json', '--values']),
    await mervok(folder, ['suggest', 'berths.md', '--write', '--values']),
    await mervok(folder, ['run', '--quiet']),
    await mervok(folder, ['suggest', '--from', 'last', '--values', '--all']),
    ...(await Promise.all(
      ['html', 'md', 'json', 'txt'].map(form => mervok(folder, ['doubt', '-o', `doubt.${form}`])),
    )),
    await mervok(folder, ['contract', '-o', 'berths.contract.json']),
  ];
  for (const { out, err, code } of outputs) {
    assert.equal(code, 0, err);
    assert.ok(!`${out}${err}`.includes('spring-tide'), out);
  }
  for (const file of [
    'berths.md',
    'doubt.html',
    'doubt.md',
    'doubt.json',
    'doubt.txt',
    'berths.contract.json',
  ])
    assert.ok(!readFileSync(join(folder, file), 'utf8').includes('spring-tide'), file);
});

test('a case that cannot be sent twice is looked at with the one answer; one that does not pass is left out', async t => {
  const alone = page.replace(/## Give it back[\s\S]*/, '');
  const folder = await collection(t, { 'berths.md': alone });
  const { code, out, err } = await mervok(folder, ['suggest', 'berths.md#reserve-one']);
  assert.equal(code, 0);
  assert.match(out, /berths\.md:6, 1 answer\n/);
  assert.match(
    err,
    /^berths\.md#reserve-one has passed once and not a second time \(failed\), so there is one answer to go by\./,
  );
  const failing = await collection(t, {
    'berths.md': `${alone}\n## Wrong\n\n${http('DELETE /reservations/1')}${statements('status = 404')}`,
  });
  const wrong = await mervok(failing, ['suggest', 'berths.md#wrong']);
  assert.equal(wrong.code, 1);
  assert.match(wrong.err, /^berths\.md#wrong is left out, since it has not passed \(failed\)\.\n/);
});

test('suggest --from looks at runs on record, and sends nothing', async t => {
  const folder = await collection(t);
  const runs = ['one.ndjson', 'two.ndjson'];
  for (const file of runs) assert.equal((await mervok(folder, ['run', '-o', file])).code, 2);
  writeFileSync(
    join(folder, 'berths.md'),
    page.replace('keep $.id as reservation', 'status = 201\nkeep $.id as reservation'),
  );
  for (const file of runs) assert.equal((await mervok(folder, ['run', '-o', file])).code, 0);
  const { out, code } = await mervok(folder, ['suggest', '--from', ...runs, '--json']);
  assert.equal(code, 0);
  const { format, version, requests } = JSON.parse(out) as {
    format: string;
    version: number;
    requests: {
      request: string;
      answers: number;
      checks: { check: string; reason: string; pattern: string }[];
    }[];
  };
  assert.deepEqual([format, version], ['mervok-suggestions', 1]);
  assert.deepEqual(
    requests.map(({ request, answers }) => `${request.replace(/\d{4}$/, 'ID')} ${answers}`),
    ['POST /berths/0417/reservations 2', 'GET /reservations/ID 2', 'DELETE /reservations/ID 2'],
  );
  assert.ok(
    requests[1]!.checks.some(({ check, pattern }) => check === '$.id = {reservation}' && pattern === 'echo'),
  );
});

const checked = page
  .replace('keep $.id as reservation', 'status = 201\n$.nights = {nights}\nkeep $.id as reservation')
  .replace(
    'GET /reservations/{reservation}\n```\n',
    'GET /reservations/{reservation}\n```\n\n```mervok\nstatus = 200\n```\n',
  );

test('doubt takes the last run that has passed, tells the share, and --at-least is an exit code', async t => {
  const folder = await collection(t, { 'berths.md': checked });
  const none = await mervok(folder, ['doubt']);
  assert.deepEqual([none.code, none.err], [2, "No run is on record here. Every 'mervok run' leaves one.\n"]);
  assert.equal((await mervok(folder, ['run', '--quiet'])).code, 0);
  writeFileSync(join(folder, 'berths.md'), checked.replace('status = 200', 'status = 201'));
  assert.equal((await mervok(folder, ['run', '--quiet'])).code, 1);
  writeFileSync(join(folder, 'berths.md'), checked);
  const { code, out } = await mervok(folder, ['doubt']);
  assert.equal(code, 0);
  assert.match(out, /unnoticed {2}\$\.berth: is gone; .*"0417" becomes "3740"/);
  assert.match(out, /^\d+ of \d+ changes are noticed, [\d.]+ %\. \d+ more/m);
  const least = await mervok(folder, ['doubt', '--at-least', '99 %', '--json']);
  assert.deepEqual([least.code, least.err], [1, 'Less than 99 % is noticed of what a check could notice.\n']);
  const digest = JSON.parse(least.out) as {
    format: string;
    noticed: number;
    countable: number;
    cases: object[];
  };
  assert.equal(digest.format, 'mervok-doubt');
  assert.ok(digest.noticed < digest.countable && digest.cases.length === 3);
  assert.equal((await mervok(folder, ['doubt', '--at-least', '10 %'])).code, 0);
  const last = await mervok(folder, ['doubt', '--run', 'last']);
  assert.match(last.out, /left out {3}berths\.md#read-it: failed in this run\./);
});

test('doubt without a run that has passed says what can be looked at', async t => {
  const folder = await collection(t, { 'berths.md': checked.replace('status = 200', 'status = 201') });
  assert.equal((await mervok(folder, ['run', '--quiet'])).code, 1);
  const { code, err } = await mervok(folder, ['doubt']);
  assert.equal(code, 2);
  assert.match(err, /^No run on record has passed\. .*mervok doubt --run last\n$/);
});

const definition = `openapi: 3.1.0
info: { title: Office, version: "1" }
paths:
  /berths/{berth}/reservations:
    parameters: [{ name: berth, in: path, required: true, schema: { type: string } }]
    post: { responses: { "201": { description: Made, content: { application/json: { schema: { $ref: "#/components/schemas/R" } } } } } }
  /reservations/{id}:
    parameters: [{ name: id, in: path, required: true, schema: { type: string } }]
    get: { responses: { "200": { description: One, content: { application/json: { schema: { $ref: "#/components/schemas/R" } } } } } }
    delete: { responses: { "204": { description: Gone } } }
components: { schemas: { R: { type: object, required: [id, nights], properties: { id: { type: integer }, nights: { type: NIGHTS }, note: { type: string } } } } }
`;

test('contract: written, beside a definition, a run and itself, and who relies on what', async t => {
  const folder = await collection(t, {
    'berths.md': checked.replace('$.nights = {nights}', '$.nights is integer'),
    'good.yaml': definition.replace('NIGHTS', 'integer'),
    'bad.yaml': definition.replace('NIGHTS', '[integer, "null"]'),
  });
  const written = await mervok(folder, ['contract', '-o', 'berths.contract.json']);
  assert.equal(written.out, 'written  berths.contract.json\n');
  const good = await mervok(folder, ['contract', '--against', 'good.yaml']);
  assert.deepEqual([good.code, good.err], [0, '']);
  assert.match(
    good.out,
    /^Nothing in good\.yaml breaks what these pages rely on; \d+ parts were looked at\.\n$/,
  );
  const bad = await mervok(folder, ['contract', '--against', 'bad.yaml']);
  assert.equal(bad.code, 1);
  assert.match(
    bad.out,
    /^broken {2}POST \/berths\/0417\/reservations {2}201 {2}\$\.nights\n {8}it may be null, and has to be integer\n {8}berths\.md:14, berths\.md#reserve-one\n/,
  );
  assert.equal((await mervok(folder, ['contract', '--against', 'berths.contract.json'])).code, 0);
  assert.equal((await mervok(folder, ['run', '--quiet'])).code, 0);
  const seen = await mervok(folder, ['contract', '--against', 'last']);
  assert.equal(seen.code, 0, seen.out);
  const other = JSON.parse(readFileSync(join(folder, 'berths.contract.json'), 'utf8')) as {
    consumer: string;
  };
  writeFileSync(join(folder, 'pilots.json'), JSON.stringify({ ...other, consumer: 'Pilots' }));
  const table = await mervok(folder, ['contract', 'berths.contract.json', 'pilots.json']);
  assert.match(table.out, /^POST \/berths\/0417\/reservations {2}Berths, Pilots$/m);
  const unused = await mervok(folder, ['contract', 'pilots.json', '--unused', 'good.yaml']);
  assert.match(unused.out, /^GET \/reservations\/\{id\}\n {2}\$\.id, \$\.nights, \$\.note$/m);
  const clashes: [RegExp, ...string[]][] = [
    [/--strict is for --against/, '--strict'],
    [/--against is for pages/, 'pilots.json', '--against', 'good.yaml'],
    [/give one of them at a time/, '--against', 'good.yaml', '--unused', 'good.yaml'],
    [/--output writes the contract of pages alone/, '--against', 'good.yaml', '-o', 'x.json'],
    [/--output writes the contract of pages alone/, '--unused', 'good.yaml', '-o', 'x.json'],
    [/--output writes the contract of pages alone/, 'pilots.json', '-o', 'x.json'],
    [/cannot be looked at together/, 'pilots.json', 'berths.md'],
  ];
  for (const [said, ...words] of clashes) {
    const { code, out, err } = await mervok(folder, ['contract', ...words]);
    assert.deepEqual([code, out], [2, ''], words.join(' '));
    assert.match(err, said);
  }
});
