import assert from 'node:assert/strict';
import { test } from 'node:test';
import { ResponseView } from '../../src/core/steps/http/response-view.ts';
import { table } from '../support/inputs.ts';
import { decide, type Given, plain } from '../support/language.ts';

const berths = {
  count: 4,
  name: 'North Quay',
  opened: '1987-04-01',
  checked: '2026-11-23T10:00:00Z',
  id: '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
  site: 'https://skerry.example/quay',
  mail: 'office@skerry.example',
  nothing: null,
  open: true,
  empty: '',
  none: [],
  fee: 124.05,
  depths: [2.6, 4.2, 4.2, 7.8],
  berths: [
    { code: '0417', state: 'free', deposit: 100, depth: 4.2 },
    { code: '0418', state: 'taken', deposit: null, depth: 4.2 },
    { code: '0501', state: 'free', depth: 2.6 },
  ],
};

const response: Given = {
  body: berths,
  headers: [
    ['Content-Type', 'application/json; charset=utf-8'],
    ['X-Quay', '0417'],
    ['Via', 'one'],
    ['via', 'two'],
    ['Set-Cookie', 'a=1'],
    ['Set-Cookie', 'b=2'],
  ],
  names: {
    nights: plain('3'),
    tariff: 41.35,
    code: plain('0417'),
    list: ['a', 'b'],
    deep: { quay: { no: 2 } },
    big: 5,
  },
};

for (const { title, rows } of table('conditions')) {
  test(`conditions: ${title}`, () => {
    for (const [condition = '', outcome] of rows)
      assert.equal(decide(condition, response), outcome, condition);
  });
}

test('on a body that is no JSON nothing about it is decided', () => {
  const page: Given = { body: '<p>closed</p>', headers: [['Content-Type', 'text/html']] };
  for (const condition of [
    '$.a = 1',
    '$.a exists',
    '$.a absent',
    'each $.a[*] = 1',
    'no $.a[*] = 1',
    'count $.a[*] = 0',
  ]) {
    assert.equal(decide(condition, page), 'unknown', condition);
  }
  assert.equal(decide('body contains "closed"', page), 'yes');
});

test('a body without content is no document', () => {
  assert.equal(decide('$.a absent', { body: '', status: 204 }), 'unknown');
  assert.equal(decide('size = 0 B', { body: '', status: 204 }), 'yes');
});

test('integers beyond 2^53 keep all their digits', () => {
  const body = '{"id": 9007199254740993, "same": 9007199254740992, "long": 123456789012345678901234567890}';
  assert.equal(decide('$.id = 9007199254740993', { body }), 'yes');
  assert.equal(decide('$.id = $.same', { body }), 'no');
  assert.equal(decide('$.id > $.same', { body }), 'yes');
  assert.equal(decide('$.id - 1 = $.same', { body }), 'yes');
  assert.equal(decide('$.long is integer', { body }), 'yes');
  assert.equal(decide('$.long + 1 = 123456789012345678901234567891', { body }), 'yes');
});

test('a hostile pattern ends in time that grows with the text alone', () => {
  assert.equal(decide(`$.a matches /^(a+)+$/`, { body: { a: `${'a'.repeat(5000)}!` } }), 'no');
});

test('the charset of a body is heard', () => {
  const body = Buffer.from('caf\xe9', 'latin1');
  const headers = [['content-type', 'text/plain; charset=iso-8859-1']] as const;
  const view = new ResponseView({
    url: '',
    status: 200,
    reason: '',
    version: 'HTTP/1.1',
    headers,
    body,
    size: 4,
    time: 1,
  });
  assert.equal(view.text, 'café');
});
