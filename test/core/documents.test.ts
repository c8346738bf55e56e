import assert from 'node:assert/strict';
import { test } from 'node:test';
import { compileSchema, SchemaError } from '../../src/core/language/documents/schema.ts';
import { namesInAnyNamespace } from '../../src/core/language/documents/xpath.ts';
import { compilePattern, PatternError } from '../../src/core/language/patterns.ts';
import { Missing } from '../../src/core/model/value.ts';
import { readJson } from '../../src/core/values/json-document.ts';
import { inputs, table } from '../support/inputs.ts';
import { evaluate, explained } from '../support/language.ts';
import { Words } from '../support/words.ts';

test('names of elements in an XPath match in any namespace; all other words stay what they are', () => {
  for (const [written = '', rewritten] of table('xpath-names')[0]!.rows)
    assert.equal(namesInAnyNamespace(written), rewritten);
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

const [values, slips] = table('schemas');

test('schemas: the three dialects, formats, several mismatches, slips', () => {
  const check = (schema: string, value: string) => {
    const told = compileSchema(readJson(schema))(readJson(value), '$');
    return told instanceof Missing
      ? told.reason
      : told.map(each => `${each.at}: ${each.expected}, found ${each.found}`);
  };

  for (const [schema = '', value = '', ...told] of values!.rows)
    assert.deepEqual(check(schema, value), told, schema);

  for (const [schema = '', says = ''] of slips!.rows)
    assert.throws(
      () => check(schema, '1'),
      error => error instanceof SchemaError && error.message.includes(says),
      schema,
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
  for (const [expression = '', reason = ''] of table('nothing')[0]!.rows) {
    const found = evaluate(expression);
    assert.ok(
      found instanceof Missing && found.reason.includes(reason),
      `${expression}: ${JSON.stringify(found)}`,
    );
  }
});

test('each keyword of a schema says what it wants', () => {
  const words = new Words('schemas');

  for (const [schema = '', ...values] of inputs('schemas').map(line => line.split('  ->  ')))
    for (const value of values) {
      const found = compileSchema(readJson(schema))(readJson(value), '$');
      words.hear('schema', schema, value, JSON.stringify(found));
    }
  words.complete('schema');
});
