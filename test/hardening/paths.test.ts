import assert from 'node:assert/strict';
import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { scaled } from '../support/scale.ts';
import { serve } from '../support/server.ts';

const content = 'what nobody outside may see';

/** The ways in which a page can name a file; `PATH` stands for it. */
const ways: readonly [what: string, page: string][] = [
  ['file body', '## A\n\n```http\nPOST /\n```\n\n```file body\nPATH\n```\n\n```mervok\nstatus = 200\n```\n'],
  [
    'multipart',
    '## A\n\n```http\nPOST /\n```\n\n```multipart body\na = file "PATH"\n```\n\n```mervok\nstatus = 200\n```\n',
  ],
  ['rows of a page', `---\nrows: PATH\n---\n${caseText('A', 'GET /{word}', 'status = 200')}`],
  [
    'rows of a case',
    '## A\n\n```mervok\neach row of "PATH"\n```\n\n```http\nGET /{word}\n```\n\n```mervok\nstatus = 200\n```\n',
  ],
  ['schema', caseText('A', 'GET /', 'status = 200\nbody fits "PATH"')],
  [
    'schema by way of another',
    '## A\n\n```json schema berth\n{ "$ref": "PATH" }\n```\n\n```http\nGET /\n```\n\n```mervok\nstatus = 200\n$ fits berth\n```\n',
  ],
];

/** The same content for every way: a text, a table with one column, and a schema that everything fits. */
const files: { readonly [way: string]: string } = {
  'rows of a page': `word\n${content}\n`,
  'rows of a case': `word\n${content}\n`,
  schema: JSON.stringify({ title: content }),
  'schema by way of another': JSON.stringify({ title: content }),
};
const endingOf = (way: string) =>
  way.startsWith('rows') ? 'csv' : way.startsWith('schema') ? 'json' : 'txt';

/** What is written for a file outside, seen from a page in `collection/quay`. */
const places: [what: string, path: (folder: string, file: string) => string][] = [
  ['beside the collection', (_, file) => `../../${file}`],
  ['by a detour', (_, file) => `../quay/../../${file}`],
  ['by its whole path', (folder, file) => join(folder, file)],
  ['by a link to the file', (_, file) => `link-${file}`],
  ['by a link to its folder', (_, file) => `up/${file}`],
];

test('files that pages name cannot lie outside of the collection, unless an option allows it', async t => {
  const seen: string[] = [];
  const origin = await serve(t, async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    seen.push(decodeURIComponent(request.url!) + body);
    response.setHeader('Content-Type', 'application/json').end('{}');
  });
  for (const [way, page] of ways) {
    const file = `outside.${endingOf(way)}`;
    const folder = folderWith(t, {
      [file]: files[way] ?? content,
      'collection/mervok.yaml': `base: ${origin}\n`,
    });
    const quay = join(folder, 'collection/quay');
    mkdirSync(quay);
    symlinkSync(join(folder, file), join(quay, `link-${file}`));
    symlinkSync(folder, join(quay, 'up'));
    const [first] = places.splice(0, 1);
    places.push(first!);
    for (const [where, pathTo] of places.slice(0, scaled(places.length, 2))) {
      const what = `${way} ${where}`;
      writeFileSync(join(quay, 'a.md'), page.replace('PATH', pathTo(folder, file)));
      seen.length = 0;
      const run = await mervok(quay, ['run', 'a.md']);
      assert.equal(run.code, 2, `${what}: ${run.out}${run.err}`);
      assert.match(run.err, /a\.md:\d+:\d+/, what);
      assert.match(run.err, /lies outside of the collection, which only\s+--files-anywhere\s+allows/, what);
      assert.ok(!(run.out + run.err).includes(content), what);
      assert.deepEqual(seen, [], what);
    }
    writeFileSync(join(quay, 'a.md'), page.replace('PATH', places[0]![1](folder, file)));
    const allowed = await mervok(quay, ['run', 'a.md', '--files-anywhere']);
    assert.equal(allowed.code, 0, `${way}: ${allowed.out}${allowed.err}`);
    writeFileSync(join(quay, file), files[way] ?? content);
    writeFileSync(join(quay, 'a.md'), page.replace('PATH', file));
    // The collection itself may well be reached by a link.
    const inside = await mervok(join(quay, 'up/collection'), ['run']);
    assert.equal(inside.code, 0, `${way}: ${inside.out}${inside.err}`);
  }
});

test('a path that comes from a response leaves the collection no more than one that is written', async t => {
  const seen: string[] = [];
  const paths = [
    '../outside.txt',
    '..%2foutside.txt',
    'link.txt',
    'up/outside.txt',
    'a\0b',
    '/etc/hostname',
    '.',
  ];
  let at = 0;
  const origin = await serve(t, async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    seen.push(body);
    response.setHeader('Content-Type', 'application/json').end(JSON.stringify({ path: paths[at] }));
  });
  const folder = folderWith(t, {
    'outside.txt': content,
    'collection/mervok.yaml': `base: ${origin}\n`,
    'collection/a.md': `${caseText('Ask', 'GET /', 'status = 200\nkeep $.path as path')}## Send\n\n\`\`\`http\nPOST /\n\`\`\`\n\n\`\`\`file body\n{path}\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\n\`\`\`\n`,
  });
  symlinkSync(join(folder, 'outside.txt'), join(folder, 'collection/link.txt'));
  symlinkSync(folder, join(folder, 'collection/up'));
  for (at = 0; at < paths.length; at++) {
    const { code, out, err } = await mervok(join(folder, 'collection'), ['run']);
    assert.equal(code, 1, `${paths[at]}: ${out}${err}`);
    assert.match(out, /a\.md:\d+/, paths[at]);
    assert.doesNotMatch(out + err, /at .*\(.*:\d+:\d+\)|ERR_|EISDIR/, paths[at]);
  }
  assert.ok(seen.length >= paths.length);
  for (const body of seen) assert.equal(body, '');
});
