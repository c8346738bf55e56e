import assert from 'node:assert/strict';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve, serveRaw } from '../support/server.ts';

const part = (title: string, request: string, statements: string, settings = '') =>
  `## ${title}\n\n${settings && `~~~yaml settings\n${settings}\n~~~\n\n`}~~~http\n${request}\n~~~\n\n~~~mervok\n${statements}\n~~~\n\n`;

test('a page that is needed is done before it is cleaned up', async t => {
  const origin = await serve(t, (_request, response) => response.end('{"id":1}'));
  const clean =
    '## Clean\n\n~~~mervok\ncleanup\n~~~\n\n~~~http\nDELETE /{made}\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n\n';
  const make = part('Make', 'POST /', 'status = 200\nkeep $.id as made') + clean;
  const files = { 'mervok.yaml': `base: ${origin}\n`, 'a.md': make };
  const folder = folderWith(t, { ...files, 'b.md': part('Use', 'GET /', 'status = 200', 'needs: [a.md]') });
  const { code, out } = await mervok(folder, ['run']);
  assert.equal(code, 0, out);
  assert.match(out, /Passed: 3 cases/);
  const wrong = folderWith(t, {
    ...files,
    'b.md': part('Use', 'GET /', 'status = 200', 'needs: [a.md#clean]'),
  });
  assert.match((await mervok(wrong, ['lint'])).out, /need-unknown\s+a\.md#clean cleans up at the end/);
});

test('a computed variable is computed of what its page gives, whatever else runs', async t => {
  const origin = await serve(t, (request, response) => response.end(JSON.stringify({ url: request.url })));
  const settings = `base: ${origin}\nvariables:\n  side: north\n  path: { let: '"{side}-quay"' }\n  id: { let: "uuid()" }\n`;
  const says = (side: string) => part('Look', 'GET /{path}', `$.url = "/${side}-quay"`);
  const folder = folderWith(t, {
    'mervok.yaml': settings,
    'a.md': says('north'),
    'b.md': `---\nvariables: { side: south }\n---\n${says('south')}`,
    'c.md':
      part('One', 'GET /{id}', '$.url = "/{id}"\nkeep $.url as first') +
      part('Other', 'GET /{id}', '$.url = {first}'),
  });
  for (const args of [[], ['b.md'], ['--jobs', '3']]) {
    const { code, out } = await mervok(folder, ['run', ...args]);
    assert.equal(code, 0, out);
  }
  // With a seed, the same for every page, whichever comes first.
  const ids = new Set<string>();
  for (const page of ['c.md', 'c.md#other', '.']) {
    const { out } = await mervok(folder, ['run', page, '--seed', '7', '--json']);
    for (const [, id] of out.matchAll(/"url":"[^"]*\/([0-9a-f-]{36})"/g)) ids.add(id!);
  }
  assert.equal(ids.size, 1);
});

test('shards that are missing are named, also beside a single one, and what several needed counts once', async t => {
  const origin = await serve(t, (_request, response) => response.end('{"id":1}'));
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': part('Sign in', 'GET /', 'status = 200\nkeep $.id as id'),
    'b.md': part('B', 'GET /{id}', 'status = 200'),
    'c.md': part('C', 'GET /{id}', 'status = 200'),
  });
  for (const shard of ['1/3', '2/3', '3/3'])
    assert.equal((await mervok(folder, ['run', '--shard', shard])).code, 0);
  const ids: string[] = JSON.parse((await mervok(folder, ['runs', '--json'])).out).runs.map(
    ({ id }: { id: string }) => id,
  );
  const files = ids.toReversed().map(id => `.mervok/runs/${id}.ndjson`);
  const one = await mervok(folder, ['report', '--merge', files[0]!]);
  assert.match(one.err, /^shard \d of 3 and shard \d of 3 are missing/);
  const all = await mervok(folder, ['report', '--merge', ...files]);
  assert.equal(all.err, '');
  assert.match(all.out, /Passed: 3 cases; all 3 checks hold\.\n.*3 requests/s);
  const gone = await mervok(folder, ['report', '--merge', files[0]!, './shards/two.ndjson']);
  assert.equal(gone.code, 2);
  assert.match(gone.err, /There is no file '\.\/shards\/two\.ndjson'/);
});

test('a request that is sent anew over a fresh connection ends with what went wrong first; none switches it off', async t => {
  let connections = 0;
  const origin = await serveRaw(t, socket => {
    connections++;
    const own = connections;
    let asked = 0;
    socket.on('data', () => {
      asked++;
      if (own === 1 && asked === 1) socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\n{}');
      else if (own === 1) socket.destroy();
      else socket.end('no HTTP at all\r\n\r\n');
    });
  });
  const page = (retry: string) => ({
    'mervok.yaml': `base: ${origin}\n${retry}`,
    'a.md': part('One', 'GET /', 'status = 200') + part('Two', 'GET /', 'fault = "reset"'),
  });
  const anew = await mervok(folderWith(t, page('')), ['run']);
  assert.equal(anew.code, 0, anew.out);
  assert.equal(connections, 2);
  connections = 0;
  const once = await mervok(folderWith(t, page('retry: none\n')), ['run']);
  assert.equal(once.code, 0, once.out);
  assert.equal(connections, 1);
});

test('cookies: a Secure one stays at home over plain HTTP, and what one port set does not follow a redirect to another', async t => {
  const seen: string[] = [];
  const other = await serve(t, (request, response) => {
    seen.push(`other ${request.headers.cookie ?? ''}`);
    response.end('{}');
  });
  const origin = await serve(t, (request, response) => {
    seen.push(`${request.url} ${request.headers.cookie ?? ''}`);
    if (request.url === '/set') response.setHeader('Set-Cookie', ['safe=1; Secure', 'sid=2']);
    if (request.url === '/away') response.writeHead(302, { Location: `${other}/x` });
    response.end('{}');
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md':
      part('Set', 'GET /set', 'status = 200') +
      part('Away', 'GET /away', 'status = 200') +
      part('Back', 'GET /back', 'status = 200'),
  });
  const { code, out } = await mervok(folder, ['run']);
  assert.equal(code, 0, out);
  assert.deepEqual(seen, ['/set ', '/away sid=2', 'other ', '/back sid=2']);
});
