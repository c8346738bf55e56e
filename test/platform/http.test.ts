import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import { test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { openDriver } from '../support/driver.ts';
import { folderWith } from '../support/folder.ts';
import { closedPort, serve, serveRaw } from '../support/server.ts';

const { send } = await openDriver();

async function bodyOf(request: IncomingMessage): Promise<string> {
  let text = '';
  for await (const chunk of request) text += chunk;
  return text;
}

test('a request goes out as it is, a response comes back as it is', async t => {
  const seen: { method?: string | undefined; url?: string | undefined; headers: string[]; body: string }[] =
    [];
  const origin = await serve(t, async (request, response) => {
    seen.push({
      method: request.method,
      url: request.url,
      headers: request.rawHeaders,
      body: await bodyOf(request),
    });
    response.writeHead(
      201,
      'Made',
      [
        ['X-Quay', 'one'],
        ['x-quay', 'two'],
        ['Set-Cookie', 'a=1'],
      ].flat(),
    );
    response.end('{"id":1}');
  });
  const { response, times, fault, request } = await send(`${origin}/a%2Fb//c?q=%20[x]#part`, {
    method: 'POST',
    headers: [
      ['X-One', 'ä'],
      ['Content-Type', 'application/json'],
    ],
    body: ['{"ü":1}'],
  });
  assert.equal(fault, undefined);
  assert.deepEqual(
    request.headers.map(([name]) => name),
    ['X-One', 'Content-Type'],
  );
  assert.equal(seen[0]!.method, 'POST');
  assert.equal(seen[0]!.url, '/a%2Fb//c?q=%20[x]');
  assert.equal(seen[0]!.body, '{"ü":1}');
  assert.ok(seen[0]!.headers.includes('X-One'));
  assert.deepEqual(
    [response!.status, response!.reason, Buffer.from(response!.body).toString()],
    [201, 'Made', '{"id":1}'],
  );
  assert.deepEqual(response!.headers.slice(0, 3), [
    ['X-Quay', 'one'],
    ['x-quay', 'two'],
    ['Set-Cookie', 'a=1'],
  ]);
  assert.ok(times.connect! >= 0 && times.wait! >= 0 && times.download! >= 0 && times.total >= times.wait!);
  assert.equal(times.tls, undefined);
});

test('connections are kept open; only the first exchange tells how one was opened', async t => {
  const connections = new Set<number | undefined>();
  const origin = await serve(t, (request, response) => {
    connections.add(request.socket.remotePort);
    response.end('x');
  });
  const exchanges = [await send(`${origin}/1`), await send(`${origin}/2`), await send(origin)];
  assert.equal(connections.size, 1);
  assert.deepEqual(
    exchanges.map(({ times }) => times.connect !== undefined),
    [true, false, false],
  );
});

test('a body in many pieces is put together, an empty one is empty', async t => {
  const origin = await serve(t, (request, response) => {
    if (request.url === '/none') response.writeHead(204).end();
    else if (request.method === 'HEAD') response.writeHead(200, { 'Content-Length': 5 }).end();
    else {
      for (let at = 0; at < 300; at++) response.write('harbour '.repeat(100));
      response.end();
    }
  });
  assert.equal((await send(`${origin}/many`)).response!.body.length, 240_000);
  assert.equal((await send(`${origin}/none`)).response!.body.length, 0);
  assert.equal((await send(`${origin}/head`, { method: 'HEAD' })).response!.body.length, 0);
});

test('interim responses come before the final one and are kept apart', async t => {
  const origin = await serveRaw(t, socket => {
    socket.once('data', () =>
      socket.write(
        'HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\nHTTP/1.1 200 OK\r\nX-A: 1\r\nContent-Length: 2\r\n\r\nok',
      ),
    );
  });
  const { response, interim } = await send(origin);
  assert.deepEqual(interim, [{ status: 103, headers: [['Link', '</a>']] }]);
  assert.deepEqual(
    [response!.status, response!.headers],
    [
      200,
      [
        ['X-A', '1'],
        ['Content-Length', '2'],
      ],
    ],
  );
});

test('a hundred interim responses may come, and no more; blanks behind a value are none of it', async t => {
  const origin = await serveRaw(t, socket => {
    socket.on('data', data => {
      const count = Number(/ \/(\d+)/.exec(String(data))![1]);
      const head = 'HTTP/1.1 200 OK\r\nX-One: north \r\nX-Tab: north\t\r\nX-More: a b \t \r\nX-No: ab\r\n';
      socket.write(`${'HTTP/1.1 103 Hints\r\n\r\n'.repeat(count)}${head}Content-Length: 0\r\n\r\n`);
    });
  });
  const { response, interim } = await send(`${origin}/100`);
  assert.equal(interim!.length, 100);
  assert.deepEqual(
    response!.headers.slice(0, 4).map(([, value]) => value),
    ['north', 'north', 'a b', 'ab'],
  );
  assert.equal((await send(`${origin}/101`)).fault?.kind, 'limit');
});

test('after a fault the origin is used again', async t => {
  let calls = 0;
  const origin = await serve(t, (request, response) => {
    if (++calls === 1) request.socket.destroy();
    else response.end('ok');
  });
  assert.equal((await send(origin)).fault?.kind, 'reset');
  assert.equal((await send(origin)).response?.status, 200);
});

test('an interrupt ends a request that waits', async t => {
  const silent = await serveRaw(t, () => undefined);
  const controller = new AbortController();
  const waiting = send(silent, {}, controller.signal);
  setTimeout(() => controller.abort(), 20);
  assert.equal((await waiting).fault?.kind, 'interrupted');
  assert.equal((await send(silent, {}, controller.signal)).fault?.kind, 'interrupted');
});

test('a request that cannot be sent is a fault that says why, not a crash', async t => {
  const origin = await serve(t, (_request, response) => response.end());
  const rows: [headers: [string, string][], says: RegExp][] = [
    [[['X-Bad', 'a\nb']], /cannot be sent: invalid X-Bad header/],
    [[['X-Far', 'гавань']], /cannot be sent: invalid X-Far header/],
    [[['Content-Length', '7']], /Content-Length is set where it is left out/],
  ];
  for (const [headers, says] of rows) {
    const { fault, ...rest } = await send(origin, { method: 'POST', headers, body: ['ab'] });
    assert.equal(fault?.kind, 'unsendable', fault?.message);
    assert.match(fault!.message, says);
    assert.deepEqual([Object.keys(rest.times), rest.received, rest.request.body], [['total'], 0, ['ab']]);
  }
});

test('however a response is cut into pieces, it is the same, and every byte of it is counted', async t => {
  const texts = [
    'HTTP/1.1 200 Fine\r\nX-Quay: North\r\nx-quay:South \t\r\nX-None:\r\nContent-Length: 4\r\n\r\ntide',
    'HTTP/1.0 204 No Content\r\nX-Quay: \xe9\r\n\r\n',
    'HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\nHTTP/1.1 404 Not Found\r\nContent-Length: 0\r\n\r\n',
  ];
  const headersOf = [
    [
      ['X-Quay', 'North'],
      ['x-quay', 'South'],
      ['X-None', ''],
      ['Content-Length', '4'],
    ],
    [['X-Quay', 'é']],
    [['Content-Length', '0']],
  ];
  const told = [
    [200, 'Fine', 'HTTP/1.1', 'tide'],
    [204, 'No Content', 'HTTP/1.0', ''],
    [404, 'Not Found', 'HTTP/1.1', ''],
  ];
  const origin = await serveRaw(t, socket =>
    socket.on('data', bytes => {
      const [, which, cut] = /\/(\d+)\/(\d+)/.exec(bytes.toString())!;
      const text = texts[Number(which)]!;
      socket.setNoDelay(true);
      socket.write(text.slice(0, Number(cut)), 'latin1', () =>
        setTimeout(() => socket.write(text.slice(Number(cut)), 'latin1'), 2),
      );
    }),
  );
  for (const [which, text] of texts.entries()) {
    for (let cut = 1; cut < text.length; cut += 3) {
      const { response, received, connection } = await send(`${origin}/${which}/${cut}`);
      const { status, reason, version, body, headers } = response!;
      assert.deepEqual(
        [status, reason, version, Buffer.from(body).toString()],
        told[which],
        `${which} ${cut}`,
      );
      assert.deepEqual(headers, headersOf[which], `${which} ${cut}`);
      // A field counts with one blank before its value.
      assert.equal(received, text.length + [2, 0, 0][which]!, `${which} ${cut}`);
      assert.equal(connection!.protocol, version);
    }
  }
});

test('the phases of an exchange add up, whatever becomes of it', async t => {
  const origin = await serve(t, (request, response) => {
    if (request.url === '/half') {
      response.writeHead(200, { 'Content-Length': 9 });
      response.write('half');
      setTimeout(() => request.socket.destroy(), 5);
    } else if (request.url === '/none') setTimeout(() => request.socket.destroy(), 5);
    else setTimeout(() => response.end('tide'), 20);
  });
  const named = origin.replace('127.0.0.1', 'localhost');
  const sum = (times: { [phase: string]: number }) =>
    Object.entries(times).reduce((all, [phase, time]) => all + (phase === 'total' ? 0 : time), 0);
  const phasesOf = async (url: string) => {
    const { times } = await send(url);
    assert.ok(Math.abs(times.total - sum({ ...times })) < 0.002, `${url} ${JSON.stringify(times)}`);
    return Object.keys(times).sort().join(' ');
  };
  assert.equal(await phasesOf(`${named}/first`), 'connect download lookup total wait');
  assert.equal(await phasesOf(`${named}/second`), 'download total wait');
  const before = performance.now();
  const { wait, total } = (await send(`${named}/third`)).times;
  assert.ok(wait! >= 19 && total <= performance.now() - before + 1);
  assert.equal(await phasesOf(`${origin}/half`), 'connect download total wait');
  assert.equal(await phasesOf(`${origin}/none`), 'connect total wait');
  const nobody = `http://127.0.0.1:${await closedPort()}/`;
  const begin = performance.now();
  const { times } = await send(nobody);
  const took = performance.now() - begin + 1;
  assert.deepEqual(Object.keys(times), ['total']);
  assert.ok(times.total >= 0 && times.total <= took);
  const again = performance.now();
  const cut = await send(`${origin}/none`);
  assert.ok(cut.times.total <= performance.now() - again + 1);
  const [at, now] = [(await send(origin)).at!, Date.now()];
  assert.ok(at <= now && at > now - 5000);
});

test('a time limit counts for its phase; a body that goes into a file may take its time', async t => {
  const origin = await serve(t, ({ url }, response) => {
    if (url === '/silent') return;
    response.write('a');
    // Long after the limits that it may be longer than, which are long for a machine that has much else to do.
    if (url === '/slow') setTimeout(() => response.end('b'), 3000);
  });
  const ways: [path: string, timeout: { answer?: number; total?: number; connect?: number }, says: RegExp][] =
    [
      ['/slow', {}, /^whole$/],
      ['/slow', { answer: 2000 }, /^whole$/],
      ['/slow', { connect: 2000 }, /^whole$/],
      ['/slow', { connect: 2000, answer: 2000 }, /^whole$/],
      ['/silent', { answer: 10 }, /did not begin to answer within 10 ms/],
      ['/silent', { answer: 10, total: 10 }, /within 10 ms/],
      ['/endless', { total: 2000 }, /was not complete within 2 s/],
      ['/endless', { answer: 2000, total: 2000 }, /was not complete within 2 s/],
    ];
  const folder = folderWith(t);
  const rows = ways.flatMap(way => [way, [...way, `${folder}/${ways.indexOf(way)}.txt`] as const]);
  await Promise.all(
    rows.map(async ([path, timeout, says, saveTo]) => {
      const { fault } = await send(origin + path, { timeout, ...(saveTo && { saveTo }) });
      assert.match(fault?.message ?? 'whole', says, `${path} ${JSON.stringify(timeout)} ${saveTo}`);
      if (saveTo && !fault) assert.equal(readFileSync(saveTo, 'utf8'), 'ab');
    }),
  );
});

test('a response that is there is not too late because the program was busy itself', async t => {
  const origin = await serve(t, (_request, response) => {
    response.end('tide');
    const busyUntil = performance.now() + 1100;
    while (performance.now() < busyUntil);
  });
  for (const timeout of [{ answer: 1000 }, { total: 1000 }]) {
    const { fault, response } = await send(origin, { timeout });
    assert.deepEqual([fault?.message, response?.size], [undefined, 4], JSON.stringify(timeout));
  }
});

test('limits and what certificates have to be count for each request, wherever the one before it went', async t => {
  const origin = await serve(t, (_request, response) =>
    response.setHeader('X-Long', 'x'.repeat(3000)).end('12345'),
  );
  const kind = async (limits: { head?: number; body?: number }) =>
    (await send(origin, { limits: { body: 1000, record: 1000, head: 10_000, ...limits } })).fault?.kind;
  for (const limits of [{}, { head: 2000 }, {}, { body: 4 }, {}])
    assert.equal(await kind(limits), 'head' in limits || 'body' in limits ? 'limit' : undefined);
});

test('what a response lacks is not there at all', async t => {
  const origin = await serve(t, (request, response) => {
    response.setHeader('Trailer', 'X-Sum');
    if (request.url === '/all') {
      response.setHeader('Content-Encoding', 'gzip');
      response.addTrailers({ 'X-Sum': '1' });
      response.end(gzipSync('tide'));
    } else response.end(request.url === '/none' ? '' : 'tide');
  });
  const usual = ['url', 'status', 'reason', 'version', 'headers', 'body', 'size', 'time'];
  const keys = async (path: string) => Object.keys((await send(origin + path)).response!);
  assert.deepEqual(await keys('/plain'), usual);
  assert.deepEqual((await keys('/all')).sort(), [...usual, 'encodedSize', 'trailers'].sort());
  // Nothing is no compressed body.
  const empty = await serve(t, (_request, response) =>
    response.writeHead(200, { 'Content-Encoding': 'gzip' }).end(),
  );
  const { response } = await send(empty);
  assert.deepEqual([response!.size, response!.encodedSize], [0, undefined]);
});

test('a redirect that would take a secret elsewhere in its body is not followed', async t => {
  let came = 0;
  const other = await serve(t, (_request, response) => response.end(String(++came)));
  const origin = await serve(t, (_request, response) => response.writeHead(307, { Location: other }).end());
  const secrecy = { header: () => false, body: (parts: readonly unknown[]) => parts.includes('spring-tide') };
  const more = { method: 'PUT', secrecy, body: ['spring-tide'] };
  const refused = await send(origin, more);
  assert.match(refused.fault!.message, /that holds a secret\. It is not sent there\./);
  assert.deepEqual([refused.request.url, refused.request.body, came], [`${other}/`, undefined, 0]);
  assert.equal((await send(origin, { ...more, body: ['neap-tide'] })).response!.status, 200);
  assert.equal((await send(origin, { ...more, redirects: 0 })).response!.status, 307);
  const many = await serve(t, (request, response) =>
    response.writeHead(302, { Location: `${request.url}x` }).end(),
  );
  assert.match(
    (await send(`${many}/`, { redirects: 2 })).fault!.message,
    /after 2 redirects .*\/xx sends on again/,
  );
});
