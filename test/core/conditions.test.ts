import assert from 'node:assert/strict';
import { test } from 'node:test';
import { ResponseView } from '../../src/core/steps/http/response-view.ts';
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

/** Conditions over the response above, each with what it comes to. */
const tables: {
  [what: string]: readonly (readonly [condition: string, outcome: 'yes' | 'no' | 'unknown'])[];
} = {
  'the status line and the figures': [
    ['status = 200', 'yes'],
    ['status = 201', 'no'],
    ['status != 201', 'yes'],
    ['status in 200, 201', 'yes'],
    ['status in 404, 500', 'no'],
    ['status in [200, 204]', 'yes'],
    ['status is 2xx', 'yes'],
    ['status is 4xx or 5xx', 'no'],
    ['status is not 5xx', 'yes'],
    ['reason = "OK"', 'yes'],
    ['time < 300 ms', 'yes'],
    ['time < 0.3 s', 'yes'],
    ['time > 1 min', 'no'],
    ['size < 1 MB', 'yes'],
    ['size >= 2 GiB', 'no'],
    ['url ends with "/berths?a=1"', 'yes'],
  ],
  headers: [
    ['header content-type contains "json"', 'yes'],
    ['header CONTENT-TYPE starts with "application/"', 'yes'],
    ['header x-quay = "0417"', 'yes'],
    ['header x-quay = 417', 'unknown'],
    ['header x-nothing exists', 'no'],
    ['header x-nothing absent', 'yes'],
    ['header x-nothing = "x"', 'unknown'],
    ['header via = "one, two"', 'yes'],
    ['each header via matches /^[a-z]+$/', 'yes'],
    ['some header set-cookie starts with "b="', 'yes'],
    ['count header set-cookie = 2', 'yes'],
    ['header set-cookie contains "a"', 'unknown'],
    ['first header set-cookie = "a=1"', 'yes'],
  ],
  'equality by kind': [
    ['$.count = 4', 'yes'],
    ['$.count = 4.0', 'yes'],
    ['$.count = "4"', 'unknown'],
    ['$.count != "4"', 'unknown'],
    ['$.name = "North Quay"', 'yes'],
    ['$.name != "South Quay"', 'yes'],
    ['$.open = true', 'yes'],
    ['$.open = "true"', 'unknown'],
    ['$.nothing = null', 'yes'],
    ['$.count = null', 'no'],
    ['$.count != null', 'yes'],
    ['$.missing = null', 'unknown'],
    ['$.missing != null', 'unknown'],
    ['$.depths = [2.6, 4.2, 4.2, 7.8]', 'yes'],
    ['$.depths = [7.8, 4.2, 2.6, 4.2] in any order', 'yes'],
    ['$.depths = [7.8, 4.2, 2.6, 2.6] in any order', 'no'],
    ['$.berths[0] = {"deposit": 100, "depth": 4.2, "state": "free", "code": "0417"}', 'yes'],
    ['$.berths[0] = {"code": "0417"}', 'no'],
    ['$.opened = today()', 'no'],
    ['$.checked < now()', 'yes'],
    ['$.opened < today()', 'yes'],
  ],
  'order, and what has none': [
    ['$.count between 4 and 5', 'yes'],
    ['$.count not between 4 and 5', 'no'],
    ['$.name < "O"', 'yes'],
    ['$.name > 3', 'unknown'],
    ['$.open > $.count', 'unknown'],
    ['$.fee = {nights} * {tariff}', 'yes'],
    ['$.fee = 3 * 41.35', 'yes'],
    ['$.count + 1 = 5', 'yes'],
    ['$.count / 3 > 1.333', 'yes'],
    ['-$.count = -4', 'yes'],
    ['2 + 3 * 4 = 14', 'yes'],
    ['(2 + 3) * 4 = 20', 'yes'],
    ['$.count / 0 = 1', 'unknown'],
    ['0.1 + 0.2 = 0.3', 'yes'],
    ['now() + 2 h > now()', 'yes'],
    ['today() + 2 days > today()', 'yes'],
    ['2 * 300 ms = 600 ms', 'yes'],
  ],
  'plain values beside a kind': [
    ['{nights} = 3', 'yes'],
    ['{nights} = "3"', 'yes'],
    ['{nights} < 10', 'yes'],
    ['{code} = "0417"', 'yes'],
    ['{code} = 417', 'unknown'],
    ['$.berths[0].code = {code}', 'yes'],
    ['{deep.quay.no} = 2', 'yes'],
    ['{list.1} = "b"', 'yes'],
    ['"berth {code}" = "berth 0417"', 'yes'],
  ],
  texts: [
    ['$.name contains "Quay"', 'yes'],
    ['$.name not contains "Quay"', 'no'],
    ['$.name starts with "North"', 'yes'],
    ['$.name ends with "Quay"', 'yes'],
    ['$.name not ends with "Quay"', 'no'],
    ['$.name matches /^north/i', 'yes'],
    ['$.name matches /^north/', 'no'],
    ['$.count matches /4/', 'unknown'],
    ['$.missing not matches /4/', 'unknown'],
    ['$.berths[0].code matches /^{code}$/', 'yes'],
    ['$.site matches /\\/quay$/', 'yes'],
    ['body contains "North"', 'yes'],
    ['$.count contains "4"', 'unknown'],
  ],
  types: [
    ['$.name is text', 'yes'],
    ['$.count is number', 'yes'],
    ['$.count is integer', 'yes'],
    ['$.fee is integer', 'no'],
    ['$.open is boolean', 'yes'],
    ['$.none is list', 'yes'],
    ['$.berths[0] is object', 'yes'],
    ['$.nothing is null', 'yes'],
    ['$.nothing is text or null', 'yes'],
    ['$.nothing is not null', 'no'],
    ['$.opened is date', 'yes'],
    ['$.name is date', 'no'],
    ['$.checked is timestamp', 'yes'],
    ['$.opened is timestamp', 'no'],
    ['$.id is uuid', 'yes'],
    ['$.site is url', 'yes'],
    ['$.mail is email', 'yes'],
    ['$.name is email', 'no'],
    ['$.missing is text', 'unknown'],
    ['$.missing is not text', 'unknown'],
    ['$.empty is empty', 'yes'],
    ['$.none is empty', 'yes'],
    ['$.name is not empty', 'yes'],
    ['$.count is empty', 'unknown'],
    ['$.depths is sorted', 'yes'],
    ['$.depths is sorted down', 'no'],
    ['$.depths is unique', 'no'],
    ['$.count is sorted', 'unknown'],
  ],
  'missing values': [
    ['$.name exists', 'yes'],
    ['$.name absent', 'no'],
    ['$.missing exists', 'no'],
    ['$.missing absent', 'yes'],
    ['$.missing.deeper absent', 'yes'],
    ['$.nothing exists', 'yes'],
    ['$.berths[7] absent', 'yes'],
    ['$.berths[-1].code = "0501"', 'yes'],
    ['$.__proto__ absent', 'yes'],
    ['$.constructor absent', 'yes'],
  ],
  'three values under not, and, or': [
    ['not (status = 404)', 'yes'],
    ['not ($.missing = 1)', 'unknown'],
    ['status = 200 and $.missing = 1', 'unknown'],
    ['status = 404 and $.missing = 1', 'no'],
    ['status = 200 or $.missing = 1', 'yes'],
    ['status = 404 or $.missing = 1', 'unknown'],
    ['status = 404 or status = 200 and $.count = 4', 'yes'],
    ['(status = 404 or status = 200) and $.count = 5', 'no'],
    ['($.count) = 4', 'yes'],
  ],
  quantifiers: [
    ['each $.berths[*].state in "free", "taken"', 'yes'],
    ['each $.berths[*].state = "free"', 'no'],
    ['each $.berths[*].deposit is number or null', 'unknown'],
    ['some $.berths[*].state = "taken"', 'yes'],
    ['some $.berths[*].state = "closed"', 'no'],
    ['some $.berths[*].deposit = 100', 'yes'],
    ['some $.berths[*].deposit = 999', 'unknown'],
    ['no $.berths[*].state = "closed"', 'yes'],
    ['no $.berths[*].state = "free"', 'no'],
    ['no $.berths[*].deposit = 999', 'unknown'],
    ['each $.none[*] = 1', 'no'],
    ['some $.none[*] = 1', 'no'],
    ['no $.none[*] = 1', 'yes'],
    ['no $.missing[*] = 1', 'unknown'],
    ['each $.missing[*] = 1', 'no'],
    ['count $.berths[*] = 3', 'yes'],
    ['count $.missing[*] = 0', 'yes'],
    ['count $.berths[?@.state == "free"] = 2', 'yes'],
    ['count $.berths[*] = $.count', 'no'],
    ['first $.berths[*].code = "0417"', 'yes'],
    ['last $.berths[*].code = "0501"', 'yes'],
    ['nth 2 $.berths[*].code = "0418"', 'yes'],
    ['nth 9 $.berths[*].code = "0418"', 'unknown'],
    ['all $.berths[*].code = ["0417", "0418", "0501"]', 'yes'],
    ['all $..deposit contains null', 'yes'],
    ['each {list} is text', 'yes'],
    ['count {list} = 2', 'yes'],
    ['some {big} = 5', 'unknown'],
  ],
  functions: [
    ['length($.name) = 10', 'yes'],
    ['length($.berths) = 3', 'yes'],
    ['length($.count) = 1', 'unknown'],
    ['lower($.name) = "north quay"', 'yes'],
    ['upper("quay") = "QUAY"', 'yes'],
    ['trim("  a ") = "a"', 'yes'],
    ['number("4.50") = 4.5', 'yes'],
    ['number("quay") = 4', 'unknown'],
    ['text(4) = "4"', 'yes'],
    ['split("a,b", ",") = ["a", "b"]', 'yes'],
    ['join({list}) = "a, b"', 'yes'],
    ['join({list}, "-") = "a-b"', 'yes'],
    ['min($.depths) = 2.6', 'yes'],
    ['max($.depths) = 7.8', 'yes'],
    ['sum($.depths) = 18.8', 'yes'],
    ['min($.none) = 1', 'unknown'],
    ['round(2.5) = 3', 'yes'],
    ['floor(-2.5) = -3', 'yes'],
    ['ceil(-2.5) = -2', 'yes'],
    ['unique($.depths) = [2.6, 4.2, 7.8]', 'yes'],
    ['sort([3, 1, 2]) = [1, 2, 3]', 'yes'],
    ['keys($.berths[2]) = ["code", "state", "depth"]', 'yes'],
    ['values({deep.quay}) = [2]', 'yes'],
    ['uuid() is uuid', 'yes'],
    ['sum($.name) = 1', 'unknown'],
  ],
};

for (const [what, rows] of Object.entries(tables)) {
  test(`conditions: ${what}`, () => {
    for (const [condition, outcome] of rows) assert.equal(decide(condition, response), outcome, condition);
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
