import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing, Plain } from '../../src/core/model/value.ts';
import { readLinks } from '../../src/core/steps/http/links.ts';
import { table } from '../support/inputs.ts';
import { decide, evaluate, type Given } from '../support/language.ts';

const response: Given = {
  body: 'berth-0417 and berth-0418, sid=abc;',
  status: 201,
  headers: [
    ['Content-Type', 'text/plain'],
    ['Location', '../reservations/7?x#y'],
    ['Link', '</v1/berths?page=2>; rel="next last", <https://other.skerry.example/>; rel=help'],
    ['link', '<?page=0>; title="a, b; rel=no"; REL=prev, <nothing>'],
    ['Via', 'one'],
    ['Via', 'two'],
    ['Cache-Control', 'max-age=300'],
  ],
  trailers: [
    ['X-Sum', '42'],
    ['Via', 'behind'],
  ],
  setCookies: ['sid=first; Path=/', 'tide="high"; Secure', 'sid=last=1'],
  sent: {
    headers: [
      ['Content-Type', 'application/json'],
      ['Cookie', 'sid=0; quay=north'],
    ],
    body: '{"nights": 3, "id": 9007199254740993}',
  },
};

test('what a response and its request offer', () => {
  for (const [condition = '', outcome] of table('sources')[0]!.rows)
    assert.equal(decide(condition, { ...response, names: { word: 'berth' } }), outcome, condition);
});

test('a body is read line by line, as a table, and by way of redirects, whatever its type says', () => {
  const givens: { readonly [title: string]: Given } = {
    'JSON line by line': {
      headers: [['Content-Type', 'text/plain']],
      body: '{"code":"0417","depth":4.2}\r\n\n{"code":"0418","depth":5}\n',
    },
    'a table with a header': {
      headers: [['Content-Type', 'text/csv']],
      body: '\uFEFFno;kind;height\n01;high;4.2\n"02";low;0.7\n',
    },
    redirects: { hops: [{ status: 302, location: '/there' }, { status: 301 }] },
    others: {
      body: { id: 7, more: true, list: [] },
      headers: [
        ['Content-Type', 'application/json'],
        ['Location', '/reservations/7'],
      ],
    },
  };
  for (const { title, rows } of table('forms-of-answers'))
    for (const [condition = '', outcome] of rows)
      assert.equal(decide(condition, givens[title]!), outcome, `${title}: ${condition}`);
  const broken = evaluate('csv $[0].a', { body: 'a,b\n1,2,3\n' });
  assert.ok(
    broken instanceof Missing && /no table: this row has more or fewer cells.*line 2/.test(broken.reason),
    String(broken),
  );
  const lines = evaluate('lines $[0]', { body: '{}\n{' });
  assert.ok(lines instanceof Missing && /^line 2 of the body is no JSON/.test(lines.reason));
});

test('where no response came, only the fault is known', () => {
  const none: Given = { fault: 'refused', sent: {} };
  for (const [condition, outcome] of [
    ['fault = "refused"', 'yes'],
    ['fault in "refused", "timeout"', 'yes'],
    ['fault = "none"', 'no'],
    ['status = 200', 'unknown'],
    ['header via absent', 'unknown'],
    ['$.a absent', 'unknown'],
    ['sent url exists', 'yes'],
  ] as const)
    assert.equal(decide(condition, none), outcome, condition);
  const missing = evaluate('status', none);
  assert.ok(missing instanceof Missing && missing.reason.includes('refused'));
});

test('a Location that is no address is neither there nor absent', () => {
  const broken: Given = { headers: [['Location', 'http://[quay']] };
  for (const condition of ['location exists', 'location absent', 'location = "x"', 'no location = "x"'])
    assert.equal(decide(condition, broken), 'unknown', condition);
});

test('several values where one is asked for are told, not chosen', () => {
  const links: Given = { headers: [['Link', '<a>; rel=item, <b>; rel=item']] };
  const found = evaluate('link item', links);
  assert.ok(found instanceof Missing && /there are 2 of link item; lead it by/.test(found.reason));
  assert.equal(decide('count link item = 2', links), 'yes');
  assert.deepEqual(evaluate('first link item', links), new Plain('http://skerry.example/v1/a'));
  const cookies = evaluate('header set-cookie', {
    headers: [
      ['Set-Cookie', 'a=1'],
      ['Set-Cookie', 'b=2'],
    ],
  });
  assert.ok(cookies instanceof Missing);
});

test('hostile and broken Link headers end in what can be read', () => {
  assert.deepEqual(readLinks('<a>; rel', 'http://skerry.example'), []);
  assert.deepEqual(readLinks('<http://:99999>; rel=next', 'http://skerry.example'), []);
  assert.equal(readLinks(`${'<a>;x='.repeat(20_000)}`, 'http://skerry.example').length, 0);
  assert.equal(readLinks('<a>; rel="next"; rel="prev"', 'http://skerry.example')[0]!.relations[0], 'next');
});

test('the charset is that of the mark, the header, the XML document, else UTF-8', () => {
  const text = (body: Buffer, type: string) => evaluate('body', { body, headers: [['Content-Type', type]] });
  assert.equal(text(Buffer.from('caf\xe9', 'latin1'), 'text/plain; charset="ISO-8859-1"'), 'café');
  assert.equal(text(Buffer.from('\uFEFFquay', 'utf16le'), 'text/plain'), 'quay');
  assert.equal(text(Buffer.from('\uFEFFquay'), 'text/plain'), 'quay');
  assert.equal(
    text(Buffer.from('<?xml version="1.0" encoding="ISO-8859-1"?><a>\xe9</a>', 'latin1'), 'application/xml'),
    '<?xml version="1.0" encoding="ISO-8859-1"?><a>é</a>',
  );
  assert.equal(text(Buffer.from('é'), 'application/xml'), 'é');
  const unknown = text(Buffer.from('x'), 'text/plain; charset=tide-8');
  assert.ok(unknown instanceof Missing && unknown.unreadable && unknown.reason.includes("'tide-8'"));
});

test('newline-delimited JSON is the list of its documents', () => {
  const given: Given = {
    body: '{"berth": "0417"}\n{"berth": "0418"}\n\n',
    headers: [['Content-Type', 'application/x-ndjson']],
  };
  assert.equal(decide('count $[*] = 2', given), 'yes');
  assert.equal(decide('each $[*].berth starts with "04"', given), 'yes');
  assert.equal(decide('$ exists', { ...given, body: '{"a":1}\nnone' }), 'unknown');
});
