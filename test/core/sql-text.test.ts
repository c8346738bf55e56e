import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { Dialect } from '../../src/core/settings/database.ts';
import { OffsetError } from '../../src/core/steps/offset-error.ts';
import { readSql } from '../../src/core/steps/query/sql-text.ts';
import {
  changesRows,
  leavesNothing,
  onlyReads,
  reachesOut,
  refusalOf,
} from '../../src/core/steps/query/statement-rules.ts';

const at = (start: number, end: number) => ({ start, end });
const read = (text: string, dialect: Dialect = 'postgres') => readSql(text, dialect, at);
const all = ['postgres', 'mariadb', 'sqlite'] as const;

/** What a query refers to, and how: in a list, compared. */
function told(text: string, dialect?: Dialect): string {
  try {
    return read(text, dialect)
      .map(({ references }) =>
        references
          .map(
            ({ reference, inList, compared }) =>
              reference.name + (inList ? ' in' : '') + (compared ? ' =' : ''),
          )
          .join(', '),
      )
      .join(' | ');
  } catch (error) {
    if (!(error instanceof OffsetError)) throw error;
    return `${error.start} ${error.message}`;
  }
}

test('where references stand in a query, and where its statements end', () => {
  const literal = 'A value goes into a query as a parameter, so no reference can stand in a literal.';
  const rows: [text: string, found: string, dialects?: readonly Dialect[]][] = [
    ['select 1', ''],
    ['select * from berths where code = {code}', 'code ='],
    ['select {a}, {b.c} from t where {a}=1 and x <> {d} or {e} != y', 'a, b, a =, d =, e ='],
    ['select * from t where code in ({codes}) and x in (1, {y})', 'codes in, y in'],
    ['select * from t where code not in ( {codes} )', 'codes in'],
    ['select * from t where f({x}) and (a, {b}) = 1', 'x, b'],
    ['select * from t where code in (select {x})', 'x'],
    ['select 1; select {a};\n;\n select {b}', ' | a | b'],
    ['select \';\', ";" -- ;\n; select {a} /* ; */', ' | a'],
    ["select 'it''s ; fine', {a}", 'a'],
    ["select '{\"a\": 1}', '{1,2}', {a}", 'a'],
    ["select '{a}'", `8 ${literal}`],
    ['select "{a}"', 'x', []],
    ["select * from t where name like '%{a}%'", `${"select * from t where name like '%".length} ${literal}`],
    [
      'select "{a}" from t',
      '8 A value goes into a query as a parameter, so no reference can stand in a quoted name.',
      ['postgres', 'sqlite'],
    ],
    [
      'select `{a}` from t',
      '8 A value goes into a query as a parameter, so no reference can stand in a quoted name.',
      ['mariadb', 'sqlite'],
    ],
    [
      'select [{a}] from t',
      '8 A value goes into a query as a parameter, so no reference can stand in a quoted name.',
      ['sqlite'],
    ],
    ['select "{a}"', `8 ${literal}`, ['mariadb']],
    [
      'select 1 -- {a}',
      '12 A value goes into a query as a parameter, so no reference can stand in a comment.',
    ],
    [
      'select 1 /* {a} */',
      '12 A value goes into a query as a parameter, so no reference can stand in a comment.',
    ],
    [
      'select 1 # {a}',
      '11 A value goes into a query as a parameter, so no reference can stand in a comment.',
      ['mariadb'],
    ],
    ['select 1 --{a}', 'a', ['mariadb']],
    ['select $$ {a} $$', `10 ${literal}`, ['postgres']],
    ['select $q$ ; $$ ; $q$, {a}', 'a', ['postgres']],
    ["select E'\\'{a}'", `11 ${literal}`, ['postgres']],
    ["select E'\\'; ', {a}", 'a', ['postgres']],
    ["select '\\', {a}", 'a', ['postgres', 'sqlite']],
    ["select '\\'; ', {a}", 'a', ['mariadb']],
    ["select U&'\\0441', {a}", 'a', ['postgres']],
    ["select x'01', N'x', b'1', {a}", 'a'],
    ['select /* /* ; */ ; */ {a}', 'a', ['postgres']],
    ["select 'open", '7 Here a literal begins that is not closed.'],
    ['select /* open', '7 This comment is not closed.'],
    ['select $x$ open', '7 Here a literal begins that is not closed.', ['postgres']],
    ['select {+a}', '7 A value goes into a query as a parameter, never as its text.'],
    ['select 1 /*! or {a} */', '9 What stands in this comment would be carried out.', ['mariadb']],
    ['select 1 /*M! x */', '9 What stands in this comment would be carried out.', ['mariadb']],
    ['select a[1], b::int, {c}::uuid, d->>{e}', 'c, e', ['postgres']],
    ['select { a }, {1}, {}', '', ['postgres']],
    [
      'create trigger t after insert on a begin update b set c = 1; delete from d; end',
      '',
      ['sqlite', 'mariadb'],
    ],
  ];
  const astray = rows.flatMap(([text, found, dialects = all]) =>
    dialects.flatMap(dialect =>
      told(text, dialect) === found ? [] : [`${dialect}: ${text}: ${told(text, dialect)}`],
    ),
  );
  assert.deepEqual(astray, []);
});

test('what a statement does, by its words', () => {
  const yes = (...which: string[]) => new Set(which);
  const rows: [text: string, is: Set<string>][] = [
    ['select * from berths', yes('reads', 'plain')],
    ['select count(*), max(depth) from berths where code in (1) order by lower(name)', yes('reads', 'plain')],
    ['with a as (select 1) select * from a', yes('reads', 'plain')],
    ['with a as (delete from berths returning *) select * from a', yes()],
    ['with a as (select 1) update berths set x = 1', yes('changes')],
    ['insert into berths (code) values (1)', yes('changes')],
    ['insert into berths values (1) returning id', yes('changes')],
    ['update berths set depth = 1', yes('changes')],
    ['delete from berths', yes('changes')],
    ['replace into berths values (1)', yes('changes')],
    ['select * from berths for update', yes()],
    ['select * into other from berths', yes()],
    ["select nextval('ids')", yes()],
    ['select pg_advisory_lock(1)', yes('reads')],
    ["select set_config('a', 'b', false)", yes('reads')],
    ["select get_lock('a', 1)", yes('reads')],
    ['select @a := 1', yes('reads')],
    ['set search_path to x', yes()],
    ['create temp table t (a int)', yes()],
    ['truncate berths', yes()],
    ['explain select 1', yes('reads')],
    ['explain analyze delete from berths', yes()],
    ['show tables', yes('reads')],
    ["copy berths to '/tmp/x'", yes('out')],
    ["copy berths from program 'id'", yes('out')],
    ["load data local infile '/etc/passwd' into table t", yes('out')],
    ["select * from t into outfile '/tmp/x'", yes('out')],
    ["select load_file('/etc/passwd')", yes('reads', 'out')],
    ["select pg_read_file('/etc/passwd')", yes('reads', 'out')],
    // By other ways to write a name.
    [`select "set_config"('a', 'b', false)`, yes('reads')],
    [`select set_config /* x */ ('a', 'b', false)`, yes('reads')],
    [`select pg_catalog."set_config"('a', 'b', false)`, yes('reads')],
    [`select U&"set_config"('a', 'b', false)`, yes('reads')],
    ['select "count"(*) from berths', yes('reads')],
    [`select "pg_read_file"('/etc/passwd')`, yes('reads', 'out')],
    [`select U&"pg\\005fread_file"('/etc/passwd')`, yes('reads', 'out')],
    [`select query_to_xml('select 1', true, true, '')`, yes('reads', 'out')],
    [`do $$ begin perform 1; end $$`, yes('out')],
    [`execute immediate @a`, yes('out')],
    [`create function f() returns void as $$ copy a to program 'id' $$ language sql`, yes('out')],
    [`create function f() returns int as $$ select 1 $$ language sql`, yes()],
    ['create trigger t after insert on a execute function f()', yes()],
    [`select "depth" from "berths" where ("depth" > 1)`, yes('reads', 'plain')],
    [`select (1 + (2 * 3)), 'a' in ('b')`, yes('reads', 'plain')],
  ];
  const astray = rows.flatMap(([text, is]) => {
    const [statement] = read(text, text.includes('@') ? 'mariadb' : 'postgres');
    const found = {
      reads: onlyReads(statement!),
      changes: changesRows(statement!),
      plain: leavesNothing(statement!, text),
      out: reachesOut(statement!, text),
    };
    const names = Object.entries(found).flatMap(([name, holds]) => (holds ? [name] : []));
    return names.sort().join() === [...is].sort().join() ? [] : [`${text}: ${names}`];
  });
  assert.deepEqual(astray, []);
});

test('what may not stand in a query', () => {
  const rows: [text: string, dialect: Dialect, refused: RegExp | undefined][] = [
    ['select 1', 'postgres', undefined],
    ['begin', 'postgres', /one transaction already/],
    ['select 1; commit', 'postgres', /one transaction already/],
    ['start transaction', 'mariadb', /one transaction already/],
    ['savepoint a', 'sqlite', /one transaction already/],
    ['set transaction isolation level serializable', 'postgres', /one transaction already/],
    ['vacuum', 'postgres', undefined],
    ['vacuum; select 1', 'postgres', /ends the transaction/],
    ['create table t (a int)', 'mariadb', undefined],
    ['create table t (a int); insert into t values (1)', 'mariadb', /ends the transaction/],
    ['create table t (a int); insert into t values (1)', 'postgres', undefined],
    ['create table t (a int); insert into t values (1)', 'sqlite', undefined],
    ["attach 'x.db' as x", 'sqlite', /the one file/],
    ['/* x */ ATTACH DATABASE "x.db" AS x', 'sqlite', /the one file/],
    ['detach x', 'sqlite', /the one file/],
    ["vacuum into 'x.db'", 'sqlite', /the one file/],
    ['vacuum', 'sqlite', undefined],
    ["select load_extension('x')", 'sqlite', /Nothing is loaded/],
    ['pragma table_info(berths)', 'sqlite', undefined],
    ['pragma journal_mode', 'sqlite', undefined],
    ['pragma journal_mode = wal', 'sqlite', /only those are carried out that tell/],
    ['pragma writable_schema(1)', 'sqlite', /only those are carried out that tell/],
    ['copy berths from stdin', 'postgres', /Nothing is copied/],
    ['copy (select 1) to stdout', 'postgres', /Nothing is copied/],
    ["copy berths to '/tmp/x'", 'postgres', undefined],
    ['(select 1) union (select 2)', 'postgres', undefined],
    ['1 + 1', 'postgres', /begins with a word/],
  ];
  const astray = rows.flatMap(([text, dialect, refused]) => {
    const statements = read(text, dialect);
    const [found] = statements.flatMap(each => refusalOf(each, text, dialect, statements.length) ?? []);
    const isRight = refused ? found && refused.test(found.message) : !found;
    return isRight ? [] : [`${dialect}: ${text}: ${found?.message}`];
  });
  assert.deepEqual(astray, []);
});
