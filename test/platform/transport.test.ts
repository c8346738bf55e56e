import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage } from 'node:http';
import { type AddressInfo, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test } from 'node:test';
import * as zlib from 'node:zlib';
import { Jar } from '../../src/platform/http/cookies.ts';
import { openDriver } from '../support/driver.ts';
import { closedPort, serve, serveRaw } from '../support/server.ts';
import { clientFiles, serveTls } from '../support/tls.ts';

const { send, sendAll, waits } = await openDriver();
const trusted = { verify: true, ca: `${clientFiles}/authority.pem` };

async function textOf(request: IncomingMessage): Promise<string> {
  let text = '';
  for await (const chunk of request) text += chunk;
  return text;
}

test('compressed bodies are decoded, their sizes on the wire and decoded are told', async t => {
  const text = 'Skerry Harbour, '.repeat(200);
  const encoders: { [coding: string]: (text: string) => Buffer } = {
    gzip: zlib.gzipSync,
    'x-gzip': zlib.gzipSync,
    deflate: zlib.deflateSync,
    raw: zlib.deflateRawSync,
    br: zlib.brotliCompressSync,
    'gzip, br': given => zlib.brotliCompressSync(zlib.gzipSync(given)),
    ...('zstdCompressSync' in zlib && { zstd: zlib.zstdCompressSync as (text: string) => Buffer }),
    identity: given => Buffer.from(given),
    'a-coding-of-their-own': given => Buffer.from(given),
  };
  const origin = await serve(t, (request, response) => {
    const coding = decodeURIComponent(request.url!.slice(1));
    response
      .writeHead(200, { 'Content-Encoding': coding === 'raw' ? 'deflate' : coding })
      .end(encoders[coding]!(text));
  });
  for (const [coding, encode] of Object.entries(encoders)) {
    const { response, fault } = await send(`${origin}/${encodeURIComponent(coding)}`);
    assert.equal(fault, undefined, coding);
    assert.equal(Buffer.from(response!.body).toString(), text, coding);
    assert.equal(response!.size, text.length);
    const encoded = encode(text).length;
    assert.equal(response!.encodedSize, encoded === text.length ? undefined : encoded, coding);
  }
});

test('redirects are followed as each status wants it, and told one by one', async t => {
  const seen: string[] = [];
  const origin = await serve(t, async (request, response) => {
    const [, status] = request.url!.split('/');
    seen.push(`${request.method} ${request.url} ${await textOf(request)}`);
    if (request.url!.endsWith('/end')) response.end('there');
    else response.writeHead(Number(status), { Location: 'end', 'Set-Cookie': `hop=${status}` }).end();
  });
  const rows: [status: number, method: string, sent: string][] = [
    [301, 'POST', 'GET /301/end '],
    [302, 'POST', 'GET /302/end '],
    [303, 'PUT', 'GET /303/end '],
    [303, 'HEAD', 'HEAD /303/end '],
    [307, 'POST', 'POST /307/end body'],
    [308, 'PUT', 'PUT /308/end body'],
    [302, 'DELETE', 'DELETE /302/end body'],
  ];
  for (const [status, method, sent] of rows) {
    seen.length = 0;
    const { exchanges } = await sendAll(`${origin}/${status}/begin`, { method, body: ['body'] });
    assert.equal(seen[1], sent, `${status} ${method}`);
    assert.deepEqual(
      exchanges.map(({ response, cause }) => [response!.status, cause]),
      [
        [status, undefined],
        [200, 'redirect'],
      ],
    );
    assert.equal(exchanges[1]!.response!.url, `${origin}/${status}/end`);
  }
  const kept = await send(`${origin}/302/begin`, { redirects: 0 });
  assert.equal(kept.response?.status, 302);
  const missing = await serve(t, (_request, response) => response.writeHead(302).end());
  assert.equal((await send(missing)).response?.status, 302);
});

test('credentials do not go to another origin, and stay at the same one', async t => {
  const seen: IncomingMessage['headers'][] = [];
  const other = await serve(t, (request, response) => {
    seen.push(request.headers);
    response.end();
  });
  const origin = await serve(t, (request, response) => {
    seen.push(request.headers);
    response.writeHead(307, { Location: request.url === '/a' ? '/b' : `${other}/c` }).end();
  });
  await send(`${origin}/a`, {
    headers: [
      ['Authorization', 'Bearer x'],
      ['X-Key', 'k'],
      ['X-Quay', 'north'],
      ['Cookie', 'a=1'],
    ],
    credentials: new Set(['authorization', 'cookie', 'x-key']),
  });
  const told = seen.map(({ authorization, cookie, 'x-key': key, 'x-quay': quay }) => [
    authorization,
    cookie,
    key,
    quay,
  ]);
  assert.deepEqual(told, [
    ['Bearer x', 'a=1', 'k', 'north'],
    ['Bearer x', 'a=1', 'k', 'north'],
    [undefined, undefined, undefined, 'north'],
  ]);
});

test('cookies are kept by their rules, sent back, and copied for the next page', async t => {
  const seen: (string | undefined)[] = [];
  const origin = await serve(t, (request, response) => {
    seen.push(request.headers.cookie);
    if (request.url === '/in')
      response.setHeader('Set-Cookie', [
        'sid=1; Path=/',
        'deep=2; Path=/deep',
        'else=3; Domain=skerry.example',
        'safe=4; Secure; Path=/',
      ]);
    if (request.url === '/out') response.setHeader('Set-Cookie', 'sid=; Max-Age=0; Path=/');
    response.end();
  });
  const jar = Jar.from([]);
  const ask = (path: string, headers: [string, string][] = []) => send(origin + path, { jar, headers });
  await ask('/in');
  await ask('/');
  await ask('/deep/er', [['Cookie', 'own=9; sid=mine']]);
  const copy = Jar.from([jar, Jar.from([])]);
  await ask('/out');
  await ask('/');
  await send(`${origin}/`, { jar: copy });
  await send(`${origin}/`);
  assert.deepEqual(seen, [
    undefined,
    'sid=1',
    'own=9; sid=mine; deep=2',
    'sid=1',
    undefined,
    'sid=1',
    undefined,
  ]);
});

test('a request is sent again as the settings want it, and each try is told', async t => {
  let calls = 0;
  const origin = await serve(t, (request, response) => {
    calls++;
    if (request.url === '/busy') response.writeHead(429, { 'Retry-After': '3' }).end();
    else response.writeHead(calls < 3 ? 503 : 200).end();
  });
  const retry = { times: 3, every: 100, on: ['5xx', '429', 'reset'], anyMethod: false };
  const { exchanges } = await sendAll(`${origin}/flaky`, { retry });
  assert.deepEqual(
    exchanges.map(({ response, cause }) => [response!.status, cause]),
    [
      [503, undefined],
      [503, 'retry'],
      [200, 'retry'],
    ],
  );
  assert.deepEqual(waits.splice(0), [100, 200], 'the time between tries doubles');
  await sendAll(`${origin}/busy`, { retry: { ...retry, times: 1 } });
  assert.deepEqual(waits.splice(0), [3000], 'a server that asks for time gets it');
  const dropping = await serve(t, request => request.socket.destroy());
  assert.equal((await sendAll(dropping, { retry })).exchanges.length, 4);
  assert.equal((await sendAll(`${origin}/busy`, { retry, method: 'POST' })).exchanges.length, 1);
  const anyMethod = { ...retry, anyMethod: true };
  assert.equal((await sendAll(`${origin}/busy`, { retry: anyMethod, method: 'POST' })).exchanges.length, 4);
  assert.equal((await sendAll(`${origin}/flaky`, { retry: { ...retry, on: ['404'] } })).exchanges.length, 1);
});

test('a connection that was closed meanwhile is opened anew, for what can be sent twice', async t => {
  let connections = 0;
  const origin = await serveRaw(t, socket => {
    const first = ++connections === 1;
    let calls = 0;
    socket.on('data', () => {
      if (first && ++calls === 2) socket.resetAndDestroy();
      else socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok');
    });
  });
  assert.equal((await sendAll(origin)).exchanges.length, 1);
  const { exchanges } = await sendAll(origin);
  assert.deepEqual(
    exchanges.map(({ response, fault, cause }) => response?.status ?? `${fault!.kind} ${cause}`),
    ['reset undefined', 200],
  );
  assert.deepEqual(
    [exchanges[1]!.cause, exchanges[1]!.fresh, exchanges[0]!.fresh],
    ['retry', true, undefined],
  );
  assert.equal(exchanges[1]!.connection?.protocol, 'HTTP/1.1');
  for (const more of [{ retry: 'none' as const }, { method: 'POST' }]) {
    const alone = await serveRaw(t, socket => {
      let calls = 0;
      socket.on('data', () => {
        if (++calls === 2) socket.resetAndDestroy();
        else socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok');
      });
    });
    await sendAll(alone);
    const once = await sendAll(alone, more);
    assert.deepEqual(
      once.exchanges.map(({ fault }) => fault?.kind),
      ['reset'],
    );
  }
});

test('HTTP/2 is spoken where it is offered; connections tell of themselves', async t => {
  const seen: string[] = [];
  const secure = await serveTls(t, async (request, response) => {
    seen.push(`${request.httpVersion} ${request.method} ${request.url} ${await textOf(request)}`);
    response.setHeader('X-Quay', 'north');
    response.end('aboard');
  });
  const begin = performance.now();
  const second = await send(`${secure}/berths?a=1`, { tls: trusted, method: 'POST', body: ['{}'] });
  assert.ok(second.times.tls! > 0 && second.times.total <= performance.now() - begin + 1);
  assert.deepEqual(seen, ['2.0 POST /berths?a=1 {}']);
  assert.equal(second.response!.version, 'HTTP/2');
  assert.equal(Buffer.from(second.response!.body).toString(), 'aboard');
  assert.deepEqual(second.connection!.certificate!.subject, 'harbour.skerry.example');
  assert.match(second.connection!.certificate!.until, /^20\d\d-\d\d-\d\d$/);
  assert.match(second.connection!.remote!, /^127\.0\.0\.1:\d+$/);
  assert.ok(second.times.tls! > 0);
  const again = await send(`${secure}/again`, { tls: trusted });
  assert.deepEqual([again.times.tls, again.response!.status], [undefined, 200]);

  const old = await serveRaw(t, socket =>
    socket.once('data', () => socket.end('HTTP/1.0 200 OK\r\n\r\nold')),
  );
  assert.deepEqual(
    [(await send(old)).response!.version, (await send(old)).connection!.protocol],
    ['HTTP/1.0', 'HTTP/1.0'],
  );
});

test('certificates: unknown, switched off, of a client', async t => {
  const secure = await serveTls(t);
  assert.equal((await send(secure)).fault?.kind, 'tls');
  assert.equal((await send(secure, { tls: { verify: false } })).response?.status, 200);
  assert.equal((await send(secure, { tls: trusted })).response?.status, 200);
  for (const [tls, says] of [
    [{ ca: 'package.json' }, /'package\.json' of the setting 'tls' holds no certificate in PEM/],
    [{ cert: `${clientFiles}/client.pem`, key: `${clientFiles}/client.pem` }, /holds no private key in PEM/],
    [
      { cert: `${clientFiles}/authority.pem`, key: `${clientFiles}/client.key` },
      /^What the setting 'tls' names \([^,]*authority\.pem, [^,]*client\.key\) cannot be used: .*mismatch/,
    ],
  ] as const) {
    const { fault } = await send(secure, { tls: { verify: true, ...tls } });
    assert.equal(fault?.kind, 'unsendable', fault?.message);
    assert.match(fault!.message, says);
  }
  // The same place by a name that is not in its certificate.
  const elsewhere = await send(secure.replace('127.0.0.1', '[::ffff:127.0.0.1]'), { tls: trusted });
  assert.equal(elsewhere.fault?.kind, 'tls');
  assert.match(elsewhere.fault!.message, /its certificate is for another name/);

  const strict = await serveTls(t, (_request, response) => response.end('known'), {
    requestCert: true,
    ca: readFileSync(`${clientFiles}/authority.pem`),
  });
  const own = { ...trusted, cert: `${clientFiles}/client.pem`, key: `${clientFiles}/client.key` };
  assert.equal((await send(strict, { tls: own })).response?.status, 200);
  const leading = await serve(t, (_request, response) => response.writeHead(307, { Location: strict }).end());
  const elsewhereTold = await send(leading, { tls: own });
  assert.notEqual(elsewhereTold.response?.status, 200, 'a certificate is not shown to another origin');
  const refused = await send(strict, { tls: trusted });
  assert.ok(refused.fault?.kind === 'tls' || refused.fault?.kind === 'reset', refused.fault?.message);
});

/** A proxy that opens tunnels and passes requests on, and tells what it was asked. */
async function openProxy(t: Parameters<typeof serve>[0]): Promise<{ url: string; asked: string[] }> {
  const asked: string[] = [];
  const server = createServer((request, response) => {
    asked.push(
      `${request.method} ${request.url} host ${request.headers.host} ${request.headers['proxy-authorization']}`,
    );
    response.end('passed on');
  });
  server.on('connect', (request, socket) => {
    asked.push(`CONNECT ${request.url} ${request.headers['proxy-authorization']}`);
    if (request.headers['proxy-authorization'] === undefined) {
      socket.end('HTTP/1.1 407 Proxy Authentication Required\r\n\r\n');
      return;
    }
    const [host, port] = request.url!.split(':');
    const onward = connect(Number(port), host, () => {
      socket.write('HTTP/1.1 200 OK\r\n\r\n');
      onward.pipe(socket).pipe(onward);
    });
    onward.on('error', () => socket.destroy());
    socket.on('error', () => onward.destroy());
  });
  await new Promise<void>(open => server.listen(0, '127.0.0.1', open));
  t.after(() => {
    server.close();
    server.closeAllConnections();
  });
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, asked };
}

test('proxies: requests are passed on, safe ones go through a tunnel', async t => {
  const { url, asked } = await openProxy(t);
  const proxy = url.replace('//', '//pilot:tide@');
  const plain = await send('http://skerry.example/berths?a=1', { proxy });
  assert.equal(Buffer.from(plain.response!.body).toString(), 'passed on');
  const account = `Basic ${Buffer.from('pilot:tide').toString('base64')}`;
  assert.deepEqual(asked.splice(0), [`GET http://skerry.example/berths?a=1 host skerry.example ${account}`]);

  for (const name of ['X-Host', 'Hosting'])
    await send('http://skerry.example/', { proxy, headers: [[name, 'quay.example']] });
  await send('http://skerry.example/', { proxy, headers: [['HOST', 'quay.example']] });
  assert.deepEqual(
    asked.splice(0).map(line => line.split(' ')[3]),
    ['skerry.example', 'skerry.example', 'quay.example'],
  );

  const secure = await serveTls(t, (_request, response) => response.end('through'));
  const begin = performance.now();
  const tunnelled = await send(secure, { proxy, tls: trusted });
  const passed = performance.now() - begin;
  assert.equal(Buffer.from(tunnelled.response!.body).toString(), 'through');
  assert.equal(tunnelled.response!.version, 'HTTP/2');
  const { connect = -1, tls = -1, total } = tunnelled.times;
  assert.ok(connect >= 0 && tls > 0 && total <= passed + 1, JSON.stringify(tunnelled.times));
  const closed = `http://127.0.0.1:${await closedPort()}`;
  const astray = await send(secure, { proxy: closed, tls: trusted });
  assert.match(astray.fault!.message, /^No connection to the proxy .* which leads to .*: it is refused\./);
  assert.deepEqual(asked.splice(0), [`CONNECT ${secure.slice(8)} ${account}`]);
  const unknown = await send(secure.replace('127.0.0.1', 'localhost'), { proxy: url, tls: trusted });
  assert.match(unknown.fault!.message, /opens no tunnel to it, its status is 407.*user and password/);

  const environment: { [name: string]: string } = { HTTP_PROXY: url, no_proxy: 'localhost,.quay.example:80' };
  const surrounded = await openDriver({ environment: name => environment[name] });
  assert.equal((await surrounded.send('http://skerry.example/')).response?.status, 200);
  assert.equal((await surrounded.send('http://north.quay.example/')).fault?.kind, 'name');
  assert.equal((await surrounded.send('http://skerry.example/', { proxy: 'none' })).fault?.kind, 'name');
});

test('files are sent as streams, with their length; multipart bodies mix them with text', async t => {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-test-'));
  t.after(() => rmSync(folder, { recursive: true, force: true }));
  writeFileSync(join(folder, 'manifest.csv'), 'crate;weight\n1;20\n'.repeat(20_000));
  writeFileSync(join(folder, 'empty.csv'), '');
  const { send: sendFrom } = await openDriver({ root: folder });
  const seen: { length: string | undefined; encoding: string | undefined; body: string }[] = [];
  const origin = await serve(t, async (request, response) => {
    const body = await textOf(request);
    seen.push({
      length: request.headers['content-length'],
      encoding: request.headers['transfer-encoding'],
      body,
    });
    response.end();
  });
  const text = readFileSync(join(folder, 'manifest.csv'), 'utf8');
  const { request } = await sendFrom(origin, { method: 'PUT', body: [{ file: 'manifest.csv' }] });
  const hashed = (body: typeof request.body) =>
    body?.map(part => (typeof part === 'string' ? part : { ...part, sha256: part.sha256?.() }));
  const hashOf = (bytes: string) => createHash('sha256').update(bytes).digest('hex');
  assert.deepEqual(hashed(request.body), [{ file: 'manifest.csv', size: text.length, sha256: hashOf(text) }]);
  const mixed = await sendFrom(origin, {
    method: 'POST',
    body: ['a', { file: 'empty.csv' }, 'é', { file: 'manifest.csv' }],
  });
  const files = [
    { file: 'empty.csv', size: 0, sha256: hashOf('') },
    { file: 'manifest.csv', size: text.length, sha256: hashOf(text) },
  ];
  assert.deepEqual(hashed(mixed.request.body), ['a', files[0], 'é', files[1]]);
  // A length that is given stays alone; a header that only ends like it is none.
  const own = await sendFrom(origin, {
    method: 'PUT',
    headers: [
      ['content-length', String(text.length)],
      ['X-Content-Length', '7'],
    ],
    body: [{ file: 'manifest.csv' }],
  });
  assert.equal(own.response?.status, 200);
  assert.equal(seen.pop()?.length, String(text.length));
  assert.deepEqual(seen, [
    { length: String(text.length), encoding: undefined, body: text },
    { length: String(text.length + 3), encoding: undefined, body: `aé${text}` },
  ]);
});

test('a body goes into a file as it comes, whatever its size; memory does not grow with it', async t => {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-test-'));
  t.after(() => rmSync(folder, { recursive: true, force: true }));
  const piece = Buffer.alloc(1 << 20, 'tide ');
  const origin = await serve(t, (request, response) => {
    const zipped = request.url === '/zipped';
    response.writeHead(200, zipped ? { 'Content-Encoding': 'gzip' } : {});
    const out = zipped ? zlib.createGzip({ level: 1 }) : response;
    if (zipped) (out as zlib.Gzip).pipe(response);
    let left = 40;
    const pour = () => {
      while (left > 0) if (left-- && !out.write(piece)) return out.once('drain', pour);
      out.end();
      return undefined;
    };
    pour();
  });
  for (const path of ['/plain', '/zipped']) {
    const saveTo = join(folder, path.slice(1));
    const { response, fault } = await send(origin + path, { saveTo });
    assert.equal(fault, undefined, path);
    assert.equal(response!.size, 40 << 20, path);
    assert.equal(response!.encodedSize !== undefined, path === '/zipped');
    assert.ok(response!.body.length <= 64 * 1024);
    const written = readFileSync(saveTo);
    assert.equal(written.length, 40 << 20);
    assert.ok(written.subarray(39 << 20).equals(piece), path);
  }
  const { fault } = await send(`${origin}/plain`, { saveTo: join(folder, 'none', 'there') });
  assert.match(fault!.message, /could not be written/);
  const small = await serve(t, (request, response) => {
    const bodies: { [path: string]: Buffer } = {
      '/raw': zlib.deflateRawSync('tide'),
      '/deflate': zlib.deflateSync('tide'),
      '/twice': zlib.brotliCompressSync(zlib.gzipSync('tide')),
      '/corrupt': Buffer.from('no deflate'),
      '/cut': zlib.gzipSync('tide '.repeat(500)).subarray(0, 20),
    };
    const codings: { [path: string]: string } = { '/twice': 'gzip, br', '/cut': 'gzip' };
    response.writeHead(200, { 'Content-Encoding': codings[request.url!] ?? 'deflate' });
    response.end(bodies[request.url!]);
  });
  const saveTo = join(folder, 'small');
  for (const path of ['/raw', '/deflate', '/twice']) {
    assert.equal((await send(small + path, { saveTo })).response?.size, 4, path);
    assert.equal(readFileSync(saveTo, 'utf8'), 'tide');
  }
  assert.equal((await send(`${small}/none`, { saveTo })).response?.size, 0);
  assert.equal(readFileSync(saveTo, 'utf8'), '');
  for (const path of ['/corrupt', '/cut']) {
    const broken = await send(small + path, { saveTo });
    assert.equal(broken.fault?.kind, 'protocol', path);
    assert.match(broken.fault!.message, /does not decode as/);
  }
});

test('a body that cannot be written where it should go is told', async t => {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-test-'));
  t.after(() => rmSync(folder, { recursive: true, force: true }));
  const origin = await serve(t, (_request, response) => response.end('tide'));
  const { fault } = await send(origin, { saveTo: folder });
  assert.equal(fault?.kind, 'unsendable');
  assert.match(fault.message, /^The body could not be written to '.*': .*EISDIR/);
});

test('fields behind the body are kept apart; any method goes', async t => {
  const origin = await serve(t, (request, response) => {
    response.setHeader('X-Method', request.method!);
    if (request.method === 'PROPFIND') {
      response.writeHead(200, { Trailer: 'X-Sum' }).write('ok');
      response.addTrailers({ 'X-Sum': '42' });
    }
    response.end();
  });
  const { response } = await send(origin, { method: 'PROPFIND' });
  assert.deepEqual(response!.trailers, [['X-Sum', '42']]);
  assert.equal(response!.headers.find(([name]) => name === 'X-Method')![1], 'PROPFIND');
  for (const method of ['HEAD', 'OPTIONS', 'REPORT', 'SEARCH', 'TRACE'])
    assert.equal((await send(origin, { method })).response?.status, 200, method);
});

test('a body goes with any method, also where HTTP/2 is offered', async t => {
  const seen: string[] = [];
  const secure = await serveTls(t, async (request, response) => {
    seen.push(`${request.httpVersion} ${await textOf(request)}`);
    response.end();
  });
  for (const method of ['GET', 'DELETE', 'SEARCH', 'PATCH', 'PUT', 'POST'])
    await send(secure, { tls: trusted, method, body: [method] });
  assert.deepEqual(seen, ['1.1 GET', '1.1 DELETE', '1.1 SEARCH', '2.0 PATCH', '2.0 PUT', '2.0 POST']);
});
