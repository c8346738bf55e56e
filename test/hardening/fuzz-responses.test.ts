import assert from 'node:assert/strict';
import { test } from 'node:test';
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib';
import { ResponseView } from '../../src/core/steps/http/response-view.ts';
import { Jar } from '../../src/platform/http/cookies.ts';
import { openDriver } from '../support/driver.ts';
import { sequence } from '../support/fuzz.ts';
import { scaled, seed } from '../support/scale.ts';
import { serveRaw } from '../support/server.ts';

const { sendAll } = await openDriver();

const body = Buffer.from('{"berth":"0417"}'.repeat(30));
const compressed = (coding: string, bytes: Buffer) =>
  Buffer.concat([
    Buffer.from(`HTTP/1.1 200 OK\r\nContent-Encoding: ${coding}\r\nContent-Length: ${bytes.length}\r\n\r\n`),
    bytes,
  ]);

/** Responses that are all right. */
const sound: readonly Buffer[] = [
  Buffer.from('HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: 11\r\n\r\n{"berth":7}'),
  Buffer.from(
    'HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\nTrailer: X\r\n\r\n5\r\nhello\r\n0\r\nX: 1\r\n\r\n',
  ),
  Buffer.from(
    'HTTP/1.1 103 Early\r\nLink: </a>; rel=x\r\n\r\nHTTP/1.1 302 Found\r\nLocation: /x\r\nSet-Cookie: a=b; Path=/; Max-Age=3\r\nContent-Length: 0\r\n\r\n',
  ),
  Buffer.from(
    'HTTP/1.1 401 No\r\nWWW-Authenticate: Digest realm="a", nonce="b", qop="auth", algorithm=SHA-256\r\nContent-Length: 0\r\n\r\n',
  ),
  compressed('gzip', gzipSync(body)),
  compressed('br', brotliCompressSync(body)),
  compressed('deflate', deflateSync(body)),
];

const pieces =
  '\r\n|\r\n\r\n|: |0|-1|99999999999999999999|HTTP/1.1 |chunked|gzip|;|,|"|\0|\xff|Content-Length: 3\r\n|Connection: close\r\n|Location: //[|Set-Cookie: =;\r\n|100 |101 |204 |304 '.split(
    '|',
  );

/** A response with a few bytes taken out, said twice, changed or put in. */
function mutate(response: Buffer, next: (limit: number) => number): Buffer {
  let bytes = Buffer.from(response);
  for (let turns = next(4); turns > 0; turns--) {
    const at = next(bytes.length + 1);
    const [before, after] = [bytes.subarray(0, at), bytes.subarray(at)];
    const piece = Buffer.from(pieces[next(pieces.length)]!, 'latin1');
    const kind = next(4);
    if (kind === 0) bytes = Buffer.concat([before, after.subarray(1 + next(20))]);
    else if (kind === 1) bytes = Buffer.concat([before, piece, after]);
    else if (kind === 2) bytes = Buffer.concat([before, bytes]);
    else bytes = Buffer.concat([before, Buffer.from([next(256)]), after.subarray(1)]);
  }
  return bytes;
}

test('whatever bytes a server sends, they end in a response that can be looked at, or in a fault', async t => {
  const next = sequence(seed);
  let answer = sound[0]!;
  let closes = false;
  const origin = await serveRaw(t, socket =>
    socket.on('data', () => (closes ? socket.end(answer) : socket.write(answer))),
  );
  let responses = 0;
  const turns = scaled(8000, 400);
  for (let turn = 0; turn < turns; turn++) {
    answer = mutate(sound[next(sound.length)]!, next);
    closes = next(2) === 0;
    const { exchanges } = await sendAll(`${origin}/${turn}`, {
      timeout: { total: 80 },
      redirects: 2,
      jar: Jar.from([]),
      ...(next(2) === 0 && { auth: { kind: 'digest', user: 'keeper', password: 'lamp-oil' } }),
    });
    const { response, fault } = exchanges.at(-1)!;
    assert.ok(
      response ? response.status >= 200 : fault!.message !== '',
      JSON.stringify(answer.toString('latin1')),
    );
    if (!response) continue;
    responses++;
    const view = new ResponseView(response);
    for (const part of [view.document, view.links, view.location, view.body])
      assert.notEqual(part, undefined);
  }
  assert.ok(responses > turns / 4 && responses < turns, `${responses} responses`);
});
