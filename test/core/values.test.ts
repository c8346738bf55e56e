import assert from 'node:assert/strict';
import { test } from 'node:test';
import { CalendarDate, Duration, Plain, Size, type Value } from '../../src/core/model/value.ts';
import {
  compareOrder,
  equal,
  equalInAnyOrder,
  readDuration,
  readSize,
} from '../../src/core/values/compare.ts';
import { describe, outline } from '../../src/core/values/describe.ts';
import { JsonError, readJson, writeJson } from '../../src/core/values/json-document.ts';
import { calculate, numberText, type Operator, readNumber, round } from '../../src/core/values/number.ts';
import { durationText, readDate, readTimestamp, sizeText } from '../../src/core/values/text.ts';

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

test('what is no JSON is told with its offset', () => {
  const rows: [text: string, offset: number][] = [
    ['', 0],
    ['[1,]', 3],
    ['{"a":1 "b":2}', 7],
    ['{"a":1.}', 5],
    ['[1', 2],
    ['"\t"', 1],
    ['nul', 0],
  ];
  for (const [text, offset] of rows) {
    assert.throws(
      () => readJson(text),
      (error: Error) => error instanceof JsonError && error.offset === offset,
      text,
    );
  }
  assert.throws(() => readJson('[1.0e1,'.repeat(5000)), /nested deeper than 1000 levels/);
});

test('kinds that cannot be compared give nothing', () => {
  const rows: [a: Value, b: Value, result: boolean | undefined][] = [
    [1, 1, true],
    [1, '1', undefined],
    [null, 1, false],
    [null, null, true],
    [new Plain('1'), 1, true],
    [new Plain('01'), 1, undefined],
    [new Plain('01'), '01', true],
    [new Plain('null'), null, true],
    [new Plain('true'), true, true],
    [new Plain('5 s'), new Duration(5000), true],
    [new Plain('1 kB'), new Size(1000), true],
    [[1, 2], [1, 2], true],
    [[1, 2], [2, 1], false],
    [{ a: 1, b: 2 }, { b: 2, a: 1 }, true],
    [{ a: 1 }, { a: 1, b: 2 }, false],
    ['2026-11-25', new CalendarDate(Date.UTC(2026, 10, 25)), true],
    [new Duration(1), new Size(1), undefined],
    [Buffer.from('a'), Buffer.from('a'), true],
  ];
  for (const [a, b, result] of rows) assert.equal(equal(a, b), result, `${describe(a)} and ${describe(b)}`);
  assert.equal(equalInAnyOrder([1, 2, 2], [2, 1, 2]), true);
  assert.equal(equalInAnyOrder([1, 2, 2], [1, 1, 2]), false);
  assert.equal(compareOrder('\uFFFF', '\u{1F6A2}')! < 0, true, 'by code points, not by UTF-16 units');
  assert.equal(compareOrder(true, false), undefined);
});

test('durations, sizes, dates', () => {
  assert.equal(readDuration('1.5 min')?.milliseconds, 90_000);
  assert.equal(readDuration('2 weeks')?.milliseconds, 1_209_600_000);
  assert.equal(readDuration('5'), undefined);
  assert.equal(readDuration('5 constructor'), undefined);
  assert.equal(readSize('1 KiB')?.bytes, 1024);
  for (const [milliseconds, text] of [
    [0.644, '0.64 ms'],
    [1.26, '1.3 ms'],
    [12, '12 ms'],
    [3200, '3.2 s'],
    [300_000, '5 min'],
    [7_200_000, '2 h'],
    [86_400_000, '1 day'],
    [172_800_000, '2 days'],
  ] as const) {
    assert.equal(durationText(milliseconds), text);
  }
  for (const [bytes, text] of [
    [0, '0 B'],
    [999, '999 B'],
    [1500, '1.5 kB'],
    [84_300, '84 kB'],
    [2_500_000, '2.5 MB'],
    [3e9, '3 GB'],
  ] as const) {
    assert.equal(sizeText(bytes), text);
  }
  assert.equal(readDate('2026-02-29'), undefined);
  assert.equal(readDate('2024-02-29')?.milliseconds, Date.UTC(2024, 1, 29));
  assert.equal(readTimestamp('2026-11-23T10:00:00+02:00')?.milliseconds, Date.UTC(2026, 10, 23, 8));
  assert.equal(readTimestamp('2026-11-23 10:00:00'), undefined);
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
