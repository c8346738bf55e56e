import assert from 'node:assert/strict';
import { readFileSync, symlinkSync } from 'node:fs';
import { createServer } from 'node:net';
import { join, resolve } from 'node:path';
import { test } from 'node:test';
import { fence, pageOf, runCases, within } from '../support/cases.ts';
import {
  address,
  type DatabaseKind,
  databaseKinds,
  startMariadb,
  startPostgres,
} from '../support/databases.ts';
import { folderWith } from '../support/folder.ts';
import { interruptAfter, mervok } from '../support/program.ts';
import { closedPort, serve } from '../support/server.ts';
import { clientFiles } from '../support/tls.ts';

const sql = (...lines: string[]) => fence('sql step ledger', lines.join('\n'));
const checks = (...lines: string[]) => fence('mervok', lines.join('\n'));

const variables = `variables:
  code: { value: "0417" }
  depth: 4.5
  large: 9007199254740993
  fine: 0.12345678901234567890123
  codes: ["0417", "0733"]
  plain: 417
  crew: { name: "Mira", age: 41 }
  none: []
  holes: ["0417", null]
  nothing: null
  sly: "x'); drop table berths; --"
  name: { secret: gull-and-anchor-0417 }
`.replace('{ value: "0417" }', '"0417"');

/** A row holds for all of them, unless it names those that it is for. */
type Row = [title: string, fences: string, told: string | RegExp, ...dialects: DatabaseKind['dialect'][]];

const table = sql('create table berths (code varchar(10) primary key, depth decimal(10, 4), note text)');

const rows: readonly Row[] = [
  ['Creates', table, 'passed'],
  [
    'Nothing by its nature',
    `${sql('update berths set depth = 1 where code = {code}')}${checks('count $[*] = 0')}`,
    /^failed: .*the query returns no rows by its nature/,
  ],
  [
    'Changes nothing by its nature',
    `${sql('select 1 as one')}${checks('changed = 0')}`,
    /^failed: .*the query changes nothing by its nature/,
  ],
  [
    'Inserts',
    `${sql("insert into berths values ({code}, 4.5, 'North'), ('0733', 7.8, null)")}${checks('changed = 2', 'fault = "none"', 'time < 20 s')}`,
    'passed',
  ],
  [
    'Selects',
    `${sql('-- all of them', 'select code, depth, note from berths', 'order by code;')}${checks('count $[*] = 2', '$[0] = { "code": "0417", "depth": 4.5, "note": "North" }', '$[1].note is null', 'each $[*].depth > 4', 'keep all $[*].code as found', '{found} = {codes}')}`,
    'passed',
  ],
  [
    'No rows',
    `${sql("select * from berths where code = 'none'")}${checks('count $[*] = 0', '$ is empty')}`,
    'passed',
  ],
  [
    'Binds in a list',
    `${sql('select count(*) as n from berths where code in ({codes})')}${checks('$[0].n = 2')}`,
    'passed',
  ],
  [
    'Not in a list',
    `${sql("select count(*) as n from berths where code not in ('x', {codes})")}${checks('$[0].n = 0')}`,
    'passed',
  ],
  [
    'Cannot be broken out of',
    `${sql('select count(*) as n from berths where code = {sly} or note = {name}')}${checks('$[0].n = 0')}`,
    'passed',
  ],
  ['Is still there', `${sql('select count(*) as n from berths')}${checks('$[0].n = 2')}`, 'passed'],
  [
    'An empty list',
    `${sql('select * from berths where code in ({none})')}${checks('count $[*] = 0')}`,
    /^error: \{none\} is empty, and nothing is in an empty list/,
  ],
  [
    'A hole in a list',
    `${sql('select * from berths where code in ({holes})')}${checks('count $[*] = 0')}`,
    /^error: \{holes\} holds null, which 'in' is never true for/,
  ],
  [
    'Null compared',
    `${sql('select * from berths where note = {nothing}')}${checks('count $[*] = 0')}`,
    /^error: \{nothing\} is null, which nothing is equal to; 'is null' asks for it/,
  ],
  [
    'Null inserted',
    `${sql("insert into berths values ('null', 1, {nothing})")}${checks('changed = 1')}`,
    'passed',
  ],
  ['JSON', `${sql('select {crew} as crew, {none} as none')}${checks('parse(text({a})) = 1')}`, /./, 'sqlite'],
  [
    'Several statements',
    `${sql("insert into berths values ('a', 1, null);", "update berths set depth = 2 where code = 'a';", "select depth from berths where code = 'a'")}${checks('$[0].depth = 2')}`,
    'passed',
  ],
  [
    'Rolled back',
    `${sql("insert into berths values ('b', 1, null);", "insert into berths values ('b', 2, null)")}${checks('changed = 1')}`,
    /^error: The database says: .*(?:duplicate|UNIQUE)/i,
  ],
  [
    'As it was',
    `${sql("select count(*) as n from berths where code = 'b'")}${checks('$[0].n = 0')}`,
    'passed',
  ],
  [
    'Rolled back on purpose',
    `${sql("insert into berths values ('b', 1, null);", 'selec 1')}${checks('fault = "statement"')}`,
    'passed',
  ],
  [
    'Two columns of one name',
    `${sql('select code, code from berths')}${checks('count $[*] = 2')}`,
    /^error: Two columns are called 'code'\. Give one of them another name: … as …$/,
  ],
  [
    'Two of them, and no rows',
    `${sql("select code, code from berths where code = 'none'")}${checks('count $[*] = 0')}`,
    /^error: Two columns are called 'code'/,
  ],
  [
    'A column with an odd name',
    `${sql('select 1 as "__proto__", 2 as "a.b"')}${checks('$[0].__proto__ = 1', "$[0]['a.b'] = 2")}`,
    'passed',
    'postgres',
    'sqlite',
  ],
  [
    'A mistake',
    `${sql('select code,', '  dpth', 'from berths')}${checks('count $[*] = 1')}`,
    /^error: The database says: .*dpth/,
  ],
  [
    'A slip',
    `${sql('select code', '  frm berths')}${checks('count $[*] = 1')}`,
    /^error: The database says: /,
  ],
  [
    'No such table',
    `${sql('select 1', 'from jetties')}${checks('count $[*] = 1')}`,
    /^error: The database says: .*jetties/,
  ],
  ['A fault that is expected', `${sql('selec 1')}${checks('fault = "statement"')}`, 'passed'],
  [
    'Large numbers',
    `${checks('let exact = number({large})')}${sql('select {exact} as l, {exact} + 1 as m')}${checks('$[0] = { "l": 9007199254740993, "m": 9007199254740994 }')}`,
    'passed',
    'mariadb',
  ],
  [
    'Large integers',
    `${checks('let exact = number({large})')}${sql('select {exact} as l')}${checks('$[0].l = 9007199254740993')}`,
    'passed',
    'postgres',
    'mariadb',
  ],
  [
    'Fine numbers',
    `${checks('let exact = number({fine})')}${sql('select {exact} as f')}${checks('$[0].f = 0.12345678901234567890123')}`,
    'passed',
    'postgres',
    'mariadb',
  ],
  [
    'Repeats',
    `${checks('repeat every 10 ms for 60 s until $[0].depth >= 5')}${sql("update berths set depth = depth + 1 where code = 'a'; select depth from berths where code = 'a'")}`,
    'passed',
  ],
  [
    'Endless',
    `${within('1500 ms')}${sql('with recursive n as (select 1 as x union all select x + 1 from n) select max(x) as most from n')}${checks('count $[*] = 1')}`,
    /^error: The query had not ended within 1\.5 s\. The limit is the setting 'timeout'\.$/,
    'postgres',
    'sqlite',
  ],
  ['After that', `${sql('select 1 as one')}${checks('$[0].one = 1')}`, 'passed'],
  [
    'Too many rows',
    `${sql('with recursive n as (select 1 as x union all select x + 1 from n where x < 900) select a.x, b.x as y from n a, n b')}${checks('count $[*] > 1')}`,
    /^error: The query returns more than 500 rows\. The limit is the setting 'limits': \{ rows: 500 \}\.$/,
  ],
  ['Still there', `${sql('select 1 as one')}${checks('$[0].one = 1')}`, 'passed'],
  [
    'To a script',
    `${sql('select code from berths where code in ({codes}) order by code')}${fence('js step', "import { answer } from 'mervok:exchange'\nimport { equals } from 'mervok:checks'\nequals('rows', answer.rows, answer.json)\nequals('codes', answer.rows.map(row => row.code), ['0417', '0733'])\nequals('changed', answer.changed === undefined, true)")}${checks('count $[*] = 2')}`,
    'passed',
  ],
  [
    'A secret comes back',
    `${sql("update berths set note = {name} where code = 'a'; select note from berths where code = 'a'")}${checks('$[0].note = {name}', 'keep $[0].note as note')}`,
    'passed',
  ],
  [
    'Plain',
    `${sql('select count(*) as n from berths where length(code) = 4 and {plain} > 416')}${checks('$[0].n = 3')}`,
    'passed',
    'postgres',
    'mariadb',
  ],
  [
    'Plain in SQLite',
    `${checks('let kept = {plain}')}${sql('select count(*) as n from berths where code = {kept}')}${checks('$[0].n = 1')}`,
    /^error: \{kept\} may be a number or a text, and SQLite compares by which it is; say so in a let: let value = number\(\{kept\}\), or text\(\{kept\}\)/,
    'sqlite',
  ],
  [
    'Says its kind',
    `${checks('let kept = "0{plain}"')}${sql('select count(*) as n from berths where code = {kept}')}${checks('$[0].n = 1')}`,
    'passed',
  ],
  // Nothing of a session survives its fence.
  ['Leaves a table', sql('create temporary table left_behind (a int)'), 'passed'],
  ['Finds no table', `${sql('select * from left_behind')}${checks('fault = "statement"')}`, 'passed'],
  ['Leaves a setting', sql('set search_path to nowhere'), 'passed', 'postgres'],
  [
    'Finds no setting',
    `${sql("select current_setting('search_path') as path, current_setting('TimeZone') as zone")}${checks('$[0].path contains "public"', '$[0].zone = "UTC"')}`,
    'passed',
    'postgres',
  ],
  ['Leaves a lock', sql('select pg_advisory_lock(417)'), 'passed', 'postgres'],
  [
    'Finds no lock',
    `${sql("select count(*) as n from pg_locks where locktype = 'advisory'")}${checks('$[0].n = 0')}`,
    'passed',
    'postgres',
  ],
  ['Leaves a variable', sql('set @left = 1'), 'passed', 'mariadb'],
  [
    'Finds no variable',
    `${sql('select @left as l, @@time_zone as zone')}${checks('$[0] = { "l": null, "zone": "+00:00" }')}`,
    'passed',
    'mariadb',
  ],
  // Values as each has them.
  [
    'Values of PostgreSQL',
    `${sql("select 1.10::numeric as n, 'NaN'::float8 as nan, 1e300::float8 as f, 9223372036854775807 as b, true as t, '2026-11-29'::date as d, '2026-11-29 10:00:00.123456+01'::timestamptz as tz, '2026-11-29 10:00'::timestamp as ts, interval '1 day 2 hours' as i, '{\"a\": 1.10, \"b\": 12345678901234567890}'::jsonb as j, array[1, null, 3] as ar, array[['a', 'b \"c\"'], ['{}', null]] as tx, '\\x0102'::bytea as by, null as nu, 'x'::char(3) as ch, '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11'::uuid as u")}${checks('$[0] = { "n": 1.1, "nan": "NaN", "f": 1e300, "b": 9223372036854775807, "t": true, "d": "2026-11-29", "tz": "2026-11-29T09:00:00.123456Z", "ts": "2026-11-29T10:00:00", "i": "P1DT2H", "j": { "a": 1.1, "b": 12345678901234567890 }, "ar": [1, null, 3], "tx": [["a", "b \\"c\\""], ["\\{}", null]], "by": "AQI=", "nu": null, "ch": "x  ", "u": "2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11" }', '$[0].d is date', '$[0].tz is timestamp')}`,
    'passed',
    'postgres',
  ],
  [
    'Values of MariaDB',
    `${sql("select 1.10 as n, 1e300 as f, 18446744073709551615 as b, date '2026-11-29' as d, timestamp '2026-11-29 10:00:00.123456' as ts, x'0102' as by_, null as nu, cast(1.1 as float) as fl, '2b' as t, json_object('a', 1) as j")}${checks('$[0] = { "n": 1.1, "f": 1e300, "b": 18446744073709551615, "d": "2026-11-29", "ts": "2026-11-29T10:00:00.123456", "by_": "AQI=", "nu": null, "fl": 1.1, "t": "2b", "j": "\\{\\"a\\": 1}" }', 'parse($[0].j).a = 1')}`,
    'passed',
    'mariadb',
  ],
  [
    'Values of SQLite',
    `${sql("select 1 as n, 1.5 as f, 9223372036854775807 as b, x'0102' as by, null as nu, '2026-11-29' as d, 9e999 as i")}${checks('$[0] = { "n": 1, "f": 1.5, "b": 9223372036854775807, "by": "AQI=", "nu": null, "d": "2026-11-29", "i": "Infinity" }')}`,
    'passed',
    'sqlite',
  ],
  [
    'Types of parameters',
    `${checks('let day = date("2026-11-29")', 'let moment = timestamp("2026-11-29T10:00:00Z")', 'let bytes = unhex("0102")', 'let truth = (1 = 1)', 'let text = "4"', 'let exactly = 4.5', 'let whole = 4')}${sql("select pg_typeof({day})::text as d, pg_typeof({moment})::text as t, pg_typeof({bytes})::text as b, pg_typeof({truth})::text as y, pg_typeof({text})::text as x, pg_typeof({exactly})::text as n, pg_typeof({whole})::text as w, pg_typeof({crew})::text as j, {moment} = timestamptz '2026-11-29 11:00+01' as same")}${checks('$[0] = { "d": "date", "t": "timestamp with time zone", "b": "bytea", "y": "boolean", "x": "text", "n": "numeric", "w": "integer", "j": "jsonb", "same": true }')}`,
    'passed',
    'postgres',
  ],
  [
    'A text beside a number column',
    `${sql('select * from berths where depth = {code}')}${checks('count $[*] = 0')}`,
    /^error: The database says: operator does not exist: numeric = text/,
    'postgres',
  ],
  [
    'Returns what it changed',
    `${sql("insert into berths values ('r', 3, null) returning code, depth")}${checks('changed = 1', '$[0].code = "r"')}`,
    'passed',
    'postgres',
    'sqlite',
    'mariadb',
  ],
];

for (const { dialect, missing, open } of databaseKinds)
  test(`queries of ${dialect}: what they are given, what comes of them, and how they fail`, {
    skip: missing,
  }, async t => {
    const { setting } = await open(t);
    const own = rows.filter(([, , , ...dialects]) => dialects.length === 0 || dialects.includes(dialect));
    const settings = `title: Skerry Harbour\n${variables}databases:\n  ledger: ${setting}\ntimeout: 60 s\nlimits: { rows: 500 }\nredact: { paths: ["$[*].age"] }\n`;
    const folder = folderWith(t, {
      'mervok.yaml': settings,
      'data/.keep': '',
      'a.md': pageOf(own.filter(([title]) => title !== 'JSON')),
    });
    const ran = await runCases(folder);
    const astray = own.flatMap(([title, , told]) => {
      if (title === 'JSON') return [];
      const found = ran.of(title).told;
      return (typeof told === 'string' ? found === told : told.test(found)) ? [] : [`${title}: ${found}`];
    });
    assert.deepEqual(astray, [], ran.err);
    const [selected] = ran.of('Selects').operations;
    assert.deepEqual(
      [
        selected!.kind,
        selected!.asked.verb,
        selected!.asked.target,
        selected!.asked.fields,
        selected!.answer!.code,
      ],
      ['query', 'sql', 'select code, depth, note from berths', [['database', 'ledger']], '2 rows'],
    );
    assert.equal(JSON.parse(selected!.answer!.body.text!).length, 2);
    const marked = (title: string) => {
      const { place, line } = ran.of(title).event.problem!;
      return line?.slice(place.column - 1);
    };
    if (dialect !== 'mariadb') assert.equal(marked('A mistake'), 'dpth');
    assert.match(marked('A slip') ?? '', /berths$/);
    assert.ok(!JSON.stringify(ran.events).includes('gull-and-anchor'), 'no secret is on record');
    const shown = await mervok(folder, ['show', 'a.md#binds-in-a-list']);
    assert.match(shown.out, /^sql select count\(\*\) as n from berths where code in \(\{codes\}\)$/m);
    assert.match(shown.out, /^database +ledger/m);
    assert.match(shown.out, /^\{codes\} +\["0417", "0733"\]$/m);
    assert.ok(!shown.out.includes('gull-and-anchor'));
  });

test('a query that takes too long is ended at the server', { skip: databaseKinds[1]!.missing }, async t => {
  const { setting } = await databaseKinds[1]!.open(t);
  const page = pageOf([
    [
      'Sleeps',
      `${within('700 ms')}${sql("select pg_sleep(60), 'sleeping gull'")}${checks('fault = "timeout"')}`,
    ],
    [
      'Looks',
      `${fence('sql step other', "select count(*) as n from pg_stat_activity where query like '%sleeping' || ' gull%' and state = 'active'")}${checks('$[0].n = 0')}`,
    ],
  ]);
  const settings = `databases:\n  ledger: ${setting}\n  other: ${setting}\n`;
  const folder = folderWith(t, { 'mervok.yaml': settings, 'a.md': page });
  const { code, out, err } = await runCases(folder);
  assert.equal(code, 0, out + err);
});

test('an interrupt ends a query at the server', { skip: databaseKinds[2]!.missing }, async t => {
  const { setting } = await databaseKinds[2]!.open(t);
  const settings = `databases:\n  ledger: ${setting}\n`;
  const folder = folderWith(t, {
    'mervok.yaml': settings,
    'a.md': pageOf([
      ['Ready', `${sql('select 1')}${checks('count $[*] = 1')}`],
      ['Sleeps', `${sql('select sleep(60)')}${checks('count $[*] = 1')}`],
    ]),
    'b.md': pageOf([
      [
        'Looks',
        `${checks('repeat every 50 ms for 60 s until $[0].n = 0')}${sql("select count(*) as n from information_schema.processlist where info like 'select sleep%'")}`,
      ],
    ]),
  });
  const { code, out } = await mervok(folder, ['run', 'a.md'], {}, interruptAfter('Ready'));
  assert.equal(code, 130, out);
  const looked = await runCases(folder, ['b.md']);
  assert.equal(looked.code, 0, looked.out);
});

test('an interrupt ends a query of a file, and nothing is waited for then', { timeout: 120_000 }, async t => {
  const folder = folderWith(t, {
    'mervok.yaml': 'timeout: 10 min\ndatabases:\n  ledger: { url: "sqlite:ledger.db", create: true }\n',
    'a.md': pageOf([
      ['Ready', `${sql('select 1')}${checks('count $[*] = 1')}`],
      [
        'Endless',
        sql('with recursive n(i) as (select 1 union all select i + 1 from n) select count(*) as i from n') +
          checks('$[0].i = 1'),
      ],
    ]),
  });
  const { code, out } = await mervok(folder, ['run'], {}, interruptAfter('Ready'));
  assert.equal(code, 130, out);
});

test('many that ask at once wait for one of few connections', {
  skip: databaseKinds[1]!.missing,
}, async t => {
  const { setting } = await databaseKinds[1]!.open(t);
  const settings = `databases:\n  ledger: ${setting.replace(' }', ', connections: 2 }')}\n`;
  const folder = folderWith(t, {
    'mervok.yaml': settings,
    'a.md': pageOf([
      [
        'Asks',
        `${sql("select pg_sleep(0.1), (select count(*) from pg_stat_activity where application_name = 'mervok') as n")}${checks('$[0].n <= 2')}`,
      ],
    ]),
  });
  const { code, out, events } = await runCases(folder, ['--users', '6']);
  assert.equal(code, 0, out);
  const asked = events.filter(event => event.type === 'operation');
  assert.ok(
    asked.some(event => event.type === 'operation' && event.queued !== undefined && event.queued > 50),
  );
});

test('databases that are away, that let nobody in, that are not there, that speak something else', {
  skip: databaseKinds[1]!.missing || databaseKinds[2]!.missing,
}, async t => {
  const [postgres, mariadb] = await Promise.all([startPostgres(t), startMariadb(t)]);
  const away = await closedPort();
  const web = new URL(await serve(t, (_request, response) => response.end('no database')));
  const silent = createServer(() => undefined);
  await new Promise<void>(open => silent.listen(0, '127.0.0.1', open));
  t.after(() => silent.close());
  const { port: mute } = silent.address() as { port: number };
  const rows: [name: string, setting: string, told: RegExp][] = [
    [
      'pg-away',
      `{ url: "postgres://127.0.0.1:${away}/ledger", user: clerk }`,
      /fault: refused; No connection to the database pg-away at 127\.0\.0\.1:\d+: it is refused\. Is it running, and are host and port right\?/,
    ],
    ['my-away', `{ url: "mysql://127.0.0.1:${away}/ledger", user: clerk }`, /fault: refused; No connection/],
    [
      'pg-name',
      '{ url: "postgres://ledger.skerry.example/ledger", user: clerk }',
      /fault: name; The host of the database/,
    ],
    [
      'my-name',
      '{ url: "mariadb://ledger.skerry.example/ledger", user: clerk }',
      /fault: name; The host of the database/,
    ],
    [
      'pg-password',
      `{ url: "postgres://127.0.0.1:${postgres.port}/postgres", user: clerk, password: wrong }`,
      /fault: sign-in; The database pg-password at .* does not let clerk in: password authentication failed/,
    ],
    [
      'my-password',
      `{ url: "mariadb://127.0.0.1:${mariadb.port}/ledger", user: clerk, password: wrong }`,
      /fault: sign-in; .*Access denied/,
    ],
    [
      'pg-missing',
      address({ ...postgres, database: 'none' }, 'postgres'),
      /fault: missing; .*"none" does not exist/,
    ],
    [
      'my-missing',
      address({ ...mariadb, database: 'none' }, 'mariadb'),
      /fault: missing; .*Unknown database 'none'/,
    ],
    [
      'pg-tls',
      address(postgres, 'postgres').replace(' }', ', tls: { ca: ca.pem } }'),
      /fault: tls; .*speaks no TLS/,
    ],
    ['my-tls', address(mariadb, 'mariadb').replace(' }', ', tls: { ca: ca.pem } }'), /fault: tls; /],
    ['pg-web', `{ url: "postgres://127.0.0.1:${web.port}/ledger", user: clerk }`, /fault: \S+; /],
    ['my-web', `{ url: "mariadb://127.0.0.1:${web.port}/ledger", user: clerk }`, /fault: \S+; /],
    [
      'pg-mute',
      `{ url: "postgres://127.0.0.1:${mute}/ledger", user: clerk }`,
      /fault: timeout; The query had not ended within 900 ms/,
    ],
    [
      'my-mute',
      `{ url: "mariadb://127.0.0.1:${mute}/ledger", user: clerk }`,
      /fault: timeout; The query had not ended within 900 ms/,
    ],
    [
      'lite-missing',
      '{ url: "sqlite:data/none.db" }',
      /fault: missing; .*there is no file 'data\/none\.db'; create: true makes one/,
    ],
    [
      'lite-outside',
      '{ url: "sqlite:../outside.db", create: true }',
      /fault: missing; .*lies outside of the collection, which only --files-anywhere allows/,
    ],
    // A name is known only then.
    ['lite-link', '{ url: "sqlite:data/{link}.db" }', /fault: missing; .*lies outside of the collection/],
    ['lite-folder', '{ url: "sqlite:{folder}" }', /fault: missing; .*is no file/],
    ['lite-text', '{ url: "sqlite:data/note.db" }', /fault: (?:missing|statement); /],
  ];
  const settings = `variables: { link: link, folder: data }\ndatabases:\n${rows.map(([name, setting]) => `  ${name}: ${setting}`).join('\n')}\ntimeout: 60 s\n`;
  const page = pageOf(
    rows.map(([name]) => [
      name,
      `${/-(?:mute|web)$/.test(name) ? within('900 ms') : ''}${fence(`sql step ${name}`, name === 'lite-text' ? 'select * from sqlite_master' : 'select 1 as one')}${checks('count $[*] = 1')}`,
    ]),
  );
  const folder = folderWith(t, {
    'mervok.yaml': settings,
    'a.md': page,
    'data/note.db': 'high water 06:12 '.repeat(100),
    'ca.pem': readFileSync(join(clientFiles, 'authority.pem'), 'utf8'),
  });
  const outside = folderWith(t, { 'x.db': '' });
  symlinkSync(join(outside, 'x.db'), join(folder, 'data/link.db'));
  const ran = await runCases(folder, [], {
    PGUSER: 'nobody',
    PGPASSWORD: postgres.password,
    PGHOST: '10.0.0.1',
    PGOPTIONS: '-c x=y',
    PGSSLMODE: 'require',
  });
  const astray = rows.flatMap(([name, , told]) => {
    const { fault } = ran.of(name).operations[0]!;
    const found = `fault: ${fault?.kind}; ${fault?.message}`;
    return told.test(found) ? [] : [`${name}: ${found}`];
  });
  assert.deepEqual(astray, []);
  assert.ok(!JSON.stringify(ran.events).includes(postgres.password));
});

test('databases that speak TLS, and want to see a certificate', {
  skip: databaseKinds[1]!.missing || databaseKinds[2]!.missing,
}, async t => {
  const [postgres, mariadb] = await Promise.all([startPostgres(t, true), startMariadb(t, true)]);
  const tls = resolve(clientFiles);
  const both = `cert: "${tls}/client.pem", key: "${tls}/client.key"`;
  const files = { good: `{ ca: "${tls}/authority.pem", ${both} }`, uncertain: `{ ${both} }`, bare: 'none' };
  const anonymous = `{ ca: "${tls}/authority.pem" }`;
  const rows: [name: string, database: string, files: string, told: string | RegExp][] = [
    ['pg-good', address(postgres, 'postgres'), files.good, 'TLSv1.3'],
    ['my-good', address(mariadb, 'mariadb'), files.good, 'TLSv1.3'],
    ['pg-name', address(postgres, 'postgres').replace('127.0.0.1', 'localhost'), files.good, 'TLSv1.3'],
    // One that is good, of another machine.
    [
      'pg-other',
      address(postgres, 'postgres').replace('127.0.0.1', '127.0.0.2'),
      files.good,
      /^tls; .*127\.0\.0\.2/,
    ],
    [
      'my-other',
      address(mariadb, 'mariadb').replace('127.0.0.1', '127.0.0.2'),
      files.good,
      /^tls; .*127\.0\.0\.2/,
    ],
    ['pg-uncertain', address(postgres, 'postgres'), files.uncertain, /^tls; .*certificate/],
    ['my-uncertain', address(mariadb, 'mariadb'), files.uncertain, /^tls; .*certificate/],
    ['pg-anonymous', address(postgres, 'postgres'), anonymous, /^sign-in; .*client certificate/],
    ['my-anonymous', address(mariadb, 'mariadb'), anonymous, /^sign-in; .*Access denied/],
    ['pg-bare', address(postgres, 'postgres'), files.bare, /^sign-in; .*no encryption/],
    ['my-bare', address(mariadb, 'mariadb'), files.bare, /^sign-in; .*Access denied/],
    ['pg-file', address(postgres, 'postgres'), '{ ca: none.pem }', /^tls; 'none\.pem' .* is not there/],
    [
      'my-file',
      address(mariadb, 'mariadb'),
      '{ ca: mervok.yaml }',
      /^tls; 'mervok\.yaml' .* holds no certificate/,
    ],
  ];
  const settings = rows.map(
    ([name, database, used]) => `  ${name}: ${database.replace(' }', `, tls: ${used} }`)}`,
  );
  const version = (name: string) =>
    name.startsWith('pg')
      ? 'select version as tls from pg_stat_ssl where pid = pg_backend_pid()'
      : "select variable_value as tls from information_schema.session_status where variable_name = 'ssl_version'";
  const page = pageOf(
    rows.map(([name]) => [name, `${fence(`sql step ${name}`, version(name))}${checks('count $[*] = 1')}`]),
  );
  const folder = folderWith(t, { 'mervok.yaml': `databases:\n${settings.join('\n')}\n`, 'a.md': page });
  const ran = await runCases(folder);
  const astray = rows.flatMap(([name, , , told]) => {
    const { fault, answer } = ran.of(name).operations[0]!;
    const found = fault ? `${fault.kind}; ${fault.message}` : answer?.body.text;
    const isRight = typeof told === 'string' ? found?.includes(told) : told.test(found ?? '');
    return isRight ? [] : [`${name}: ${found}`];
  });
  assert.deepEqual(astray, []);
});

test('a server that dies in the middle of a query', { skip: databaseKinds[1]!.missing }, async t => {
  const { setting, server } = await databaseKinds[1]!.open(t);
  const page = pageOf([
    ['Sleeps', `${sql('select pg_sleep(30)')}${checks('fault = "reset"')}`],
    ['Asks again', `${sql('select 1 as one')}${checks('fault in "refused", "reset"')}`],
  ]);
  const folder = folderWith(t, { 'mervok.yaml': `databases:\n  ledger: ${setting}\n`, 'a.md': page });
  const running = runCases(folder);
  const watching = folderWith(t, {
    'mervok.yaml': `databases:\n  ledger: ${setting}\n`,
    'a.md': pageOf([
      [
        'Sleeps by now',
        `${checks('repeat every 50 ms for 60 s until $[0].n = 1')}${sql("select count(*) as n from pg_stat_activity where query like 'select pg_sleep%' and state = 'active'")}`,
      ],
    ]),
  });
  await runCases(watching);
  await server!.stop('SIGKILL');
  const { code, out } = await running;
  assert.equal(code, 0, out);
});

test('a file of SQLite that another program writes is locked, and is none of its own for long', async t => {
  const page = pageOf([
    [
      'Fills',
      fence('sql step ledger', "create table berths (code text);\ninsert into berths values ('0417')"),
    ],
    [
      'Two at once',
      `${fence('sql step ledger', "insert into berths values ('0733')")}${checks('changed = 1')}`,
    ],
  ]);
  const folder = folderWith(t, {
    'mervok.yaml': 'databases:\n  ledger: { url: "sqlite:a.db", create: true }\n',
    'a.md': page,
  });
  const { code, out, events } = await runCases(folder);
  assert.equal(code, 0, out);
  assert.equal(events.filter(({ type }) => type === 'operation').length, 2);
});

test('what is wrong with a query or a database is found before anything runs', async t => {
  const rows: [settings: string, page: string, told: string[]][] = [
    ['', fence('sql step', 'select 1'), ['a.md:1:4 query-form']],
    ['', fence('sql step 1a', 'select 1'), ['a.md:1:13 query-form']],
    ['', fence('sql step ledger now', 'select 1'), ['a.md:1:20 query-form']],
    ['', fence('sql step ledger', ''), ['a.md:1:4 query-form']],
    ['', fence('sql step legder', 'delete from t'), ['a.md:1:13 database-unknown']],
    ['', fence('sql step ledger', 'select 1'), ['a.md:2:1 request-unchecked']],
    ['', fence('sql step ledger', "delete from t where a = '{code}'"), ['a.md:2:26 query-form']],
    ['', fence('sql step ledger', 'delete from t where a = {cod}'), ['a.md:2:25 name-unknown']],
    ['', fence('sql step ledger', '-- nothing'), ['a.md:2:1 query-form']],
    [
      '',
      fence('sql step ledger', 'begin; delete from t; commit'),
      ['a.md:2:1 query-form', 'a.md:2:23 query-form'],
    ],
    ['', fence('sql step lite', "attach 'x' as y"), ['a.md:2:1 query-form']],
    [
      '',
      `${fence('sql step ledger', 'delete from t')}${fence('mervok', 'status = 200')}`,
      ['a.md:5:1 no-response-yet'],
    ],
    [
      '',
      `${fence('sql step ledger', 'delete from t')}${fence('mervok', 'csv $[0].a = 1')}`,
      ['a.md:5:1 no-response-yet'],
    ],
    ['', fence('mervok', 'changed = 1'), ['a.md:2:1 no-response-yet']],
    // Faults of other steps.
    [
      '',
      `${fence('sql step ledger', 'delete from t')}${fence('mervok', 'fault = "killed"\nfault in "none", "locked"')}`,
      ['a.md:5:9 never-equal'],
    ],
    [
      '',
      `${fence('sh step', 'true')}${fence('mervok', 'fault in "locked", "killed"')}`,
      ['a.md:5:10 never-equal'],
    ],
    [
      '',
      `${fence('http', 'GET http://127.0.0.1/')}${fence('mervok', 'fault != "statement"')}`,
      ['a.md:5:10 never-equal'],
    ],
    [
      'checks: |\n  exit = 0\n  fault != "locked"\n  time < 2 s',
      fence('http', 'GET http://127.0.0.1/'),
      ['mervok.yaml:6:3 no-response-yet', 'mervok.yaml:7:12 never-equal'],
    ],
    // SQLite compares by kind.
    [
      '',
      `---\nvariables: { least: 4, quoted: "4", word: north, computed: { let: "4" } }\n---\n${fence('sql step lite', 'delete from t where a in ({least}, {quoted}, {word}, {computed})')}`,
      ['a.md:5:27 query-form'],
    ],
    [
      '',
      `---\nvariables: { least: 4 }\n---\n${fence('sql step ledger', 'delete from t where a = {least}')}`,
      [],
    ],
    ['  x: { url: "postgres://h/d?sslmode=disable" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "postgres://clerk:pw@h/d" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "postgres:///d" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "postgres://%2Ftmp/d/e" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "oracle://h/d" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "{code}" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "sqlite::memory:" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "sqlite:a.db?mode=ro" }', '', ['mervok.yaml:5:13 setting-form']],
    ['  x: { url: "postgres://h/d", port: 5 }', '', ['mervok.yaml:5:31 setting-unknown']],
    ['  x: { url: "postgres://h/d", tls: yes }', '', ['mervok.yaml:5:36 setting-form']],
    [
      '  x: { url: "postgres://h.skerry.example/d", tls: none }',
      fence('sql step x', 'delete from t'),
      ['mervok.yaml:5:3 database-unsecured'],
    ],
    ['  x: { url: "postgres://localhost/d", tls: none }', fence('sql step x', 'delete from t'), []],
    [
      '  x: { url: "postgres://h/d", password: gull-and-anchor }',
      fence('sql step x', 'delete from t'),
      ['mervok.yaml:5:3 secret-written'],
    ],
    [
      '',
      fence('sql step ledger', 'select {code} as c, {nights} as n'),
      ['a.md:2:1 request-unchecked', 'a.md:2:21 name-unknown'],
    ],
  ];
  const base =
    'variables: { code: "0417" }\ndatabases:\n  ledger: { url: "postgres://127.0.0.1/ledger" }\n  lite: { url: "sqlite:a.db" }\n';
  const astray: string[] = [];
  await Promise.all(
    rows.map(async ([settings, page, told]) => {
      const folder = folderWith(t, { 'mervok.yaml': `${base}${settings}\n`, 'a.md': page || '# A\n' });
      const { out } = await mervok(folder, ['lint', '--json']);
      const { findings } = JSON.parse(out) as {
        findings: { file: string; line: number; column: number; code: string }[];
      };
      const found = findings.map(({ file, line, column, code }) => `${file}:${line}:${column} ${code}`);
      if (JSON.stringify(found) !== JSON.stringify(told)) astray.push(`${settings}${page}: ${found}`);
    }),
  );
  assert.deepEqual(astray, []);
});

test('a database of SQLite outside of the collection is found before anything runs', async t => {
  const outside = folderWith(t, { 'harbour.db': '' });
  const query = sql('select 1 as n') + checks('$[0].n = 1');
  const rows = `${fence('sql rows all ledger (n)', 'select 1 as n')}${checks('each row of all')}${fence('http', 'GET http://127.0.0.1:1/')}${checks('fault = "refused"')}`;
  for (const [path, page] of [
    [join(outside, 'harbour.db'), query],
    ['link.db', query],
    ['link.db', rows],
  ] as const) {
    const folder = folderWith(t, {
      'mervok.yaml': `databases:\n  ledger: { url: "sqlite:${path}" }\n`,
      'a.md': pageOf([['Looks', page]]),
    });
    symlinkSync(join(outside, 'harbour.db'), join(folder, 'link.db'));
    for (const command of ['lint', 'run']) {
      const { code, out, err } = await mervok(folder, [command]);
      assert.match(out + err, /mervok\.yaml:2:3 {2}error file-missing\n.*lies outside of the collection/);
      assert.equal(code, 2);
    }
    const allowed = await mervok(folder, ['run', '--files-anywhere']);
    assert.equal(allowed.code, 0, allowed.out + allowed.err);
  }
});

test('a query that reaches files or programs of the server needs leave', async t => {
  const page = pageOf([
    [
      'Copies',
      `${fence('sql step ledger', "copy (select 1) to program 'cat'")}${checks('fault = "refused"')}`,
    ],
  ]);
  const folder = folderWith(t, {
    'mervok.yaml': `databases:\n  ledger: { url: "postgres://127.0.0.1:${await closedPort()}/x" }\n`,
    'a.md': page,
  });
  const refused = await mervok(folder, ['run'], { XDG_CONFIG_HOME: folder });
  assert.equal(refused.code, 2);
  assert.match(refused.err, /step-refused/);
  const allowed = await mervok(folder, ['run', '--commands']);
  assert.equal(allowed.code, 0, allowed.out + allowed.err);
});

test('what a query or a command came to is shown by send, and stays at hand for pick', async t => {
  const folder = folderWith(t, {
    'mervok.yaml':
      'variables: { code: { secret: "4417" } }\ndatabases: { ledger: { url: "sqlite:ledger.db", create: true } }\n',
    'a.md': pageOf([
      [
        'Enters',
        `${sql('create table berths (code text); insert into berths values (1), (2)')}${checks('changed = 2')}`,
      ],
      ['Asks', `${sql('select code, 7.5 as depth from berths order by code')}${checks('$[0].depth = 8')}`],
      ['Goes wrong', `${sql('select * from nowhere')}${checks('$[0].a = 1')}`],
      ['Reckons', `${fence('js step', 'export const a = 1')}${checks('{a} = 1')}`],
    ]),
    'd.md': pageOf([
      [
        'Many',
        `${sql('with recursive n(i) as (select 1 union all select i + 1 from n where i < 250) select i from n')}${checks('count $[*] = 250')}`,
      ],
    ]),
    'e.md': pageOf([['Secret', `${sql('select 4417 as n')}${checks('$[0].n = 4417')}`]]),
    'f.md': pageOf([['Long', `${fence('sh step lines', 'yes tide | head -n 20000')}${checks('exit = 0')}`]]),
    'g.md': pageOf([['None', `${sql('select 1 as n where 1 = 2')}${checks('count $[*] = 0')}`]]),
    'b.md': pageOf([['Says', `${fence('sh step', 'echo high water; echo low >&2')}${checks('exit = 0')}`]]),
  });
  const rows: [args: string[], code: number, told: RegExp][] = [
    [
      ['send', 'a.md#asks'],
      0,
      /^database {2}ledger\n\n2 rows\n[\s\S]*"depth": 7\.5[\s\S]*The one check does not hold\./m,
    ],
    [['pick', '$[1].code'], 0, /^2\n/],
    [['pick', 'count $[*] = 2'], 0, /^holds\n/],
    [['pick', 'changed'], 1, /changes nothing by its nature/],
    [['pick', 'status'], 1, /the query has no status/],
    [['send', 'a.md#enters', '--alone', '--set', 'x=1'], 1, /table berths already exists/],
    [['send', 'a.md#asks', '--alone', '--pick', '$[0].code'], 0, /^1\n/],
    [
      ['send', 'a.md#asks', '--raw'],
      2,
      /--raw, --headers and -o are about a response, and a\.md#asks sends no request/,
    ],
    [['send', 'a.md#goes-wrong', '--alone'], 1, /no such table: nowhere/],
    [
      ['send', 'a.md#reckons'],
      2,
      /sends no request, so no response would be shown\. What else it does: mervok run a\.md#reckons --verbose/,
    ],
    [['send', 'a.md'], 2, /has several cases\. Which one\?\n {2}a\.md#enters\n {2}a\.md#asks/],
    // A part is never taken for the whole.
    [['send', 'd.md', '--pick', 'count $[*]'], 0, /^250\n/],
    [
      ['pick', 'count $[*]'],
      2,
      /Only a part of what came is kept here, .* mervok send d\.md#many --pick EXPR/,
    ],
    [['send', 'e.md', '--pick', '$[0].n = 4417'], 0, /^holds\n/],
    [['pick', '$[0].n'], 2, /or some of it is masked/],
    [['send', 'f.md', '--commands', '--pick', 'count $[*]'], 0, /^20000\n/],
    [['pick', 'output'], 2, /Only a part/],
    [['send', 'g.md'], 0, /^0 rows$/m],
    [['pick', 'count $[*]'], 0, /^0\n/],
    [['send', 'b.md'], 2, /step-refused/],
    [['send', 'b.md', '--commands'], 0, /^exit 0\n\nhigh water\n[\s\S]*^errors\nlow$/m],
    [['pick', 'output'], 0, /^high water\n/],
    [['pick', 'errors'], 0, /^low\n/],
    [['pick', 'exit'], 0, /^0\n/],
  ];
  for (const [args, code, told] of rows) {
    const ended = await mervok(folder, args, { XDG_CONFIG_HOME: folder });
    assert.match(ended.out + ended.err, told, args.join(' '));
    assert.equal(ended.code, code, args.join(' '));
  }
});
