import assert from 'node:assert/strict';
import { test } from 'node:test';
import { isSingular } from '../../src/core/language/jsonpath/ast.ts';
import { compileSegments } from '../../src/core/language/jsonpath/evaluate.ts';
import { IRegexpError, translateIRegexp } from '../../src/core/language/jsonpath/iregexp.ts';
import { Match } from '../../src/core/language/jsonpath/match.ts';
import { parsePath } from '../../src/core/language/jsonpath/parse.ts';
import { Search } from '../../src/core/language/jsonpath/search.ts';
import { compileSingular } from '../../src/core/language/jsonpath/singular.ts';
import { loadPatterns } from '../../src/core/language/patterns.ts';
import { SourceError } from '../../src/core/model/finding.ts';
import { Missing, type Value } from '../../src/core/model/value.ts';
import { readJson } from '../../src/core/values/json-document.ts';
import { table } from '../support/inputs.ts';

await loadPatterns();

function select(path: string, document: unknown): Match[] {
  const { path: parsed, end } = parsePath(path, 0);
  assert.equal(end, path.length, `${path} is read to its end`);
  return compileSegments(parsed.segments)(new Match(document as Value), new Search(document as Value));
}

const valuesOf = (path: string, document: unknown) => select(path, document).map(match => match.value);

// The tables of RFC 9535, section by section.

for (const { title, rows } of table('json-paths')) {
  const [section = '', document = ''] = title.split('  ->  ');
  test(section, () => {
    for (const [path = '', values = ''] of rows)
      assert.deepEqual(valuesOf(path, JSON.parse(document)), JSON.parse(values), path);
  });
}

const [comparisons, calls, wrong, patterns] = table('json-path-forms');

test('RFC 9535, table 11: comparisons', () => {
  const document = { obj: { x: 'y' }, arr: [2, 3], items: [0] };
  for (const [comparison, expected] of comparisons!.rows)
    assert.equal(select(`$.items[?${comparison}]`, document).length === 1, expected === 'true', comparison);
});

test('RFC 9485: patterns, what they match as a whole, and what is none', () => {
  for (const [pattern = '', text = '', matches] of patterns!.rows) {
    const document = { t: [JSON.parse(text)], p: JSON.parse(pattern) };
    const found = valuesOf('$.t[?match(@, $.p)]', document).length === 1;
    assert.equal(found, matches === 'matches', `${pattern} on ${text}`);
  }
  for (const pattern of String.raw`[ a** * a{ a{2 \d \p{Xx} ( ) [] [b-a] [[a]] \ a{1001} (?:a)`.split(' '))
    assert.throws(() => translateIRegexp(pattern), IRegexpError, pattern);
});

test('RFC 9535, 2.4.9: functions are called with what they take, or not at all', () => {
  for (const [filter, said] of calls!.rows) {
    const path = `$[?${filter}]`;
    if (said === 'well typed') assert.equal(parsePath(path, 0).end, path.length, path);
    else assert.throws(() => parsePath(path, 0), SourceError, path);
  }
});

test('RFC 9535, 2.7: normalized paths', () => {
  const normalized = (path: string, document: unknown) =>
    select(path, document).map(match => match.normalizedPath);
  assert.deepEqual(normalized('$.a', { a: 1 }), ["$['a']"]);
  assert.deepEqual(normalized('$[1]', [0, 1]), ['$[1]']);
  assert.deepEqual(normalized('$[-3]', [0, 1, 2, 3, 4]), ['$[2]']);
  assert.deepEqual(normalized('$.a.b[1:2]', { a: { b: [0, 1] } }), ["$['a']['b'][1]"]);
  assert.deepEqual(normalized('$["\\u000B"]', { '\u000b': 1 }), ["$['\\u000b']"]);
  assert.deepEqual(normalized('$["\\u0061"]', { a: 1 }), ["$['a']"]);
  assert.deepEqual(normalized('$.*', { "it's": 1, 'a\\b': 2, '\n': 3 }), [
    "$['it\\'s']",
    "$['a\\\\b']",
    "$['\\n']",
  ]);
  assert.deepEqual(normalized('$', 1), ['$']);
});

test('a match tells where it stands as a page would write it', () => {
  const document = { berths: [{ 'line-2': 1 }, { state: 'free' }], "o'": { '\n': 1 } };
  const paths = (path: string) => select(path, document).map(match => match.path);
  assert.deepEqual(paths('$.berths[-1].state'), ['$.berths[1].state']);
  assert.deepEqual(paths('$..*'), [
    '$.berths',
    "$['o\\'']",
    '$.berths[0]',
    '$.berths[1]',
    "$.berths[0]['line-2']",
    '$.berths[1].state',
    "$['o\\'']['\\n']",
  ]);
});

test('singular queries are known before the run', () => {
  const singular = (path: string) => isSingular(parsePath(path, 0).path.segments);
  for (const path of ['$', '$.a', "$['a'][0]", '$.a[-1].b']) assert.equal(singular(path), true, path);
  for (const path of ['$.*', '$..a', '$[0,1]', '$[0:1]', '$[?@.a]', "$['a','b']"])
    assert.equal(singular(path), false, path);
});

test('a bare path ends at white space, one in brackets does not', () => {
  assert.equal(parsePath('$.a[ 0 , 1 ].b = 3', 0).end, 14);
  assert.equal(parsePath('$.a .b', 0).end, 3);
  assert.equal(parsePath('x $.a', 2).end, 5);
});

test('what is no path is an error at its place', () => {
  for (const [path = '', at] of wrong!.rows) {
    try {
      const { end } = parsePath(path, 0);
      assert.ok(at === '99' && end < path.length, `${path} should be an error`);
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      assert.equal(error.range.start, Number(at), `${path}: ${error.message}`);
    }
  }
});

test('what is missing is told with what is there', () => {
  const document = { berth: { id: 1, state: 'free' }, list: [1, 2], none: {}, name: 'x' };
  const reason = (path: string) => {
    const found = compileSingular(parsePath(path, 0).path.segments)(document as Value, []);
    return found instanceof Missing ? found.reason : found;
  };
  assert.equal(reason('$.berth.fee'), "$.berth has no member 'fee'; there are id, state");
  assert.equal(reason('$.list[2]'), '$.list has 2 items, so there is no $.list[2]');
  assert.equal(reason('$.none.a'), "$.none has no member 'a'; it is empty");
  assert.equal(reason('$.name.a'), "$.name is no object, so it has no member 'a'");
  assert.equal(reason('$.list.a'), "$.list is a list, so it has no member 'a'");
  assert.equal(reason('$.name[0]'), '$.name is no list');
});

test('a document as deep as the reader allows can be searched', () => {
  const deep = readJson(`${'[1.0e1,'.repeat(900)}0${']'.repeat(900)}`);
  assert.equal(select('$..[0]', deep).length, 900);
});
