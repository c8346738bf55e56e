import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';
import { clientFiles, serveTls } from '../support/tls.ts';

const fenced = (info: string, text: string) => `\`\`\`${info}\n${text}\n\`\`\`\n\n`;

/** A server that tells what it was sent, in JSON. */
function echo(t: Pick<TestContext, 'after'>): Promise<string> {
  return serve(t, async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    if (request.url === '/binary') {
      response
        .writeHead(200, { 'Content-Type': 'image/png' })
        .end(Buffer.from([0x89, 0, 1, 2, 3, 0, 0xff, 0xfe]));
      return;
    }
    if (request.url === '/hop') {
      response.writeHead(302, { Location: '/there', 'Set-Cookie': 'sid=hidden; Path=/' }).end();
      return;
    }
    const { authorization, 'content-type': type } = request.headers;
    const told = { method: request.method, url: request.url, type, authorization, body, id: 0 };
    response
      .writeHead(request.url === '/none' ? 404 : 200, {
        'Content-Type': 'application/json',
        'X-Quay': 'north',
      })
      .end(JSON.stringify(told).replace('"id":0', '"id":9007199254740993'));
  });
}

/** The state of a user who has none. */
const home = (folder: string) => ({ XDG_STATE_HOME: join(folder, 'state') });

test('send: a URL alone, a method and a URL; what is shown of the response', async t => {
  const origin = await echo(t);
  const folder = folderWith(t);
  const send = (...words: string[]) => mervok(folder, ['send', ...words], home(folder));
  const plain = await send(`${origin}/berths?state=free`);
  assert.deepEqual([plain.code, plain.err], [0, '']);
  const lines = plain.out.split('\n');
  assert.equal(lines[0], `GET ${origin}/berths?state=free`);
  assert.equal(lines[1], '200 OK');
  assert.match(plain.out, /^Content-Type {2,}application\/json$/m);
  assert.match(plain.out, /"id": 9007199254740993 \}$/m, 'no digit is lost');
  assert.match(plain.out, /^\d+ B in [\d.]+ m?s: connection .*, first byte .*, rest /m);
  assert.match(plain.out, /^HTTP\/1\.1 with 127\.0\.0\.1:\d+; \d+ B received$/m);

  const hop = await send(`${origin}/hop`);
  assert.match(hop.out, /^302 {6}GET http.*\/hop +then followed /m);
  assert.match(hop.out, /^200 OK$/m);
  assert.ok(!hop.out.includes('hidden'));
  const missing = await send(`${origin}/none`);
  assert.equal(missing.code, 0, 'whatever the status, a response came');
  assert.match(missing.out, /^404 Not Found$/m);
  const head = await send('HEAD', `${origin}/x`, '--headers');
  assert.match(head.out, /^200 OK$/m);
  assert.ok(!head.out.includes(' B in '));
  assert.match((await send(`${origin}/binary`)).out, /^8 B of image\/png; -o FILE writes them$/m);
});

test('send: bodies by their form, headers, a value alone, the body alone', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, { 'crate.json': '{"crate": 7}', 'note.txt': 'a note' });
  const send = (...words: string[]) => mervok(folder, ['send', ...words], home(folder));
  const rows: [words: string[], type: string, body: string][] = [
    [['--body', '{"a": {"b": "{c}"}}'], 'application/json', '{"a": {"b": "{c}"}}'],
    [['--body', '<a>{b}</a>'], 'application/xml', '<a>{b}</a>'],
    [['--body', 'tide \\{x}'], 'text/plain; charset=utf-8', 'tide \\{x}'],
    [
      ['--body', 'a=1 & 2', '--body', 'b = x', '--as', 'form'],
      'application/x-www-form-urlencoded',
      'a=1+%26+2&b=x',
    ],
    [
      ['--body', '{ berths { code } }', '--as', 'graphql'],
      'application/json',
      '{"query":"{ berths { code } }"}',
    ],
    [['--body', '@crate.json'], 'application/json', '{"crate": 7}'],
    [['--body', '@note.txt', '--as', 'yaml'], 'application/yaml', 'a note'],
  ];
  for (const [words, type, body] of rows) {
    const typeSeen = await send(`${origin}/x`, ...words, '--pick', '$.type');
    assert.deepEqual([typeSeen.code, typeSeen.out], [0, `${type}\n`], words.join(' '));
    assert.equal((await send('PUT', `${origin}/x`, ...words, '--pick', '$.body')).out, `${body}\n`);
  }
  const post = await send(`${origin}/x{y}`, '--body', 'x', '--raw', '-H', 'Authorization: Tide 7');
  const told = JSON.parse(post.out);
  assert.deepEqual([told.method, told.url, told.authorization], ['POST', '/x%7By%7D', 'Tide 7']);
  assert.equal((await send(`${origin}/x`, '--pick', '$.id')).out, '9007199254740993\n');
  assert.equal((await send(`${origin}/x`, '--pick', '$.*')).out.split('\n').length, 5);
  assert.equal((await send(`${origin}/x`, '--pick', 'header x-quay = "north"')).out, 'holds\n');
  const none = await send(`${origin}/x`, '--pick', '$.berth');
  assert.deepEqual([none.code, none.out], [1, '']);
  assert.match(none.err, /has no member 'berth'/);

  const saved = await send(`${origin}/binary`, '-o', 'out/quay.png');
  assert.equal(saved.code, 0, saved.err);
  assert.equal(readFileSync(join(folder, 'out/quay.png')).length, 8);
  assert.match(saved.out, /The body is in out\/quay\.png\./);
});

test('send and pick: what is wrong is one message, and the last response stays at hand', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, { 'saved.json': '{"berths": [{"code": "0417"}, {"code": "0418"}]}' });
  const run = (...words: string[]) => mervok(folder, words, home(folder));
  const rows: [words: string[], says: RegExp][] = [
    [['send', 'berths'], /'berths' is no address/],
    [['send', 'localhost:7070/berths'], /Did you mean http:\/\/localhost:7070\/berths\?/],
    [['send', 'GET', 'skerry.example/berths'], /Did you mean https:\/\/skerry\.example\/berths\?/],
    [['send', 'GTE', `${origin}/x`], /Did you mean 'GET'/],
    [['send', origin, '-H', 'none'], /'none' is no header/],
    [['send', origin, '--body', 'x', '--as', 'jsn'], /Did you mean 'json'/],
    [['send', origin, '--body', '{"a" 1}'], /no JSON/],
    [['send', origin, '--body', '@none.txt'], /no file 'none\.txt'/],
    [['send', origin, '--as', 'json'], /no --body/],
    [['send', origin, '--raw', '--pick', '$'], /do not go together/],
    [['send', origin, '--pick', 'statsu'], /Did you mean 'status'/],
    [['send', origin, '--pick', '$.a ='], /the expression:1:/],
    [['send', origin, '--save', 'berths'], /is no place for a case/],
    [['send', '/berths'], /no collection here/],
    [['send', 'none.md#a'], /There is no 'none\.md'/],
    [['pick', '$.id'], /No response is at hand/],
    [['pick', '$.id', 'none.json'], /cannot be read/],
  ];
  for (const [words, says] of rows) {
    const { code, out, err } = await run(...words);
    assert.deepEqual([code, out], [2, ''], words.join(' '));
    assert.match(err, says);
  }
  const refused = await run('send', 'http://127.0.0.1:1/');
  assert.deepEqual([refused.code, refused.out], [1, '']);
  assert.match(refused.err, /it is refused/);

  await run('send', `${origin}/x`);
  assert.equal((await run('pick', '$.id')).out, '9007199254740993\n');
  assert.equal((await run('pick', 'status = 200')).out, 'holds\n');
  const not = await run('pick', 'header x-quay = "south"');
  assert.equal(not.code, 1);
  assert.match(not.err, /does not hold: expected "south", found "north"/);
  assert.equal((await run('pick', '$.berths[*].code', 'saved.json')).out, '0417\n0418\n');
  assert.equal((await run('pick', 'all $.berths[*].code', 'saved.json')).out, '["0417", "0418"]\n');
  for (const [words, says] of [
    [['status = 200', 'saved.json'], /holds a body alone: there is no status/],
    [['header etag', 'saved.json'], /no header/],
    [['sent $.a', 'saved.json'], /no request/],
    [['cookie sid absent'], /kept without its cookies/],
  ] as [string[], RegExp][]) {
    const { code, out, err } = await run('pick', ...words);
    assert.deepEqual([code, out], [2, ''], words.join(' '));
    assert.match(err, says);
  }
  assert.equal((await run('pick', 'version')).out, 'HTTP/1.1\n');
  const piped = await mervok(folder, ['pick', '$.a', '-'], home(folder), child =>
    child.stdin!.end('{"a": "x y"}'),
  );
  assert.equal(piped.out, 'x y\n');
});

test('send: inside a collection; a request becomes a case, and the rest of the page stays as it is', async t => {
  const origin = await echo(t);
  const page = '# Berths\n\nProse that stays.\n\n- a list';
  const folder = folderWith(t, {
    'mervok.yaml': `base: "{harbour}/v1"\nauth: { bearer: "{word}" }\nenvironments:\n  local: { harbour: "${origin}" }\nenvironment: local\n`,
    'mervok.secret.yaml': 'variables: { word: spring-tide }\n',
    'berths.md': page,
    'crate.csv': 'a;b',
  });
  const run = (...words: string[]) => mervok(folder, words);
  const relative = await run('send', '/berths');
  assert.equal(relative.code, 0, relative.err);
  assert.match(relative.out, new RegExp(`^GET ${origin}/v1/berths$`, 'm'));
  assert.match(relative.out, /"authorization": "Bearer \[secret\]"/);
  assert.ok(!JSON.stringify(relative).includes('spring-tide'));
  assert.ok(!readFileSync(join(folder, '.mervok/last.json'), 'utf8').includes('spring-tide'));
  assert.equal(
    (await run('send', `${origin}/x`, '--pick', '$.authorization')).code,
    1,
    'other places get no token',
  );

  const body = '{"graph": "{ berths {code} }", "marks": "```"}';
  const saved = await run(
    ...['send', 'POST', `${origin}/v1/berths?a=1`, '--body', body, '-H', 'X-Quay: {north}'],
    ...['-H', 'Authorization: Bearer abc', '--save', 'berths.md#free-berths'],
  );
  assert.equal(saved.code, 0, saved.err);
  assert.match(saved.out, /saved as berths\.md#free-berths$/m);
  assert.match(saved.err, /Authorization is not in the page/);
  const written = readFileSync(join(folder, 'berths.md'), 'utf8');
  assert.ok(
    written.startsWith(
      `${page}\n\n## Free berths\n\n\`\`\`http\nPOST /berths?a=1\nX-Quay: \\{north}\n\`\`\`\n\n`,
    ),
  );
  assert.ok(!written.includes('abc'));
  assert.equal((await run('run', '-q')).code, 0);
  const again = await run('send', 'berths.md#free-berths', '--raw');
  assert.equal(JSON.parse(again.out).body, body, 'it goes out as it was typed');
  await run('send', 'PUT', '/scan', '--body', '@crate.csv', '--save', 'new/scans.md#A scan');
  assert.equal(
    readFileSync(join(folder, 'new/scans.md'), 'utf8'),
    `# Scans\n\n## A scan\n\n${fenced('http', 'PUT /scan')}${fenced('file body', '../crate.csv')}${fenced('mervok', 'status = 200').trimEnd()}\n`,
  );
  assert.equal((await run('run', '-q', 'new')).code, 0);
  // Line ends, what is open and what bears the heading already: the rest of a page stays as it is, or nothing is written.
  writeFileSync(join(folder, 'crlf.md'), '# Crlf\r\n\r\nProse.\r\n\r\n\r\n');
  assert.equal((await run('send', '/berths', '--save', 'crlf.md#one')).code, 0);
  const crlf = readFileSync(join(folder, 'crlf.md'), 'utf8');
  assert.ok(crlf.startsWith('# Crlf\r\n\r\nProse.\r\n\r\n\r\n## One\r\n'), JSON.stringify(crlf));
  assert.ok(!/[^\r]\n/.test(crlf), JSON.stringify(crlf));
  writeFileSync(join(folder, 'open.md'), '# Open\n\n```http\nGET /x\n');
  writeFileSync(join(folder, 'prose.md'), '# Prose\n\n## Free berths\n\nOnly words.\n');
  for (const place of ['open.md#free-berths', 'prose.md#free-berths', 'new#x.md', '.md#x', 'new/..md#']) {
    const { code, out } = await run('send', '/berths', '--save', place);
    assert.deepEqual([code, out], [2, ''], place);
  }
  mkdirSync(join(folder, 'taken.md'));
  mkdirSync(join(folder, 'taken'));
  for (const words of [
    ['--save', 'taken.md#x'],
    ['-o', 'taken'],
    ['-o', 'berths.md/x'],
  ]) {
    const { code, out, err } = await run('send', '/berths', ...words);
    assert.deepEqual([code, out], [2, ''], words.join(' '));
    assert.match(err, /^'(?:taken|berths)\S*' cannot be (?:read|written)/, words.join(' '));
  }
  const twice = await run('send', '/berths', '--save', 'berths.md#free-berths');
  assert.equal(twice.code, 2);
  assert.match(twice.err, /has a heading of that name already/);
});

test('send: an interrupt ends it, and leaves no file behind', async t => {
  const folder = folderWith(t);
  let ask = () => {};
  const asked = new Promise<void>(resolve => {
    ask = resolve;
  });
  const origin = await serve(t, (request, response) => {
    response.writeHead(200);
    response.write('a beginning', () => setTimeout(() => ask(), 200));
    // The rest never comes.
    request.on('close', () => response.end());
  });
  const ended = await mervok(folder, ['send', origin, '-o', 'body.txt'], home(folder), child =>
    asked.then(() => child.kill('SIGINT')),
  );
  assert.deepEqual([ended.code, ended.out], [130, '']);
  assert.match(ended.err, /was interrupted/);
  assert.deepEqual(
    readdirSync(folder).filter(name => name.startsWith('body')),
    [],
  );
});

const chain = {
  'a.md': `# A\n\n## Make\n\n${fenced('http', 'POST /made\n\n{"n": {nights}}')}${fenced('mervok', 'keep $.id as id')}## Use\n\n${fenced('yaml settings', 'variables: { nights: 5 }')}${fenced('mervok', 'let word = "w-{nights}"\nlet seal = sha256("{key}")')}${fenced('http', 'PUT /used/{id}?w={word}\nX-Key: {key}\nX-Seal: {seal}\n\n{"id": {id}, "nights": {nights}}')}${fenced('mervok', 'status = 200\n$.id = 1')}## Blocked\n\n${fenced('http', 'GET /{none}')}${fenced('mervok', 'status = 200')}`,
};

test('send CASE sends what it needs first; show and vars say where each value comes from, and send nothing', async t => {
  const origin = await echo(t);
  const folder = folderWith(t, {
    ...chain,
    'mervok.yaml': `base: ${origin}\nvariables: { nights: 2, key: { secret: gull-7 }, none: { os: SKERRY_NONE } }\n`,
  });
  const run = (...words: string[]) => mervok(folder, words);
  const sent = await run('send', 'a.md#use');
  assert.equal(sent.code, 0, sent.err);
  assert.match(sent.out, /^first {4}a\.md#make$/m);
  assert.match(sent.out, /"url": "\/used\/9007199254740993\?w=w-5"/);
  assert.match(sent.out, /^1 of 2 checks hold\. mervok run tells which\.$/m);
  const blocked = await run('send', 'a.md#blocked');
  assert.equal(blocked.code, 2);
  assert.match(
    blocked.err,
    /error os-unset\n {2}The environment variable SKERRY_NONE, which 'none' stands for, is not set\./,
  );
  const several = await mervok(folder, ['send', 'a.md'], { SKERRY_NONE: 'x' });
  assert.match(several.err, /has several cases\. Which one\?\n {2}a\.md#make\n {2}a\.md#use/);

  const shown = await run('show', 'a.md#use');
  assert.deepEqual([shown.code, shown.err], [0, '']);
  assert.ok(shown.out.includes(`PUT ${origin}/used/{id}?w=w-5\n`));
  assert.ok(shown.out.includes('\n\n{"id": {id}, "nights": 5}\n'));
  assert.match(shown.out, /^X-Key +\[secret\]$/m);
  // What is computed from a secret is one.
  assert.match(shown.out, /^X-Seal +\[secret\]$/m);
  assert.match(shown.out, /^seal +\[secret\] +computed in a\.md#use$/m);
  assert.match(shown.out, /^id +known once it has run +kept in a\.md#make$/m);
  assert.match(shown.out, /^nights +5 +the settings of a\.md#use, a\.md:\d+\n +hides mervok\.yaml:2$/m);
  assert.match(shown.out, /^word +"w-5" +computed in a\.md#use$/m);
  assert.match(shown.out, /^1 case would run first: a\.md#make$/m);
  assert.ok(!shown.out.includes('gull-7'));
  const cannot = await run('show', 'a.md#blocked');
  assert.match(cannot.out, /This cannot be sent: .*SKERRY_NONE/);

  const ofCase = await run('vars', 'a.md#use', '--set', 'id=7');
  assert.match(ofCase.out, /^id +known once it has run +kept in a\.md#make\n +hides given by --set$/m);
  assert.match(ofCase.out, /^key +\[secret\] +mervok\.yaml:2$/m);
  const all = await run('vars');
  assert.match(all.out, /^mervok\.yaml\nkey +\[secret\]/m);
  assert.match(all.out, /^kept and computed\n/m);
  assert.match(all.out, /^none +SKERRY_NONE is not set /m);
  assert.ok(!existsSync(join(folder, 'state')));
  writeFileSync(join(folder, 'mervok.yaml'), 'base: x\nvariabels: { nights: 2 }\n');
  const slip = await run('vars', 'a.md#use');
  assert.equal(slip.code, 2);
  assert.match(slip.err, /Did you mean 'variables'/);
  assert.match(slip.out, /^nights +5 /m, 'what can be told is told');
  for (const [words, says] of [
    [['show', 'a.md#none'], /no case 'none'/],
    [['vars', 'none.md'], /There is no 'none\.md'/],
    [['show'], /'show' needs CASE: a case, or a page\./],
    [['send'], /'send' needs WHAT: a case, or a method and a URL\./],
  ] as [string[], RegExp][]) {
    const { code, err } = await run(...words);
    assert.equal(code, 2, words.join(' '));
    assert.match(err, says);
  }
});

test('send: a time limit, of a request and of a case with all that it needs', async t => {
  const origin = await serve(t, ({ url }, response) => {
    if (url !== '/slow') response.end('{ "id": 1 }');
  });
  const slow = `# Slow\n\n${fenced('http', 'GET /slow')}${fenced('mervok', 'status = 200')}`;
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'slow.md': slow });
  const send = (...words: string[]) => mervok(folder, ['send', ...words], home(folder));
  const request = await send('/slow', '--timeout', '50ms');
  assert.deepEqual([request.code, request.out], [1, '']);
  assert.match(request.err, /within 50 ms\. The limit is the setting 'timeout'\.\n$/);
  const page = await send('slow.md', '--timeout', '50ms');
  assert.deepEqual([page.code, page.out], [1, '']);
  assert.equal(page.err, 'Given up after 50 ms (--timeout), before the response was there.\n');
  assert.equal((await send('slow.md#slow', '--timeout', '50')).code, 2);
  assert.equal((await send('/fast', '--timeout', '20s')).code, 0);
});

test('send: an authority, a client certificate, or none that is looked at; a failure says which option helps', async t => {
  const origin = await serveTls(t);
  const wanting = await serveTls(t, undefined, {
    requestCert: true,
    rejectUnauthorized: true,
    ca: readFileSync(`${clientFiles}/authority.pem`),
  });
  const folder = folderWith(t, {
    'mervok.yaml': 'order: [sea]\nneeds: [sign-in.md]\nbounds: p95 time of sea < 1 s\n',
  });
  const file = (name: string) => join(process.cwd(), clientFiles, name);
  const send = (...words: string[]) => mervok(folder, ['send', ...words, '--raw'], home(folder));
  const unknown = await send(origin);
  assert.match(unknown.err, /authority of its certificate is not known.* --ca FILE, or --unverified\.\n$/);
  assert.equal((await send(origin, '--ca', file('authority.pem'))).out, 'ok');
  const unverified = await send(origin, '--unverified');
  assert.equal(unverified.out, 'ok');
  assert.match(unverified.err, /nobody knows who answers/);
  const asked = await send(wanting, '--ca', file('authority.pem'));
  assert.match(asked.err, /--cert FILE and --key FILE\.\n$/);
  const known = ['--ca', file('authority.pem'), '--cert', file('client.pem'), '--key', file('client.key')];
  assert.equal((await send(wanting, ...known)).out, 'ok');
});

test('send: inside a collection whose settings speak of pages; names of headers have their column', async t => {
  const name = `X-${'Quay-'.repeat(9)}Depth`;
  const origin = await serve(t, (_request, response) => response.writeHead(200, { [name]: '4.2' }).end());
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\norder: [sea.md]\nneeds: [sign-in.md]\nbounds: p95 time of sea.md < 1 s\n`,
  });
  const { code, out } = await mervok(folder, ['send', '/x'], { ...home(folder), COLUMNS: '120' });
  assert.equal(code, 0);
  assert.ok(out.includes(`\n${name}  4.2\n`), out);
  const narrow = await mervok(folder, ['send', '/x'], { ...home(folder), COLUMNS: '60' });
  assert.match(narrow.out, new RegExp(`\\n${name} *\\n +4\\.2\\n`));
});
