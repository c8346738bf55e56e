import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { Missing, Plain, type Value } from '../../src/core/model/value.ts';
import { readChecks } from '../../src/core/pages/statements.ts';
import type { Level, LevelKind } from '../../src/core/settings/level.ts';
import { loadReadLevel } from '../../src/core/settings/level-reader.ts';
import { detailSchemas, schemaOfLevel } from '../../src/core/settings/level-schema.ts';
import { mergeLevels } from '../../src/core/settings/merge-levels.ts';
import { innerKeys, settings } from '../../src/core/settings/table.ts';
import { told } from '../support/collection.ts';
import { table } from '../support/inputs.ts';

const readLevel = await loadReadLevel(readChecks);

function read(text: string, kind: LevelKind = 'root', name = 'mervok.yaml') {
  const source = new Source('mervok.yaml', text);
  const { level, findings } = readLevel(new Excerpt(source, source.text, 1), name, kind);
  return { level, findings, told: told(findings) };
}

function resolve(
  level: Level,
  name: string,
  names: { [name: string]: Value } = {},
  environment: { [name: string]: string } = {},
) {
  const lookup = (each: string) =>
    Object.hasOwn(names, each) ? { value: names[each]!, origin: 'from the test', secret: false } : undefined;
  return level.variables.get(name)!.resolve(
    { lookup },
    {
      variable: each => environment[each],
      file: path => new Missing(`there is no ${path}`),
      bytes: path => new Missing(`there is no ${path}`),
    },
  );
}

test('every key is read', () => {
  const { level, told: findings } = read(`
title: Skerry Harbour
base: "{harbour}/v1"
headers: { Accept: application/json, X-Quay: "{quay}" }
variables: { nights: 2 }
checks: |
  time < 2 s
  "not broken": status is not 5xx
timeout: { connect: 1 s, answer: 500 ms, total: 10 s }
environments:
  local: { harbour: "http://127.0.0.1:7070" }
  staging: { harbour: "https://staging.skerry.example" }
environment: local
`);
  assert.deepEqual(findings, []);
  assert.equal(level.title, 'Skerry Harbour');
  assert.equal(level.base?.parts.length, 2);
  assert.deepEqual([...level.headers.keys()], ['accept', 'x-quay']);
  assert.equal(level.checks?.length, 2);
  assert.deepEqual(level.transport.timeout, { connect: 1000, answer: 500, total: 10_000 });
  assert.deepEqual([...level.environments!.keys()], ['local', 'staging']);
  assert.equal(level.environment?.name, 'local');
  assert.deepEqual(read('timeout: 5 s').level.transport.timeout, { total: 5000 });
});

const encodings = `gzip, deflate, br${process.versions.zstd === undefined ? '' : ', zstd'}`;

test('an unquoted scalar is plain and keeps its characters, a quoted one is a text', () => {
  const { level } = read(
    'variables:\n  plain: 0417\n  text: "0417"\n  yes: yes\n  none: ~\n  list: [1, "a"]\n  berth: { code: 0417 }\n',
  );
  const value = (name: string) => resolve(level, name).value;
  assert.deepEqual(value('plain'), new Plain('0417'));
  assert.equal(value('text'), '0417');
  assert.deepEqual(value('yes'), new Plain('yes'));
  assert.equal(value('none'), null);
  assert.deepEqual(value('list'), [new Plain('1'), 'a']);
  assert.deepEqual(value('berth'), { code: new Plain('0417') });
});

test('a variable may refer to others, to the environment of the process, or be secret', () => {
  const { level, told: findings } = read(
    'variables:\n  api: "{harbour}/v1"\n  same: "{list}"\n  home: { os: SKERRY_HOME }\n  hidden: { os: SKERRY_HOME, secret: true }\n  password: { secret: "spring-tide" }\n  braces: "\\\\{x}"\n',
  );
  assert.deepEqual(findings, []);
  assert.equal(resolve(level, 'api', { harbour: 'http://skerry.example' }).value, 'http://skerry.example/v1');
  assert.deepEqual(resolve(level, 'same', { list: [1] }).value, [1]);
  assert.deepEqual(resolve(level, 'home', {}, { SKERRY_HOME: '/quay' }), {
    value: new Plain('/quay'),
    origin: 'from mervok.yaml, the environment variable SKERRY_HOME',
  });
  assert.equal(level.variables.get('home')!.secret, false);
  assert.equal(level.variables.get('hidden')!.secret, true);
  assert.equal(level.variables.get('password')!.secret, true);
  assert.throws(
    () => resolve(level, 'home'),
    /\{home\} is the environment variable SKERRY_HOME, which is not set/,
  );
  assert.deepEqual(resolve(level, 'password'), {
    value: 'spring-tide',
    origin: 'from mervok.yaml',
  });
  assert.equal(resolve(level, 'braces').value, '{x}');
  const secrets = read('variables: { token: abc }', 'secrets').level;
  assert.equal(secrets.variables.get('token')!.secret, true);
});

test('what is wrong is told at its place, with the nearest right form', () => {
  for (const [text = '', says = '', ...places] of table('settings')[0]!.rows) {
    const { findings, told: given } = read(text);
    assert.deepEqual(
      given,
      places.map(place => `mervok.yaml:${place}`),
      text,
    );
    const said = `${findings[0]!.message} ${findings[0]!.remedy ?? ''}`;
    assert.ok(said.includes(says), `${text}: ${said}`);
  }
  assert.deepEqual(read('environment: local', 'page').told, ['mervok.yaml:1:1 setting-unknown']);
});

test('one unknown key does not take the others away', () => {
  const { level } = read('base: "http://skerry.example"\nnonsense: 1\n');
  assert.equal(level.base?.parts[0], 'http://skerry.example');
});

test('an alias bomb is refused', () => {
  const lines = ['a0: &a0 [x, x, x, x, x, x, x, x, x, x]'];
  for (let at = 1; at < 9; at++)
    lines.push(
      `a${at}: &a${at} [${Array(10)
        .fill(`*a${at - 1}`)
        .join(', ')}]`,
    );
  assert.deepEqual(read(lines.join('\n')).findings[0]?.code, 'yaml-form');
});

test('the nearer level wins, headers in any case, null takes away, checks add up', () => {
  const levels = [
    read(
      'base: "http://a.example"\nheaders: { Accept: "*/*", X-One: "1" }\nchecks: time < 2 s\ntimeout: 5 s',
      'root',
      'outer',
    ).level,
    read('headers: { accept: text/plain, x-one: null, X-Two: "2" }\nchecks: status = 200', 'page', 'inner')
      .level,
  ];
  const merged = mergeLevels(levels);
  assert.deepEqual(
    merged.headers.map(({ header, level }) => [header.name, header.value.parts[0], level.name]),
    [
      ['User-Agent', 'mervok', 'Mervok itself'],
      ['Accept-Encoding', encodings, 'Mervok itself'],
      ['accept', 'text/plain', 'inner'],
      ['X-Two', '2', 'inner'],
    ],
  );
  assert.deepEqual(
    merged.checks.map(({ level }) => level.name),
    ['outer', 'inner'],
  );
  assert.deepEqual(merged.transport.timeout, { total: 5000 });
  assert.equal(merged.base?.level.name, 'outer');
  const spaces = ['namespaces: { t: "urn:a", s: "urn:b" }', 'namespaces: { t: null, u: "urn:c" }'];
  assert.deepEqual(
    [...mergeLevels(spaces.map(text => read(text).level)).namespaces],
    [
      ['s', 'urn:b'],
      ['u', 'urn:c'],
    ],
  );
  const bare = mergeLevels([...levels, read('base: null\nchecks: null\ntimeout: null', 'case', 'own').level]);
  assert.deepEqual([bare.base, bare.checks, bare.transport.timeout], [undefined, [], {}]);
});

test('the keys that messages offer inside of settings are those of their forms', () => {
  const shapes = new Map<string, string[]>();
  const visit = (way: string, schema: unknown) => {
    const { def } = schema as { def: { [part: string]: unknown } };
    if (def.type === 'object') {
      const shape = def.shape as { [key: string]: unknown };
      shapes.set(way, Object.keys(shape));
      for (const [key, inner] of Object.entries(shape)) visit(`${way}.${key}`, inner);
    }
    if (def.innerType) visit(way, def.innerType);
    for (const option of (def.options as unknown[] | undefined) ?? []) visit(way, option);
  };
  const { shape } = schemaOfLevel(settings).def;
  for (const { key } of settings) visit(key, shape[key]);
  for (const [key, schema] of detailSchemas(settings)) visit(key, schema);
  assert.deepEqual({ ...innerKeys }, Object.fromEntries(shapes));
});
