import assert from 'node:assert/strict';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { createServer as createHttp2Server, type ServerHttp2Session } from 'node:http2';
import { createServer as createSecureServer } from 'node:https';
import type { AddressInfo, Server } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import type { Header } from '../../src/core/model/http-messages.ts';
import type { OutgoingRequest } from '../../src/core/steps/http/http-port.ts';
import { openDriver } from '../support/driver.ts';
import { serve, serveRaw } from '../support/server.ts';
import { serveTls } from '../support/tls.ts';

const { send, sendAll } = await openDriver();

async function listen(t: TestContext, server: Server): Promise<string> {
  await new Promise<void>(open => server.listen(0, '127.0.0.1', open));
  t.after(() => server.close());
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

/** Tells how a body came. */
function tell(request: IncomingMessage, response: ServerResponse): void {
  let size = 0;
  request.on('data', chunk => {
    size += chunk.length;
  });
  request.on('end', () => {
    const { 'transfer-encoding': coding, 'content-length': length, expect } = request.headers;
    response.end(JSON.stringify({ size, coding, length, expect, version: request.httpVersion }));
  });
}

const chunked: Header = ['Transfer-Encoding', 'chunked'];
const expecting: Header = ['Expect', '100-continue'];

async function told(url: string, more: Partial<OutgoingRequest>) {
  const { response, fault } = await send(url, { method: 'POST', body: ['pilot'], ...more });
  return fault ? fault.message : JSON.parse(Buffer.from(response!.body).toString());
}

test('a body goes out in chunks where its headers say so: a text, files, once more after a redirect', async t => {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-test-'));
  t.after(() => rmSync(folder, { recursive: true, force: true }));
  writeFileSync(join(folder, 'crates.csv'), 'crate;weight\n'.repeat(10_000));
  const origin = await serve(t, (request, response) => {
    if (request.url === '/old') response.writeHead(307, { Location: '/new' }).end();
    else if (request.url === '/done') response.writeHead(303, { Location: '/new' }).end();
    else tell(request, response);
  });
  const here = await openDriver({ root: folder });
  const file = await here.send(origin, {
    method: 'PUT',
    headers: [['transfer-encoding', 'Chunked']],
    body: ['head;', { file: 'crates.csv' }],
  });
  assert.deepEqual(JSON.parse(Buffer.from(file.response!.body).toString()), {
    size: 130_005,
    coding: 'chunked',
    version: '1.1',
  });
  assert.deepEqual(file.request.headers, [['transfer-encoding', 'Chunked']], 'as it was written');
  for (const method of ['POST', 'DELETE', 'GET'])
    assert.deepEqual(await told(origin, { method, headers: [chunked], body: ['x'.repeat(20_000)] }), {
      size: 20_000,
      coding: 'chunked',
      version: '1.1',
    });
  assert.equal((await told(`${origin}/old`, { headers: [chunked] })).coding, 'chunked');
  assert.deepEqual(await told(`${origin}/done`, { headers: [chunked, expecting] }), {
    size: 0,
    version: '1.1',
  });
});

test('a body waits until it is wanted, goes out where nobody says so, and stays here where it is refused', async t => {
  const server = createServer(tell);
  let early = 0;
  server.on('checkContinue', (request: IncomingMessage, response: ServerResponse) => {
    request.on('data', () => early++);
    if (request.url === '/refused') response.writeHead(417).end('not that');
    else if (request.url === '/silent') tell(request, response);
    else
      setTimeout(() => {
        if (early === 0) response.writeContinue();
        tell(request, response);
      }, 30);
  });
  const origin = await listen(t, server);
  const wanted = await send(origin, { method: 'POST', headers: [expecting], body: ['pilot'] });
  assert.deepEqual(
    [wanted.interim?.map(({ status }) => status), JSON.parse(Buffer.from(wanted.response!.body).toString())],
    [[100], { size: 5, length: '5', expect: '100-continue', version: '1.1' }],
  );
  assert.equal((await told(origin, { headers: [expecting, chunked] })).coding, 'chunked');
  const refused = await send(`${origin}/refused`, { method: 'POST', headers: [expecting], body: ['pilot'] });
  assert.deepEqual([refused.response?.status, refused.fault], [417, undefined]);
  assert.equal((await told(`${origin}/silent`, { headers: [expecting] })).size, 5);
  assert.equal((await told(origin, {})).size, 5, 'the connection goes on');
});

test('the head of a request whose body waits ends before its first chunk', async t => {
  const seen: string[] = [];
  const origin = await serveRaw(t, socket => {
    socket.on('data', bytes => {
      seen.push(bytes.toString());
      if (seen.length === 1) socket.write('HTTP/1.1 100 Continue\r\n\r\n');
      if (seen.join('').endsWith('\r\n0\r\n\r\n')) socket.end('HTTP/1.1 204 No Content\r\n\r\n');
    });
  });
  const { response } = await send(origin, {
    method: 'POST',
    headers: [expecting, chunked],
    body: ['ab', 'c'],
  });
  assert.equal(response?.status, 204);
  assert.match(seen[0]!, /transfer-encoding: chunked\r\n\r\n$/);
  assert.equal(seen.slice(1).join(''), '3\r\nabc\r\n0\r\n\r\n');
});

test('what cannot be framed as its headers say is told, and not sent', async t => {
  const origin = await serve(t, tell);
  const rows: [RegExp, Partial<OutgoingRequest>][] = [
    [
      /chunked, not 'gzip'\. What is compressed is sent from a file/,
      { headers: [['Transfer-Encoding', 'gzip']] },
    ],
    [/100-continue, not 'tea'/, { headers: [['Expect', 'tea']] }],
    [/do not go together/, { headers: [chunked, ['Content-Length', '5']] }],
    [/Transfer-Encoding is about a body, and the request has none/, { headers: [chunked], body: [] }],
    [/Expect is about a body, and the request has none/, { headers: [expecting], body: [''] }],
    [/by HTTP\/1\.1 alone/, { headers: [expecting], http: '2' }],
    [/POST, PUT and PATCH alone, not with DELETE/, { method: 'DELETE', http: '2' }],
  ];
  for (const [why, more] of rows) {
    const { exchanges } = await sendAll(origin, { method: 'POST', body: ['pilot'], ...more });
    assert.equal(exchanges[0]!.fault?.kind, 'unsendable');
    assert.match(exchanges[0]!.fault!.message, why);
  }
});

test('the setting http speaks one version alone, with TLS and without', async t => {
  const sessions: ServerHttp2Session[] = [];
  const clear = createHttp2Server(tell as never).on('session', each => sessions.push(each));
  t.after(() => sessions.forEach(each => void each.destroy()));
  const tls = { verify: false };
  const both = await serveTls(t);
  const certificate = (name: string) => readFileSync(`demo/harbour/tls/server.${name}`);
  const only = createSecureServer({ cert: certificate('pem'), key: certificate('key') }, tell);
  const older = (await listen(t, only)).replace('http:', 'https:');
  const version = async (url: string, http: '1.1' | '2') => {
    const { response, fault } = await send(url, { http, tls: tls as never });
    return response?.version ?? fault!.message;
  };
  assert.equal(await version(both, '2'), 'HTTP/2');
  assert.equal(await version(both, '1.1'), 'HTTP/1.1');
  assert.match(await version(older, '2'), /does not speak HTTP\/2, which the setting 'http' asks for/);
  const origin = await listen(t, clear as unknown as Server);
  assert.equal(await version(origin, '2'), 'HTTP/2');
  assert.deepEqual(await told(origin, { http: '2', headers: [chunked] }), { size: 5, version: '2.0' });
  assert.match(await version(await serve(t, tell), '2'), /Does it speak HTTP\/2, which the setting 'http'/);
});
