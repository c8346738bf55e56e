import assert from 'node:assert/strict';
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { join } from 'node:path';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { type Entry, har } from '../support/har.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

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
    /^---\nauth: \{ bearer: "\{token\}" \}\nheaders:\n {2}Cookie: "sid=\{sid\}; theme=\{theme\}"\n---\n# A visit\n\n## Post login\n\n```yaml settings\nauth: none\n```\n\n```http\nPOST \/api\/v1\/login\nContent-Type: application\/json\n\n\{ "user": "mira", "password": "\{password\}" \}\n```\n\n```mervok\nstatus = 200\n\$ includes \{ "token": text, "user": object \}\nkeep \$\.token as secret token\n```/,
  );
  assert.match(
    page,
    /## Get berths\n\n```http\nGET \/api\/v1\/berths\?state=free\nAccept: application\/json\n```\n\n```mervok\nstatus = 200\n\$ includes \{ "berths": list \}\nkeep \$\.berths\[1\]\.id as berth-id\n/,
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
  // Of a site that the settings know it brings nothing of its own, and takes no page's place.
  const second = await mervok(folder, ['import', 'a visit.har']);
  assert.match(second.out, /^written {2}a-visit-2\.md, 5 cases\n/);
  assert.match(readFileSync(join(folder, 'a-visit-2.md'), 'utf8'), /^---\nauth: .*\nheaders:\n/);
  assert.ok(existsSync(join(folder, 'a-visit.md')));
});

/** A shop that answers with pages and redirects; everything in it has new ids and new tokens each time. */
function shop(seed: number) {
  let next = seed;
  const open = new Set<string>();
  return (request: IncomingMessage, response: ServerResponse) => {
    const made = (prefix: string) => {
      const id = `${prefix}${next++}`;
      open.add(id);
      return id;
    };
    const page = (text: string) =>
      response
        .writeHead(200, { 'Content-Type': 'text/html' })
        .end(`<form><input type="hidden" name="csrf" value="${made('csrf-')}">${text}</form>`);
    const on = (place: string) => response.writeHead(303, { Location: place }).end();
    let body = '';
    request.on('data', chunk => {
      body += chunk;
    });
    request.on('end', () => {
      const { pathname } = new URL(request.url!, 'http://quay.example');
      const [, kind = '', id = '', action = ''] = pathname.split('/');
      const isAllowed = request.method === 'GET' || open.has(new URLSearchParams(body).get('csrf') ?? '');
      if (!isAllowed || (id !== '' && !open.has(id))) response.writeHead(403).end('no');
      else if (kind === 'goods') page('Rope');
      else if (kind === 'baskets' && request.method === 'POST' && action === 'order')
        on(`/orders/${made('A-')}/thanks`);
      else if (kind === 'baskets' && request.method === 'POST') on(`/baskets/${made('48')}`);
      else if (kind === 'leave') response.writeHead(302, { Location: 'https://elsewhere.example/' }).end();
      else page(`${kind} ${id}`);
    });
  };
}

test('a recording of pages that lead on by redirects runs against the same with other ids', async t => {
  const recorded = await serve(t, shop(1000));
  const entries: Entry[] = [];
  const ask = async (method: string, path: string, form?: { [name: string]: string }): Promise<string> => {
    const body = form && new URLSearchParams(form).toString();
    const type = 'application/x-www-form-urlencoded';
    const answer = await fetch(recorded + path, {
      method,
      redirect: 'manual',
      ...(body && { body, headers: { 'Content-Type': type } }),
    });
    const text = await answer.text();
    const location = answer.headers.get('location');
    entries.push({
      method,
      url: recorded + path,
      ...(body && { body, type }),
      status: answer.status,
      answer: text,
      answerType: answer.headers.get('content-type') ?? '',
      ...(location !== null && { answered: { Location: location } }),
    });
    if (location?.startsWith('/')) return await ask('GET', location);
    return /csrf-\d+/.exec(text)?.[0] ?? '';
  };
  const placeOf = (kind: string) => new RegExp(`/${kind}/([^/]+)`).exec(entries.at(-1)!.url)![1]!;
  const first = await ask('GET', '/goods');
  const second = await ask('POST', '/baskets', { csrf: first, goods: 'rope', note: 'for the North Quay' });
  await ask('POST', `/baskets/${placeOf('baskets')}/order`, { csrf: second });
  await ask('GET', `/orders/${placeOf('orders')}/bill`);
  await ask('GET', '/leave');
  entries.push({ ...entries[0]!, status: 304, answer: undefined });
  const folder = folderWith(t, { 'shop.har': har(entries) });
  const imported = await mervok(folder, ['import', 'shop.har']);
  assert.equal(imported.code, 0, imported.err);
  const page = readFileSync(join(folder, 'shop.md'), 'utf8');
  assert.match(page, /keep url \/\\\/baskets\\\/\(\[\^\\\/\?#\]\+\)\/ as basket-id\n/);
  assert.match(page, /GET \/orders\/\{order-id\}\/bill\n/);
  assert.match(page, /```yaml settings\nredirects: 0\n```\n\n```http\nGET \/leave\n/);
  assert.deepEqual(
    [(await mervok(folder, ['lint', '-q'])).out, (await mervok(folder, ['run', '-q'])).code],
    ['', 0],
  );
  // The same service, started anew, names everything otherwise.
  const fresh = await serve(t, shop(770_000));
  const run = await mervok(folder, ['run', '--set', `server=${fresh}`]);
  assert.equal(run.code, 0, run.out);
  assert.match(run.out, /Passed: 6 cases/);
});

/** What the requests of a page send, each with what its body or target says. */
function sentIn(page: string): string[] {
  return [...page.matchAll(/^```http\n([\s\S]*?)\n```/gm)].map(([, text]) =>
    text!.replace(/\nContent-Type: \S+\n\n/, ' '),
  );
}

test('a short number is an id only where its name, or the path before it, says so', async t => {
  const site = 'http://127.0.0.1:7071';
  const entries: Entry[] = [
    { url: `${site}/berths?page=1`, answer: [{ id: 3, quay: 1 }] },
    { method: 'POST', url: `${site}/customers`, body: {}, answer: { data: { customer_id: 1, group_id: 2 } } },
    { url: `${site}/berths?colour=1&customer=1`, answer: {} },
    {
      method: 'POST',
      url: `${site}/carts`,
      body: { berth: 3, nights: 3, customerId: 1, group: { id: 2 }, guests: 2 },
      answer: { cart: { id: 1, items: [{ id: 5, berth: 3 }] } },
    },
    { url: `${site}/pages/1`, answer: {} },
    { url: `${site}/carts/1/items/5`, answer: {} },
    { url: `${site}/customers/1/carts/1/edit`, answer: {} },
    { url: `${site}/carts/view/1?id=1`, answer: {} },
    {
      method: 'POST',
      url: `${site}/orders`,
      body: { cartIds: [1] },
      status: 201,
      answered: { Location: '/v2/invoices/9' },
    },
    { url: `${site}/v2/invoices/9`, answer: {} },
    { url: `${site}/v2/invoices/9.pdf`, answerType: 'application/pdf' },
    { url: `${site}/v2/Invoices(9)/lines(1)`, answer: {} },
    { url: `${site}/berths/9`, answer: {} },
    // What was asked for before any answer gave it was known.
    { url: `${site}/tides/8`, answer: { id: 8 } },
    { url: `${site}/tides/8`, answer: {} },
  ];
  const folder = folderWith(t, { 'visit.har': har(entries) });
  const ended = await mervok(folder, ['import', 'visit.har']);
  assert.equal(ended.code, 0, ended.err);
  const page = readFileSync(join(folder, 'visit.md'), 'utf8');
  assert.deepEqual(sentIn(page), [
    'GET /berths?page=1',
    'POST /customers {}',
    'GET /berths?colour=1&customer={customer-id}',
    'POST /carts { "berth": {berth-id}, "nights": 3, "customerId": {customer-id}, "group": { "id": {group-id} }, "guests": 2 }',
    'GET /pages/1',
    'GET /carts/{cart-id}/items/{item-id}',
    'GET /customers/{customer-id}/carts/{cart-id}/edit',
    'GET /carts/view/{cart-id}?id={cart-id}',
    'POST /orders { "cartIds": [{cart-id}] }',
    'GET /v2/invoices/{invoice-id}',
    'GET /v2/invoices/{invoice-id}.pdf',
    'GET /v2/Invoices({invoice-id})/lines(1)',
    'GET /berths/9',
    'GET /tides/8',
    'GET /tides/8',
  ]);
  assert.equal((await mervok(folder, ['lint', '-q'])).out, '');
});

test('what was asked of a graph is written as its document, with what flows in its variables', async t => {
  const site = 'http://127.0.0.1:7071';
  const ask = (body: unknown, answer: unknown = {}): Entry => ({
    method: 'POST',
    url: `${site}/graph`,
    body,
    answer,
  });
  const folder = folderWith(t, {
    'visit.har': har([
      ask(
        {
          operationName: 'FreeBerths',
          query: '# Free ones\nquery FreeBerths { berths { code } }',
          variables: {},
        },
        { data: { berths: [{ code: 'N-4' }] } },
      ),
      ask({
        query: 'mutation book($berth: ID!) { book(berth: $berth) { id } }\n```mervok\nfail "x"\n```',
        variables: { berth: 'N-4', note: 'Grey {Petrel}' },
      }),
      ask({ query: '{ berths { code } }' }),
      ask({ query: 'mutation { signIn(user: "mira", password: "ebb-and-flow-77") }' }),
      ask({ query: 'query A { a } query B { b }', operationName: 'B' }),
      ask({ query: 'query A { a }', extensions: { hash: 'x' } }),
      ask({ query: 'north quay' }),
    ]),
  });
  const ended = await mervok(folder, ['import', 'visit.har']);
  assert.equal(ended.code, 0, ended.err);
  const page = readFileSync(join(folder, 'visit.md'), 'utf8');
  assert.deepEqual(
    [...page.matchAll(/^## .*$/gm)].map(([title]) => title),
    [
      '## Free berths',
      '## Book',
      '## Post graph',
      '## Post graph (2)',
      '## Post graph (3)',
      '## Post graph (4)',
      '## Post graph (5)',
    ],
  );
  assert.match(
    page,
    /POST \/graph\n```\n\n```graphql body\n# Free ones\nquery FreeBerths \{ berths \{ code \} \}\n```\n\n```mervok\nstatus = 200\n\$ includes \{ "data": object \}\nkeep \$\.data\.berths\[0\]\.code as berth-code\n/,
  );
  assert.match(
    page,
    /````graphql body\nmutation book[^\n]*\n```mervok\nfail "x"\n```\n````\n\n```json variables\n\{ "berth": "\{berth-code\}", "note": "Grey \\\{Petrel\}" \}\n/,
  );
  assert.match(page, /```graphql body\nmutation \{ signIn\(user: "mira", password: "\[secret\]"\) \}\n/);
  assert.match(ended.err, /\[secret\] stands in its place/);
  assert.equal([...page.matchAll(/^```+graphql body$/gm)].length, 4);
  assert.match(page, /\{ "query": "query A \{ a \} query B \{ b \}", "operationName": "B" \}/);
  assert.equal((await mervok(folder, ['lint', '-q'])).out, '');
});

/** An office that names everything anew: by links, choices, a token in a page, a cookie, a version, a document of XML. */
function office(seed: number) {
  const id = (name: string) => String(seed + ['north', 'south', 'crane', 'slip', 'bill'].indexOf(name));
  const token = `guard-${seed}`;
  const pages: Record<string, () => string> = {
    '/berths': () =>
      `<script>const office = {"deskWord": "word-${seed}"}</script><p data-turn="turn-of-${seed}"><meta name=csrf-token content=${token}><a href="/berths/${id('north')}"><img src="n.png"></a>
       <a class="berth" href="/berths/${id('north')}">North Quay</a> <a href='/berths/${id('south')}'><b>South Quay</b></a>`,
    [`/berths/${id('south')}`]: () =>
      `<form action="/moorings?berth=${id('south')}" method="post"><input type="hidden" name="berth_id" value="${id('south')}">
       <select name="service"><option value="${id('crane')}">Crane</option>
       <option value='${id('slip')}'>Slipway # 2</option></select><select name="nights"><option value="3">3</option></select></form>`,
  };
  return (request: IncomingMessage, response: ServerResponse) => {
    let body = '';
    request.on('data', chunk => {
      body += chunk;
    });
    request.on('end', () => {
      const path = request.url!;
      const cookie = /(?:^|; )guard=([^;]+)/.exec(request.headers.cookie ?? '')?.[1];
      const answer = (status: number, type: string, text: string, headers = {}) =>
        response.writeHead(status, { 'Content-Type': type, ...headers }).end(text);
      if (path === '/app.css')
        answer(200, 'text/css', 'a{}', { 'Set-Cookie': `guard=cookie-${seed}%3D; Path=/` });
      else if (request.method === 'GET' && pages[path]) answer(200, 'text/html', pages[path]());
      else if (path === `/moorings?berth=${id('south')}`) {
        const isRight =
          body === `berth_id=${id('south')}&service=${id('slip')}&nights=3` &&
          request.headers['x-csrf-token'] === token &&
          request.headers['x-desk'] === `word-${seed}` &&
          request.headers['x-line'] === `turn-of-${seed}`;
        answer(
          isRight ? 201 : 403,
          'application/xml',
          `<bill><paid by="card" /><no>${id('bill')}</no><nights>3</nights></bill>`,
          {
            'Set-Cookie': `guard=cookie-${seed + 9}%3D; Path=/`,
          },
        );
      } else if (request.method === 'GET' && path === `/bills/${id('bill')}`)
        answer(200, 'application/json', '{"paid":false}', { ETag: `"v${seed}"`, 'X-Turn': `turn-${seed}` });
      else if (path === `/bills/${id('bill')}`) {
        const { 'if-match': version, authorization: turn, 'x-guard': guard } = request.headers;
        const isRight =
          version === `"v${seed}"` &&
          turn === `Turn turn-${seed}` &&
          guard === decodeURIComponent(cookie ?? '');
        answer(isRight ? 200 : 412, 'application/json', '{"paid":true}');
      } else answer(404, 'text/plain', 'no');
    });
  };
}

test('the flow through pages, choices, tokens, cookies and versions is found again, and runs with other ids', async t => {
  const recorded = await serve(t, office(41));
  const entries: Entry[] = [];
  const ask = async (
    method: string,
    path: string,
    headers: { [name: string]: string } = {},
    body?: string,
  ) => {
    const type = 'application/x-www-form-urlencoded';
    const sent = { ...headers, ...(body !== undefined && { 'Content-Type': type }) };
    const answer = await fetch(recorded + path, {
      method,
      headers: sent,
      ...(body !== undefined && { body }),
    });
    assert.ok(answer.ok, path);
    entries.push({
      method,
      url: recorded + path,
      headers,
      ...(body !== undefined && { body, type }),
      status: answer.status,
      answer: await answer.text(),
      answerType: answer.headers.get('content-type')!,
      answered: Object.fromEntries(answer.headers),
    });
  };
  await ask('GET', '/berths');
  await ask('GET', '/app.css');
  await ask('GET', '/berths/42', { Cookie: 'guard=cookie-41%3D' });
  const form = 'berth_id=42&service=44&nights=3';
  const read = { 'X-CSRF-Token': 'guard-41', 'X-Desk': 'word-41', 'X-Line': 'turn-of-41' };
  await ask('POST', '/moorings?berth=42', { Cookie: 'guard=cookie-41%3D', ...read }, form);
  await ask('GET', '/bills/45', { Cookie: 'guard=cookie-50%3D' });
  const versions = { 'If-Match': '"v41"', Authorization: 'Turn turn-41' };
  await ask(
    'PUT',
    '/bills/45',
    { Cookie: 'guard=cookie-50%3D', 'X-Guard': 'cookie-50=', ...versions },
    'paid=true',
  );
  const recording = JSON.parse(har(entries));
  // Some recorders tell cookies apart.
  const { response } = recording.log.entries[1];
  response.headers = response.headers.filter(({ name }: { name: string }) => name !== 'set-cookie');
  response.cookies = [{ name: 'guard', value: 'cookie-41%3D' }];
  const folder = folderWith(t, { 'office.har': JSON.stringify(recording) });
  const imported = await mervok(folder, ['import', 'office.har']);
  assert.equal(imported.code, 0, imported.err);
  const page = readFileSync(join(folder, 'office.md'), 'utf8');
  // The cookie was set by what was left out, so it was not there before.
  assert.match(page, /^# Office\n/);
  assert.deepEqual(
    [...page.matchAll(/^keep .*$/gm)].map(([line]) => line),
    [
      String.raw`keep body /\/berths\/([\w-]+)[^>]*>(?:\s|<[^>]*>)*South Quay/ as berth-id`,
      String.raw`keep body /name=csrf-token[^>]*content=([^\s>]+)/ as secret csrf-token`,
      String.raw`keep body /deskWord": "([^"'<>\s]+)/ as desk-word`,
      String.raw`keep body /data-turn="([^"'<>\s]+)/ as turn`,
      "keep body /<option[^>]*value='([^']*)'[^>]*>Slipway # 2/ as service-id",
      'keep body /<no>([^<]*)</ as bill-no',
      'keep decode(cookie guard) as secret guard',
      'keep header etag as etag',
      'keep header x-turn as x-turn',
    ],
  );
  assert.equal((await mervok(folder, ['lint', '-q'])).out, '');
  const fresh = await serve(t, office(7000));
  for (const server of [recorded, fresh]) {
    const run = await mervok(folder, ['run', '--set', `server=${server}`]);
    assert.equal(run.code, 0, run.out);
    assert.match(run.out, /Passed: 5 cases/);
  }
});

test('files go with a form as far as the recording has them; what it does not have is told', async t => {
  const site = 'http://127.0.0.1:7071';
  const line = '----quay';
  const part = (head: string, text: string) =>
    `--${line}\r\nContent-Disposition: form-data; ${head}\r\n\r\n${text}\r\n`;
  const body = [
    part('name="vessel"', 'Grey {petrel}'),
    part('name="manifest"; filename="../../crates.CSV"\r\nContent-Type: text/csv', 'crate;weight\r\n1;2\r\n'),
    part('name="page"; filename="C:\\\\x\\\\mervok.md"', '# Break out\n\n```http\nGET /out\n```'),
    part('name="chart"; filename="chart.png"\r\nContent-Type: image/png', '\u0089PNG\u0000'),
    `--${line}--\r\n`,
  ].join('');
  const recording = JSON.parse(
    har([
      {
        method: 'POST',
        url: `${site}/papers`,
        body,
        type: `multipart/form-data; boundary=${line}`,
        answer: {},
      },
      { method: 'POST', url: `${site}/crates`, headers: { 'Content-Length': '12' }, answer: {} },
    ]),
  );
  recording.log.pages = [{ title: ' ' }];
  recording.log.entries.push({
    request: {
      method: 'PUT',
      url: `${site}/papers`,
      headers: [],
      postData: {
        mimeType: 'multipart/form-data; boundary=x',
        params: [
          { name: 'manifest', fileName: 'crates.csv', contentType: 'text/csv', value: 'crate;weight' },
        ],
      },
    },
    response: { status: 204, headers: [], content: {} },
  });
  const folder = folderWith(t, { 'visit.har': JSON.stringify(recording) });
  const ended = await mervok(folder, ['import', 'visit.har']);
  assert.equal(ended.code, 0, ended.err);
  assert.match(ended.err, /1 body left out: the recording does not have what was sent\.\n/);
  assert.match(
    ended.err,
    /samples\/chart\.png is made up: of the file that was sent the recording has no text\.\n/,
  );
  const page = readFileSync(join(folder, 'visit.md'), 'utf8');
  assert.match(page, /^# Visit\n/);
  assert.match(
    page,
    /vessel = Grey \\\{petrel\}\nmanifest = file "samples\/crates\.csv" as text\/csv\npage = file "samples\/c-x-mervok\.bin"\nchart = file "samples\/chart\.png" as image\/png\n/,
  );
  assert.match(page, /## Post crates\n\nThe recording does not have what was sent here\.\n/);
  assert.match(page, /manifest = file "samples\/crates-2\.csv" as text\/csv\n/);
  assert.equal(readFileSync(join(folder, 'samples/crates.csv'), 'utf8'), 'crate;weight\r\n1;2\r\n');
  assert.deepEqual(readdirSync(join(folder, 'samples')).sort(), [
    'c-x-mervok.bin',
    'chart.png',
    'crates-2.csv',
    'crates.csv',
  ]);
  assert.equal(
    (await mervok(folder, ['lint'])).out,
    '1 page, 3 cases, 3 checks: nothing to find fault with.\n',
  );
});

test('secrets of several recordings keep apart, in settings and in pages', async t => {
  const visit = (name: string, password: string, header: string) =>
    har([
      {
        method: 'POST',
        url: 'http://127.0.0.1:7071/login',
        headers: { 'X-Token': header },
        body: { user: name, password },
        answer: { token: `${name}-token-41` },
      },
      { url: 'http://127.0.0.1:7071/berths', headers: { 'X-Token': `${name}-token-41` }, answer: [] },
    ]);
  const folder = folderWith(t, {
    'a.har': visit('mira', 'ebb-and-flow-77', 'first-header-token'),
    'b.har': visit('ole', 'low-tide-2026', 'first-header-token'),
    'c/mervok.yaml': 'title: Skerry\nvariables:\n  token: of-the-office\n',
    'c/mervok.secret.yaml': 'variables:\n  keeper-password: light-house-9\n',
  });
  for (const name of ['a', 'b'])
    assert.equal((await mervok(folder, ['import', `${name}.har`, '-o', 'c'])).code, 0);
  const page = (name: string) => readFileSync(join(folder, `c/${name}.md`), 'utf8');
  assert.match(
    page('a'),
    /X-Token: \{x-token\}\n[\s\S]*"password": "\{password\}"[\s\S]*keep \$\.token as secret token-2\n/,
  );
  assert.match(page('b'), /X-Token: \{x-token\}\n[\s\S]*"password": "\{password-2\}"/);
  assert.equal(
    readFileSync(join(folder, 'c/mervok.secret.yaml'), 'utf8').replace(/^ *#.*\n/gm, ''),
    'variables:\n  keeper-password: light-house-9\n  x-token: first-header-token\n  password: ebb-and-flow-77\n  password-2: low-tide-2026\n',
  );
});

test('numbers keep all their digits: in what flows, and in what is sent again', async t => {
  const site = 'http://127.0.0.1:7071';
  const big = '9007199254740993';
  const folder = folderWith(t, {
    'visit.har': har([
      {
        method: 'POST',
        url: `${site}/vessels`,
        body: `{"mark":${big}, "draught":4.20}`,
        answer: `{"id":1${big},"fee":2.5}`,
      },
      { url: `${site}/vessels/1${big}`, answer: `[{"id":${big}}]` },
      {
        method: 'POST',
        url: `${site}/moorings`,
        body: `{"vesselId":1${big},"other":2${big},"share":0.1234567890123456789}`,
      },
    ]),
  });
  assert.equal((await mervok(folder, ['import', 'visit.har'])).code, 0);
  const page = readFileSync(join(folder, 'visit.md'), 'utf8');
  assert.deepEqual(sentIn(page), [
    `POST /vessels { "mark": ${big}, "draught": 4.2 }`,
    'GET /vessels/{vessel-id}',
    `POST /moorings { "vesselId": {vessel-id}, "other": 2${big}, "share": 0.1234567890123456789 }`,
  ]);
  assert.match(page, /\$ includes \{ "id": number, "fee": number \}/);
  assert.match(page, /each \$\[\*\] includes \{ "id": number \}/);
});
