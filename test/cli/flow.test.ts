import assert from 'node:assert/strict';
import { createPrivateKey } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { caseOf, caseText, fence } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';
import { clientFiles, serveTls } from '../support/tls.ts';

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

/** Runs a page and gives each case's `title: outcome`, rows with their number. */
async function outcomes(
  t: TestContext,
  { origin }: Harbour,
  files: { [path: string]: string },
  ...args: string[]
): Promise<{ told: string[]; out: string }> {
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, ...files });
  const { code, out, err } = await mervok(folder, ['run', ...args, '-o', 'report.json']);
  assert.ok(code !== 2, out + err);
  const report = JSON.parse(readFileSync(join(folder, 'report.json'), 'utf8')) as Report;
  const cases = report.pages.flatMap(page => page.cases);
  const told = cases.map(({ title, outcome, row }) => `${title}${row ? ` ${row.number}` : ''}: ${outcome}`);
  return { told, out };
}

interface Report {
  pages: { cases: { title: string; outcome: string; row?: { number: number } }[] }[];
}

test('each row of a file: other delimiters, a byte order mark, JSON and lines of JSON', async t => {
  const page = (table: string) =>
    caseOf(
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
    const { told, out } = await outcomes(t, server, {
      'a.md': page(`"tables/${file}"`),
      [`tables/${file}`]: text,
    });
    assert.deepEqual(told, ['Each 1: passed', 'Each 2: passed'], file);
    assert.match(out, /Passed: 2 cases/);
    assert.deepEqual(server.asked, ['GET /x?code=0417', 'GET /x?code=0418'], file);
  }
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
    caseOf(path.slice(1), ['http', `GET ${path}`], ['mervok', statements]);
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
  const page = caseOf(
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
    caseOf(
      'Make',
      ['mervok', 'each row of codes'],
      ['http', 'POST /x?{code}'],
      ['mervok', 'status = 200\nkeep $.id as made'],
    ) +
    caseOf('Read', ['mervok', 'each {made} as one'], ['http', 'GET /x/{one}'], ['mervok', 'status = 200']) +
    caseOf('Clean', ['mervok', 'cleanup'], ['http', 'DELETE /x/{made.0}'], ['mervok', 'status = 200']);
  const folder = folderWith(t, { 'mervok.yaml': `base: ${server.origin}\n`, 'a.md': page });
  const { code, out, err } = await mervok(folder, ['send', 'a.md#read', '--pick', '$.url']);
  assert.deepEqual([code, out, err], [0, '/x/1\n', '']);
  assert.deepEqual(server.asked, ['POST /x?0417', 'POST /x?0418', 'GET /x/1']);
});

test('what an answer is made of: redirects, files beside the page, tables and lines, whatever the type says', async t => {
  const raw = Buffer.from([0, 1, 0xff, 0xfe]);
  const origin = await serve(t, (request, response) => {
    if (request.url === '/old') response.writeHead(302, { Location: '/newer' }).end('{ "moved": true }');
    else if (request.url === '/newer') response.writeHead(301, { Location: '/raw' }).end();
    else if (request.url!.startsWith('/raw')) response.end(raw);
    else response.end('no;height\n1;4.2\n2;0.7\n');
  });
  const page = (more: string) =>
    caseText(
      'Raw',
      'GET /old',
      `count hops = 2\nhop 1 status = 302\nhop 1 $.moved = true\nhop 2 header location = "/raw"\n(hop 1 status = 302) = true\nbytes = file "raw.bin"\n${more}`,
    ) +
    caseText('Table', 'GET /table', 'csv $[1].height = 0.7\nkeep csv $[0].no as first') +
    caseText('Other', 'GET /raw?{first}', 'sha256(bytes) = sha256(file "raw.bin")\nurl ends with 1');
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'sea/a.md': page(''),
    'sea/raw.bin': raw,
  });
  const { code, out } = await mervok(folder, ['run']);
  assert.equal(code, 0, out);
  const sent = await mervok(folder, ['send', '/old', '--pick', 'all hops']);
  assert.match(sent.out, /"status": 302.*"location": "\/newer".*"status": 301/s);
  const wrong: [text: string, says: RegExp][] = [
    ['bytes = file "none.bin"', /file-missing\n {2}There is no file 'sea\/none\.bin' in the collection/],
    ['bytes = file "../../none.bin"', /file-missing/],
    ['bytes = file none.bin', /word-unknown[\s\S]*stands in quotes: file "none\.bin"/],
  ];
  for (const [text, says] of wrong) {
    writeFileSync(join(folder, 'sea/a.md'), page(text));
    const lint = await mervok(folder, ['lint']);
    assert.deepEqual([lint.code, says.test(lint.out)], [2, true], lint.out);
  }
});

test('files that were sent are told of in their places: names, types, sizes and hashes', async t => {
  const origin = await serve(t, (_request, response) => response.end('{ "stored": true }'));
  const manifest = 'crate;weight\n1;20\n';
  const checks = [
    'sent body contains sha256(file "crates.csv")',
    'sent body contains "filename=\\"crates.csv\\""',
    'sent body contains "Content-Type: text/csv"',
    `sent body contains "[the file crates.csv, ${manifest.length} bytes, sha256 "`,
  ];
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'crates.csv': manifest,
    'a.md': `## Declare\n\n\`\`\`http\nPOST /crates\n\`\`\`\n\n\`\`\`multipart body\nnote = ten\nmanifest = file "crates.csv"\n\`\`\`\n\n\`\`\`mervok\n${checks.join('\n')}\n\`\`\`\n`,
    'b.md':
      '## Read\n\n```http\nPUT /crates\n```\n\n```file body\ncrates.csv\n```\n\n```mervok\nsent body matches /^\\[the file crates.csv, .*\\]$/\nsent $.x = 1\n```\n',
  });
  const { out } = await mervok(folder, ['run']);
  assert.match(out, /^passed {3}Declare/m, out);
  assert.match(out, /sent \$\.x = 1[\s\S]*cannot be decided: the request sent a file, which is not kept/);
  assert.doesNotMatch(out, /sent body/);
});

test('a client certificate comes in PEM or as PKCS #12, with its passphrase, from names or the process', async t => {
  const origin = await serveTls(t, (_request, response) => response.end('{}'), {
    requestCert: true,
    rejectUnauthorized: true,
    ca: readFileSync(`${clientFiles}/authority.pem`),
  });
  const passphrase = 'gull-and-anchor';
  const key = createPrivateKey(readFileSync(`${clientFiles}/client.key`));
  const locked = key.export({ type: 'pkcs8', format: 'pem', cipher: 'aes-256-cbc', passphrase });
  const folder = folderWith(t, {
    'a.md': caseText('A', 'GET /', 'status = 200'),
    'tls/authority.pem': readFileSync('demo/harbour/tls/authority.pem'),
    'tls/client.pem': readFileSync(`${clientFiles}/client.pem`),
    'tls/client.key': readFileSync(`${clientFiles}/client.key`),
    'tls/locked.key': locked,
    'tls/boat.p12': readFileSync('test/inputs/pilot-boat.p12'),
  });
  const rows: [tls: string, passes: RegExp | undefined][] = [
    ['cert: tls/client.pem, key: tls/client.key', undefined],
    ['cert: "{where}/client.pem", key: "{where}/client.key"', undefined],
    ['cert: { os: SKERRY_CERT }, key: tls/client.key', undefined],
    ['cert: tls/client.pem, key: tls/locked.key, passphrase: "{word}"', undefined],
    ['cert: tls/client.pem, key: tls/locked.key, passphrase: { os: SKERRY_WORD }', undefined],
    ['pkcs12: tls/boat.p12, passphrase: "{word}"', undefined],
    [
      'cert: tls/client.pem, key: tls/locked.key',
      /The key 'tls\/locked\.key' is encrypted;\s+the setting 'tls' gives it no passphrase/,
    ],
    ['pkcs12: tls/boat.p12', /'tls\/boat\.p12' is encrypted/],
    [
      'pkcs12: tls/boat.p12, passphrase: "{other}"',
      /The passphrase of the setting 'tls' does not open 'tls\/boat\.p12'/,
    ],
    [
      'pkcs12: tls/client.pem, passphrase: "{word}"',
      /'tls\/client\.pem' of the setting 'tls' is no PKCS #12 file/,
    ],
    [
      'cert: tls/boat.p12, key: tls/client.key',
      /holds no certificate in PEM\. It looks like a[\s\S]*PKCS #12 file/,
    ],
    ['cert: tls/client.pem, key: tls/none.key', /'tls\/none\.key' of the setting 'tls' is not there/],
    ['pkcs12: tls/boat.p12, cert: tls/client.pem, key: tls/client.key', /holds both/],
    ['passphrase: "{word}"', /A passphrase is that of a key/],
    ['cert: { os: SKERRY_NOTHING }, key: tls/client.key', /SKERRY_NOTHING.* is not set/],
    ['pkcs12: tls/boat.p12, passphrase: "{nobody}"', /'nobody' has no value anywhere/],
  ];
  for (const [tls, says] of rows) {
    writeFileSync(
      join(folder, 'mervok.yaml'),
      `base: ${origin}\nvariables: { where: tls, other: not-the-word, word: { secret: ${passphrase} } }\ntls: { ca: { file: where.txt }, ${tls} }\n`,
    );
    writeFileSync(join(folder, 'where.txt'), 'tls/authority.pem\n');
    const set = { SKERRY_CERT: 'tls/client.pem', SKERRY_WORD: passphrase };
    const { code, out, err } = await mervok(folder, ['run', '-o', 'run.ndjson'], set);
    assert.equal(code === 0, says === undefined, `${tls}: ${out}${err}`);
    if (says) assert.match(out + err, says, tls);
    else assert.ok(!readFileSync(join(folder, 'run.ndjson'), 'utf8').includes(passphrase));
  }
  writeFileSync(
    join(folder, 'mervok.yaml'),
    `base: ${origin}\ntls: { pkcs12: tls/boat.p12, passphrase: ${passphrase} }\n`,
  );
  assert.match((await mervok(folder, ['lint'])).out, /secret-written/);
});

test('a target in a value that is relative stands behind the base; a part is asked for as it is', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(request.url!);
    response.setHeader('Content-Type', 'application/json');
    response.end(JSON.stringify({ encoding: request.headers['accept-encoding'] ?? null }));
  });
  const values = [
    '/berths?page=2',
    '/v1/berths',
    '/v1',
    '/v1?x=1',
    '?page=2',
    'berths/7',
    `${origin}/whole`,
    '/v12/x',
  ];
  const folder = folderWith(t, {
    'mervok.yaml': `base: "${origin}/v1"\n`,
    'nexts.json': JSON.stringify(values.map(next => ({ next }))),
    'a.md': caseOf(
      'Next',
      ['mervok', 'each row of nexts.json'],
      ['http', 'GET {next}'],
      ['mervok', 'status = 200'],
    ),
    'b.md': caseText('Part', 'GET /part\nRange: bytes=0-3', '$.encoding is null'),
    'c.md': caseText('Told', 'GET /part\nRange: bytes=0-3\nAccept-Encoding: gzip', '$.encoding = "gzip"'),
    'd.md': caseText('Whole', 'GET /part', '$.encoding contains "gzip"'),
  });
  const { code, out } = await mervok(folder, ['run']);
  assert.equal(code, 0, out);
  assert.deepEqual(asked.slice(0, values.length), [
    '/v1/berths?page=2',
    '/v1/berths',
    '/v1',
    '/v1?x=1',
    '/v1?page=2',
    '/v1/berths/7',
    '/whole',
    '/v1/v12/x',
  ]);
  const alone = folderWith(t, { 'a.md': caseText('A', 'GET {next}', 'status = 200') });
  const says = async (next: string) => (await mervok(alone, ['run', 'a.md', '--set', `next=${next}`])).out;
  assert.match(
    await says('/berths'),
    /\{next\} is '\/berths', which begins with\s+neither http:\/\/ nor https:\/\/, and no\s+'base'[\s\S]*is set that could/,
  );
  const based = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': caseText('A', 'GET {next}', 'status = 200'),
  });
  assert.match(
    (await mervok(based, ['run', '--set', 'next=localhost:7070/x'])).out,
    /scheme is missing: http:\/\/localhost:7070\/x/,
  );
});
