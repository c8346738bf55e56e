import assert from 'node:assert/strict';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { fence, pageOf } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

/** A harbour whose berths have a depth as a number, or as another value. */
function startHarbour(t: Parameters<typeof serve>[0], depth: unknown = 4.5): Promise<string> {
  return serve(t, (request, response) => {
    const isPost = request.method === 'POST';
    response.writeHead(isPost ? 201 : 200, { 'Content-Type': 'application/json', 'X-Office': 'spring-tide' });
    response.end(
      JSON.stringify(isPost ? { token: 'skerry-4711-secret', key: 'spring-tide' } : { code: '0417', depth }),
    );
  });
}

const pages = (example = '') =>
  pageOf([
    [
      'Sign in',
      fence('http', 'POST /sessions\nX-Key: {key}') +
        fence('mervok', 'status = 201\nkeep $.token as secret token'),
    ],
    [
      'A berth',
      fence('http', 'GET /berths/0417\nX-Token: {token}') + example + fence('mervok', 'status = 200'),
    ],
    ['Fails', fence('http', 'GET /berths/0418') + fence('mervok', 'status = 404')],
  ]);

const folderOf = async (t: Parameters<typeof serve>[0], text: string, depth?: unknown) =>
  folderWith(t, {
    'mervok.yaml': `base: ${await startHarbour(t, depth)}\nvariables: { key: { secret: spring-tide } }\n`,
    'berths.md': text,
  });

const old = fence(
  'http',
  'HTTP/1.1 200 OK\nContent-Type: application/json\n\n{ "code": "0417", "depth": "4.5" }',
);

test('an example that is out of date is told, fails where that is asked for, and is written anew', async t => {
  const folder = await folderOf(t, pages(old));
  const read = () => readFileSync(join(folder, 'berths.md'), 'utf8');
  const told = await mervok(folder, ['run']);
  assert.match(told.out, /^1 example is out of date: berths\.md:\d+\.$/m);
  assert.match((await mervok(folder, ['report', 'last', '-o', 'md:-'])).out, /1 example is out of date/);
  const strict = await mervok(folder, ['run', 'berths.md#a-berth', '--examples', 'strict']);
  assert.equal(strict.code, 1);
  assert.match(
    strict.out,
    /as its example shows\s+berths\.md:\d+\n\s+expected\s+a text\n\s+found\s+a number\n\s+at\s+\$\.depth/,
  );
  const written = await mervok(folder, ['run', '--examples', 'write']);
  assert.equal(written.code, 1);
  assert.match(written.out, /^written {2}2 examples into berths\.md$/m);
  assert.match(read(), /"depth": 4\.5\n/);
  assert.match(read(), /"token": "\{token\}",\n {2}"key": "\{key\}"/);
  assert.match(read(), /X-Office: \{key\}/);
  assert.doesNotMatch(read(), /spring-tide|4711|Date:|Content-Length|404 Not/);
  const text = read();
  const again = await mervok(folder, ['run', '--examples', 'write']);
  assert.match(again.out, /^No example had to be written\.$/m);
  assert.equal(read(), text);
  const held = await mervok(folder, ['run', 'berths.md#a-berth', '--examples', 'strict']);
  assert.deepEqual([held.code, held.err], [0, '']);
  assert.match(held.out, /all 4 checks hold/);
  assert.equal((await mervok(folder, ['lint', '--strict'])).code, 0);
});

test('lint says what an example contradicts, and its weight can be set', async t => {
  const text = pages(fence('http', 'HTTP/1.1 404 Not Found'));
  const folder = await folderOf(t, text);
  const { out, code } = await mervok(folder, ['lint']);
  assert.equal(code, 0);
  assert.match(
    out,
    /berths\.md:\d+:1 {2}warning example-contradicts\n.*contradicts `status = 200` \(berths\.md:\d+\):/,
  );
  assert.equal((await mervok(folder, ['lint', '--strict'])).code, 2);
  writeFileSync(join(folder, 'berths.md'), `---\nlint: { example-contradicts: off }\n---\n${text}`);
  assert.match((await mervok(folder, ['lint'])).out, /nothing to find fault with/);
  writeFileSync(join(folder, 'berths.md'), text);
  // What lint finds fault with is what is written anew.
  assert.match(
    (await mervok(folder, ['run', '--examples', 'write'])).out,
    /^written {2}2 examples into berths\.md$/m,
  );
  assert.equal((await mervok(folder, ['lint', '--strict'])).code, 0);
});

test('a page that changes while it runs is not written, and others are', async t => {
  const harbour = await serve(t, (_, response) => {
    writeFileSync(join(folder, 'berths.md'), `${pages()}\nA new sentence.\n`);
    response.writeHead(200, { 'Content-Type': 'application/json' }).end('{}');
  });
  const text = pageOf([['A', fence('http', 'GET /') + fence('mervok', 'status = 200')]]);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${harbour}\n`,
    'berths.md': text,
    'quays.md': text,
  });
  const { out, err } = await mervok(folder, ['run', '--examples', 'write']);
  assert.match(err, /No example for berths\.md:4: the page has changed since the run began\./);
  assert.match(out, /^written {2}1 example into quays\.md$/m);
  assert.equal(readFileSync(join(folder, 'berths.md'), 'utf8'), `${pages()}\nA new sentence.\n`);
});

test('examples are for one answer: many of them do not go together with it', async t => {
  const folder = await folderOf(t, pages(old));
  for (const [args, told] of [
    [['--examples', 'write', '--users', '2'], /--examples write and --users do not go together/],
    [['--examples', 'strict', '--rounds', '2'], /--examples strict and --rounds do not go together/],
    [['--examples', 'check'], /--examples takes strict .* or write .*, not 'check'/],
  ] as const) {
    const { code, err } = await mervok(folder, ['run', ...args]);
    assert.deepEqual([code, told.test(err)], [2, true], err);
  }
  assert.doesNotMatch((await mervok(folder, ['run', '--rounds', '2'])).out, /out of date/);
});
