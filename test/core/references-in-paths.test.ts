import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing } from '../../src/core/model/value.ts';
import { readNumber } from '../../src/core/values/number.ts';
import { decide, evaluate, explained, plain, read } from '../support/language.ts';

const body = {
  list: [
    { id: 3, code: '0417', name: 'a.b', open: true, berth: null, quay: { side: 'North' } },
    { id: 4, code: '0418', name: 'axb', open: false, berth: null, quay: { side: 'South' } },
  ],
  texts: [{ id: '3' }, { id: '4' }],
  mixed: [{ id: 'x' }, { id: 3 }],
  nulls: [{ id: null }, { id: null }],
  lists: [{ id: [1] }],
  none: [],
  map: { alpha: { n: 1 }, '3': { n: 2 }, 'a b': 3 },
  wanted: '3',
};
const names = {
  n: 3,
  t: '3',
  p: plain('3'),
  gone: 99,
  pgone: plain('99'),
  word: plain('x'),
  code: '0417',
  pcode: plain('0417'),
  dot: 'a.b',
  side: 'North',
  alpha: 'alpha',
  one: 1,
  yes: true,
  nothing: null,
  quote: `a"] || true || @["b`,
  spaced: 'a b',
  list: [1],
};

test('references in JSONPath: literals, members, texts, patterns; compared as everywhere, exact for numbers', () => {
  const rows: [condition: string, truth: 'yes' | 'no' | 'unknown'][] = [
    ['count $.list[?@.id == {n}] = 1', 'yes'],
    ['no $.list[?@.id == {n}] exists', 'no'],
    ['no $.list[?@.id == {gone}] exists', 'yes'],
    ['some $.list[?@.id == {p}].code = "0417"', 'yes'],
    ['no $.list[?@.id == {p}] exists', 'no'],
    ['no $.list[?@.id == {pgone}] exists', 'yes'],
    ['count $.texts[?@.id == {p}] = 1', 'yes'],
    ['count $.texts[?@.id == "{n}"] = 1', 'yes'],
    ['count $.list[?@.code == {pcode}] = 1', 'yes'],
    ['count $.list[?@.code == "{code}"] = 1', 'yes'],
    ['count $.list[?@["{code}"] || @.id > {one}] = 2', 'yes'],
    ['count $.list[?@.open == {yes}] = 1', 'yes'],
    ['count $.list[?@.id >= {n} && @.quay.side == "{side}"] = 1', 'yes'],
    ['count $.list[?@.id == $.map["{alpha}"].n] = 0', 'yes'],
    ['$.map["{alpha}"].n = 1', 'yes'],
    ['$.map[{alpha}].n = 1', 'yes'],
    ['$.map.{alpha}.n = 1', 'yes'],
    ['$.map[{n}].n = 2', 'yes'],
    ['$.map[{spaced}] = 3', 'yes'],
    ['$.list[{one}].id = 4', 'yes'],
    ['$.list[{p}] absent', 'yes'],
    ['$.map["{gone}"] absent', 'yes'],
    ['$.map["{alpha}"] absent', 'no'],
    ['count $..{alpha} = 1', 'yes'],
    // A value is data, whatever it looks like.
    ['no $.list[?@.name == "{quote}"] exists', 'yes'],
    ['$.map["{quote}"] absent', 'yes'],
    // In a pattern it is quoted; what is behind \\p is none.
    ['count $.list[?match(@.name, "{dot}")] = 1', 'yes'],
    ['count $.list[?search(@.name, "^{dot}$|zz")] = 0', 'yes'],
    ['count $.list[?match(@.name, {dot})] = 1', 'yes'],
    ['count $.list[?match(@.quay.side, "\\\\p{Lu}.*")] = 2', 'yes'],
    ['count $.list[?match(@.code, "[0-9]\\{4}")] = 2', 'yes'],
    // A brace.
    ['no $.list[?@.name == "\\{dot}"] exists', 'yes'],
    ['no $.none[?@.id == {n}] exists', 'yes'],
  ];
  for (const [condition, truth] of rows) assert.equal(decide(condition, { body, names }), truth, condition);
  const big = '{"list":[{"id":9007199254740993,"v":1},{"id":9007199254740992,"v":2}]}';
  const id = { id: readNumber('9007199254740993') };
  assert.equal(evaluate('first $.list[?@.id == {id}].v', { body: big, names: id }), 1);
  assert.equal(
    decide('count $.list[?@.id == {id}] = 1', { body: big, names: { id: plain('9007199254740993') } }),
    'yes',
  );
});

test('a filter whose comparison could hold for no item decides nothing, and says why', () => {
  const rows: [condition: string, why: RegExp][] = [
    ['no $.list[?@.id == {t}] exists', /compared text with numbers/],
    ['no $.list[?@.id == "{n}"] exists', /compared text with numbers/],
    ['count $.list[?@.id == "3"] = 0', /compared text with numbers/],
    ['count $.texts[?@.id == {n}] = 0', /compared numbers with text/],
    ['count $.texts[?3 == @.id] = 0', /compared numbers with text/],
    ['no $.list[?@.open == "true"] exists', /compared text with booleans/],
    ['count $.list[?@.id != "3"] = 2', /compared text with numbers/],
    ['no $.list[?@.code > 5] exists', /compared numbers with text/],
    ['no $.lists[?@.id == 1] exists', /compared numbers with lists/],
    ['no $.list[?@.open < true] exists', /compared booleans, which have no order/],
    ['no $.list[?@.nmae == "{code}"] exists', /no item that was compared has @\.nmae/],
    ['count $.list[?@.nmae == 3] = 0', /no item that was compared has @\.nmae/],
    ['no $.list[?@.id == $.wanted] exists', /compared text with numbers|compared numbers with text/],
    ['no $.list[?@.id == $.wnated] exists', /has \$\.wnated/],
    ['no $.list[?length(@.id) == 1] exists', /length\(\)/],
    ['no $.list[?match(@.id, "3")] exists', /compared text with numbers/],
    // Also where another part decides first.
    ['no $.list[?@.code == "x" && @.nmae == "y"] exists', /@\.nmae/],
    ['count $.list[?@.code == "0417" || @.id == "4"] = 1', /compared text with numbers/],
    ['all $.list[?@.id == {t}].code = []', /compared text with numbers/],
  ];
  for (const [condition, why] of rows) {
    assert.equal(decide(condition, { body, names }), 'unknown', condition);
    assert.match(explained(condition, { body, names }).found, why, condition);
  }
  const found = evaluate('first $.list[?@.id == {t}].code', { body, names });
  assert.ok(found instanceof Missing && found.unreadable);
  // One of its own kind is enough; null may be compared with any.
  for (const condition of [
    'count $.mixed[?@.id == {n}] = 1',
    'count $.mixed[?@.id == {word}] = 1',
    'no $.nulls[?@.id == {t}] exists',
    'no $.list[?@.id == null] exists',
    'count $.list[?@.berth == {nothing}] = 2',
  ])
    assert.equal(decide(condition, { body, names }), 'yes', condition);
});

const xml = '<s><slide type="all" no="1">x</slide><slide type="o\'ne" no="2">y</slide><n>0417</n></s>';
const html =
  '<ul><li id="7" class="berth free" data-id="a\'b">one</li><li class="x" data-id="]">two</li></ul>';

test('references in XPath are bound, in CSS put in as what they stand for', () => {
  const given = {
    headers: [['Content-Type', 'text/xml']] as const,
    body: xml,
    names: {
      kind: 'all',
      one: "o'ne",
      two: plain('2'),
      n: 2,
      t: '2',
      gone: 'zz',
      code: plain('0417'),
      l: [1],
    },
  };
  const rows: [condition: string, truth: 'yes' | 'no' | 'unknown'][] = [
    ['xml//slide[@type="{kind}"] = "x"', 'yes'],
    ['xml//slide[@type="{kind}"] absent', 'no'],
    ['xml//slide[@type="{gone}"] absent', 'yes'],
    ['xml//slide[@type={kind}] = "x"', 'yes'],
    ['xml//slide[@type="{one}"] = "y"', 'yes'],
    ['xml("//slide[@type = {one}]") = "y"', 'yes'],
    ['xml("//slide[@type = \'a{gone}b\']") absent', 'yes'],
    ['xml//slide[{two}] = "y"', 'yes'],
    ['xml//slide[{n}] = "y"', 'yes'],
    ['xml//slide[{t}] = "y"', 'unknown'],
    ['xml//slide[{kind}] absent', 'unknown'],
    ['xml//slide[@no={n}] = "y"', 'yes'],
    ['xml//slide[@no={two}] = "y"', 'yes'],
    ['xml//n[.={code}] exists', 'yes'],
    ['xml//n[. > {two}] exists', 'yes'],
    ['xml//n[{two} < .] exists', 'yes'],
    ['xml//n[. <= {two}] absent', 'yes'],
    ['xml//slide[@type={n}] absent', 'unknown'],
    ['xml//slide[@no={l}] absent', 'unknown'],
    ['xml//slide[starts-with(@type,"{kind}")] = "x"', 'yes'],
    ['xml//slide[@type="\\{kind}"] absent', 'yes'],
    ['xml("//slide[matches(., \'\\\\p{Ll}\')]") = "x"', 'unknown'],
  ];
  for (const [condition, truth] of rows) assert.equal(decide(condition, given), truth, condition);

  const page = {
    headers: [['Content-Type', 'text/html']] as const,
    body: html,
    names: { q: "a'b", bracket: ']', seven: 7, free: 'free', two: plain('2'), no: 'x y', empty: '' },
  };
  const selectors: [condition: string, truth: 'yes' | 'no' | 'unknown'][] = [
    [`html("[data-id='{q}']") = "one"`, 'yes'],
    [`html("li[data-id={q}]") = "one"`, 'yes'],
    [`html("li[data-id={bracket}]") = "two"`, 'yes'],
    ['html("#{seven}") = "one"', 'yes'],
    ['html("li.{free}") = "one"', 'yes'],
    ['html("li.{no}") absent', 'unknown'],
    ['html("li:nth-child({two})") = "two"', 'yes'],
    ['html("li:not(.{free})") = "two"', 'yes'],
    ['html("li:nth-child({free})") absent', 'unknown'],
    [`html("[data-id^='{empty}']") absent`, 'unknown'],
  ];
  for (const [condition, truth] of selectors) assert.equal(decide(condition, page), truth, condition);
});

test('where no value can stand, a reference is an error of the page', () => {
  for (const text of [
    '$.list[{n}:2] exists',
    'all $.list[0:{n}] exists',
    'no $.list[?{n}] exists',
    'xml//{name} exists',
    'xml//slide[@{name}] exists',
    'xml//sli{name} exists',
    'no $.list[?length({name}) == ] exists',
  ]) {
    const { errors } = read(text);
    assert.ok(errors.length > 0, text);
  }
});

test('a search that takes too long, or finds too much, ends and decides nothing', () => {
  const many = { list: Array.from({ length: 4000 }, (_, id) => ({ id, a: [id, id + 1] })) };
  assert.equal(decide('no $.list[?count($..a[*]) == 7] exists', { body: many }), 'unknown');
  assert.match(
    explained('no $.list[?count($..a[*]) == 7] exists', { body: many }).found,
    /not followed to its end: it takes longer than 2 s/,
  );
});
