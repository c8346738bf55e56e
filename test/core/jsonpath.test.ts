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

await loadPatterns();

function select(path: string, document: unknown): Match[] {
  const { path: parsed, end } = parsePath(path, 0);
  assert.equal(end, path.length, `${path} is read to its end`);
  return compileSegments(parsed.segments)(new Match(document as Value), new Search(document as Value));
}

const valuesOf = (path: string, document: unknown) => select(path, document).map(match => match.value);

type Rows = readonly (readonly [path: string, values: unknown[]])[];

function holds(document: unknown, rows: Rows): void {
  for (const [path, values] of rows) assert.deepEqual(valuesOf(path, document), values, path);
}

// The tables of RFC 9535, section by section.

test('RFC 9535, 1.5: the bookstore', () => {
  const book = [
    { category: 'reference', author: 'Nigel Rees', title: 'Sayings of the Century', price: 8.95 },
    { category: 'fiction', author: 'Evelyn Waugh', title: 'Sword of Honour', price: 12.99 },
    {
      category: 'fiction',
      author: 'Herman Melville',
      title: 'Moby Dick',
      isbn: '0-553-21311-3',
      price: 8.99,
    },
    {
      category: 'fiction',
      author: 'J. R. R. Tolkien',
      title: 'The Lord of the Rings',
      isbn: '0-395-19395-8',
      price: 22.99,
    },
  ];
  const bicycle = { color: 'red', price: 399 };
  const document = { store: { book, bicycle } };
  const authors = book.map(each => each.author);
  holds(document, [
    ['$.store.book[*].author', authors],
    ['$..author', authors],
    ['$.store.*', [book, bicycle]],
    ['$.store..price', [8.95, 12.99, 8.99, 22.99, 399]],
    ['$..book[2]', [book[2]]],
    ['$..book[2].author', ['Herman Melville']],
    ['$..book[2].publisher', []],
    ['$..book[-1]', [book[3]]],
    ['$..book[0,1]', [book[0], book[1]]],
    ['$..book[:2]', [book[0], book[1]]],
    ['$..book[?@.isbn]', [book[2], book[3]]],
    ['$..book[?@.price<10]', [book[0], book[2]]],
  ]);
  assert.equal(select('$..*', document).length, 27);
});

test('RFC 9535, 2.3.1 to 2.3.3: names, wildcards, indexes', () => {
  holds({ o: { 'j j': { 'k.k': 3 } }, "'": { '@': 2 } }, [
    ["$.o['j j']", [{ 'k.k': 3 }]],
    ["$.o['j j']['k.k']", [3]],
    ['$.o["j j"]["k.k"]', [3]],
    [`$["'"]["@"]`, [2]],
    [`$['\\'']['@']`, [2]],
  ]);
  holds({ o: { j: 1, k: 2 }, a: [5, 3] }, [
    ['$[*]', [{ j: 1, k: 2 }, [5, 3]]],
    ['$.o[*]', [1, 2]],
    ['$.o[*, *]', [1, 2, 1, 2]],
    ['$.a[*]', [5, 3]],
  ]);
  holds(
    ['a', 'b'],
    [
      ['$[1]', ['b']],
      ['$[-2]', ['a']],
      ['$[2]', []],
      ['$[-3]', []],
    ],
  );
});

test('RFC 9535, 2.3.4: slices', () => {
  holds(
    ['a', 'b', 'c', 'd', 'e', 'f', 'g'],
    [
      ['$[1:3]', ['b', 'c']],
      ['$[5:]', ['f', 'g']],
      ['$[1:5:2]', ['b', 'd']],
      ['$[5:1:-2]', ['f', 'd']],
      ['$[::-1]', ['g', 'f', 'e', 'd', 'c', 'b', 'a']],
      ['$[1:5:0]', []],
      ['$[-2:]', ['f', 'g']],
      ['$[:-5]', ['a', 'b']],
      ['$[ 1 : 3 ]', ['b', 'c']],
      ['$[0, 5:]', ['a', 'f', 'g']],
      ['$[100:]', []],
      ['$[3:-10:-1]', ['d', 'c', 'b', 'a']],
      ['$[3:-10:-2]', ['d', 'b']],
      ['$[-10:2]', ['a', 'b']],
      ['$[-10:2:-1]', []],
      ['$[10:4:-1]', ['g', 'f']],
      ['$[5:100:2]', ['f']],
      ['$[:4:-1]', ['g', 'f']],
      ['$[-1:-3:-1]', ['g', 'f']],
      ['$[1::-1]', ['b', 'a']],
      ['$[-7:-6]', ['a']],
      ['$[-8:-7]', []],
      ['$[0:0]', []],
      ['$[6:6:-1]', []],
    ],
  );
});

test('RFC 9535, 2.3.5: filters', () => {
  const a = [3, 5, 1, 2, 4, 6, { b: 'j' }, { b: 'k' }, { b: {} }, { b: 'kilo' }];
  const document = { a, o: { p: 1, q: 2, r: 3, s: 5, t: { u: 6 } }, e: 'f' };
  holds(document, [
    ["$.a[?@.b == 'kilo']", [{ b: 'kilo' }]],
    ["$.a[?(@.b == 'kilo')]", [{ b: 'kilo' }]],
    ['$.a[?@>3.5]', [5, 4, 6]],
    ['$.a[?@.b]', [{ b: 'j' }, { b: 'k' }, { b: {} }, { b: 'kilo' }]],
    ['$[?@.*]', [a, document.o]],
    ['$[?@[?@.b]]', [a]],
    ['$.o[?@<3, ?@<3]', [1, 2, 1, 2]],
    ['$.a[?@<2 || @.b == "k"]', [1, { b: 'k' }]],
    ['$.o[?@>1 && @<4]', [2, 3]],
    ['$.o[?@.u || @.x]', [{ u: 6 }]],
    ['$.a[?@.b == $.x]', [3, 5, 1, 2, 4, 6]],
    ['$.a[?@ == @]', a],
    ['$.a[?!@.b]', [3, 5, 1, 2, 4, 6]],
    ['$.a[?!(@ > 2) && !@.b]', [1, 2]],
    ['$.o[?@ == $.o.q]', [2]],
  ]);
});

test('RFC 9535, table 11: comparisons', () => {
  const document = { obj: { x: 'y' }, arr: [2, 3], items: [0] };
  const rows: [comparison: string, holds: boolean][] = [
    ['$.absent1 == $.absent2', true],
    ['$.absent1 <= $.absent2', true],
    ["$.absent == 'g'", false],
    ['$.absent1 != $.absent2', false],
    ["$.absent != 'g'", true],
    ['1 <= 2', true],
    ['1 > 2', false],
    ["13 == '13'", false],
    ["'a' <= 'b'", true],
    ["'a' > 'b'", false],
    ['$.obj == $.arr', false],
    ['$.obj != $.arr', true],
    ['$.obj == $.obj', true],
    ['$.obj != $.obj', false],
    ['$.arr == $.arr', true],
    ['$.obj == 17', false],
    ['$.obj != 17', true],
    ['$.obj <= $.arr', false],
    ['$.obj < $.arr', false],
    ['$.obj <= $.obj', true],
    ['$.arr <= $.arr', true],
    ['1 <= $.arr', false],
    ['1 >= $.arr', false],
    ['true <= true', true],
    ['true > true', false],
    ['-0 == 0', true],
    ['1.0 == 1', true],
    ['1e2 == 100', true],
    ['null == null', true],
  ];
  for (const [comparison, expected] of rows) {
    assert.equal(select(`$.items[?${comparison}]`, document).length === 1, expected, comparison);
  }
});

test('RFC 9535, 2.4: functions', () => {
  const items = [{ n: 'abc' }, { n: [1, 2] }, { n: { a: 1 } }, { n: 'é\u{1F6A2}' }, { n: 5 }];
  holds({ items }, [
    ['$.items[?length(@.n) == 3]', [items[0]]],
    ['$.items[?length(@.n) == 2]', [items[1], items[3]]],
    ['$.items[?length(@.n) < 2]', [items[2]]],
    ['$.items[?count(@.n.*) == 2]', [items[1]]],
    ['$.items[?value(@..a) == 1]', [items[2]]],
  ]);
});

test('RFC 9535, 2.5: children and descendants, duplicates kept', () => {
  holds(
    ['a', 'b', 'c', 'd', 'e', 'f', 'g'],
    [
      ['$[0, 3]', ['a', 'd']],
      ['$[0:2, 5]', ['a', 'b', 'f']],
      ['$[0, 0]', ['a', 'a']],
    ],
  );
  const document = { o: { j: 1, k: 2 }, a: [5, 3, [{ j: 4 }, { k: 6 }]] };
  holds(document, [
    ['$..j', [1, 4]],
    ['$..[0]', [5, { j: 4 }]],
    ['$.o..[*, *]', [1, 2, 1, 2]],
    ['$.a..[0, 1]', [5, 3, { j: 4 }, { k: 6 }]],
    ['$..*', [document.o, document.a, 1, 2, 5, 3, [{ j: 4 }, { k: 6 }], { j: 4 }, { k: 6 }, 4, 6]],
  ]);
});

test('RFC 9535, 2.6: null is a value', () => {
  const document = { a: null, b: [null], c: [{}], null: 1 };
  holds(document, [
    ['$.a', [null]],
    ['$.a[0]', []],
    ['$.a.d', []],
    ['$.b[0]', [null]],
    ['$.b[*]', [null]],
    ['$.b[?@]', [null]],
    ['$.b[?@==null]', [null]],
    ['$.c[?@.d==null]', []],
    ['$.null', [1]],
  ]);
});

test('RFC 9535, 2.3.5: patterns in filters', () => {
  const a = [3, 5, 1, 2, 4, 6, { b: 'j' }, { b: 'k' }, { b: {} }, { b: 'kilo' }];
  holds({ a }, [
    ['$.a[?match(@.b, "[jk]")]', [{ b: 'j' }, { b: 'k' }]],
    ['$.a[?search(@.b, "[jk]")]', [{ b: 'j' }, { b: 'k' }, { b: 'kilo' }]],
    ['$.a[?!search(@.b, "[jk]") && @.b]', [{ b: {} }]],
    ['$.a[?match(@.b, $.a[6].b)]', [{ b: 'j' }]],
    ['$.a[?match(@.b, 1) || match(@, "1")]', []],
    ['$.a[?length(@.b) == 4 && search(@.b, "l.$" ) || search(@.b, "lo")]', [{ b: 'kilo' }]],
  ]);
  // What is no pattern, and comes from the document, matches nothing.
  holds(
    {
      a: [
        { b: 'j', p: '[' },
        { b: 'j', p: 'j' },
      ],
    },
    [['$.a[?match(@.b, @.p)].p', ['j']]],
  );
});

test('RFC 9485: patterns, what they match as a whole, and what is none', () => {
  const matching: [pattern: string, text: string, matches: boolean][] = [
    ['a|b', 'b', true],
    ['a|b', 'ab', false],
    ['', '', true],
    ['(ab)+c?', 'ababc', true],
    ['.', '\n', false],
    ['.', '\r', false],
    ['.', '\u2028', true],
    ['.', '\u{1F6A2}', true],
    ['..', '\u{1F6A2}', false],
    ['[^a]', '\u{1F6A2}', true],
    ['[\u{1F600}-\u{1F6FF}]', '\u{1F6A2}', true],
    ['a{2}', 'aa', true],
    ['a{2,}', 'aaaa', true],
    ['a{2,3}', 'aaaa', false],
    ['\\p{Lu}\\P{Lu}', 'Aa', true],
    ['[\\p{L}\\-.]+', 'a-.', true],
    ['[-a]', '-', true],
    ['[a-]', '-', true],
    ['[^-]', 'a', true],
    ['[.*+?]', '*', true],
    ['\\.\\*\\n\\t', '.*\n\t', true],
    ['^', '^', true],
    ['$', '$', true],
    ['\\^', '^', true],
    ['a-b', 'a-b', true],
    ['/', '/', true],
  ];
  for (const [pattern, text, matches] of matching) {
    const found = valuesOf('$.t[?match(@, $.p)]', { t: [text], p: pattern }).length === 1;
    assert.equal(found, matches, `${pattern} on ${JSON.stringify(text)}`);
  }
  for (const pattern of [
    '[',
    'a**',
    '*',
    'a{',
    'a{2',
    '\\d',
    '\\p{Xx}',
    '(',
    ')',
    '[]',
    '[b-a]',
    '[[a]]',
    '\\',
    'a{1001}',
    '(?:a)',
  ])
    assert.throws(() => translateIRegexp(pattern), IRegexpError, pattern);
});

test('RFC 9535, 2.4.9: functions are called with what they take, or not at all', () => {
  const rows: [filter: string, wellTyped: boolean][] = [
    ['length(@) < 3', true],
    ['length(@.*) < 3', false],
    ['count(@.*) == 1', true],
    ['count(1) == 1', false],
    ["match(@.timezone, 'Europe/.*')", true],
    ["match(@.timezone, 'Europe/.*') == true", false],
    ['value(@..color) == "red"', true],
    ['value(@..color)', false],
    ['length(value(@..color)) == 3', true],
    ['count(value(@..color)) == 3', false],
    ["search(@.a, match(@.b, 'c'))", false],
    ["!search(@.a, 'c')", true],
    ['length(@.a, @.b) == 1', false],
    ['length() == 1', false],
    ['count (@.*) == 1', false],
    ['length("abc") == 3', true],
  ];
  for (const [filter, wellTyped] of rows) {
    const path = `$[?${filter}]`;
    if (wellTyped) assert.equal(parsePath(path, 0).end, path.length, path);
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
  const rows: [path: string, at: number][] = [
    ['$.1a', 1],
    ['$[a]', 2],
    ['$[01]', 2],
    ['$[-0]', 2],
    ['$[9007199254740992]', 2],
    ["$['a", 2],
    ["$['\\x']", 3],
    ['$["\\uD800"]', 3],
    ['$[?@.a]x]', 99],
    ['$[?@.*==1]', 3],
    ['$[?length(@.*)<3]', 10],
    ['$[?count(1)==1]', 9],
    ['$[?value(@.a)]', 3],
    ['$[?nope(@.a)==1]', 3],
    ['$[?1]', 3],
    ['$[?!@.a==1]', 4],
    ['$[?@.a==]', 8],
    ['$[', 2],
    ['$[0', 1],
  ];
  for (const [path, at] of rows) {
    try {
      const { end } = parsePath(path, 0);
      assert.ok(at === 99 && end < path.length, `${path} should be an error`);
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      assert.equal(error.range.start, at, `${path}: ${error.message}`);
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
