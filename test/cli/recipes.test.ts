import assert from 'node:assert/strict';
import { createHash, createHmac } from 'node:crypto';
import { chmodSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import type { RequestListener } from 'node:http';
import { join } from 'node:path';
import { test } from 'node:test';
import { slug } from 'github-slugger';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const [, ...sections] = readFileSync('docs/recipes.md', 'utf8').split(/^## (?=[^\n]+\n\n)/m);

/** What stands in the fences of recipes, by what they are. Headings of pages are no headings of recipes. */
const recipes = joined(sections).map(text => {
  const fences = (marks: string, info: string) =>
    [...text.matchAll(new RegExp(`^${marks}${info}\\n([\\s\\S]*?)^${marks}$`, 'gm'))].map(
      ([, inner]) => inner!,
    );
  return {
    title: text.split('\n', 1)[0]!,
    pages: fences('````', 'markdown'),
    settings: fences('```', 'yaml'),
    commands: fences('```', 'sh').flatMap(each => each.trim().split('\n')),
  };
});

function joined(parts: readonly string[]): string[] {
  const whole: string[] = [];
  for (const part of parts) {
    const open = (whole.at(-1)?.match(/^````/gm)?.length ?? 0) % 2 === 1;
    if (open) whole[whole.length - 1] += `## ${part}`;
    else whole.push(part);
  }
  return whole;
}

/** A harbour that answers all of them. */
function harbour(): RequestListener {
  const berths = ['0417', '0418', '0733'];
  let asked = 0;
  return async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    const { pathname: path, searchParams: query } = new URL(request.url!, 'http://harbour.example');
    const json = (value: unknown, status = 200) =>
      response.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(value));
    const is = (method: string, wanted: string) => request.method === method && path === wanted;
    if (is('POST', '/sign-in')) json({ token: `gull-${JSON.parse(body).password}` });
    else if (is('GET', '/me'))
      json(
        { name: 'Harbour master' },
        request.headers.authorization === 'Bearer gull-and-anchor' ? 200 : 401,
      );
    else if (is('POST', '/moorings')) json({ id: 7 }, 201);
    else if (is('GET', '/moorings/7')) json({ id: 7, state: ++asked > 2 ? 'moored' : 'arriving' });
    else if (is('GET', '/berths'))
      json({ total: berths.length, berths: berths.map(code => ({ code, depth: 4.2, state: 'free' })) });
    else if (is('DELETE', '/berths/0418')) {
      berths.splice(berths.indexOf('0418'), 1);
      response.writeHead(204).end();
    } else if (is('GET', '/tides')) json({ tides: [1], next: query.has('page') ? null : '/tides?page=2' });
    else if (is('POST', '/vessels')) json(JSON.parse(body), 201);
    else if (is('GET', '/arrivals')) json({ on: query.get('on') });
    else if (is('POST', '/manifests'))
      json({ names: [...body.matchAll(/ name="(\w+)"/g)].map(([, name]) => name) }, 201);
    else if (is('GET', '/chart')) response.end(Buffer.from([0, 1, 0xff]));
    else if (is('GET', '/arrivals.csv')) response.end('name,length\nGrey Petrel,38.5\nCurlew,12\n');
    else if (is('GET', '/old')) response.writeHead(301, { Location: '/berths' }).end();
    else if (is('POST', '/orders')) {
      const signature = createHmac('sha256', 'spring-tide').update(body).digest('hex');
      json({}, request.headers['x-signature'] === signature ? 201 : 403);
    } else if (is('POST', '/sealed-orders')) {
      const digest = createHash('sha256').update(body).digest('hex');
      const signed = ['POST', path, request.headers['signed-at'], digest].join('\n');
      const seal = createHmac('sha256', 'spring-tide').update(signed).digest('hex');
      json({}, request.headers.seal === seal ? 201 : 403);
    } else if (is('GET', '/depths'))
      json({ berths: ['0733', '0417', '0418'].map(code => ({ code, depth: 4.2 })) });
    else if (/^\/berths\/\d+$/.test(path)) json({ code: path.slice(8), depth: 4.2 });
    else if (is('GET', '/notice'))
      response
        .writeHead(200, { 'Content-Type': 'text/html' })
        .end('<h1>Fog on the <em>North Quay</em></h1><p>No traffic until 14:30.</p>');
    else if (is('GET', '/tides.xml'))
      response
        .writeHead(200, { 'Content-Type': 'application/xml' })
        .end('<tides><tide kind="high"><height>4.2</height></tide></tides>');
    else if (is('POST', '/reservations')) json({ id: 12 }, 201);
    else if (is('DELETE', '/reservations/12')) response.writeHead(204).end();
    else json({ title: 'Not found' }, 404);
  };
}

test('every recipe does what it says', async t => {
  const origin = await serve(t, harbour());
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\nvariables: { key: { secret: spring-tide } }\n`,
    'mervok.secret.yaml': 'variables: { password: and-anchor }\n',
    'crates.csv': 'crate\n1\n',
    'harbour.openapi.yaml': [
      'openapi: 3.1.0',
      'info: { title: Skerry Harbour, version: "1" }',
      'paths:',
      '  /berths/{code}:',
      '    get:',
      '      parameters: [{ name: code, in: path, required: true, schema: { type: string } }]',
      '      responses: { "200": { description: It., content: { application/json: { schema: { required: [depth] } } } } }',
    ].join('\n'),
    'chart.bin': Buffer.from([0, 1, 0xff]),
    '.gitignore': 'mervok.secret.yaml\n',
    // The other machine is this one.
    'bin/ssh': '#!/bin/sh\n[ "$1" = gauge.skerry.example ] && exec sh -c "$2"\n',
  });
  const bin = join(folder, 'bin');
  chmodSync(join(bin, 'ssh'), 0o755);
  assert.ok(recipes.length >= 20, `${recipes.length}`);
  let pages = 0;
  for (const { title, pages: texts } of recipes)
    for (const text of texts) {
      const page = `${slug(title)}.md`;
      writeFileSync(join(folder, page), text);
      pages++;
      const ran = await mervok(folder, ['run', page, '--commands'], { PATH: `${bin}:${process.env.PATH}` });
      assert.equal(ran.code, 0, `${title}\n${ran.out}${ran.err}`);
      const lint = await mervok(folder, ['lint', page, '--strict']);
      assert.equal(lint.code, 0, `${title}\n${lint.out}`);
    }
  assert.ok(pages >= 15, `${pages}`);
});

test('settings and commands of recipes are right as they stand', async t => {
  const origin = await serve(t, harbour());
  for (const { title, settings } of recipes)
    for (const text of settings) {
      const folder = folderWith(t, {
        'mervok.yaml': text,
        'a.md': '## A\n\n```http\nGET http://127.0.0.1:1/\n```\n',
      });
      const { code, out } = await mervok(folder, ['lint', '-q'], { SKERRY_PASSWORD: 'gull-and-anchor' });
      assert.deepEqual([code, out], [0, ''], title);
    }
  const checked = '```http\nGET /berths\n```\n\n```mervok\nstatus = 200\n```\n';
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'berths.md': `## A\n\n${checked}` });
  mkdirSync(join(folder, 'out'));
  for (const { title, commands } of recipes)
    for (const command of commands) {
      const [, ...words] = command.split(' ');
      const { code, err } = await mervok(folder, words);
      // What passed leaves nothing to be run again, and one run nothing to be set against.
      const wanted = command.includes('--failed') || command.includes('compare') ? [0, 2] : [0];
      assert.ok(wanted.includes(code!), `${title}: ${command}\n${err}`);
      assert.ok(code === 0 || /no case failed|Both are the same run/.test(err), err);
    }
});
