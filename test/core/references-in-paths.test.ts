import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing } from '../../src/core/model/value.ts';
import { readNumber } from '../../src/core/values/number.ts';
import { table } from '../support/inputs.ts';
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

const [paths, idle, xpaths, selectors] = table('references-in-paths');

test('references in JSONPath: literals, members, texts, patterns; compared as everywhere, exact for numbers', () => {
  for (const [condition = '', truth] of paths!.rows)
    assert.equal(decide(condition, { body, names }), truth, condition);
  const big = '{"list":[{"id":9007199254740993,"v":1},{"id":9007199254740992,"v":2}]}';
  const id = { id: readNumber('9007199254740993') };
  assert.equal(evaluate('first $.list[?@.id == {id}].v', { body: big, names: id }), 1);
  assert.equal(
    decide('count $.list[?@.id == {id}] = 1', { body: big, names: { id: plain('9007199254740993') } }),
    'yes',
  );
});

test('a filter whose comparison could hold for no item decides nothing, and says why', () => {
  for (const [condition = '', why = ''] of idle!.rows) {
    assert.equal(decide(condition, { body, names }), 'unknown', condition);
    assert.match(explained(condition, { body, names }).found, new RegExp(why), condition);
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

  for (const [condition = '', truth] of xpaths!.rows)
    assert.equal(decide(condition, given), truth, condition);

  const page = {
    headers: [['Content-Type', 'text/html']] as const,
    body: html,
    names: { q: "a'b", bracket: ']', seven: 7, free: 'free', two: plain('2'), no: 'x y', empty: '' },
  };

  for (const [condition = '', truth] of selectors!.rows)
    assert.equal(decide(condition, page), truth, condition);
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
