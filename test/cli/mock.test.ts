import assert from 'node:assert/strict';
import { writeFileSync } from 'node:fs';
import { request as ask, createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { test } from 'node:test';
import { fence, pageOf } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { startMock } from '../support/mock.ts';
import { mervok } from '../support/program.ts';

const settings = `base: "{harbour}/v1"
variables: { state: free, key: { secret: spring-tide } }
environments: { local: { harbour: "http://127.0.0.1:7070" } }
environment: local
`;
const http = (text: string) => fence('http', text);
const json = (body: string, status = '200 OK') =>
  http(`HTTP/1.1 ${status}\nContent-Type: application/json\n\n${body}`);
const checks = fence('mervok', 'status < 600');

const berths = pageOf([
  ['All', http('GET /berths') + json('[]') + checks],
  ['Free', http('GET /berths?state={state}') + json('[{ "code": "0417" }]') + checks],
  [
    'One',
    http('GET /berths/{code}') +
      json('{ "code": "{code}", "self": "{harbour}/v1/berths/{code}" }') +
      checks.replace('status', 'let code = "x"\nstatus'),
  ],
  ['Gone', http('GET /berths/9999') + json('{ "title": "Not found" }', '404 Not Found') + checks],
  [
    'Reserve',
    http(
      'POST /berths/{code}/reservations\nContent-Type: application/json\nAuthorization: Bearer {key}\n\n{ "nights": {nights}, "vessel": "{vessel}" }',
    ) +
      json('{ "id": {reservation}, "nights": {nights}, "paid": false }', '201 Created') +
      fence('mervok', 'status = 201\nkeep $.id as reservation'),
  ],
  [
    'Read back',
    http('GET /reservations/{reservation}') +
      json('{ "id": {reservation}, "nights": {nights}, "vessel": "{vessel}", "token": "{key}" }') +
      checks,
  ],
  [
    'Moor',
    http('GET /moorings/{mooring}') +
      json('{ "state": "waiting" }', '202 Accepted') +
      json('{ "state": "moored" }') +
      checks,
  ],
]);

const folderOf = (
  t: Parameters<typeof folderWith>[0],
  pages: { [path: string]: string } = { 'berths.md': berths },
) => folderWith(t, { 'mervok.yaml': settings, ...pages });

const bodyOf = async (response: Response) => [response.status, await response.json()];

test('examples answer the requests that they stand below', async t => {
  const mock = await startMock(t, folderOf(t));
  assert.match(
    mock.said(),
    /\/v1 {2}in the place of http:\/\/127\.0\.0\.1:7070\/v1\n7 requests with an example; Ctrl-C ends it\./,
  );
  const get = (path: string) => fetch(mock.url + path).then(bodyOf);
  assert.deepEqual(await get('/berths'), [200, []]);
  assert.deepEqual(await get('/berths?state=free'), [200, [{ code: '0417' }]]);
  // A value that is known comes first, and any other only if nothing else fits.
  assert.deepEqual(await get('/berths?state=taken'), [200, []]);
  assert.deepEqual(await get('/berths/0418'), [200, { code: '0418', self: `${mock.url}/berths/0418` }]);
  assert.deepEqual(await get('/berths/9999'), [404, { title: 'Not found' }]);
  assert.deepEqual(await get('/berths/a%20b'), [200, { code: 'a b', self: `${mock.url}/berths/a b` }]);
  const turns = [
    await get('/moorings/1'),
    await get('/moorings/1'),
    await get('/moorings/1'),
    await get('/moorings/2'),
  ];
  assert.deepEqual(
    turns.map(([status]) => status),
    [202, 200, 200, 202],
  );
  await mock.until(/^404 {6}GET \/v1\/berths\/9999 {2}berths\.md#gone/m);
  assert.equal(await mock.end(), 0);
});

test('what was sent is read back, and no secret is known', async t => {
  const mock = await startMock(t, folderOf(t), [], { SKERRY: 'x' });
  const send = (body: object, headers = {}) =>
    fetch(`${mock.url}/berths/0417/reservations`, {
      method: 'POST',
      body: JSON.stringify(body),
      headers: { 'Content-Type': 'application/json', Authorization: 'Bearer of-mine', ...headers },
    });
  const made = await send({ nights: 3, vessel: 'Grey Petrel', more: true });
  assert.equal(made.status, 201);
  assert.equal(made.headers.get('mervok-answer'), 'berths.md#reserve');
  const { id, nights, paid } = (await made.json()) as { id: number; nights: number; paid: boolean };
  assert.deepEqual([typeof id, nights, paid], ['number', 3, false]);
  assert.equal(
    ((await (await send({ nights: 3, vessel: 'Grey Petrel', more: true })).json()) as { id: number }).id,
    id,
  );
  assert.notEqual(((await (await send({ nights: 4, vessel: 'Curlew' })).json()) as { id: number }).id, id);
  const [, back] = (await bodyOf(await fetch(`${mock.url}/reservations/${id}`))) as [
    number,
    { [name: string]: unknown },
  ];
  const { token, ...rest } = back;
  assert.deepEqual(rest, { id, nights: 3, vessel: 'Grey Petrel' });
  assert.match(String(token), /^made-up-key-[0-9a-f]{8}$/);
  // Each of the nearest says what would have to be otherwise.
  const reasons = async (response: Promise<Response>) => {
    const [status, { title, reasons }] = (await bodyOf(await response)) as [
      number,
      { title: string; reasons: string[] },
    ];
    return [status, title, ...reasons];
  };
  assert.deepEqual(await reasons(fetch(`${mock.url}/berths/0417/reservations`)), [
    404,
    'No example matches',
    'berths.md#reserve would answer if the method were POST.',
  ]);
  assert.deepEqual(await reasons(send({ nights: 3 })), [
    404,
    'No example matches',
    'berths.md#reserve would answer if its body were another one: it would have to have $.vessel.',
  ]);
  assert.deepEqual(
    await reasons(
      fetch(`${mock.url}/berths/0417/reservations`, {
        method: 'POST',
        body: '{}',
        headers: { 'Content-Type': 'application/json' },
      }),
    ),
    [404, 'No example matches', 'berths.md#reserve would answer if the header Authorization were there.'],
  );
  const broken = await fetch(`${mock.url}/berths/0417/reservations`, {
    method: 'POST',
    body: '{ "nights": ',
    headers: { 'Content-Type': 'application/json', Authorization: 'Bearer x' },
  });
  assert.equal(broken.headers.get('content-type'), 'application/problem+json');
  assert.deepEqual((await reasons(Promise.resolve(broken))).slice(0, 2), [400, 'The body cannot be read']);
  const [status, , nearest] = await reasons(fetch(`${mock.url}/bertsh`));
  assert.deepEqual([status, nearest], [404, 'berths.md#all answers GET /v1/berths.']);
  assert.doesNotMatch(mock.said(), /of-mine|spring-tide/);
});

/** Sends a request as it is, and gives the status and the headers of the answer. */
function raw(
  url: string,
  options: Parameters<typeof ask>[1],
  body = '',
): Promise<[number, { [name: string]: unknown }, string]> {
  return new Promise((done, failed) => {
    const sent = ask(url, { ...options, agent: false }, response => {
      let text = '';
      response.on('data', chunk => (text += chunk));
      response.on('end', () => done([response.statusCode!, response.headers, text]));
    });
    sent.on('error', failed);
    sent.end(body);
  });
}

test('only this machine is answered, huge bodies are refused, and pages of other origins may read', async t => {
  const folder = folderOf(t);
  const mock = await startMock(t, folder);
  const url = `${mock.url}/berths`;
  for (const [host, status] of [
    ['localhost', 200],
    ['127.0.0.1:1', 200],
    ['app.localhost:99', 200],
    ['[::1]', 200],
    ['evil.example', 421],
    ['127.0.0.1.evil.example', 421],
  ] as const)
    assert.equal((await raw(url, { headers: { Host: host } }))[0], status, host);
  const [status, headers] = await raw(url, {
    method: 'OPTIONS',
    headers: {
      Origin: 'http://app.example',
      'Access-Control-Request-Method': 'PATCH',
      'Access-Control-Request-Headers': 'x-office',
    },
  });
  assert.deepEqual(
    [
      status,
      headers['access-control-allow-origin'],
      headers['access-control-allow-methods'],
      headers['access-control-allow-headers'],
    ],
    [204, 'http://app.example', 'PATCH', 'x-office'],
  );
  const [, read] = await raw(url, { headers: { Origin: 'http://app.example' } });
  assert.equal(read['access-control-allow-origin'], 'http://app.example');
  assert.match(String(read['access-control-expose-headers']), /Content-Type, Mervok-Answer/);
  const huge = await fetch(url, { method: 'POST', body: 'x'.repeat(11 * 1024 * 1024) }).catch(
    () => undefined,
  );
  assert.ok(huge === undefined || huge.status === 413);
  assert.equal((await raw(url, { method: 'HEAD' }))[0], 200);
  assert.equal((await raw(url, { method: 'PURGE' }))[0], 404);
  assert.equal((await raw(url, {}))[0], 200);
  const without = await startMock(t, folder, ['--no-cors']);
  const [, plain] = await raw(`${without.url}/berths`, { headers: { Origin: 'http://app.example' } });
  assert.equal(plain['access-control-allow-origin'], undefined);
});

test('a page that changes is read anew, and one that cannot be read leaves its last good state in place', async t => {
  const folder = folderOf(t, {
    'berths.md': berths,
    'quays.md': pageOf([['Quays', http('GET /quays') + json('[1]') + checks]]),
  });
  const mock = await startMock(t, folder);
  const get = (path: string) => fetch(mock.url + path).then(bodyOf);
  assert.deepEqual(await get('/quays'), [200, [1]]);
  writeFileSync(join(folder, 'quays.md'), pageOf([['Quays', http('GET /quays') + json('[2]') + checks]]));
  await mock.until(/read anew: quays\.md/);
  assert.deepEqual(await get('/quays'), [200, [2]]);
  writeFileSync(join(folder, 'quays.md'), '## Quays\n\n~~~http\nGET /quays');
  await mock.until(/quays\.md:3: This fence is not closed\. What could be read before stays\./);
  assert.deepEqual(await get('/quays'), [200, [2]]);
  writeFileSync(join(folder, 'mervok.yaml'), 'base: [');
  await mock.until(/mervok\.yaml:1: .* What could be read before stays\./);
  assert.deepEqual(await get('/berths'), [200, []]);
});

test('an interrupt is heard whenever it comes, also while pages are read anew', async t => {
  const cases = Array.from({ length: 60 }, (_, at) => `Quay ${at}`);
  const page = (path: string) =>
    pageOf(cases.map((title, at) => [title, http(`GET /${path}/${at}`) + json('[1]') + checks]));
  const pages = Array.from({ length: 40 }, (_, at) => [`quays/${at}.md`, page(String(at))]);
  const folder = folderOf(t, Object.fromEntries(pages));
  for (const moment of [160, 190, 220, 260]) {
    const mock = await startMock(t, folder);
    writeFileSync(join(folder, 'quays/0.md'), page('0'));
    await new Promise(resume => setTimeout(resume, moment));
    assert.equal(await mock.end(), 0);
  }
});

test('a run on record is answered as it was, and what is cut there says so', async t => {
  const service = createServer((request, response) => {
    const isLong = request.url!.endsWith('/log');
    response.writeHead(200, { 'Content-Type': 'text/plain', 'Set-Cookie': 'watch=1', 'X-Office': 'quay' });
    response.end(isLong ? 'x'.repeat(100_000) : `at ${request.headers.host}: ${request.url}`);
  });
  await new Promise<void>(ready => service.listen(0, '127.0.0.1', ready));
  t.after(() => service.close());
  const { port } = service.address() as AddressInfo;
  const folder = folderWith(t, {
    'mervok.yaml': `base: http://127.0.0.1:${port}/v1\n`,
    'a.md': pageOf([
      ['A', http('GET /berths?page=2') + checks],
      ['Long', http('GET /log') + checks],
      ['Post', http('POST /berths\nContent-Type: application/json\n\n{ "a": 1 }') + checks],
    ]),
  });
  assert.equal((await mervok(folder, ['run'])).code, 0);
  const mock = await startMock(t, folder, ['--from', 'last']);
  const a = await fetch(`${mock.url}/berths?page=2`);
  assert.deepEqual(
    [a.status, a.headers.get('x-office'), a.headers.get('set-cookie'), a.headers.get('mervok-answer')],
    [200, 'quay', null, 'record%20of%20a.md#a'],
  );
  assert.equal(await a.text(), `at 127.0.0.1:${port}: /v1/berths?page=2`);
  assert.equal((await fetch(`${mock.url}/log`)).status, 501);
  const post = (body: string) =>
    fetch(`${mock.url}/berths`, { method: 'POST', body, headers: { 'Content-Type': 'application/json' } });
  assert.equal((await post('{"a":1}')).status, 200);
  assert.equal((await post('{"a":2}')).status, 404);
});

test('what cannot be served is said at once', async t => {
  const folder = folderOf(t);
  const taken = createServer();
  await new Promise<void>(ready => taken.listen(0, '127.0.0.1', ready));
  t.after(() => taken.close());
  const { port } = taken.address() as AddressInfo;
  for (const [args, told] of [
    [
      ['--port', String(port)],
      new RegExp(`^Port ${port} is in use\\. Choose another one: --port ${port + 1}`),
    ],
    [['--port', 'x'], /'x' is no port/],
    [['--host', 'nowhere.example'], /'nowhere\.example' is no address of this machine/],
    [['--delay', 'soon'], /--delay takes a time, or two of them, not 'soon'/],
    [['--delay', '9..5 ms'], /--delay takes a time/],
    [['--break', '500 %'], /--break takes a share/],
    [['--seed', 'x'], /--seed is for --delay and --break/],
    [['--from', 'nothing'], /nothing/],
  ] as const) {
    const { code, err } = await mervok(folder, ['mock', ...args]);
    assert.deepEqual([code, told.test(err)], [2, true], err);
  }
  const open = folderWith(t, {
    'mervok.yaml': 'base: "{harbour}/v1"\nvariables: { harbour: { os: SKERRY_HARBOUR } }\n',
    'berths.md': berths,
  });
  const unknown = await mervok(open, ['mock'], { SKERRY_HARBOUR: 'http://127.0.0.1:1' });
  assert.deepEqual(
    [
      unknown.code,
      /What stands before the targets is not known: \{harbour\} has no value that is no secret/.test(
        unknown.err,
      ),
    ],
    [2, true],
    unknown.err,
  );
  writeFileSync(join(folder, 'berths.md'), `${berths}\n## Broken\n\n~~~http\nGET`);
  assert.equal((await mervok(folder, ['mock'])).code, 2);
});

test('references side by side are no pattern, and an example that is none is told', async t => {
  const folder = folderOf(t, {
    'a.md': pageOf([
      ['Beside', http('GET /berths/{code}{state}') + json('{}') + checks],
      ['None', http('GET /berths') + http('HTTP/1.1 no') + checks],
    ]),
  });
  const mock = await startMock(t, folder);
  assert.match(
    mock.said(),
    /target-ambiguous\n {2}Nobody can tell where \{code\} ends and \{state\} begins, so this/,
  );
  assert.match(mock.said(), /example-form\n {2}An example response begins with its status line/);
  assert.match(mock.said(), /^0 requests with an example, 1 without; Ctrl-C ends it\./m);
});

test('bad weather is delays and breakage, the same with the same seed', async t => {
  const folder = folderOf(t);
  const outcomes = async () => {
    const mock = await startMock(t, folder, [
      '--break',
      '60 %',
      '--seed',
      'gale',
      '--delay',
      '1..5 ms',
      '--log',
      'mock.log',
    ]);
    const told: string[] = [];
    for (let turn = 0; turn < 12; turn++) {
      const outcome = await fetch(`${mock.url}/berths`, { signal: AbortSignal.timeout(1500) }).then(
        response => String(response.status),
        error => ((error as Error).name === 'TimeoutError' ? 'silence' : 'reset'),
      );
      told.push(outcome);
    }
    await mock.end();
    return told;
  };
  const first = await outcomes();
  for (const each of ['200', '503', 'reset', 'silence']) assert.ok(first.includes(each), first.join());
  assert.deepEqual(await outcomes(), first);
});
