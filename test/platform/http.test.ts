import assert from 'node:assert/strict';
import type { IncomingMessage } from 'node:http';
import { test } from 'node:test';
import { openDriver } from '../support/driver.ts';
import { serve, serveRaw } from '../support/server.ts';

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
  const { response, times, fault } = await send(`${origin}/a%2Fb//c?q=%20[x]#part`, {
    method: 'POST',
    headers: [
      ['X-One', 'ä'],
      ['Content-Type', 'application/json'],
    ],
    body: ['{"ü":1}'],
  });
  assert.equal(fault, undefined);
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
    const { fault } = await send(origin, { method: 'POST', headers, body: ['ab'] });
    assert.equal(fault?.kind, 'unsendable', fault?.message);
    assert.match(fault!.message, says);
  }
});
