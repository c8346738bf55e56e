import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

interface Harbour {
  readonly origin: string;
  readonly asked: string[];
}

/** Answers with what it was asked; a mooring is moored from the third question on, and some paths say what is wrong. */
async function harbour(t: TestContext): Promise<Harbour> {
  const asked: string[] = [];
  const origin = await serve(t, async (request, response) => {
    const body = await bodyOf(request);
    const line = `${request.method} ${request.url}`;
    asked.push(line);
    const times = asked.filter(each => each === line).length;
    const [, status = '200'] = /status=(\d+)/.exec(request.url!) ?? [];
    response.writeHead(Number(status), { 'Content-Type': 'application/json' });
    response.end(
      JSON.stringify({
        id: asked.length,
        url: request.url,
        body,
        state: times < 3 ? 'waiting' : 'moored',
        times,
      }),
    );
  });
  return { origin, asked };
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  let body = '';
  for await (const chunk of request) body += chunk;
  return body;
}

const fence = (info: string, content: string) => `~~~${info}\n${content}\n~~~\n\n`;
const part = (title: string, ...fences: [info: string, content: string][]) =>
  `## ${title}\n\n${fences.map(([info, content]) => fence(info, content)).join('')}`;

/** Runs a page and gives each case's `title: outcome`, rows with their number. */
async function outcomes(
  t: TestContext,
  { origin }: Harbour,
  files: { [path: string]: string },
  ...args: string[]
): Promise<{ told: string[]; code: number | null; out: string; folder: string; report: Report }> {
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, ...files });
  const { code, out, err } = await mervok(folder, ['run', ...args, '-o', 'report.json']);
  assert.ok(code !== 2, out + err);
  const report = JSON.parse(readFileSync(join(folder, 'report.json'), 'utf8')) as Report;
  const cases = report.pages.flatMap(page => page.cases);
  const told = cases.map(({ title, outcome, row }) => `${title}${row ? ` ${row.number}` : ''}: ${outcome}`);
  return { told, code, out, folder, report };
}

interface Report {
  pages: {
    cases: {
      title: string;
      outcome: string;
      row?: { number: number; total: number; values: string };
      because?: string;
      checks: {
        text: string;
        holds: string;
        found?: string;
        origins?: { origin: string; value: string }[];
      }[];
    }[];
  }[];
}

test('each row of a fence: plain cells, an outcome for each, lists outside', async t => {
  const server = await harbour(t);
  const page =
    fence('csv rows vessels', 'name, length, code, fine\n"Gull, the", 12.5, 0417, yes\nPetrel, 7, "12", no') +
    part(
      'Register',
      ['mervok', 'each row of vessels'],
      ['http', 'POST /vessels?fine={fine}\n\n{ "name": "{name}", "length": {length}, "code": {code} }'],
      [
        'mervok',
        'parse($.body) includes { "name": {name}, "length": {length} }\n{fine} = "yes"\nkeep $.id as vessel\nlet double = {length} * 2',
      ],
    ) +
    part(
      'Afterwards',
      ['http', 'GET /vessels/{vessel.1}?double={double.0}'],
      ['mervok', 'count {vessel} = 2\n{double} = [25, 14]'],
    );
  const { told, code, report, out } = await outcomes(t, server, { 'a.md': page });
  assert.deepEqual(told, ['Register 1: passed', 'Register 2: failed', 'Afterwards: passed']);
  assert.equal(code, 1);
  const [first, second] = report.pages[0]!.cases;
  assert.deepEqual(first!.row, {
    number: 1,
    total: 2,
    values: 'name Gull, the, length 12.5, code 0417, fine yes',
  });
  const failed = second!.checks.find(({ holds }) => holds === 'no')!;
  assert.deepEqual(failed.origins, [
    { name: 'fine', value: '"no"', origin: 'from row 2 of the rows vessels' },
  ]);
  assert.match(out, /row 2 of 2: name Petrel/);
  assert.deepEqual(server.asked, [
    'POST /vessels?fine=yes',
    'POST /vessels?fine=no',
    'GET /vessels/2?double=25',
  ]);
});

test('each row of a file: other delimiters, a byte order mark, JSON and lines of JSON', async t => {
  const page = (table: string) =>
    part(
      'Each',
      ['mervok', `each row of ${table}`],
      ['http', 'GET /x?code={code}'],
      ['mervok', '{depth} > 2'],
    );
  const tables: { [file: string]: string } = {
    'comma.csv': '\uFEFFcode,depth\r\n0417,4\r\n0418,3\r\n',
    'semicolon.csv': 'code;depth\n0417;4\n\n0418;3',
    'tab.tsv': 'code\tdepth\n0417\t4\n0418\t3\n',
    'bar.csv': 'code|depth\n"0417"|4\n0418|3\n',
    'list.json': '[{"code":"0417","depth":4},{"depth":3,"code":"0418"}]',
    'lines.ndjson': '{"code":"0417","depth":4}\n\n{"code":"0418","depth":3}\n',
  };
  for (const [file, text] of Object.entries(tables)) {
    const server = await harbour(t);
    const { told } = await outcomes(t, server, {
      'a.md': page(`"tables/${file}"`),
      [`tables/${file}`]: text,
    });
    assert.deepEqual(told, ['Each 1: passed', 'Each 2: passed'], file);
    assert.deepEqual(server.asked, ['GET /x?code=0417', 'GET /x?code=0418'], file);
  }
});

test('a cell in quotes stays a text where JSON is written, another becomes what it is written as', async t => {
  const server = await harbour(t);
  const page =
    fence('csv rows cells', 'a,b,c,d\n"12",12,0417,true') +
    part(
      'Each',
      ['mervok', 'each row of cells'],
      ['http', 'POST /x\n\n[{a}, {b}, {c}, {d}]'],
      ['mervok', '$.body = "[\\"12\\", 12, \\"0417\\", true]"\n{a} = 12'],
    );
  const { told } = await outcomes(t, server, { 'a.md': page });
  assert.deepEqual(told, ['Each 1: passed']);
});

test('tables that cannot be used are told before anything is sent', async t => {
  const rows: [table: string, text: string, says: RegExp][] = [
    ['none.csv', '', /table-form.*\n.*none\.csv.*it is empty/],
    ['head.csv', 'a,b\n', /table-form.*\n.*holds no rows/],
    ['ragged.csv', 'a,b\n1,2\n3\n', /table-form.*\n.*ragged\.csv:3.*more or fewer cells/],
    ['quote.csv', 'a,b\n"1,2\n', /table-form.*\n.*quote is opened/],
    ['twice.csv', 'a,a\n1,2\n', /table-form.*\n.*two columns have the name 'a'/],
    ['nameless.csv', 'a,,c\n1,2,3\n', /table-form.*\n.*column 2 has no name/],
    ['object.json', '{"a":1}', /table-form.*\n.*an object, and a list/],
    ['items.json', '["a"]', /table-form.*\n.*row 1 is a text/],
    ['broken.json', '[\n{"a":}]', /table-form.*\n.*broken\.json:2/],
    ['missing.csv', undefined as never, /file-missing.*\n.*'missing\.csv' is not in the collection/],
    ['feees', undefined as never, /file-missing.*\n.*Did you mean 'fees'/],
    ['outside.csv', 'b\n1\n', /name-unknown.*\n.*'a' has no value anywhere\. Did you mean 'b'/],
  ];
  for (const [table, text, says] of rows) {
    const page =
      fence('csv rows fees', 'a\n1') +
      part(
        'Each',
        ['mervok', `each row of ${table}`],
        ['http', 'GET http://skerry.example/{a}'],
        ['mervok', 'status = 200'],
      );
    const folder = folderWith(t, { 'a.md': page, ...(text !== undefined && { [table]: text }) });
    const { code, err } = await mervok(folder, ['run', 'a.md']);
    assert.equal(code, 2, table);
    assert.match(err, says, table);
    assert.match(err, /Nothing was sent\./);
  }
});

test('each item of a list, some of them skipped; what a skip leaves open is skipped too', async t => {
  const server = await harbour(t);
  const page =
    fence('yaml settings', 'variables: { codes: ["0417", "0418", "0733"], none: [], word: quay }') +
    part(
      'Each',
      ['mervok', 'each {codes} as code\nskip when {code} = "0418"'],
      ['http', 'GET /x?code={code}'],
      ['mervok', 'status = 200\nkeep $.id as seen'],
    ) +
    part('Afterwards', ['http', 'GET /y'], ['mervok', 'count {seen} = 2']) +
    part(
      'Never',
      ['mervok', 'skip when 1 = 1'],
      ['http', 'GET /never'],
      ['mervok', 'status = 200\nkeep $.id as never'],
    ) +
    part('Follows', ['http', 'GET /never/{never}'], ['mervok', 'status = 200']) +
    part('Undecided', ['http', 'GET /z'], ['mervok', 'skip when $.nothing = 1\nstatus = 200']) +
    part('Nobody', ['mervok', 'each {none} as one'], ['http', 'GET /n?{one}'], ['mervok', 'status = 200']) +
    part('No list', ['mervok', 'each {word} as one'], ['http', 'GET /w?{one}'], ['mervok', 'status = 200']);
  const settings = page.slice(0, page.indexOf('## Each'));
  const front = `---\n${/variables.*/.exec(settings)![0]}\n---\n`;
  const { told, report, out } = await outcomes(t, server, { 'a.md': front + page.slice(settings.length) });
  assert.deepEqual(told, [
    'Each 1: passed',
    'Each 2: skipped',
    'Each 3: passed',
    'Afterwards: passed',
    'Never: skipped',
    'Follows: skipped',
    'Undecided: failed',
    'Nobody: error',
    'No list: error',
  ]);
  assert.equal(report.pages[0]!.cases[1]!.because, 'skip when {code} = "0418"');
  assert.match(out, /\{none\} is empty, so there is nothing to run it for/);
  assert.match(out, /\{word\} is a text, no list/);
  assert.ok(!server.asked.some(line => line.includes('never') || line.includes('0418')));
});

test('repeat sends again until its condition holds, and says what it saw last when it does not', async t => {
  const server = await harbour(t);
  const page =
    part(
      'Moors',
      ['mervok', 'repeat every 5 ms for 20 s until $.state = "moored"'],
      ['http', 'GET /mooring'],
      ['mervok', '$.times = 3\nkeep $.times as times'],
    ) +
    part(
      'Never',
      ['mervok', 'repeat every 5 ms for 40 ms until $.state = "sunk"'],
      ['http', 'GET /sinking'],
      ['mervok', 'status = 200'],
    ) +
    part(
      'No time',
      ['mervok', 'let pause = "soon"\nrepeat every {pause} for 20 s until $.times >= 2'],
      ['http', 'GET /soon'],
      ['mervok', 'status = 200'],
    ) +
    part(
      'Alone',
      ['mervok', 'let pause = 1 ms\nrepeat every {pause} for 20 s until $.times >= {times}'],
      ['http', 'GET /alone'],
    );
  const { told, report, code } = await outcomes(t, server, { 'a.md': page });
  assert.deepEqual(told, ['Moors: passed', 'Never: failed', 'No time: error', 'Alone: passed']);
  assert.equal(code, 1);
  const [moors, never] = report.pages[0]!.cases;
  assert.equal(moors!.checks[0]!.text, 'repeat every 5 ms for 20 s until $.state = "moored"');
  assert.deepEqual(
    never!.checks.map(({ holds, found }) => [holds, found]),
    [
      ['no', '"moored"'],
      ['yes', undefined],
    ],
  );
  assert.equal(server.asked.filter(line => line === 'GET /mooring').length, 3);
  assert.ok(!server.asked.includes('GET /soon'));
});

test('cleanup runs at the end, whatever failed; what never came about needs none', async t => {
  const server = await harbour(t);
  const make = (name: string, path = '/berths') =>
    part(`Make ${name}`, ['http', `POST ${path}`], ['mervok', `status = 200\nkeep $.id as ${name}`]);
  const clean = (name: string) =>
    part(
      `Clean ${name}`,
      ['mervok', 'cleanup'],
      ['http', `DELETE /berths/{${name}}`],
      ['mervok', 'status = 200'],
    );
  const files = {
    'a.md':
      make('first') +
      clean('first') +
      part('Fails', ['http', 'GET /x?status=500'], ['mervok', 'status = 200']),
    'b.md':
      clean('second') +
      make('second') +
      part('Keeps nothing', ['http', 'GET /y'], ['mervok', 'keep $.none as third']) +
      clean('third'),
  };
  const { told, code, out } = await outcomes(t, server, files);
  assert.deepEqual(told, [
    'Make first: passed',
    'Fails: failed',
    'Make second: passed',
    'Keeps nothing: failed',
    'Clean second: passed',
    'Clean third: skipped',
    'Clean first: passed',
  ]);
  assert.equal(code, 1);
  assert.match(out, /b, cleaning up|cleaning up/);
  assert.deepEqual(server.asked.slice(-2), ['DELETE /berths/3', 'DELETE /berths/1']);

  // A selection that makes the name takes its cleaning up along; one that does not leaves it out.
  const one = await outcomes(t, server, files, 'a.md#make-first');
  assert.deepEqual(one.told, ['Make first: passed', 'Clean first: passed']);
  const other = await outcomes(t, server, files, 'a.md#fails');
  assert.deepEqual(other.told, ['Make first: passed', 'Fails: failed', 'Clean first: passed']);
  const alone = await outcomes(t, server, files, 'a.md#fails', '--alone');
  assert.deepEqual(alone.told, ['Fails: failed']);
});

test('an interrupt lets what was made be cleaned up', async t => {
  let ask = () => {};
  const asked = new Promise<void>(resolve => {
    ask = resolve;
  });
  const seen: string[] = [];
  const origin = await serve(t, (request, response) => {
    seen.push(`${request.method} ${request.url}`);
    if (request.url === '/hangs') return ask();
    response.writeHead(200, { 'Content-Type': 'application/json' });
    response.end('{"id":7}');
  });
  const page =
    part('Make', ['http', 'POST /berths'], ['mervok', 'keep $.id as berth\nstatus = 200']) +
    part('Hangs', ['http', 'GET /hangs'], ['mervok', 'status = 200']) +
    part('Clean', ['mervok', 'cleanup'], ['http', 'DELETE /berths/{berth}'], ['mervok', 'status = 200']);
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'a.md': page });
  const { code } = await mervok(folder, ['run'], {}, child => asked.then(() => child.kill('SIGINT')));
  assert.equal(code, 130);
  assert.deepEqual(seen, ['POST /berths', 'GET /hangs', 'DELETE /berths/7']);
});

test('schemas: fences and files, one referring to another; every part that does not fit is told with its place', async t => {
  const server = await harbour(t);
  const files = {
    'schemas/answer.json':
      '{ "$schema": "http://json-schema.org/draft-07/schema#", "properties": { "state": { "$ref": "parts/state.json#/definitions/state" } } }',
    'schemas/parts/state.json': '{ "definitions": { "state": { "enum": ["moored", "sunk"] } } }',
    'a.md':
      fence(
        'json schema answer',
        '{ "type": "object", "required": ["id", "fee"], "properties": { "id": { "type": "string" }, "url": { "format": "uuid" } } }',
      ) +
      part(
        'Fits',
        ['http', 'GET /x'],
        ['mervok', '$ fits answer\nbody fits "schemas/answer.json"\n$ not fits answer\n$.none fits answer'],
      ),
  };
  const { report, out } = await outcomes(t, server, files);
  const { checks } = report.pages[0]!.cases[0]! as unknown as {
    checks: { holds: string; differences?: unknown }[];
  };
  assert.deepEqual(
    checks.map(({ holds }) => holds),
    ['no', 'no', 'yes', 'unknown'],
  );
  assert.deepEqual(checks[0]!.differences, [
    { at: '$', expected: "a member 'fee'", found: 'an object with id, url, body, state, times' },
    { at: '$.id', expected: 'a text', found: '1' },
    { at: '$.url', expected: 'a text of the format uuid', found: '"/x"' },
  ]);
  assert.deepEqual(checks[1]!.differences, [
    { at: '$.state', expected: 'one of "moored", "sunk"', found: '"waiting"' },
  ]);
  assert.match(out, /\$\.id {3,}expected a text\n +found {4}1/);
});

test('what would take forever ends in a message', async t => {
  const bombs: { [path: string]: [type: string, body: string] } = {
    '/xml': [
      'application/xml',
      `<!DOCTYPE a [<!ENTITY a "${'a'.repeat(100)}">${'bcdefgh'.replace(/./g, (name, at) => `<!ENTITY ${name} "${`&${'abcdefgh'[at]};`.repeat(20)}">`)}]><a>&h;</a>`,
    ],
    '/nested': ['application/xml', '<a>'.repeat(50_000) + '</a>'.repeat(50_000)],
    '/outside': ['application/xml', '<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/hostname">]><a>&x;</a>'],
    '/deep': ['application/json', `${'['.repeat(200_000)}${']'.repeat(200_000)}`],
    '/text': [
      'application/json',
      `{"text":"${'a'.repeat(5000)}!","list":${JSON.stringify(Array(2000).fill(`${'a'.repeat(40)}!`))}}`,
    ],
  };
  const origin = await serve(t, (request, response) => {
    const [type, body] = bombs[request.url!]!;
    response.writeHead(200, { 'Content-Type': type });
    response.end(body);
  });
  const get = (path: string, statements: string) =>
    part(path.slice(1), ['http', `GET ${path}`], ['mervok', statements]);
  const page =
    fence('json schema slow', '{ "properties": { "text": { "pattern": "^(a+)+$" } } }') +
    get('/xml', 'xml/a = "a"') +
    get('/nested', 'xml//a//a//a exists') +
    get('/outside', 'xml/a = ""') +
    get('/deep', 'count $..[0] = 1') +
    get(
      '/text',
      '$.text matches /^(a+)+$/\n$.text matches /^(a+)+(?=$)$/\neach $.list[*] matches /^(a|aa)+(?<=b)$/\n$ fits slow\nfind($.text, /(x+x+)+y/) = 1\ncount $[?search(@, "^(a+)+$")] = 1',
    );
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'a.md': page });
  const { code, out } = await mervok(folder, ['run']);
  assert.equal(code, 1);
  assert.match(out, /too much entity expansion/);
  const told = out.replace(/\s+/g, ' ');
  assert.match(told, /nested deeper than 200 levels/);
  assert.match(told, /external entity/);
  assert.match(told, /the pattern takes longer than 1 s/);
  assert.match(told, /the comparison with the schema takes longer than 2 s/);
  assert.ok(!/^passed/m.test(out));

  const yaml = `a: &a [x, x]\n${'bcdefghij'.replace(/./g, (name, at) => `${name}: &${name} [*${'abcdefghi'[at]}, *${'abcdefghi'[at]}, *${'abcdefghi'[at]}, *${'abcdefghi'[at]}]\n`)}`;
  const other = folderWith(t, {
    'mervok.yaml': `variables:\n${yaml.replace(/^/gm, '  ')}\n`,
    'a.md': get('/x', 'status = 200'),
  });
  const lint = await mervok(other, ['lint']);
  assert.equal(lint.code, 2);
  assert.match(lint.out, /yaml-form|setting-form/);
});

test('with a seed, chance takes the same turns every time', async t => {
  const page = part(
    'Chance',
    ['mervok', 'let a = uuid()\nlet b = random(1, 1000000)\nlet c = pick(["a", "b", "c", "d"])'],
    ['http', 'GET /x?{a}&{b}&{c}'],
    ['mervok', 'status = 200\n{a} is uuid\n{b} between 1 and 1000000'],
  );
  const asked = async (...args: string[]) => {
    const server = await harbour(t);
    const { told } = await outcomes(t, server, { 'a.md': page }, '--rounds', '2', ...args);
    assert.deepEqual(told, ['Chance: passed', 'Chance: passed']);
    return server.asked;
  };
  const [first, again, other] = [
    await asked('--seed', 'gull'),
    await asked('--seed', 'gull'),
    await asked('--seed', '7'),
  ];
  assert.deepEqual(first, again);
  assert.notDeepEqual(first, other);
  assert.notEqual(first[0], first[1]);
});

test('send: of rows the first goes out, and nothing is cleaned up behind it', async t => {
  const server = await harbour(t);
  const page =
    fence('csv rows codes', 'code\n0417\n0418') +
    part(
      'Make',
      ['mervok', 'each row of codes'],
      ['http', 'POST /x?{code}'],
      ['mervok', 'status = 200\nkeep $.id as made'],
    ) +
    part('Read', ['mervok', 'each {made} as one'], ['http', 'GET /x/{one}'], ['mervok', 'status = 200']) +
    part('Clean', ['mervok', 'cleanup'], ['http', 'DELETE /x/{made.0}'], ['mervok', 'status = 200']);
  const folder = folderWith(t, { 'mervok.yaml': `base: ${server.origin}\n`, 'a.md': page });
  const { code, out, err } = await mervok(folder, ['send', 'a.md#read', '--pick', '$.url']);
  assert.deepEqual([code, out, err], [0, '/x/1\n', '']);
  assert.deepEqual(server.asked, ['POST /x?0417', 'POST /x?0418', 'GET /x/1']);
});
