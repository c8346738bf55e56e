import assert from 'node:assert/strict';
import { test } from 'node:test';
import Slugger from 'github-slugger';
import { Source } from '../../src/core/model/source.ts';
import { plainHeading } from '../../src/core/pages/plain-heading.ts';
import { proseOf } from '../../src/core/pages/prose.ts';
import { readPage } from '../../src/core/pages/read-page.ts';
import type { WrittenRequest } from '../../src/core/steps/http/request.ts';
import { told } from '../support/collection.ts';
import { table } from '../support/inputs.ts';

const fence = (info: string, content: string, marks = '```') => `${marks}${info}\n${content}\n${marks}\n\n`;

function read(text: string) {
  const page = readPage(new Source('berths.md', text));
  return { page, told: told(page.findings) };
}

test('a page is cut into cases with their steps, in reading order', () => {
  const { page, told: findings } = read(
    `---\ntitle: Ours\n---\n# Berths\n\nProse.\n\n## Reserve a *berth*\n\n${fence('mervok', 'let a = 1')}${fence('http', 'POST /berths?x={a} HTTP/1.1\nAccept: */*\nX-Quay:  {a} \n\n{ "a": 1 }\n\nlast')}${fence('mervok', 'status = 201')}${fence('http', 'HTTP/1.1 201 Created\n\n{}')}### Only prose\n\n${fence('json', '{}')}## Read it\n\n${fence('http', 'GET /berths/1')}`,
  );
  assert.deepEqual(findings, []);
  assert.equal(page.title, 'Berths');
  assert.equal(page.frontMatter?.text, 'title: Ours\n');
  assert.deepEqual(
    page.cases.map(each => [each.address, each.title, each.steps.map(step => step.type).join(' ')]),
    [
      ['berths.md#reserve-a-berth', 'Reserve a berth', 'let http check'],
      ['berths.md#read-it', 'Read it', 'http'],
    ],
  );
  const request = page.cases[0]!.steps[1] as WrittenRequest;
  assert.equal(request.type, 'http');
  assert.equal(`${request.method} ${request.targetText}`, 'POST /berths?x={a}');
  assert.deepEqual(
    request.headers.map(({ name, value }) => [name, value.parts.length]),
    [
      ['Accept', 1],
      ['X-Quay', 1],
    ],
  );
  assert.equal(request.body!.excerpt.text.slice(request.body!.start), '{ "a": 1 }\n\nlast');
});

test('places are those of the page, also in a list, with CRLF and behind front matter', () => {
  const nested = read('# A\n\n- item\n\n  ```mervok\n  status = 200\n  statsu = 1\n  ```\n');
  assert.deepEqual(nested.told, ['berths.md:7:3 word-unknown']);
  const windows = read('---\r\ntitle: x\r\n---\r\n\r\n# A\r\n\r\n```mervok\r\nstatsu = 1\r\n```\r\n');
  assert.deepEqual(windows.told, ['berths.md:8:1 word-unknown']);
  const marked = read(`\uFEFF# A\n\n${fence('mervok', 'é = 1')}`);
  assert.deepEqual(marked.told, ['berths.md:4:1 syntax']);
  assert.deepEqual(read('# A\n\n> ```mervok\n> statsu = 1\n> ```\n').told, ['berths.md:4:3 word-unknown']);
});

test('fences without a heading belong to a case with the name of the file', () => {
  const { page } = read(fence('http', 'GET http://skerry.example/'));
  assert.deepEqual(
    page.cases.map(each => each.address),
    ['berths.md#berths'],
  );
  assert.equal(page.title, 'berths');
});

const [infos, requests, proses] = table('pages');

test('slips of a fence are reported, other languages are left alone', () => {
  for (const [info = '', code] of [...infos!.rows, ['']]) {
    const findings = read(`# A\n\n${fence(info, 'x')}`).page.findings;
    assert.deepEqual(
      findings.map(each => each.code),
      code === undefined ? [] : [code],
      info,
    );
  }
});

test('what is wrong with a request is told at its place', () => {
  for (const [message = '', at, remedy = ''] of requests!.rows) {
    const { page, told: findings } = read(`# A\n\n${fence('http', message)}`);
    assert.deepEqual(findings, [`berths.md:${at}`], message);
    assert.ok(page.findings[0]!.remedy?.includes(remedy), `${message}: ${page.findings[0]!.remedy}`);
  }
});

test('other slips of a page', () => {
  assert.deepEqual(read('# A\n\n```http\nGET /berths\n').told, ['berths.md:3:1 fence-open']);
  for (const marks of ['```', '```bash', '~~~']) {
    const inner = marks.slice(0, 3);
    const text = `# A\n\n${marks}\necho\n\n## B\n\n${fence('http', 'GET /', inner)}`;
    assert.deepEqual(read(text).told, ['berths.md:3:1 fence-open'], marks);
    assert.deepEqual(read(text.replace(marks, `${marks[0]}${marks}`)).told.length, 1, 'nothing closes it');
  }
  assert.deepEqual(read(`# A\n\n\`\`\`\`text\n${fence('http', 'GET /')}\`\`\`\`\n`).told, []);
  assert.deepEqual(read(`# A\n\n${fence('text', '``` js')}`).told, []);
  assert.deepEqual(read('# A\r\r```http\rGET /\r```\r').told, []);
  assert.deepEqual(read('---\ntitle: x\n\n# A\n').told, ['berths.md:1:1 markup-open']);
  assert.deepEqual(read('\n---\ntitle: x\n---\n\n# A\n').told, ['berths.md:2:1 markup-open']);
  assert.deepEqual(read('---\n\nA rule: it is one.\n').told, []);
  assert.deepEqual(read(`# A\n\n${fence('http', 'HTTP/1.1 200 OK')}`).told, ['berths.md:4:1 body-stray']);
  assert.deepEqual(read(`# A\n\n${fence('json body', '{}')}`).told, ['berths.md:3:4 body-stray']);
  assert.deepEqual(read(`# A\n\n${fence('http', 'GET /')}${fence('yaml settings', 'title: x')}`).told, [
    'berths.md:7:1 body-stray',
  ]);
  assert.deepEqual(read(`# A\n\n${fence('http', 'GET /', '~~~~')}`).told, []);
});

test('headings become links as Git hosts make them', () => {
  const slugs = new Slugger();
  const made = [
    'Reserve a berth',
    'Reserve a berth',
    'Reserve a berth 1',
    "What's new? (2026)",
    'Über_uns – Kai 7',
    'A  B',
  ].map(heading => slugs.slug(heading));
  assert.deepEqual(made, [
    'reserve-a-berth',
    'reserve-a-berth-1',
    'reserve-a-berth-1-1',
    'whats-new-2026',
    'über_uns--kai-7',
    'a--b',
  ]);
  assert.equal(
    plainHeading('The `GET` of [a berth](x.md) is **not** _bold_ \\*'),
    'The GET of a berth is not bold *',
  );
});

test('the prose of a case is what stands around the fences that are carried out', () => {
  const long = [`# A\n\n${'x'.repeat(5000)}\n\n\`\`\`http\nGET /\n\`\`\`\n`, `${'x'.repeat(4000)} …`];
  for (const [text = '', ...prose] of [...proses!.rows, long]) {
    const page = readPage(new Source('a.md', text));
    assert.deepEqual(
      page.cases.map(each => proseOf(each, page.source)),
      prose,
      text.slice(0, 60),
    );
  }
});
