import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test } from 'node:test';
import { fence, pageOf, runCases } from '../support/cases.ts';
import { databaseKinds } from '../support/databases.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';

const checks = (...lines: string[]) => fence('mervok', lines.join('\n'));
const sql = (text: string) => fence('sql step ledger', text);
const rows = (name: string, columns: string, text: string) =>
  fence(`sql rows ${name} ledger (${columns})`, text);

const settingsWith = (setting: string) => `title: Skerry Harbour
variables: { least: { let: "4" }, quays: [North, South], none: [], password: { secret: gull-and-anchor-0417 } }
databases: { ledger: ${setting} }
`;

const filled =
  sql('create table berths (code varchar(10) primary key, quay varchar(10), depth decimal(20, 4))') +
  sql(
    "insert into berths values ('0417', 'North', 4.5), ('0733', 'South', 12345678901234.5678), ('0912', 'North', null)",
  );

for (const { dialect, missing, open } of databaseKinds) {
  test(`rows that are asked of ${dialect}`, { skip: missing }, async t => {
    const { setting } = await open(t);
    const before = spools();
    const folder = folderWith(t, {
      'mervok.yaml': settingsWith(setting),
      'data/.keep': '',
      '1-fill.md': pageOf([['Fill', filled]]),
      '2-rows.md': `${[
        rows(
          'deep',
          'code, depth',
          'select code, quay, depth from berths where depth > {least} order by code',
        ),
        rows('all', 'code', 'select code from berths where quay in ({quays}) order by code;\n-- and no more'),
        rows('no-column', 'code, draft', 'select code, depth from berths'),
        rows('no-row', 'code', 'select code from berths where depth < 0'),
        rows('wrong', 'code', 'select code\nfrom berthz'),
        rows('empty-list', 'code', 'select code from berths where quay in ({none})'),
      ].join('\n')}\n${pageOf([
        ['Deep', checks('each row of deep', '{code} != "0912"', '{depth} > 4', 'keep {depth} as written')],
        ['Digits', checks(`{written.1} = 12345678901234.${dialect === 'sqlite' ? '568' : '5678'}`)],
        // What comes in while they are used is none of them.
        [
          'Grow',
          checks('each row of all') +
            sql("insert into berths values ({code} || 'x', 'South', 1)").replace(
              "{code} || 'x'",
              dialect === 'mariadb' ? "concat({code}, 'x')" : "{code} || 'x'",
            ),
        ],
        ['No column', checks('each row of no-column', '{code} = {draft}')],
        ['No row', checks('each row of no-row', '{code} = 1')],
        ['Wrong', checks('each row of wrong', '{code} = 1')],
        ['Empty list', checks('each row of empty-list', '{code} = 1')],
      ])}`,
      '3-page.md': `---\nrows: south\n---\n${rows('south', 'code', "select code from berths where quay = 'South' order by code")}\n${pageOf([['Of a page', checks('{code} matches "0*"')]])}`,
    });
    const ran = await runCases(folder);
    const cases = ran.events.filter(event => event.type === 'case');
    const told = (title: string) =>
      cases
        .filter(each => each.title === title)
        .map(({ outcome, row, problem }) =>
          [outcome, row && `${row.number} of ${row.total}`, problem?.message].filter(Boolean).join(': '),
        );
    assert.deepEqual(told('Deep'), ['passed: 1 of 2', 'passed: 2 of 2'], ran.out + ran.err);
    assert.deepEqual(told('Digits'), ['passed'], ran.out);
    assert.deepEqual(told('Grow'), ['passed: 1 of 3', 'passed: 2 of 3', 'passed: 3 of 3']);
    assert.deepEqual(told('No column'), [
      "error: each row of no-column: the rows no-column cannot be asked for: the query returns no column 'draft', but code and depth.",
    ]);
    assert.deepEqual(told('No row'), [
      'error: each row of no-row: the rows no-row cannot be asked for: the query returns no rows, so nothing would be run.',
    ]);
    const [wrong] = cases.filter(each => each.title === 'Wrong');
    assert.match(
      wrong!.problem!.message,
      /^each row of wrong: the rows wrong cannot be asked for: the database says: .*berthz/,
    );
    assert.equal(wrong!.problem!.line, 'from berthz');
    assert.match(
      told('Empty list').join(),
      /is empty, and nothing is in an empty list \(from mervok\.yaml\)\.$/,
    );
    const ofPage = ran.events.filter(event => event.type === 'page' && event.file === '3-page.md');
    assert.deepEqual(
      ofPage.map(
        event =>
          event.type === 'page' && event.rows?.map(({ number, total }) => `${number} of ${total}`).join(),
      ),
      ['1 of 4', '2 of 4', '3 of 4', '4 of 4'],
      ran.out,
    );
    assert.deepEqual(told('Of a page'), Array(4).fill('passed'));
    assert.equal(ran.code, 1);
    assert.deepEqual(spools(), before, 'nothing of them is left behind');
  });
}

test('rows cannot be asked for where the database is away; the page says so by its first case', async t => {
  const folder = folderWith(t, {
    'mervok.yaml': settingsWith(
      '{ url: "postgres://127.0.0.1:1/ledger", user: clerk, password: "{password}" }',
    ),
    'a.md': `---\nrows: all\n---\n${rows('all', 'code', 'select code from berths')}\n${pageOf([['First', checks('{code} = 1')]])}`,
  });
  const ran = await runCases(folder);
  assert.match(
    ran.of('First').told,
    /^error: The rows all cannot be asked for: no connection to the database ledger at 127\.0\.0\.1:1: it is refused\./,
  );
  assert.doesNotMatch(ran.out + ran.err, /gull-and-anchor/);
});

test('rows that cannot be put aside are an error of their case', async t => {
  const folder = folderWith(t, {
    'mervok.yaml': settingsWith('{ url: "sqlite:ledger.db", create: true }'),
    'a.md': `${rows('one', 'code', 'select 1 as code')}\n${pageOf([['One', checks('each row of one', '{code} = 1')]])}`,
  });
  const ran = await runCases(folder, [], { TMPDIR: join(folder, 'none') });
  assert.match(
    ran.of('One').told,
    /^error: each row of one: the rows one cannot be asked for: the rows cannot be put aside in the folder of temporary files: ENOENT.*TMPDIR\.$/,
  );
});

test('ten thousand rows of a file do not wait in memory, and what is cut short leaves nothing behind', async t => {
  const before = spools();
  const folder = folderWith(t, {
    'mervok.yaml': settingsWith('{ url: "sqlite:ledger.db", create: true }'),
    'a.md': `${rows(
      'many',
      'number',
      'with recursive n(number) as (select 1 union all select number + 1 from n where number < 10000) select number from n',
    )}\n${pageOf([['Many', checks('each row of many', '{number} < 3')]])}`,
  });
  const ran = await runCases(folder, ['--fail-fast']);
  const events = ran.events.filter(event => event.type === 'case');
  assert.deepEqual(
    events.map(({ outcome, row }) => `${outcome} ${row!.number} of ${row!.total}`),
    ['passed 1 of 10000', 'passed 2 of 10000', 'failed 3 of 10000'],
  );
  assert.deepEqual(spools(), before);
});

/** Files that rows lie in. */
function spools(): string[] {
  return readdirSync(tmpdir()).filter(name => name.startsWith('mervok-rows-'));
}

const refused: readonly [what: string, fences: string, told: string][] = [
  [
    'no such database',
    fence('sql rows all berths (code)', 'select 1 as code'),
    'a.md:1:17  error database-unknown',
  ],
  [
    'a change',
    rows('all', 'code', 'insert into berths values (1) returning code'),
    'a.md:2:1  error query-form',
  ],
  [
    'two statements',
    rows('all', 'code', 'select 1 as code;\nselect 2 as code'),
    'a.md:3:1  error query-form',
  ],
  [
    'an unknown name',
    rows('all', 'code', 'select code from berths where quay = {pier}'),
    'error name-unknown',
  ],
  [
    'a name of a case',
    rows('all', 'code', 'select code from berths where quay = {kept}'),
    'error name-later',
  ],
  [
    'of a page, a name of a case',
    `---\nrows: all\n---\n${rows('all', 'code', 'select 1 as code where 1 = {kept}')}`,
    'error name-later',
  ],
  ['no columns', fence('sql rows all ledger', 'select 1 as code'), 'a.md:1:4  error query-form'],
  [
    'one of another row',
    rows('all', 'code', 'select code from berths where code = {code}'),
    'error name-later',
  ],
  ['twice', rows('all', 'code', 'select 1 as code') + fence('csv rows all', 'code\n1'), 'error fence-name'],
];

test('what is wrong with rows that are asked for is found before anything runs', async t => {
  for (const [what, fences, told] of refused) {
    const folder = folderWith(t, {
      'mervok.yaml': settingsWith('{ url: "sqlite:ledger.db", create: true }'),
      'a.md': `${fences}\n${pageOf([
        ['Keeps', checks('keep 1 as kept')],
        ['Uses', checks('each row of all', '{code} = 1', '{kept} = 1')],
      ])}`,
    });
    const { code, out, err } = await mervok(folder, ['run']);
    assert.equal(code, 2, what + out);
    assert.ok(err.includes(told), `${what}: ${err}`);
    assert.equal(err.match(/ error /g)?.length, 1, `${what}: ${err}`);
    assert.deepEqual(readdirSync(folder).sort(), ['a.md', 'mervok.yaml'], join(what, ' makes no file'));
  }
});

test('the name that a database signs in with is secret, whoever declares it', async t => {
  const folder = folderWith(t, {
    'mervok.yaml':
      'variables: { word: gull-and-anchor-0417 }\ndatabases: { ledger: { url: "postgres://127.0.0.1:1/ledger", user: clerk, password: "{word}" } }\n',
    'a.md': pageOf([['Looks', sql('select 1 as depth') + checks('fault = "refused"')]]),
  });
  for (const args of [['vars'], ['vars', 'a.md#looks'], ['show', 'a.md#looks'], ['run', '--verbose']]) {
    const { code, out, err } = await mervok(folder, args);
    assert.equal(code, 0, out + err);
    assert.doesNotMatch(out + err, /gull-and-anchor/, args.join(' '));
  }
});

test('a query that found something else is told with its parameters', async t => {
  const folder = folderWith(t, {
    'mervok.yaml': settingsWith('{ url: "sqlite:ledger.db", create: true }'),
    'a.md': pageOf([['Looks', sql('select {least} as depth') + checks('$[0].depth = 5')]]),
  });
  const { code, out } = await mervok(folder, ['run', '-o', 'out.md', '-o', 'out.pdf']);
  assert.equal(code, 1);
  assert.match(out, /^ {11}expected {3}5\n {11}found {6}4\n(?:.*\n)* {11}rows {7}\{ "depth": 4 \}$/m);
  assert.match(
    readFileSync(join(folder, 'out.md'), 'utf8'),
    /^sql select \{least\} as depth\ndatabase: ledger\n\{least\}: 4\n\n1 row$/m,
  );
  const sent = await mervok(folder, ['send', 'a.md#looks']);
  assert.equal(sent.code, 0, sent.err);
  assert.match(sent.out, /^sql select \{least\} as depth\ndatabase {2}ledger\n\{least\} {3}4\n\n1 row\n/m);
});
