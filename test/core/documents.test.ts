import assert from 'node:assert/strict';
import { test } from 'node:test';
import { compileSchema, SchemaError } from '../../src/core/language/documents/schema.ts';
import { namesInAnyNamespace } from '../../src/core/language/documents/xpath.ts';
import { compilePattern, PatternError } from '../../src/core/language/patterns.ts';
import { Missing } from '../../src/core/model/value.ts';
import { readJson } from '../../src/core/values/json-document.ts';
import { evaluate, explained } from '../support/language.ts';
import { Words } from '../support/words.ts';

test('names of elements in an XPath match in any namespace; all other words stay what they are', () => {
  const rows: [written: string, rewritten: string][] = [
    ['/tides/tide', '/*:tides/*:tide'],
    ['//tide[@no="1"]/height', '//*:tide[@no="1"]/*:height'],
    ['//t:tide/height', '//t:tide/*:height'],
    ['count(//tide)', 'count(//*:tide)'],
    ['//tide[height div 2 > 1 and depth mod 2 = 0]', '//*:tide[*:height div 2 > 1 and *:depth mod 2 = 0]'],
    ['//div/and/or', '//*:div/*:and/*:or'],
    ['//*[. = "and"]', '//*[. = "and"]'],
    ['2 * 3', '2 * 3'],
    ['//a/child::b/following-sibling::c', '//*:a/child::*:b/following-sibling::*:c'],
    ['//a/attribute::no', '//*:a/attribute::no'],
    ['//a/@t:no', '//*:a/@t:no'],
    ['//a/text()', '//*:a/text()'],
    ["//a[contains(b, 'c')]", "//*:a[contains(*:b, 'c')]"],
    ['//high-tide | //low_tide.2', '//*:high-tide | //*:low_tide.2'],
    ['//größe', '//*:größe'],
    ['a[position()=last()]', '*:a[position()=last()]'],
    ['//a[not(b)]', '//*:a[not(*:b)]'],
    ['//a - 1', '//*:a - 1'],
    ['..//a', '..//*:a'],
  ];
  for (const [written, rewritten] of rows) assert.equal(namesInAnyNamespace(written), rewritten);
});

test('patterns: what they find, and what is none', () => {
  const found: [pattern: string, flags: string, text: string, matches: string[]][] = [
    ['\\d+', '', 'a1b22', ['1', '22']],
    ['(\\w)(\\d)', '', 'a1 b2', ['a', 'b']],
    ['^b', 'm', 'a\nb', ['b']],
    ['a.b', 's', 'a\nb', ['a\nb']],
    ['QUAY', 'i', 'quay', ['quay']],
    ['\\u00e9|\\u{1F6A2}', '', 'é🚢', ['é', '🚢']],
    ['\\\\u0041', '', '\\u0041', ['\\u0041']],
    ['(?<=a)b', '', 'ab', ['b']],
    ['(\\w)\\1', '', 'hello', ['l']],
    ['(?i)(a)(?=b)', '', 'AB', ['A']],
    ['x*', '', 'ab', ['', '', '']],
    ['(?=(x*))', '', 'x', ['x', '']],
    ['a{1500}', '', 'a'.repeat(1500), ['a'.repeat(1500)]],
  ];
  for (const [pattern, flags, text, matches] of found) {
    const compiled = compilePattern(pattern, flags);
    assert.deepEqual(compiled.matches(text), matches, pattern);
    assert.equal(compiled.test(text), true, pattern);
    assert.deepEqual(compiled.matches(text, 1), matches.slice(0, 1), pattern);
  }
  for (const pattern of ['(', '[', 'a**', '\\p{Nope}', '(?<=a', '*'])
    assert.throws(() => compilePattern(pattern, ''), PatternError, pattern);
  const slow = compilePattern('^(a+)+(?=$)b', '');
  assert.ok(slow.test(`${'a'.repeat(50)}!`) instanceof Missing);
  assert.ok(slow.test('aaab') instanceof Missing, 'once it was too slow, it is not tried again');
});

test('schemas: the three dialects, formats, several mismatches, slips', () => {
  const check = (schema: unknown, value: string) => {
    const told = compileSchema(readJson(JSON.stringify(schema)))(readJson(value), '$');
    return told instanceof Missing
      ? told.reason
      : told.map(each => `${each.at}: ${each.expected}, found ${each.found}`);
  };
  const rows: [schema: unknown, value: string, told: string[]][] = [
    [true, '1', []],
    [false, '1', ['$: nothing, found 1']],
    [{ type: ['integer', 'null'] }, '1.5', ['$: an integer or null, found 1.5']],
    [{ type: 'integer' }, '9007199254740993', []],
    [{ type: 'integer' }, '2.0', []],
    [{ multipleOf: 0.01 }, '4.02', []],
    [{ multipleOf: 0.01 }, '4.025', ['$: a multiple of 0.01, found 4.025']],
    [
      { required: ['a', 'toString'] },
      '{"b":1}',
      ["$: a member 'a', found an object with b", "$: a member 'toString', found an object with b"],
    ],
    [{ properties: { __proto__: 1, a: { const: 2 } } }, '{"a":1}', ['$.a: 2, found 1']],
    [
      { properties: { a: { items: { enum: ['x', 1] } } } },
      '{"a":["x","y"]}',
      ['$.a[1]: one of "x", 1, found "y"'],
    ],
    [{ additionalProperties: false }, '{"a-b":1}', ["$['a-b']: nothing: no such member is allowed, found 1"]],
    [
      { unevaluatedProperties: false, properties: { a: true } },
      '{"a":1,"b":2}',
      ['$.b: nothing: no such member is allowed, found 2'],
    ],
    [{ format: 'date' }, '"2026-02-30"', ['$: a text of the format date, found "2026-02-30"']],
    [{ format: 'date-time' }, '"2026-11-23T12:00:00Z"', []],
    [{ format: 'email' }, '"office"', ['$: a text of the format email, found "office"']],
    [{ pattern: '^a' }, '"b"', ['$: a text that matches /^a/, found "b"']],
    [{ minimum: 3, maximum: 1 }, '2', ['$: at most 1, found 2', '$: at least 3, found 2']],
    [
      { minItems: 3, uniqueItems: true },
      '[1,1]',
      ['$: at least 3 items, found [1, 1]', '$: items that differ, found [0] and [1] are equal'],
    ],
    [{ contains: { const: 1 } }, '[2]', ['$: at least 1 item of the wanted form, found [2]']],
    [{ prefixItems: [{ const: 1 }], items: false }, '[1,2]', ['$: no more than 1 item, found [1, 2]']],
    [
      { oneOf: [{ type: 'number' }, { minimum: 1 }] },
      '2',
      ['$: one form alone, and forms 1 and 2 both fit, found 2'],
    ],
    [{ anyOf: [{ type: 'string' }, { type: 'null' }] }, '2', ['$: one of 2 forms (a text; null), found 2']],
    [{ not: { const: 2 } }, '2', ['$: something that does not fit { "const": 2 }, found 2']],
    [{ if: { const: 1 }, else: { const: 3 } }, '2', ['$: 3, found 2']],
    [{ dependentRequired: { a: ['b'] } }, '{"a":1}', ["$: a member 'b', found an object with a"]],
    [
      {
        $schema: 'https://json-schema.org/draft/2019-09/schema',
        items: [{ const: 1 }],
        additionalItems: false,
      },
      '[1,2]',
      ['$: no more than 1 item, found [1, 2]'],
    ],
    [
      {
        $schema: 'http://json-schema.org/draft-07/schema#',
        definitions: { a: { const: 1 } },
        $ref: '#/definitions/a',
      },
      '2',
      ['$: 1, found 2'],
    ],
    [
      {
        $defs: { node: { properties: { next: { $ref: '#/$defs/node' }, v: { type: 'number' } } } },
        $ref: '#/$defs/node',
      },
      '{"next":{"next":{"v":"x"}}}',
      ['$.next.next.v: a number, found "x"'],
    ],
    [{ 'x-harbour': 1, description: 'any', example: 2 }, '1', []],
  ];
  for (const [schema, value, told] of rows)
    assert.deepEqual(check(schema, value), told, JSON.stringify(schema));
  const slips: [schema: unknown, says: RegExp][] = [
    [{ type: 'text' }, /type must be/],
    [{ typ: 'string' }, /Did you mean 'type'/],
    [{ properties: { a: { requird: [] } } }, /Did you mean 'required'/],
    [{ format: 'dat-time' }, /Did you mean 'date-time'/],
    [{ $ref: '#/nowhere' }, /'#\/nowhere' leads nowhere/],
    [{ pattern: '(' }, /Invalid regular expression/],
    [{ $schema: 'urn:other' }, /no dialect that is known/],
    ['x', /an object, or true or false/],
  ];
  for (const [schema, says] of slips)
    assert.throws(
      () => check(schema, '1'),
      error => error instanceof SchemaError && says.test(error.message),
      JSON.stringify(schema),
    );
});

test('what differs is told part by part, and only that', () => {
  const body = { id: 1, berth: { code: '0417', tags: ['a', 'b'] }, list: [{ n: 1 }, { n: 2 }] };
  const told = (check: string) =>
    explained(check, { body, names: { berth: { code: '0418', tags: ['a', 'b'] } } }).differences?.map(
      each => `${each.at}: ${each.expected} / ${each.found}`,
    );
  assert.deepEqual(
    told(
      '$ includes { "id": text, "berth": { "code": "0418" }, "list": [{ "n": 1 }, { "m": number or null }] }',
    ),
    [
      '$.id: a text / 1',
      '$.berth.code: "0418" / "0417"',
      '$.list[1].m: number or null / nothing; there is n',
    ],
  );
  assert.deepEqual(told('$.list includes [{ "n": 1 }]'), ['$.list: 1 item / 2 items']);
  assert.deepEqual(told('$.berth = {berth}'), ['$.berth.code: "0418" / "0417"']);
  assert.deepEqual(told('$.list[0] = { "n": 1, "o": 2 }'), ['$.list[0].o: 2 / nothing; there is n']);
  assert.deepEqual(told('$.berth = { "code": "0417" }'), ['$.berth.tags: nothing / ["a", "b"]']);
  assert.deepEqual(told('{berth} includes { "code": number }'), ['{berth}.code: a number / "0418"']);
  assert.deepEqual(told('each $.list[*] includes { "n": 1 }'), ['$.list[1].n: 1 / 2']);
  assert.equal(told('$.id = 2'), undefined);
  assert.equal(told('$ not includes { "id": 1 }'), undefined);
});

test('functions that come to nothing say why', () => {
  const rows: [expression: string, reason: string][] = [
    ['parse("{")', 'parse() takes JSON'],
    ['number("x")', "'x' is not written as a number"],
    ['timestamp("soon")', "'soon' is not written as a timestamp"],
    ['timestamp(99999999999999)', 'too many'],
    ['date("2026-02-30")', 'not written as a date'],
    ['date("x", "dd.MM.yyyy")', "'x' is not written as 'dd.MM.yyyy'"],
    ['date(today(), "q foo")', 'means nothing in it'],
    ['random(3, 1)', 'the lower number first'],
    ['pick([])', 'an empty list'],
    ['min([])', 'an empty list'],
    ['min([1, "a"])', 'cannot set'],
    ['sum([1, "a"])', 'one item is a text'],
    ['round(1.5, -1)', 'from 0 to 100 places'],
    ['unbase64("*")', 'takes base64'],
    ['unhex("abc")', 'pairs of hex digits'],
    ['hmac("sha3", "k", "t")', "knows no 'sha3'"],
    ['jwt("a.b")', 'three parts'],
    ['jwt("a.b.c")', 'holds no JSON'],
    ['jwt("eyJhIjoxfQ.eyJhIjoxfQ.x").payload.b', "has no 'b'"],
    ['find("a", /b/)', 'finds nothing'],
    ['today() + 9999999 days', 'beyond the years'],
    ['1e20000 * 2', 'too large'],
    ['text([1])', 'cannot write'],
  ];
  for (const [expression, reason] of rows) {
    const found = evaluate(expression);
    assert.ok(
      found instanceof Missing && found.reason.includes(reason),
      `${expression}: ${JSON.stringify(found)}`,
    );
  }
});

test('each keyword of a schema says what it wants', () => {
  const words = new Words('schemas');
  const conditional = JSON.parse('{"if":{"type":"number"},"then":{"minimum":2},"else":{"type":"string"}}');
  const rows: [schema: object, ...values: string[]][] = [
    [{ type: 'integer' }, '1', '1.5', '"a"'],
    [{ type: ['string', 'null'] }, '1', '[]', '{}', 'true'],
    [{ type: ['array', 'object', 'boolean', 'number'] }, 'null'],
    [{ const: { a: 1 } }, '{ "a": 2 }'],
    [{ enum: [1, 'a', null] }, '2'],
    [{ format: 'date' }, '"tide"', '"2026-02-30"', '"2026-02-28"'],
    [{ format: 'email' }, '"tide"'],
    [{ pattern: '^a' }, '"ba"'],
    [{ minimum: 2 }, '1'],
    [{ maximum: 2 }, '3'],
    [{ exclusiveMinimum: 2 }, '2'],
    [{ exclusiveMaximum: 2 }, '2'],
    [{ multipleOf: 0.1 }, '0.25', '0.3'],
    [{ minLength: 1 }, '""'],
    [{ minLength: 2 }, '"a"'],
    [{ maxLength: 1 }, '"ab"'],
    [{ maxLength: 2 }, '"abc"'],
    [{ minItems: 1 }, '[]'],
    [{ minItems: 2 }, '[1]'],
    [{ maxItems: 1 }, '[1, 2]'],
    [{ prefixItems: [{ type: 'number' }], items: false }, '[1, 2]', '["a"]'],
    [{ prefixItems: [true], unevaluatedItems: false }, '[1, 2]'],
    [{ $schema: 'http://json-schema.org/draft-07/schema#', items: [{}], additionalItems: false }, '[1, 2]'],
    [{ minProperties: 1 }, '{}'],
    [{ minProperties: 2 }, '{ "a": 1 }'],
    [{ maxProperties: 1 }, '{ "a": 1, "b": 2 }'],
    [{ maxProperties: 0 }, '{ "a": 1 }'],
    [{ required: ['a', 'b'] }, '{}', '{ "a": 1 }'],
    [{ properties: { a: true }, additionalProperties: false }, '{ "b": 1, "c": 2 }'],
    [{ properties: { a: true }, unevaluatedProperties: false }, '{ "b": 1 }'],
    [{ propertyNames: { pattern: '^a' } }, '{ "b": 1 }'],
    [{ dependentRequired: { a: ['b'] } }, '{ "a": 1 }'],
    [{ contains: { type: 'number' } }, '["a"]', '[1]'],
    [{ contains: { type: 'number' }, minContains: 2 }, '[1]'],
    [{ uniqueItems: true }, '[1, 2, 1]'],
    [{ not: { type: 'string' } }, '"a"'],
    [{ properties: { a: false } }, '{ "a": 1 }'],
    [{ oneOf: [{ type: 'number' }, { required: ['length'] }] }, '"a"', '{}', '1'],
    [{ oneOf: [{ minimum: 1 }, { minimum: 2 }, { maximum: 0 }] }, '3', '0'],
    [{ anyOf: [{ type: 'number' }, { type: 'null' }] }, '"a"', 'null'],
    [
      {
        anyOf: [
          { properties: { a: { type: 'number' } } },
          { properties: { a: { const: 2 } }, required: ['b'] },
        ],
      },
      '{ "a": "x" }',
    ],
    [{ allOf: [{ minimum: 2 }, { multipleOf: 2 }] }, '1'],
    [conditional, '1', 'null', '3'],
    [
      {
        type: 'array',
        items: { type: 'object', required: ['code'], properties: { code: { pattern: '^0' } } },
      },
      '[{ "code": "1" }, {}, 3]',
    ],
    [{ $defs: { berth: { type: 'number' } }, properties: { a: { $ref: '#/$defs/berth' } } }, '{ "a": "x" }'],
  ];
  for (const [schema, ...values] of rows)
    for (const value of values) {
      const found = compileSchema(readJson(JSON.stringify(schema)))(readJson(value), '$');
      words.hear('schema', JSON.stringify(schema), value, JSON.stringify(found));
    }
  words.complete('schema');
});
