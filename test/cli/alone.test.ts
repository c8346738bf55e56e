import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

/** Wants a cookie for everything but the sign-in, and knows what was made. */
async function harbour(t: TestContext) {
  const asked: string[] = [];
  let berths = 0;
  const origin = await serve(t, (request, response) => {
    asked.push(`${request.method} ${request.url}`);
    if (request.url === '/sign-in') {
      response.writeHead(200, { 'Set-Cookie': 'sid=abc; Path=/' }).end('{}');
      return;
    }
    if (request.url === '/free') berths = 0;
    if (request.method === 'POST') berths++;
    const known = request.url === '/open' || request.headers.cookie?.includes('sid=abc');
    response.writeHead(known ? 200 : 401, { 'Content-Type': 'application/json' });
    response.end(JSON.stringify({ berths, id: berths }));
  });
  return { origin, asked };
}

const part = (title: string, request: string, statements: string) =>
  `## ${title}\n\n~~~http\n${request}\n~~~\n\n~~~mervok\n${statements}\n~~~\n\n`;

const page =
  part('Sign in', 'GET /sign-in', 'status = 200\ncookie sid exists') +
  part('Look', 'GET /berths', 'status = 200') +
  part('Make', 'POST /berths', 'status = 200\nkeep $.id as berth') +
  part('Count', 'GET /berths', 'status = 200\n$.berths > 0') +
  part('Read', 'GET /berths/{berth}', 'status = 200') +
  part('Change', 'PUT /berths', 'status = 200');

const told = (out: string) =>
  [...out.matchAll(/^(?:passed|failed|blocked) +(\w+(?: \w+)?) {2}/gm)].map(([, title]) => title);

test('a case alone brings what it takes names from, what may have changed something, and what sets a cookie', async t => {
  const { origin, asked } = await harbour(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': page,
    'b.md': part('Other', 'POST /open', 'status = 200'),
  });
  const run = async (...args: string[]) => {
    asked.length = 0;
    return mervok(folder, ['run', ...args]);
  };
  const count = await run('a.md#count');
  assert.equal(count.code, 0, count.out);
  assert.deepEqual(told(count.out), ['Sign in', 'Make', 'Count']);
  assert.match(
    count.out.replace(/\s+/g, ' '),
    /Brought along: a\.md#sign-in \(it sets a cookie\), a\.md#make \(its POST may change something\)\./,
  );
  // What is brought for a name brings its own in turn.
  const read = await run('a.md#read');
  assert.deepEqual(told(read.out), ['Sign in', 'Make', 'Read']);
  assert.match(read.out.replace(/\s+/g, ' '), /a\.md#make \(it gives berth\)/);
  const alone = await run('a.md#count', '--alone');
  assert.equal(alone.code, 1);
  assert.deepEqual(told(alone.out), ['Count']);
  const names = await run('a.md#read', '--alone');
  assert.deepEqual(told(names.out), ['Make', 'Read']);
  // Nothing of another page that no name and no need leads to.
  assert.deepEqual(told((await run('b.md')).out), ['Other']);
  assert.doesNotMatch((await run()).out, /Brought along/);

  asked.length = 0;
  const sent = await mervok(folder, ['send', 'a.md#count']);
  assert.equal(sent.code, 0, sent.out + sent.err);
  assert.deepEqual(asked, ['GET /sign-in', 'POST /berths', 'GET /berths']);
  asked.length = 0;
  await mervok(folder, ['send', 'a.md#count', '--alone']);
  assert.deepEqual(asked, ['GET /berths']);
});

test('reports name what was brought along, and why', async t => {
  const origin = await serve(t, (_, response) => response.end('{}'));
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md':
      caseText('Make', 'POST /berths', 'status = 200') + caseText('Count', 'GET /berths', 'status = 200'),
  });
  const { code } = await mervok(folder, ['run', 'a.md#count', '-o', 'r.md', '-o', 'r.html', '-o', 'r.json']);
  assert.equal(code, 0);
  const [summary, page, data] = ['r.md', 'r.html', 'r.json'].map(file =>
    readFileSync(join(folder, file), 'utf8'),
  );
  assert.match(summary!, /Brought along: .*#make \(its POST may change something\)/);
  assert.match(page!, /<dt>Brought along<\/dt><dd>a\.md#make \(its POST/);
  assert.deepEqual(JSON.parse(data!).brought, [
    { case: 'a.md#make', for: 'a.md#count', because: 'its POST may change something' },
  ]);
});

test('cookies that only an example or the last record knows of count too; where they are off, none do', async t => {
  const { origin } = await harbour(t);
  const signIn = part('Sign in', 'GET /sign-in', 'status = 200');
  const look = part('Look', 'GET /berths', 'status = 200');
  const files = { 'mervok.yaml': `base: ${origin}\n`, 'a.md': signIn + look };
  const folder = folderWith(t, files);
  assert.deepEqual(told((await mervok(folder, ['run', 'a.md#look'])).out), ['Look']);
  assert.equal((await mervok(folder, ['run'])).code, 0);
  const known = await mervok(folder, ['run', 'a.md#look']);
  assert.deepEqual(told(known.out), ['Sign in', 'Look']);
  assert.equal(known.code, 0);

  const example = '~~~http\nHTTP/1.1 200 OK\nset-cookie: sid=1\n\n{}\n~~~\n\n';
  const written = folderWith(t, { ...files, 'a.md': signIn + example + look });
  assert.deepEqual(told((await mervok(written, ['run', 'a.md#look'])).out), ['Sign in', 'Look']);
  const off = folderWith(t, { 'mervok.yaml': `base: ${origin}\ncookies: false\n`, 'a.md': page });
  assert.deepEqual(told((await mervok(off, ['run', 'a.md#look'])).out), ['Look']);
});

test('the command that the verdict offers carries what the run was given, and holds', async t => {
  const { origin } = await harbour(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\nenvironments: { quay: { side: north } }\nvariables: { pass: { secret: "none of it" } }\n`,
    'a.md': page + part('Fails', 'GET /berths?{side}{word}{pass}{more}', 'status = 418'),
    'v.env': 'more=1\n',
  });
  const given = [
    '@quay',
    '--set',
    'word=a b',
    '--set',
    'pass=tide-and-time',
    '--vars',
    'v.env',
    '--files-anywhere',
  ];
  const { out } = await mervok(folder, ['run', ...given]);
  assert.ok(!out.includes('tide-and-time'));
  const [, command] = /mervok (run a\.md#fails.*)$/m.exec(out)!;
  assert.equal(
    command,
    "run a.md#fails @quay --set 'word=a b' --set 'pass=[secret]' --vars v.env --files-anywhere",
  );
});
