import assert from 'node:assert/strict';
import { test } from 'node:test';
import { affectedPages } from '../../src/core/analysis/affected-pages.ts';
import { baseOfPage } from '../../src/core/analysis/base.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { Flow } from '../../src/core/analysis/flow.ts';
import { isWithin, parseBound } from '../../src/core/language/bounds.ts';
import { finding, type SourceError } from '../../src/core/model/finding.ts';
import { Source } from '../../src/core/model/source.ts';
import { Missing } from '../../src/core/model/value.ts';
import { shownOf } from '../../src/core/secrecy/shown-finding.ts';
import { caseText, filesOf, planOf, type Texts, told } from '../support/collection.ts';
import { table } from '../support/inputs.ts';

const root = 'base: "http://skerry.example"\n';
const request = '~~~http\nGET /\n~~~\n\n';
const checked = '~~~mervok\nstatus = 200\n~~~\n\n';
const fine = `${request}${checked}`;
const statements = (text: string) => `~~~mervok\n${text}\n~~~\n\n`;
const fits = (what: string) => `${request}${statements(`$ fits ${what}`)}`;
const files: { readonly [path: string]: string } = {
  'broken.json': '{ "a": ',
  'odd.json': '{ "type": "tide" }',
  'refers.json': '{ "$ref": "none.json" }',
  'sea/depth.json': '{ "$ref": "../odd.json#/x" }',
};

test('what a page says wrongly is told at its place', async () => {
  const rows: [page: string, told: string[]][] = [
    ['```\nnever closed\n', ['a.md:1:1 fence-open']],
    [`~~~~text\n~~~http\nGET /\n~~~\n~~~~\n\n${fine}`, []],
    [`~~~text\nprose\n~~~http\nGET /\n~~~\n\n${fine}`, ['a.md:1:1 fence-open']],
    [`<!-- open\n\n${fine}`, ['a.md:1:1 markup-open']],
    [`<div>\n## Heading\n</div>\n\n${fine}`, ['a.md:1:1 markup-open']],
    [`<div>\n~~~json body\n</div>\n\n${fine}`, ['a.md:1:1 markup-open']],
    [`<div>\n\`http\` is a word\n</div>\n\n${fine}`, []],
    [`<div>\n# Heading\n</div>\n\n${fine}`, ['a.md:1:1 markup-open']],
    [`<div>\n#tag and ##more\n</div>\n\n${fine}`, []],
    [`<div>\nberth ## 4, and ~~~http in a line\n</div>\n\n${fine}`, []],
    [`\n---\ntitle: A\n---\n\n${fine}`, ['a.md:2:1 markup-open']],
    [`${'> '.repeat(201)}deep\n\n${fine}`, ['a.md:1:1 markup-open']],
    [`~~~json schema\n{}\n~~~\n\n${fine}`, ['a.md:1:4 fence-name']],
    [`~~~json schema 1st\n{}\n~~~\n\n${fine}`, ['a.md:1:4 fence-name']],
    [`~~~csv rows berths\nx\n1\n~~~\n\n~~~csv rows berths\nx\n1\n~~~\n\n${fine}`, ['a.md:6:4 fence-name']],
    [`~~~json schema b\n{}\n~~~\n\n~~~json schema b\n{}\n~~~\n\n${fine}`, ['a.md:5:4 fence-name']],
    [`~~~json schema b\n{ "a": }\n~~~\n\n${fits('b')}`, ['a.md:2:8 schema-form']],
    [`~~~json schema b\n\n{ "type": "tide" }\n~~~\n\n${fits('b')}`, ['a.md:2:1 schema-form']],
    [`~~~json schema b\n{}\n~~~\n\n${fits('c')}`, ['a.md:10:3 schema-missing']],
    [`~~~json schema berth\n{}\n~~~\n\n${fits('brth')}`, ['a.md:10:3 schema-missing']],
    [fits('"broken.json"'), ['a.md:6:3 schema-form']],
    [fits('"odd.json"'), ['a.md:6:3 schema-form']],
    [fits('"refers.json"'), ['a.md:6:3 schema-form']],
    [fits('"sea/depth.json"'), ['a.md:6:3 schema-form']],
    [fits('"none.json"'), ['a.md:6:3 schema-missing']],
    [`${fits('c')}${statements('$ fits c')}`, ['a.md:6:3 schema-missing']],
    [`## A\n\n~~~http\nHTTP/1.1 200 OK\n\n{}\n~~~\n`, ['a.md:4:1 body-stray']],
    [`## A\n\n~~~http\nHTTP/1.1 200 OK\n~~~\n`, ['a.md:4:1 body-stray']],
    [`${fine}~~~yaml settings\nretry: none\n~~~\n`, ['a.md:9:1 body-stray']],
    [
      `~~~yaml settings\nretry: none\n~~~\n\n~~~yaml settings\nretry: none\n~~~\n\n${fine}`,
      ['a.md:5:1 body-stray'],
    ],
    [`${request}~~~json body\n{}\n~~~\n\n~~~json body\n{}\n~~~\n\n${checked}`, ['a.md:9:4 body-stray']],
    [`~~~json body\n{}\n~~~\n\n${fine}`, ['a.md:1:4 body-stray']],
    [
      `${request}${statements('repeat every 1 s for 2 s until status = 200')}`,
      ['a.md:6:1 statement-place', 'a.md:2:1 request-unchecked'],
    ],
    [
      `${statements('repeat every 1 s for 2 s until status = 200\nstatus = 200')}${request}${checked}`,
      ['a.md:2:1 statement-place', 'a.md:3:1 no-response-yet'],
    ],
    [`${request}${statements('cleanup')}`, ['a.md:6:1 statement-place', 'a.md:2:1 request-unchecked']],
    [`${statements('cleanup\ncleanup')}${fine}`, ['a.md:3:1 statement-place']],
    [`~~~js step\nlet x = 1;\n~~~\n\n${fine}`, ['a.md:2:1 script-idle']],
    [`~~~mervk\nstatus = 200\n~~~\n\n${fine}`, ['a.md:1:4 fence-slip']],
    [`~~~http\nGET berths\n~~~\n\n~~~json body\n{}\n~~~\n`, ['a.md:2:5 request-line']],
    [`${statements('each row of berths')}${fine}`, ['a.md:2:1 file-missing']],
    [
      `~~~csv rows berths\na,a\n1,2\n~~~\n\n${statements('each row of berths')}${fine}`,
      ['a.md:2:1 table-form'],
    ],
    [
      `~~~csv rows berths\na,b\n1,2\n3\n~~~\n\n${statements('each row of berths')}${fine}`,
      ['a.md:4:1 table-form'],
    ],
    [
      `~~~csv rows berths\na\nb"c"\n~~~\n\n${statements('each row of berths')}${fine}`,
      ['a.md:3:1 table-form'],
    ],
    [`~~~csv rows berths\na\n1\n~~~\n\n${statements('each row of fogs')}${fine}`, ['a.md:7:1 file-missing']],
    [`${statements('each row of "none.csv"')}${fine}`, ['a.md:2:1 file-missing']],
    [
      `~~~csv rows vessels\na\n1\n~~~\n\n${statements('each row of vesels')}${fine}`,
      ['a.md:7:1 file-missing'],
    ],
  ];
  const astray: string[] = [];
  for (const [page, expected] of rows) {
    const readFile = (path: string) => files[path] ?? new Missing(`There is no file '${path}' here`);
    const { findings } = await planOf({ 'mervok.yaml': root, 'a.md': page }, { readFile });
    const found = told(findings.filter(({ code }) => code !== 'name-unused')).sort();
    if (found.join() !== [...expected].sort().join()) astray.push(`${JSON.stringify(page)} ${found}`);
  }
  assert.deepEqual(astray, []);
});

test('what looks like a secret and is written out is told, and nothing else is', async () => {
  const [settings, pages] = table('secrets-written').map(({ rows }) => rows);
  const places = async (texts: Texts) =>
    told((await planOf(texts)).findings.filter(({ code }) => code.startsWith('secret')));
  for (const [text = '', ...expected] of settings!)
    assert.deepEqual(
      await places({ 'mervok.yaml': `${root}${text}\n`, 'a.md': fine }),
      expected.map(each => `mervok.yaml:${each}`),
      text,
    );
  for (const [text = '', ...expected] of pages!)
    assert.deepEqual(
      await places({ 'mervok.yaml': root, 'a.md': text }),
      expected.map(each => `a.md:${each}`),
      text,
    );
});

test('of a secret that stands in a line, or in a message, nothing is shown', () => {
  for (const [file = '', line = '', message = '', shown, said] of table('shown-findings')[0]!.rows) {
    const source = new Source(file, `first\n${line}\nlast`);
    const place = { source, range: { start: 6, end: 6 + line.length } };
    const { line: text, message: told, remedy } = shownOf(finding('setting-form', place, message, message));
    assert.deepEqual([text ?? 'nothing', told, remedy], [shown, said, said], line);
  }
  const written = (line: string, start: number, length: number) =>
    shownOf(
      finding(
        'secret-written',
        { source: new Source('a.md', line), range: { start, end: start + length } },
        'm',
      ),
    ).line;
  assert.equal(written('X-Quay: spring tide', 0, 19), 'X-Quay: ****** ****');
  assert.equal(written('a "b: c" spring', 9, 6), 'a "b: c" ******');
  assert.equal(written('x = {quay}', 0, 10), 'x = {quay}');
});

test('bounds: what they measure, of what, and within which limit', () => {
  const [right, wrong] = table('bounds').map(({ rows }) => rows);
  for (const [text = '', bound = ''] of right!)
    assert.deepEqual(parseBound(text), { text, ...JSON.parse(bound) });

  for (const [text = '', start, end, message, remedy] of wrong!)
    assert.throws(
      () => parseBound(text),
      (error: SourceError) => {
        assert.deepEqual(
          [error.range, error.message, error.remedy, error.code],
          [{ start: Number(start), end: Number(end) }, message, remedy, 'bound-form'],
          text,
        );
        return true;
      },
    );
  const within: [address: string, of: string, is: boolean][] = [
    ['sea/a.md#x', 'sea/a.md#x', true],
    ['sea/a.md#x', 'sea/a.md', true],
    ['sea/a.md#x', 'sea', true],
    ['sea/a.md#x', 'sea/', true],
    ['sea/a.md#x', 'se', false],
    ['sea/a.md#xy', 'sea/a.md#x', false],
    ['seaside/a.md#x', 'sea', false],
  ];
  for (const [address, of, is] of within) assert.equal(isWithin(address, of), is, `${address} ${of}`);
});

test('a change touches the pages that use what was changed, and those that need them', async () => {
  const texts: Texts = {
    'mervok.yaml': root,
    'a.md': caseText('A', 'GET /', 'status = 200\nkeep $.id as id'),
    'b.md': caseText('B', 'GET /{id}', '$ fits "schemas/berth.json"'),
    'c.md': caseText('C', 'GET /', 'status = 200'),
    'sea/mervok.yaml': 'headers: { X-Quay: north }\n',
    'sea/d.md': caseText('D', 'GET /', 'status = 200'),
    'sea/deep/e.md': caseText('E', 'GET /', 'status = 200'),
    'seaside/f.md': caseText('F', 'GET /', 'status = 200'),
  };
  const flow = new Flow(await readCollection(filesOf(texts)), new Map(), new Map());
  const asked = new Set(Object.keys(texts).filter(path => path.endsWith('.md')));
  const rows: [changed: string[], touched: string[] | 'all'][] = [
    [['a.md'], ['a.md', 'b.md']],
    [['b.md'], ['b.md']],
    [['sea/mervok.yaml'], ['sea/d.md', 'sea/deep/e.md']],
    [['sea/mervok.secret.yaml'], ['sea/d.md', 'sea/deep/e.md']],
    [['mervok.yaml'], 'all'],
    [['mervok.secret.yaml'], 'all'],
    [['new.md'], 'all'],
    [['NEW.MD'], 'all'],
    [['schemas/berth.json'], ['b.md']],
    [['other/quay.json'], []],
    [['mervok.yaml.txt'], []],
    [['my-mervok.yaml'], []],
    [
      ['c.md', 'sea/d.md'],
      ['c.md', 'sea/d.md'],
    ],
  ];
  for (const [changed, touched] of rows) {
    const found = affectedPages(flow, asked, changed);
    assert.deepEqual(typeof found === 'string' ? found : found.sort(), touched, changed.join());
  }
  assert.deepEqual(affectedPages(flow, new Set(['b.md']), ['a.md']), ['b.md']);
});

test('what stands before the targets of a page, as far as it is known before the run', async () => {
  const texts: Texts = {
    'mervok.yaml':
      'base: "{harbour}/v1/"\nvariables: { harbour: "http://skerry.example", side: south, quay: south }\nenvironments: { far: { harbour: "http://far.example" } }\n',
    'plain.md': fine,
    'own.md': `---\nvariables: { harbour: "http://own.example" }\n---\n\n${fine}`,
    'kept.md': caseText('K', 'GET /', 'status = 200\nkeep $.a as other'),
    'needs.md': `---\nbase: "http://{other}"\nvariables: { x: y }\n---\n\n${fine}`,
    'circle.md': `---\nbase: "{a}"\nvariables: { a: "{b}", b: "{a}" }\n---\n\n${fine}`,
    'let.md': caseText('L', 'GET /', 'status = 200\nlet side = "north"'),
    'takes.md': `---\nbase: "http://{side}.example"\n---\n\n${fine}`,
    'hides.md': `---\nbase: "http://{quay}.example"\n---\n\n${fine}`,
    'keeps.md': caseText('Q', 'GET /', 'status = 200\nkeep $.a as quay'),
    'sea/mervok.yaml': 'base: http://sea.example\n',
  };
  const collection = await readCollection(filesOf(texts));
  const options = {
    given: new Map(),
    external: {
      variable: () => undefined,
      file: () => new Missing('none'),
      bytes: () => new Missing('none'),
    },
    clockAndRandom: { now: () => 0, uuid: () => '', random: () => 0 },
  };
  const rows: [page: string, more: object, base: string | undefined][] = [
    ['plain.md', {}, 'http://skerry.example/v1'],
    ['new.md', {}, 'http://skerry.example/v1'],
    ['plain.md', { environment: 'far' }, 'http://far.example/v1'],
    ['own.md', {}, 'http://own.example/v1'],
    ['own.md', { environment: 'far' }, 'http://own.example/v1'],
    [
      'own.md',
      { given: new Map([['harbour', { value: 'http://g.example', origin: 'x' }]]) },
      'http://g.example/v1',
    ],
    ['needs.md', {}, undefined],
    ['circle.md', {}, undefined],
    ['takes.md', {}, 'http://south.example'],
    ['hides.md', {}, undefined],
    ['sea/new.md', {}, 'http://sea.example'],
  ];
  for (const [page, more, base] of rows)
    assert.equal(
      baseOfPage(collection, page, { ...options, ...more }),
      base,
      `${page} ${JSON.stringify(more)}`,
    );
});
