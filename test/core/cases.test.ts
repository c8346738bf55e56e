import assert from 'node:assert/strict';
import { test } from 'node:test';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { Missing } from '../../src/core/model/value.ts';
import { type Chunks, chunksOf, TableError } from '../../src/core/values/table-reader.ts';
import { caseOf, caseText, fence, filesOf, planOf, type Texts } from '../support/collection.ts';
import { type Answer, type RunTextsOptions, runTexts } from '../support/engine.ts';

const root = 'base: http://skerry.example\n';

/** Answers with what it was asked; a mooring is moored from the third question on, and some paths say what is wrong. */
function harbour(): Answer {
  const asked: string[] = [];
  return ({ method, url, body = [] }) => {
    const line = `${method} ${url}`;
    asked.push(line);
    const times = asked.filter(each => each === line).length;
    const [, status = '200'] = /status=(\d+)/.exec(url) ?? [];
    return {
      status: Number(status),
      body: { id: asked.length, url, body: body.join(''), state: times < 3 ? 'waiting' : 'moored', times },
    };
  };
}

/** Each case's `title: outcome`, rows with their number, and what was sent. */
async function ran(texts: Texts, options?: RunTextsOptions) {
  const run = await runTexts({ 'mervok.yaml': root, ...texts }, harbour(), options);
  const asked = run.sent.map(({ method, url }) => `${method} ${url.slice('http://skerry.example'.length)}`);
  const outcomes = run.cases.map(
    ({ title, row, outcome }) => `${title}${row ? ` ${row.number}` : ''}: ${outcome}`,
  );
  return { ...run, asked, outcomes };
}

test('each row of a fence: plain cells, an outcome for each, lists outside', async () => {
  const page =
    fence('csv rows vessels', 'name, length, code, fine\n"Gull, the", 12.5, 0417, yes\nPetrel, 7, "12", no') +
    caseOf(
      'Register',
      ['mervok', 'each row of vessels'],
      ['http', 'POST /vessels?fine={fine}\n\n{ "name": "{name}", "length": {length}, "code": {code} }'],
      [
        'mervok',
        'parse($.body) includes { "name": {name}, "length": {length} }\n{fine} = "yes"\nkeep $.id as vessel\nlet double = {length} * 2',
      ],
    ) +
    caseOf(
      'Afterwards',
      ['http', 'GET /vessels/{vessel.1}?double={double.0}'],
      ['mervok', 'count {vessel} = 2\n{double} = [25, 14]'],
    );
  const { outcomes, cases, checks, asked } = await ran({ 'a.md': page });
  assert.deepEqual(outcomes, ['Register 1: passed', 'Register 2: failed', 'Afterwards: passed']);
  assert.deepEqual(
    cases.map(({ row }) => row),
    [
      { number: 1, total: 2, values: 'name Gull, the, length 12.5, code 0417, fine yes' },
      { number: 2, total: 2, values: 'name Petrel, length 7, code 12, fine no' },
      undefined,
    ],
  );
  assert.deepEqual(checks.find(({ holds }) => holds === 'no')?.origins, [
    { name: 'fine', value: '"no"', origin: 'from row 2 of the rows vessels' },
  ]);
  assert.deepEqual(asked, ['POST /vessels?fine=yes', 'POST /vessels?fine=no', 'GET /vessels/2?double=25']);
});

test('a cell in quotes stays a text where JSON is written, another becomes what it is written as', async () => {
  const page =
    fence('csv rows cells', 'a,b,c,d\n"12",12,0417,true') +
    caseOf(
      'Each',
      ['mervok', 'each row of cells'],
      ['http', 'POST /x\n\n[{a}, {b}, {c}, {d}]'],
      ['mervok', '$.body = "[\\"12\\", 12, \\"0417\\", true]"\n{a} = 12'],
    );
  assert.deepEqual((await ran({ 'a.md': page })).outcomes, ['Each 1: passed']);
});

test('each row of a file that changes while it is read ends its case as an error, and the run goes on', async () => {
  const page = {
    'a.md':
      caseOf(
        'Each',
        ['mervok', 'each row of "rows.csv"'],
        ['http', 'GET /{code}'],
        ['mervok', 'keep $.id as id'],
      ) + caseText('After', 'GET /after/{id.0}', 'count {id} = 2'),
  };
  const changing = (after: number): Chunks => {
    let checks = 0;
    const check = () => {
      if (checks++ === after) throw new TableError('it has changed since the run began');
    };
    return Object.assign(chunksOf('code\n1\n2\n3\n'), { check });
  };
  const { outcomes, cases, asked } = await ran(page, { plan: { openFile: () => changing(2) } });
  assert.deepEqual(outcomes, ['Each 1: passed', 'Each 2: passed', 'Each: error', 'After: passed']);
  assert.deepEqual(cases[2]!.problem, {
    message:
      'each row of "rows.csv": rows.csv cannot be read any further: it has changed since the run began.',
    place: { file: 'a.md', line: 4, column: 1 },
  });
  assert.deepEqual(asked, ['GET /1', 'GET /2', 'GET /after/1']);
  const none = await ran(page, { plan: { openFile: () => changing(0) } });
  assert.deepEqual(none.outcomes, ['Each: error', 'After: blocked']);
  const first = await ran(page, {
    plan: { openFile: () => changing(2) },
    run: { failFast: true },
  });
  assert.deepEqual(first.outcomes, ['Each 1: passed', 'Each 2: passed', 'Each: error']);
});

test('what rows have made of a secret stays one in their list', async () => {
  const page =
    fence('csv rows codes', 'code\n1\n2') +
    caseOf(
      'Each',
      ['mervok', 'each row of codes'],
      ['http', 'GET /tide-{code}'],
      ['mervok', 'keep $.url as secret place'],
    ) +
    caseText('After', 'GET /after?{place.1}', 'keep $.url as url');
  const { exchanges, outcomes } = await ran({ 'a.md': page });
  assert.deepEqual(outcomes, ['Each 1: passed', 'Each 2: passed', 'After: passed']);
  assert.match(exchanges[2]!.request.url, /after\?\[secret\]$/);
});

test('tables that cannot be used are told at their place', async () => {
  const rows: [table: string, text: string | undefined, code: string, says: RegExp, remedy?: RegExp][] = [
    ['none.csv', '', 'table-form', /none\.csv.*it is empty/],
    ['head.csv', 'a,b\n', 'table-form', /holds no rows/],
    ['ragged.csv', 'a,b\n1,2\n3\n', 'table-form', /ragged\.csv:3.*more or fewer cells/],
    ['quote.csv', 'a,b\n"1,2\n', 'table-form', /quote is opened/],
    ['twice.csv', 'a,a\n1,2\n', 'table-form', /two columns have the name 'a'/],
    ['nameless.csv', 'a,,c\n1,2,3\n', 'table-form', /column 2 has no name/],
    ['object.json', '{"a":1}', 'table-form', /an object, and a list/],
    ['items.json', '["a"]', 'table-form', /row 1 is a text/],
    ['broken.json', '[\n{"a":}]', 'table-form', /broken\.json:2/],
    ['missing.csv', undefined, 'file-missing', /^'missing\.csv' is not in the collection\.$/],
    ['feees', undefined, 'file-missing', /./, /Did you mean 'fees'/],
    ['outside.csv', 'b\n1\n', 'name-unknown', /'a' has no value anywhere/, /Did you mean 'b'/],
  ];
  for (const [table, text, code, says, remedy = /./] of rows) {
    const page =
      fence('csv rows fees', 'a\n1') +
      caseOf('Each', ['mervok', `each row of ${table}`], ['http', 'GET /{a}'], ['mervok', 'status = 200']);
    const { findings } = await planOf(
      { 'mervok.yaml': root, 'a.md': page },
      {
        openFile: path =>
          path === table && text !== undefined
            ? chunksOf(text)
            : new Missing(`'${path}' is not in the collection`),
      },
    );
    const [found] = findings.filter(({ severity }) => severity === 'error');
    assert.equal(found?.code, code, table);
    assert.match(found.message, says);
    assert.match(`${found.message} ${found.remedy}`, remedy);
  }
});

test('each item of a list, some of them skipped; what a skip leaves open is skipped too', async () => {
  const page =
    '---\nvariables: { codes: ["0417", "0418", "0733"], none: [], word: quay }\n---\n' +
    caseOf(
      'Each',
      ['mervok', 'each {codes} as code\nskip when {code} = "0418"'],
      ['http', 'GET /x?code={code}'],
      ['mervok', 'status = 200\nkeep $.id as seen'],
    ) +
    caseOf('Afterwards', ['http', 'GET /y'], ['mervok', 'count {seen} = 2']) +
    caseOf(
      'Never',
      ['mervok', 'skip when 1 = 1'],
      ['http', 'GET /never'],
      ['mervok', 'status = 200\nkeep $.id as never'],
    ) +
    caseOf('Follows', ['http', 'GET /never/{never}'], ['mervok', 'status = 200']) +
    caseOf('Undecided', ['http', 'GET /z'], ['mervok', 'skip when $.nothing = 1\nstatus = 200']) +
    caseOf('Nobody', ['mervok', 'each {none} as one'], ['http', 'GET /n?{one}'], ['mervok', 'status = 200']) +
    caseOf(
      'No list',
      ['mervok', 'each {word} as one'],
      ['http', 'GET /w?{one}'],
      ['mervok', 'status = 200'],
    ) +
    caseOf(
      'Two',
      ['mervok', 'each {codes} as code at most 2'],
      ['http', 'GET /two/{code}'],
      ['mervok', 'status = 200'],
    );
  const withoutMost = page.replace(' at most 2', '');
  const { outcomes, cases, asked } = await ran({ 'a.md': withoutMost });
  assert.deepEqual(outcomes, [
    'Each 1: passed',
    'Each 2: skipped',
    'Each 3: passed',
    'Afterwards: passed',
    'Never: skipped',
    'Follows: skipped',
    'Undecided: failed',
    'Nobody: error',
    'No list: error',
    'Two 1: passed',
    'Two 2: passed',
    'Two 3: passed',
  ]);
  assert.equal(cases[1]!.because, 'skip when {code} = "0418"');
  assert.deepEqual(
    cases.flatMap(({ problem }) => problem?.message ?? []),
    [
      'each {none} as one: {none} is empty, so there is nothing to run it for.',
      'each {word} as one: {word} is a text, no list.',
    ],
  );
  assert.ok(!asked.some(line => line.includes('never') || (line.includes('0418') && line.includes('/x'))));
});

test('a case that does not pass for one of its rows does not pass as a whole, the gravest outcome first', async () => {
  const each = (statuses: string) =>
    caseOf(
      'Each',
      ['mervok', `each ${statuses} as wanted\nskip when {wanted} = 1`],
      ['http', 'GET /{wanted}?status={wanted}'],
      ['mervok', 'status = 200\nkeep $.id as id'],
    );
  const rows: [statuses: string, after: string][] = [
    ['[200, 201]', 'After: blocked'],
    ['[1, 200]', 'After: passed'],
    ['[1, 1]', 'After: skipped'],
    ['["", 200]', 'After: blocked'],
  ];
  for (const [statuses, after] of rows) {
    const page = `---\nvariables: { wanted-ones: ${statuses} }\n---\n${each('{wanted-ones}')}`;
    const needs = `---\nneeds: [a.md#each]\n---\n${caseText('After', 'GET /after', 'status = 200')}`;
    const { outcomes } = await ran({ 'a.md': page, 'b.md': needs });
    assert.equal(outcomes.at(-1), after, statuses);
  }
});

test('what a list is made of is brought along; the first row that fails ends the run where that is wanted', async () => {
  const page = {
    'a.md':
      caseText('Make', 'GET /make', 'keep $.id as id\nlet ids = [{id}, 2, 3]') +
      caseOf(
        'Read',
        ['mervok', 'each {ids} as one'],
        ['http', 'GET /{one}?status=50{one}'],
        ['mervok', 'status = 200'],
      ),
  };
  const whole = await ran(page, { plan: { paths: ['a.md#read'] } });
  assert.deepEqual(whole.outcomes, ['Make: passed', 'Read 1: failed', 'Read 2: failed', 'Read 3: failed']);
  const first = await ran(page, { run: { failFast: true } });
  assert.deepEqual(first.outcomes, ['Make: passed', 'Read 1: failed']);
});

test('cleanup runs at the end, whatever failed; what never came about needs none', async () => {
  const make = (name: string, path = '/berths') =>
    caseOf(`Make ${name}`, ['http', `POST ${path}`], ['mervok', `status = 200\nkeep $.id as ${name}`]);
  const clean = (name: string) =>
    caseOf(
      `Clean ${name}`,
      ['mervok', 'cleanup'],
      ['http', `DELETE /berths/{${name}}`],
      ['mervok', 'status = 200'],
    );
  const files = {
    'a.md': make('first') + clean('first') + caseText('Fails', 'GET /x?status=500', 'status = 200'),
    'b.md':
      clean('second') +
      make('second') +
      caseText('Keeps nothing', 'GET /y', 'keep $.none as third') +
      clean('third'),
  };
  const { outcomes, asked } = await ran(files);
  assert.deepEqual(outcomes, [
    'Make first: passed',
    'Fails: failed',
    'Make second: passed',
    'Keeps nothing: failed',
    'Clean second: passed',
    'Clean third: skipped',
    'Clean first: passed',
  ]);
  assert.deepEqual(asked.slice(-2), ['DELETE /berths/3', 'DELETE /berths/1']);

  // A selection that makes the name takes its cleaning up along; one that does not leaves it out.
  const selected = async (path: string, effects = false, cleansUp = true) =>
    (
      await ran(files, {
        plan: { paths: [path], cleansUp, ...(effects && { effects: async () => new Set<string>() }) },
      })
    ).outcomes;
  assert.deepEqual(await selected('a.md#make-first'), ['Make first: passed', 'Clean first: passed']);
  assert.deepEqual(await selected('a.md#make-first', false, false), ['Make first: passed']);
  assert.deepEqual(await selected('a.md#fails'), ['Fails: failed']);
  assert.deepEqual(await selected('a.md#fails', true), [
    'Make first: passed',
    'Fails: failed',
    'Clean first: passed',
  ]);
});

test('schemas: fences and files, one referring to another; every part that does not fit is told with its place', async () => {
  const files: { [path: string]: string } = {
    'schemas/answer.json':
      '{ "$schema": "http://json-schema.org/draft-07/schema#", "properties": { "state": { "$ref": "parts/state.json#/definitions/state" } } }',
    'schemas/parts/state.json': '{ "definitions": { "state": { "enum": ["moored", "sunk"] } } }',
  };
  const page =
    fence(
      'json schema answer',
      '{ "type": "object", "required": ["id", "fee"], "properties": { "id": { "type": "string" }, "url": { "format": "uuid" } } }',
    ) +
    caseText(
      'Fits',
      'GET /x',
      '$ fits answer\nbody fits "schemas/answer.json"\n$ not fits answer\n$.none fits answer',
    );
  const { checks } = await ran(
    { 'a.md': page },
    { plan: { readFile: (path: string) => files[path] } as object },
  );
  assert.deepEqual(
    checks.map(({ holds }) => holds),
    ['no', 'no', 'yes', 'unknown'],
  );
  assert.deepEqual(checks[0]!.differences, [
    { at: '$', expected: "a member 'fee'", found: 'an object with id, url, body, state, times' },
    { at: '$.id', expected: 'a text', found: '1' },
    { at: '$.url', expected: 'a text of the format uuid', found: '"http://skerry.example/x"' },
  ]);
  assert.deepEqual(checks[1]!.differences, [
    { at: '$.state', expected: 'one of "moored", "sunk"', found: '"waiting"' },
  ]);
});

test('a case that is asked for brings those above it whose effect it may need', async () => {
  const texts: Texts = {
    'mervok.yaml': `${root}secrets: [pass]\nvariables: { pass: tern }\n`,
    'a.md': [
      caseText('Look', 'GET /a', 'status = 200'),
      caseText('Make', 'POST /a', 'status = 201'),
      caseText('Sign in', 'GET /sign-in', 'cookie "id" exists'),
      caseText('Also sets one', 'GET /cookie', 'header "Set-Cookie" contains "b"'),
      caseText('Did so before', 'GET /before', 'status = 200'),
      caseText('Sends one', 'GET /sent', 'request header "Set-Cookie" = "b"'),
      caseOf('Clean', ['mervok', 'cleanup'], ['http', 'DELETE /a'], ['mervok', 'status = 204']),
      caseOf('Remove', ['yaml settings', 'tags: [slow]'], ['http', 'DELETE /b'], ['mervok', 'status = 204']),
      caseText('Asked', 'GET /asked', 'status = 200'),
      caseText('Below', 'PUT /below', 'status = 200'),
    ].join(''),
    'none.md': `---\ncookies: false\n---\n${caseText('First', 'GET /a', 'cookie "id" exists')}${caseText('Post', 'POST /a', 'status = 200')}${caseText('Asked', 'GET /b', 'status = 200')}`,
    'b.md':
      caseText('Other', 'POST /other', 'status = 200') + caseText('Alone', 'GET /alone', 'status = 200'),
  };
  const collection = await readCollection(filesOf(texts));
  const brought = async (path: string, more: object = {}) => {
    const effects = async () => new Set(['a.md#did-so-before', 'b.md#alone']);
    const { plan } = await buildPlan(collection, { paths: [path], given: new Map(), effects, ...more });
    return plan.brought.map(each => `${each.case} for ${each.for}: ${each.because}`);
  };
  const forAsked = [
    'a.md#make for a.md#asked: its POST may change something',
    'a.md#sign-in for a.md#asked: it sets a cookie',
    'a.md#also-sets-one for a.md#asked: it sets a cookie',
    'a.md#did-so-before for a.md#asked: it sets a cookie',
    'a.md#remove for a.md#asked: its DELETE may change something',
  ];
  assert.deepEqual(await brought('a.md#asked'), forAsked);
  assert.deepEqual(await brought('a.md#asked', { effects: undefined }), []);
  assert.deepEqual(
    await brought('a.md#asked', { without: ['a.md#make', 'a.md#sign-in'] }),
    forAsked.slice(2),
  );
  assert.deepEqual(await brought('a.md#asked', { notTags: ['slow'] }), forAsked.slice(0, 4));
  assert.deepEqual(await brought('a.md#look'), []);
  assert.deepEqual(await brought('a.md#make'), []);
  assert.deepEqual(await brought('none.md#asked'), [
    'none.md#post for none.md#asked: its POST may change something',
  ]);
  assert.deepEqual(await brought('b.md#alone'), ['b.md#other for b.md#alone: its POST may change something']);
});
