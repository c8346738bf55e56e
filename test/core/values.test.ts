import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Source } from '../../src/core/model/source.ts';
import { outline } from '../../src/core/values/describe.ts';
import { readJson, writeJson } from '../../src/core/values/json-document.ts';
import { calculate, numberText, type Operator, readNumber, round } from '../../src/core/values/number.ts';

test('arithmetic is exact', () => {
  const rows: [a: string, operator: Operator, b: string, result: string | undefined][] = [
    ['0.1', '+', '0.2', '0.3'],
    ['3', '*', '41.35', '124.05'],
    ['9007199254740992', '+', '1', '9007199254740993'],
    ['9007199254740993', '-', '9007199254740992', '1'],
    ['99999999999999999999', '*', '99999999999999999999', '9999999999999999999800000000000000000001'],
    ['1', '/', '3', '0.3333333333333333333333333333333333'],
    ['2', '/', '3', '0.6666666666666666666666666666666667'],
    ['1e30', '/', '3', '333333333333333333333333333333.3333'],
    ['6', '/', '2', '3'],
    ['1', '/', '0', undefined],
    ['1e999999', '+', '1', undefined],
    ['-0', '+', '0', '0'],
  ];
  for (const [a, operator, b, result] of rows) {
    const given = calculate(operator, readNumber(a), readNumber(b));
    assert.equal(given === undefined ? undefined : numberText(given), result, `${a} ${operator} ${b}`);
  }
});

test('numbers keep their digits on the way through', () => {
  for (const text of [
    '0',
    '-7',
    '12.5',
    '9007199254740993',
    '-9007199254740993',
    '123456789012345678901234567890',
    '0.1234567890123456789',
  ]) {
    assert.equal(numberText(readNumber(text)), text);
  }
  assert.equal(numberText(readNumber('1e3')), '1000');
  assert.equal(numberText(readNumber('1.50')), '1.5');
  assert.equal(numberText(round(readNumber('-2.5'), 'floor')), '-3');
  assert.equal(numberText(round(readNumber('-2.5'), 'round')), '-3');
  assert.equal(numberText(round(readNumber('2.4999999999999999999'), 'round')), '2');
});

test('JSON is read and written without loss', () => {
  const texts = [
    'null',
    'true',
    '"a\\"b\\\\\\n\\u00e9"',
    '[1, 2.5, -3]',
    '{ "a": { "b": [] }, "c": {} }',
    '{ "id": 9007199254740993 }',
  ];
  for (const text of texts)
    assert.equal(writeJson(readJson(text)), writeJson(readJson(writeJson(readJson(text)))), text);
  assert.equal(
    writeJson(readJson('{"id":9007199254740993,"x":1.10}')),
    '{ "id": 9007199254740993, "x": 1.1 }',
  );
  assert.deepEqual(Object.keys(readJson('{"__proto__": 12345678901234567890}') as object), ['__proto__']);
  assert.equal(
    writeJson(readJson('{"a":[1,{"b":2}]}'), 2),
    '{\n  "a": [\n    1,\n    {\n      "b": 2\n    }\n  ]\n}',
  );
});

test('a long document is told by its outline', () => {
  const berth = { code: '0417', quay: 'North Quay', depth: 4.2 };
  assert.equal(
    outline({ berths: [berth] }),
    '{ "berths": [{ "code": "0417", "quay": "North Quay", "depth": 4.2 }] }',
  );
  assert.equal(
    outline({ berths: Array(40).fill(berth) }),
    '{ "berths": [{ "code": "0417", "quay": "North Quay", "depth": 4.2 }, … 39 more] }',
  );
  const wide = Object.fromEntries(
    Array.from({ length: 6 }, (_, at) => [
      `quay${at}`,
      { a: Array(9).fill('x'.repeat(60)), b: 'y'.repeat(60) },
    ]),
  );
  assert.match(outline(wide), /"quay0": \{2 members\}/);
  assert.ok(outline({ text: 'z'.repeat(5000) }).length < 500);
});

test('JSON keeps every digit, wherever a number stands; what only looks like one in a text is none', () => {
  const rows = [
    '1234567890123456789',
    '-1234567890123456789',
    '[1234567890123456789]',
    '[1,1234567890123456789]',
    '{"a":1234567890123456789}',
    '{"id":"3f2504e0-4f89-11d3-9a0c-0305e82c3301","n":0.12345678901234567891}',
    '{"id":"0305e82c3301","at":"x: 1e5, 12345678901234567890"}',
    '["1e5",12345678901234567890123]',
  ];
  const bare = (text: string) => text.replaceAll(' ', '');
  for (const text of rows) assert.equal(bare(writeJson(readJson(text))), bare(text));
  assert.equal(writeJson(readJson('[\n\t1234567890123456789 ]')), '[1234567890123456789]');
  assert.equal(writeJson(readJson('[1e30]')), '[1e+30]');
});

test('lines and columns of a text, counted from 1, each character once', () => {
  const source = new Source('a.md', '\nb\n🚢c\n');
  assert.deepEqual(
    [1, 2, 3, 4, 5].map(line => source.lineText(line)),
    ['', 'b', '🚢c', '', ''],
  );
  assert.deepEqual(
    [0, 1, 2, 3, 5, 6, 7].map(offset => Object.values(source.position(offset))),
    [
      [1, 1],
      [2, 1],
      [2, 2],
      [3, 1],
      [3, 2],
      [3, 3],
      [4, 1],
    ],
  );
});
