import assert from 'node:assert/strict';
import { test } from 'node:test';
import { strToU8, zipSync } from 'fflate';
import { compareNames } from '../../src/core/analysis/page-order.ts';
import { CalendarDate, Duration, Plain, Size, Timestamp, type Value } from '../../src/core/model/value.ts';
import { resolvePath } from '../../src/core/text/paths.ts';
import { TimeLimitError, withinTime } from '../../src/core/text/time-limit.ts';
import { toMicrosecond } from '../../src/core/text/to-microsecond.ts';
import { counted, didYouMean, editDistance, grouped, inWords, nearest } from '../../src/core/text/words.ts';
import {
  amountOf,
  asNumber,
  asText,
  compareOrder,
  equal,
  equalInAnyOrder,
  equalJson,
  isComparable,
  isOrdered,
  isUnique,
  keysOf,
  plainAs,
  readDuration,
  readSize,
  unitOf,
} from '../../src/core/values/compare.ts';
import { cut, describe, describeExactly, outline } from '../../src/core/values/describe.ts';
import {
  checkJsonWithHoles,
  type Hole,
  JsonError,
  readJson,
  writeJson,
} from '../../src/core/values/json-document.ts';
import { calculate, isInteger, numberText, readNumber, round } from '../../src/core/values/number.ts';
import {
  durationText,
  instantText,
  isBinary,
  readDate,
  readHttpDate,
  readTimestamp,
  sizeText,
  textOf,
} from '../../src/core/values/text.ts';
import { refuseLargeSheets } from '../../src/core/values/workbook-library.ts';
import { loadXml, readXml, writeXml, XmlError } from '../../src/core/values/xml.ts';
import { table } from '../support/inputs.ts';

const plain = (text: string) => new Plain(text);
const [noon, midnight] = [Date.UTC(2026, 10, 23, 12), Date.UTC(2026, 10, 23)];
const digits = readNumber('9007199254740993');

const sections = table('values');
const rowsOf = (title: string) => sections.find(section => section.title === title)!.rows;

test('durations and sizes in words, at each of their limits', () => {
  for (const [milliseconds, text] of rowsOf('milliseconds in words'))
    assert.equal(durationText(Number(milliseconds)), text);

  for (const [bytes, text] of rowsOf('bytes in words')) assert.equal(sizeText(Number(bytes)), text);
});

test('dates and instants are read as their standards have them, and as nothing else', () => {
  const readers = { dates: readDate, instants: readTimestamp, 'HTTP dates': readHttpDate };
  for (const [title, read] of Object.entries(readers))
    for (const [text = '', wanted = ''] of rowsOf(title)) {
      const found = read(text);
      assert.equal(found ? new Date(found.milliseconds).toISOString() : 'nothing', wanted, text);
    }

  assert.equal(instantText(new Timestamp(noon)), '2026-11-23T12:00:00Z');
  assert.equal(instantText(new Timestamp(noon + 5)), '2026-11-23T12:00:00.005Z');
  assert.equal(instantText(new CalendarDate(midnight)), '2026-11-23');
});

test('a value as text, as a message shows it, and with every digit', () => {
  const rows: [value: Value, text: string | undefined, shown: string, exactly?: string][] = [
    ['a "b"', 'a "b"', '"a \\"b\\""'],
    [1.5, '1.5', '1.5'],
    [digits, '9007199254740993', '9007199254740993'],
    [true, 'true', 'true'],
    [null, undefined, 'null'],
    [plain('417'), '417', '"417"'],
    [new Duration(1500), '1.5 s', '1.5 s', '1500 ms'],
    [new Size(999), '999 B', '999 B', '999 B'],
    [new Size(1000), '1 kB', '1 kB (1000 B)', '1000 B'],
    [new CalendarDate(midnight), '2026-11-23', '2026-11-23'],
    [new Timestamp(noon), '2026-11-23T12:00:00Z', '2026-11-23T12:00:00Z'],
    [Buffer.from('ab'), undefined, '2 bytes'],
    [[1, [2]], undefined, '[1, [2]]'],
    [{ a: plain('b') }, undefined, '{ "a": "b" }'],
    [
      [new Duration(60_000), new Size(1000), new CalendarDate(midnight), Buffer.from('a')],
      undefined,
      '["1 min", "1 kB", "2026-11-23", "YQ=="]',
    ],
  ];
  for (const [value, text, shown, exactly = shown] of rows) {
    assert.equal(textOf(value), text, shown);
    assert.equal(describe(value), shown);
    assert.equal(describeExactly(value), exactly);
  }
  const written: [value: Plain, json: string][] = [
    [plain('1.50'), '1.50'],
    [plain('true'), 'true'],
    [plain('false'), 'false'],
    [plain('null'), '"null"'],
    [plain('01'), '"01"'],
    [Plain.quoted('1'), '"1"'],
    [Plain.quoted('true'), '"true"'],
  ];
  for (const [value, json] of written) assert.equal(writeJson(value), json);
  assert.equal(
    writeJson([[], {}, { a: [1] }], 2),
    '[\n  [],\n  {},\n  {\n    "a": [\n      1\n    ]\n  }\n]',
  );
});

test('what is long is cut where least is lost', () => {
  const list = (count: number, item: Value) => Array.from({ length: count }, () => item);
  const rows: [value: Value, limit: number, shown: string][] = [
    [[1, 2, 3], 9, '[1, 2, 3]'],
    [[1, 2, 3], 8, '[1, … 2  …'],
    [list(100, 1), 20, '[1, … 99 more]'],
    [list(1, 'a'.repeat(30)), 30, `["${'a'.repeat(28)} …`],
    [{ a: { b: { c: { d: list(9, 'tide') } } } }, 45, '{ "a": { "b": { "c": {1 members} } } }'],
    [{ a: { b: { c: { d: list(9, 'tide') } } } }, 28, '{ "a": {1 members} }'],
    [{ a: { b: { c: { d: list(9, 'tide') } } } }, 29, '{ "a": { "b": {1 members} } }'],
    [{ a: { b: { c: 'x'.repeat(50) } }, d: [[1]] }, 30, '{ "a": {1 members}, "d": [1 it …'],
    ['\uE000[7 items]\uE000', 100, '"\uE000[7 items]\uE000"'],
  ];
  for (const [value, limit, shown] of rows) assert.equal(outline(value, limit), shown);
  assert.deepEqual([cut('tide', 4), cut('tides', 4)], ['tide', 'tide …']);
});

test('what JSON cannot be read, and what is said of it', () => {
  const deep: [text: string, offset: string, message: string][] = [
    ['["a\tb"]', '3', 'a control character must be escaped'],
    ['['.repeat(1001), '1000', 'the document is nested deeper than 1000 levels'],
  ];
  for (const [text = '', offset, message] of [...rowsOf('what is no JSON'), ...deep]) {
    assert.throws(() => readJson(text), { offset: Number(offset), message }, text);
    assert.throws(() => readJson(text), JsonError);
  }
  assert.throws(() => readJson('[1.0e1,'.repeat(5000)), /nested deeper than 1000 levels/);
  // A number with many digits takes the reader that keeps all of them.
  const long = '9007199254740993';
  assert.equal(
    writeJson(readJson(`\t{"a\\n":[ "\\u00e9\\"\\\\" , true,false,null, ${long} ],\r\n"":{}}  `)),
    `{ "a\\n": ["é\\"\\\\", true, false, null, ${long}], "": {} }`,
  );
  for (const [text, written] of [
    ['1E5', '100000'],
    ['-0', '0'],
    ['1e-7', '1e-7'],
    ['12345678901234567', '12345678901234567'],
    ['0.12345678901234567', '0.12345678901234567'],
    ['1e399', `1${'0'.repeat(399)}`],
    ['1e400', '1e+400'],
  ] as const)
    assert.equal(numberText(readJson(text) as number), written, text);
  const depth = `${'['.repeat(1000)}${long}${']'.repeat(1000)}`;
  assert.equal(writeJson(readJson(depth)), depth);
  assert.throws(() => readJson(`[${depth}]`), /deeper than 1000/);
  const beside = `[${`${'['.repeat(999)}1${']'.repeat(999)},`.repeat(2)}${long}]`;
  assert.equal((readJson(beside) as Value[]).length, 3);
  const holes: Hole[] = [
    { start: 1, end: 4 },
    { start: 7, end: 10 },
    { start: 12, end: 15 },
  ];
  checkJsonWithHoles('[{a}, "{b}\\n{c}"]'.replace('\\n', '\\t'), holes);
  assert.deepEqual(
    holes.map(({ place }) => place),
    ['value', 'string', 'string'],
  );
});

test('values of which kinds are equal, and which is the larger', () => {
  const rows: [a: Value, b: Value, isEqual: boolean | undefined, order: number | undefined][] = [
    [null, null, true, undefined],
    [null, 'null', false, undefined],
    [null, plain('null'), true, undefined],
    [plain('nil'), null, false, undefined],
    ['a', 'a', true, 0],
    ['a', 'b', false, -1],
    ['ab', 'a', false, 1],
    // By code points: U+FF5E comes before U+1F6A2, though its UTF-16 unit is the larger one.
    ['\uff5e', '\u{1f6a2}', false, -1],
    ['\u{1f6a2}', '\uff5e', false, 1],
    ['\u{1f6a2}', '\u{1f6a3}', false, -1],
    [true, true, true, undefined],
    [true, false, false, undefined],
    [plain('true'), true, true, undefined],
    [plain('false'), true, false, undefined],
    [plain('yes'), true, undefined, undefined],
    [1, 1, true, 0],
    [1, 2, false, -1],
    [digits, 9007199254740992, false, 1],
    [digits, readNumber('9007199254740993'), true, 0],
    [plain(' 417 '), 417, true, 0],
    [plain('0417'), 417, undefined, undefined],
    [plain('01'), 1, undefined, undefined],
    [plain('01'), '01', true, 0],
    [1, '1', undefined, undefined],
    [null, 1, false, undefined],
    ['\uFFFF', '\u{1F6A2}', false, -1],
    [plain('417'), '417', true, 0],
    [plain('417'), plain('417.0'), false, -1],
    ['417', 417, undefined, undefined],
    ['2026-11-23', new CalendarDate(midnight), true, 0],
    [new CalendarDate(midnight), plain('2026-11-24'), false, -1],
    ['2026-11-23T12:00:00Z', new Timestamp(noon), true, 0],
    [plain('2026-11-23T11:00:00Z'), new Timestamp(noon), false, -1],
    ['today', new CalendarDate(midnight), undefined, undefined],
    [plain('5 s'), new Duration(5000), true, 0],
    [plain('4 s'), new Duration(5000), false, -1],
    ['5 s', new Duration(5000), undefined, undefined],
    [plain('1 kB'), new Size(1000), true, 0],
    [plain('2 kB'), new Size(1000), false, 1],
    [new Duration(1), new Size(1), undefined, undefined],
    [Buffer.from('a'), Buffer.from('a'), true, undefined],
    [Buffer.from('a'), Buffer.from('b'), false, undefined],
    [[1, 'a'], [1, 'a'], true, undefined],
    [[1], [1, 2], false, undefined],
    [[1], ['1'], false, undefined],
    [{ a: 1, b: [2] }, { b: [2], a: 1 }, true, undefined],
    [{ a: 1 }, { a: 1, b: 2 }, false, undefined],
    [{ a: 1 }, { b: 1 }, false, undefined],
    [{ toString: 1 }, {}, false, undefined],
    [[], {}, undefined, undefined],
  ];
  for (const [a, b, isEqual, order] of rows) {
    const said = `${describe(a)} ${describe(b)}`;
    for (const [x, y, sign] of [
      [a, b, 1],
      [b, a, -1],
    ] as const) {
      assert.equal(equal(x, y), isEqual, said);
      const found = compareOrder(x, y);
      assert.equal(
        found === undefined ? undefined : Math.sign(found) + 0,
        order === undefined ? undefined : order * sign + 0,
        said,
      );
      assert.equal(isOrdered(x, y), order !== undefined, said);
      assert.equal(isComparable(x, y), isEqual !== undefined, said);
    }
  }
  const json: [a: Value, b: Value, same: boolean][] = [
    [digits, digits, true],
    [digits, readNumber('9007199254740993'), true],
    [digits, 9007199254740992, false],
    [1, '1', false],
    [digits, '9007199254740993', false],
    [null, undefined as never, false],
    [{ a: [1] }, { a: [1] }, true],
    [{ a: [1] }, { a: [2] }, false],
    [[1], { 0: 1 }, false],
  ];
  for (const [a, b, same] of json) assert.equal(equalJson(a, b), same, describe(a));
});

test('lists: what comes twice, and what is the same in another order', () => {
  const rows: [a: Value[], b: Value[], same: boolean][] = [
    [[], [], true],
    [[1, 2], [2, 1], true],
    [[1, 1, 2], [1, 2, 2], false],
    [[1], [1, 1], false],
    [['a', plain('b')], [plain('b'), 'a'], true],
    [[plain('1'), 2], [2, 1], true],
    [[plain('1'), 2], [2, 3], false],
    [[plain('1'), 2], [1, 1], false],
    [[{ a: 1, b: [null] }], [{ b: [null], a: 1 }], true],
    [[new Duration(1), 2], [2, new Duration(1)], true],
    [[digits, true], [true, readNumber('9007199254740993')], true],
  ];
  for (const [a, b, same] of rows) assert.equal(equalInAnyOrder(a, b), same, describe(a));
  const unique: [list: Value[], isUnique: boolean][] = [
    [[], true],
    [['a', 'b'], true],
    [['a', plain('a')], false],
    [[1, '1'], true],
    [[1, 1.0], false],
    [[plain('1'), 1, 2], false],
    [[plain('1'), 2], true],
    [[new Size(1), new Size(1)], false],
    [[{ a: 1 }, { a: 2 }, { a: 1 }], false],
    [[['a', 'b'], ['a,b']], true],
  ];
  for (const [list, expected] of unique) assert.equal(isUnique(list), expected, describe(list));
  assert.deepEqual(keysOf(['a', plain('b')]), ['a', 'b']);
  assert.deepEqual(keysOf([]), []);
  assert.deepEqual(keysOf([1, 'a', null, [true], { b: 1, a: 2 }]), [
    '1',
    '"a"',
    'null',
    '[true]',
    '{["a","b"]2,1}',
  ]);
  assert.equal(keysOf([1, new Size(1)]), undefined);
  assert.equal(keysOf([[new Size(1)]]), undefined);
});

test('amounts with units', () => {
  for (const [text = '', milliseconds] of rowsOf('durations'))
    assert.equal(String(readDuration(text)?.milliseconds ?? 'nothing'), milliseconds, text);

  for (const [text = '', bytes] of rowsOf('sizes'))
    assert.equal(String(readSize(text)?.bytes ?? 'nothing'), bytes, text);
  assert.deepEqual(unitOf('h'), { kind: 'duration', factor: 3.6e6 });
  assert.deepEqual(unitOf('KiB'), { kind: 'size', factor: 1024 });
  assert.equal(unitOf('s s'), undefined);
  assert.equal(amountOf('0.1', 3), 0.3);
  assert.equal(amountOf('9007199254740993', 1), 9007199254740992);
  assert.deepEqual(plainAs(plain('true'), 'boolean'), true);
  assert.deepEqual(plainAs(plain('1e2'), 'number'), 100);
  assert.deepEqual(plainAs(plain('x'), 'duration'), 'x');
  assert.deepEqual([asText('a'), asText(plain('b')), asText(1)], ['a', 'b', undefined]);
  assert.deepEqual(
    [asNumber(1), asNumber(plain('2')), asNumber(plain('x')), asNumber('3')],
    [1, 2, undefined, undefined],
  );
});

test('rounding, and whole numbers', () => {
  const rows: [
    value: string,
    direction: 'round' | 'floor' | 'ceil',
    places: number | undefined,
    result: string,
  ][] = [
    ['2.5', 'round', undefined, '3'],
    ['-2.5', 'round', undefined, '-3'],
    ['2.4', 'round', 0, '2'],
    ['2.345', 'round', 2, '2.35'],
    ['2.9', 'floor', undefined, '2'],
    ['-2.1', 'floor', undefined, '-3'],
    ['2.1', 'ceil', undefined, '3'],
    ['-2.9', 'ceil', undefined, '-2'],
    ['2.341', 'ceil', 2, '2.35'],
    ['2.349', 'floor', 2, '2.34'],
  ];
  for (const [value, direction, places, result] of rows)
    assert.equal(numberText(round(readNumber(value), direction, places)), result, `${value} ${direction}`);
  const integers: [text: string, is: boolean][] = [
    ['1', true],
    ['1.5', false],
    ['9007199254740993', true],
    ['9007199254740993.5', false],
    ['1e400', true],
    ['1e-400', false],
  ];
  for (const [text, is] of integers) assert.equal(isInteger(readNumber(text)), is, text);
  const limits: [a: string, b: string, operator: '+' | '-' | '*' | '/', result: string | undefined][] = [
    ['9007199254740991', '1', '+', '9007199254740992'],
    ['-9007199254740991', '2', '-', '-9007199254740993'],
    ['94906267', '94906267', '*', '9007199515875289'],
    ['1e10000', '1', '-', numberText(readNumber('9'.repeat(10_000)))],
    ['1e10001', '1', '+', undefined],
    ['1', '1e10001', '*', undefined],
    ['1e-10001', '1', '*', undefined],
    ['1', '1e-10000', '/', '1e+10000'],
    ['1', '0.3', '/', '3.333333333333333333333333333333333'],
    ['0', '5', '/', '0'],
    ['5', '0', '/', undefined],
    ['0', '-1', '*', '0'],
  ];
  for (const [a, b, operator, result] of limits) {
    const given = calculate(operator, readNumber(a), readNumber(b));
    assert.equal(given === undefined ? undefined : numberText(given), result, `${a} ${operator} ${b}`);
  }
});

test('bytes that were read as text are told from text', () => {
  const odd = (count: number, of: number) => `${'\u0000'.repeat(count)}${'a'.repeat(of - count)}`;
  const rows: [text: string, isBinary: boolean][] = [
    ['', false],
    [odd(2, 100), false],
    [odd(3, 100), true],
    ['\uFFFD', true],
    ['\t\n\r\u000b\u000c\u001b', false],
    ['\u0008', true],
    ['\u000e', true],
    ['\u001a', true],
    ['\u001c', true],
    ['\u001f', true],
    // Only the beginning is looked at.
    ['a'.repeat(4000) + odd(4000, 4000), false],
    [odd(81, 4000) + 'a'.repeat(4000), true],
    [odd(80, 4000), false],
  ];
  for (const [text, expected] of rows)
    assert.equal(isBinary(text), expected, JSON.stringify(text.slice(0, 20)));
});

test('XML: what is refused, where, and how deep it may be', async () => {
  await loadXml();
  const nested = (depth: number) => `${'<a>'.repeat(depth)}${'</a>'.repeat(depth)}`;
  assert.equal(writeXml(readXml('<a  b="1">\n  <c/>\n</a>')), '<a b="1"> <c/> </a>');
  assert.ok(readXml(nested(200)).documentElement);
  const beside = `<a>${`<b>${nested(198)}</b><c/>`.repeat(3)}${'<c><d/><d/></c>'.repeat(300)}</a>`;
  assert.ok(readXml(beside).documentElement);
  const rows: [text: string, offset: number, message: RegExp][] = [
    [nested(201), 0, /nested deeper than 200 levels/],
    [`<a><b/>${nested(200)}</a>`, 0, /nested deeper than 200 levels/],
    [`<a>${nested(5)}<b/>${nested(200)}</a>`, 0, /nested deeper than 200 levels/],
    ['<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]><a>&b;</a>', 13, /external entity/],
    ['<!DOCTYPE a [<!ENTITY b PUBLIC "x" "y">]><a/>', 13, /external entity/],
    ['<a>\n  <b>\n</a>', 10, /./],
    ['<a>\u{1f6a2}<b c></a>', 9, /./],
    [`<a>\n${'  <b/>\n'.repeat(10)}          <b>\n          </a>`, 98, /./],
    ['', 0, /./],
  ];
  for (const [text, offset, message] of rows)
    assert.throws(
      () => readXml(text),
      (error: XmlError) => {
        assert.ok(error instanceof XmlError);
        assert.match(error.message, message);
        assert.doesNotMatch(error.message, /["“”\n]|^non-well|^Parsing/);
        assert.equal(error.offset, offset, text.slice(0, 60));
        return true;
      },
      text.slice(0, 60),
    );
});

test('a workbook that spans too much is refused, by its columns and rows', () => {
  const workbook = (cells: string, name = 'xl/worksheets/sheet1.xml') =>
    zipSync({
      [name]: strToU8(`<worksheet><sheetData>${cells}</sheetData></worksheet>`),
      'other.xml': strToU8('<c r="ZZZ9999999"/>'),
    });
  const fine = ['<c r="A5000000"/>', '<c r="B2500000"/>', '<x:c s="1" r="Z1000"/>', "<c r='AA1'/>", ''];
  for (const cells of fine) refuseLargeSheets(workbook(cells));
  refuseLargeSheets(workbook('<c r="ZZZ9999999"/>', 'xl/charts/sheet1.xml'));
  const large: [cells: string, told: RegExp][] = [
    ['<c r="A5000001"/>', /spans 5000001 rows and 1 columns/],
    ['<c r="B2500001"/>', /spans 2500001 rows and 2 columns/],
    ['<c r="AA200000"/>', /spans 200000 rows and 27 columns/],
    ['<c r="xfd400"/>', /spans 400 rows and 16384 columns/],
    ['<c r="A2000000"/><c r="C1"/>', /spans 2000000 rows and 3 columns/],
  ];
  for (const [cells, told] of large) assert.throws(() => refuseLargeSheets(workbook(cells)), told, cells);
});

test('words: how near they are, which one is meant, how they are counted', () => {
  for (const [a = '', b = '', edits] of rowsOf('distances of words'))
    assert.equal(editDistance(a, b), Number(edits), `${a} ${b}`);
  const known = ['status', 'header', 'body', 'of', 'time'];

  for (const [word = '', wanted] of rowsOf('words that are meant')) {
    const meant = wanted === 'nothing' ? undefined : wanted;
    assert.equal(nearest(word, known), meant, word);
    assert.equal(didYouMean(word, known), meant && `Did you mean '${meant}'?`);
  }
  assert.equal(nearest('authorisations', ['authorizationss']), 'authorizationss');
  assert.deepEqual(
    [[], ['a'], ['a', 'b'], ['a', 'b', 'c']].map(items => inWords(items)),
    ['', 'a', 'a and b', 'a, b and c'],
  );
  assert.equal(inWords(['a', 'b'], 'or'), 'a or b');
  assert.deepEqual([0, 999, 1000, 1234567].map(grouped), ['0', '999', '1,000', '1,234,567']);
  assert.deepEqual(
    [counted(1, 'case'), counted(0, 'case'), counted(1000, 'case'), counted(2, 'entry', 'entries')],
    ['1 case', '0 cases', '1,000 cases', '2 entries'],
  );
  assert.deepEqual([1.23449, 1.2345, 0.0004, 5].map(toMicrosecond), [1.234, 1.235, 0, 5]);
});

test('names are in the order in which people count', () => {
  const order = { before: -1, behind: 1, same: 0 };
  for (const [a = '', b = '', wanted] of rowsOf('order of names')) {
    assert.equal(Math.sign(compareNames(a, b)), order[wanted as keyof typeof order], `${a} ${b}`);
    assert.equal(Math.sign(compareNames(b, a)), 0 - order[wanted as keyof typeof order], `${b} ${a}`);
  }
});

test('paths are seen from the root', () => {
  for (const [folder = '', path = '', resolved] of rowsOf('paths from a folder'))
    assert.equal(resolvePath(folder, path), resolved, folder + path);
});

test('what takes too long is stopped, also within something else that is watched', () => {
  const forever = () => {
    for (;;);
  };
  assert.equal(
    withinTime(1000, 'It', () => withinTime(1000, 'That', () => 1) + withinTime(1000, 'This', () => 2)),
    3,
  );
  assert.throws(() => withinTime(20, 'The search', forever), {
    message: 'The search takes longer than 0.02 s',
  });
  assert.throws(() => withinTime(20, 'It', forever), TimeLimitError);
  assert.throws(
    () =>
      withinTime(1000, 'It', () => {
        throw new RangeError('deep');
      }),
    RangeError,
  );
  assert.ok(!(Symbol.for('mervok.compute') in globalThis));
});
