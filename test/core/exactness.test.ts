import assert from 'node:assert/strict';
import { test } from 'node:test';
import { compileSchema, loadSchemas, SchemaError } from '../../src/core/language/documents/schema.ts';
import { Plain } from '../../src/core/model/value.ts';
import { readJson } from '../../src/core/values/json-document.ts';
import { decide, explained, read } from '../support/language.ts';

await loadSchemas();

test('durations and sizes are exact, and where a rounded one would read the same, all of it is told', () => {
  const holding = [
    '1.001 s = 1001 ms',
    '0.1 s + 0.2 s = 300 ms',
    '0.1 ms + 0.2 ms = 0.3 ms',
    '1.1 kB = 1100 B',
    '2.3 min = 138 s',
    '0.3 s - 0.1 s = 0.2 s',
    '1.005 s * 1000 = 1005 s',
    '0.1 kB + 0.2 kB = 300 B',
    '{d} = 1001 ms',
  ];
  for (const condition of holding)
    assert.equal(
      decide(`${condition} and status = 200`, { names: { d: '1.001 s' } }),
      condition.startsWith('{d}') ? 'unknown' : 'yes',
      condition,
    );
  const { expected, found } = explained('time = 1.001 s', { time: 1001.4 });
  assert.deepEqual([expected, found], ['1001 ms', '1001.4 ms']);
});

test('what explains a failed check is what was compared, drawn once', () => {
  let calls = 0;
  const conditions = [
    '$.n = random(2, 90)',
    '$.n = uuid()',
    '$.n in [random(2, 90), random(2, 90)]',
    'each $.list[*] = random(2, 90)',
    '$ includes { "n": random(2, 90) }',
    '$.n = pick([2, 3, 4, 5])',
    '$.n = random $.many[*]',
  ];
  for (const condition of conditions) {
    const told = explained(condition, {
      body: { n: 1, list: [1, 1], many: [2, 3, 4, 5] },
      random: () => (calls++ % 10) / 10,
    });
    const again = explained(condition, {
      body: { n: 1, list: [1, 1], many: [2, 3, 4, 5] },
      random: () => 0.95,
    });
    assert.ok(told.expected !== '' && again.expected !== '');
  }
  // Each draw is the first one, though the clock goes on.
  let turn = 0;
  const drawn: number[] = [];
  const { expected } = explained('each $.list[*] = random(0, 9)', {
    body: { list: [10, 10, 10] },
    random: () => {
      drawn.push(turn / 10);
      return turn++ / 10;
    },
  });
  assert.equal(drawn.length, 1);
  assert.equal(expected, 'each: 0');
});

test('lists are compared in one go, whatever they hold', () => {
  const rows: [condition: string, truth: string][] = [
    ['$.a is unique', 'yes'],
    ['$.twice is unique', 'no'],
    ['$.mixed is unique', 'yes'],
    ['$.same is unique', 'no'],
    ['$.a = $.b in any order', 'yes'],
    ['$.a = $.c in any order', 'no'],
    ['$.objects = $.turned in any order', 'yes'],
    ['each $.a[*] in $.b', 'yes'],
    ['"x" in $.a', 'unknown'],
    ['100 in $.a', 'no'],
    ['99 in $.a', 'yes'],
    ['100 not in $.a', 'yes'],
    ['unique($.twice) = [1, 2]', 'yes'],
  ];
  const body = {
    a: Array.from({ length: 100 }, (_, at) => at),
    b: Array.from({ length: 100 }, (_, at) => 99 - at),
    c: Array.from({ length: 100 }, () => 1),
    twice: [1, 2, 1.0],
    mixed: [1, '1', true, null, [1], { a: 1 }],
    same: [
      { a: 1, b: [2] },
      { b: [2], a: 1 },
    ],
    objects: [{ a: 1, b: 2 }, { a: 2 }],
    turned: [{ a: 2 }, { b: 2, a: 1 }],
  };
  for (const [condition, truth] of rows) assert.equal(decide(condition, { body }), truth, condition);
});

test('what is written without quotes fits a schema as what it is written as', () => {
  const check = compileSchema(readJson('{ "type": ["number", "boolean"] }'));
  const told = ['4.2', 'true', 'false', 'North', '0417', 'null'].map(text => {
    const found = check(new Plain(text), '$');
    return Array.isArray(found) && found.length === 0;
  });
  assert.deepEqual(told, [true, true, true, false, false, false]);
});

test('a number of a schema that a double does not hold is refused', () => {
  for (const schema of [
    '{ "const": 9007199254740993 }',
    '{ "enum": [1, 9007199254740993] }',
    '{ "properties": { "id": { "maximum": 9007199254740993 } } }',
    '{ "const": { "id": [9007199254740993] } }',
    '{ "exclusiveMinimum": 0.1000000000000000055511151231257827 }',
  ])
    assert.throws(() => compileSchema(readJson(schema)), SchemaError, schema);
  compileSchema(readJson('{ "maximum": 9007199254740991, "examples": [9007199254740993] }'));
});

/** Lines that are right, and lines that are wrong in many ways; a bracket that is open stays so. */
const lines = [
  'status = 200',
  '$.x is number',
  '$.x = number',
  '$ includes { "a": }',
  '$ includes { "a": 1 }',
  '$ includes { "a": number',
  '$.x = [1, 2',
  '$.x = (1 + 2',
  '"label": $.x = ',
  'keep $.id as',
  'keep $.id as berth',
  'statsu = 200',
  '$.list[?@.a == ] exists',
  "$.x = 'text'",
  '$.x matches /(/',
  'each $.list[*] fits',
  '$.x = "open',
  '# a comment (',
  'wait 3',
];

test('the findings of a fence are those of its lines', () => {
  const findingsOf = (text: string) =>
    read(text).errors.map(({ code, at, message }) => `${at} ${code} ${message}`);
  const alone = new Map(lines.map(line => [line, findingsOf(line)]));
  let state = 417;
  const next = (below: number) => {
    state = (Math.imul(state, 1103515245) + 12345) >>> 0;
    return (state >>> 8) % below;
  };
  for (let turn = 0; turn < 500; turn++) {
    const chosen = Array.from({ length: 2 + next(6) }, () => lines[next(lines.length)]!);
    const expected = chosen.flatMap((line, row) =>
      alone.get(line)!.map(found => found.replace(/^\d+:/, `${row + 1}:`)),
    );
    assert.deepEqual(findingsOf(chosen.join('\n')).sort(), expected.sort(), chosen.join('\n'));
  }
  assert.deepEqual(findingsOf(`${'$ includes { "a": }\n'.repeat(300)}$.x = [[[1]]]`).length, 300);
});
