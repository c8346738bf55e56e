import assert from 'node:assert/strict';
import { test } from 'node:test';
import { bodyText } from '../../src/reports/body.ts';
import { figuresText, headText, hopsText } from '../../src/reports/exchange-text.ts';
import { namedLines } from '../../src/reports/name-lines.ts';
import { plainPaint as plain } from '../../src/reports/style.ts';

const view = { paint: plain, measure: (text: string) => text.length, width: 80 };

const laidOut = (text: string, type: string | undefined, width = 40) =>
  bodyText({ text, size: Buffer.byteLength(text) }, type, width, plain);

test('JSON is laid out without losing a digit; what is short stays in one line', async () => {
  const rows: [text: string, laidOut: string][] = [
    ['{"id":9007199254740993,"fee":1.50}', '{ "id": 9007199254740993, "fee": 1.50 }'],
    ['[1,2,3]', '[1, 2, 3]'],
    ['{}', '{}'],
    ['{"a":{"b":[]},"c":"x, {y}: [z]"}', '{\n  "a": { "b": [] },\n  "c": "x, {y}: [z]"\n}'],
    ['[{"a":1},{"a":2}]', '[\n  { "a": 1 },\n  { "a": 2 }\n]'],
    [`{"long":"${'x'.repeat(40)}","a":null}`, `{\n  "long": "${'x'.repeat(40)}",\n  "a": null\n}`],
    ['{"a":1,"a":2}', '{ "a": 1, "a": 2 }'],
    ['{"q":"a\\"b\\\\"}', '{ "q": "a\\"b\\\\" }'],
  ];
  for (const [text, expected] of rows) assert.equal(await laidOut(text, 'application/json'), expected);
  assert.equal(await laidOut('{"a" 1}', 'application/json'), '{"a" 1}', 'what is none is shown as it came');
  assert.equal(await laidOut('{"a":1}', undefined), '{ "a": 1 }');
  assert.equal(await laidOut('{"a":1}', 'text/css'), '{"a":1}');
  const deep = '['.repeat(200_000) + ']'.repeat(200_000);
  assert.equal(await laidOut(deep, 'application/json'), deep);
});

test('XML has an element a line, texts stay as they are', async () => {
  assert.equal(
    await laidOut('<?xml version="1.0"?><a x="1"><b>t &amp; u</b><c/><d><e>1</e></d></a>', 'application/xml'),
    '<?xml version="1.0"?>\n<a x="1">\n  <b>t &amp; u</b>\n  <c/>\n  <d>\n    <e>1</e>\n  </d>\n</a>',
  );
  assert.equal(
    await laidOut(
      '<s:a xmlns:s="urn:s" xmlns="urn:d"><s:b><c xmlns="urn:e"><d s:x="1"/></c></s:b></s:a>',
      'text/xml',
    ),
    '<s:a xmlns:s="urn:s" xmlns="urn:d">\n  <s:b>\n    <c xmlns="urn:e">\n      <d s:x="1"/>\n    </c>\n  </s:b>\n</s:a>',
  );
  assert.equal(await laidOut('<a><b></a>', 'text/xml'), '<a><b></a>');
  assert.equal(
    await laidOut('<p>a <b>bold</b> word</p>', 'application/xhtml+xml'),
    '<p>a <b>bold</b> word</p>',
  );
});

test('what is no text is told of; nothing of it reaches the terminal', async () => {
  assert.equal(await laidOut('\u0000\u0001\u0002PNG', 'image/png'), '6 B of image/png; -o FILE writes them');
  assert.equal(await laidOut('a\u001b[31mred', 'text/plain'), 'a\\u001b[31mred');
  assert.ok(!(await laidOut('{"a":"\u202e"}', 'application/json')).includes('\u202e'));
});

test('an exchange is told: hops, head, sizes, phases, connection, cookies', () => {
  const request = { method: 'GET', url: 'http://skerry.example/a', headers: [] };
  const response = {
    url: request.url,
    status: 404,
    reason: 'Not Found',
    version: 'HTTP/2',
    headers: [
      ['Set-Cookie', 'sid=hidden; Path=/'],
      ['X-Quay', 'north\u0007'],
    ] as [string, string][],
    trailers: [['X-Sum', '42']] as [string, string][],
    body: Buffer.from(''),
    size: 12_000,
    encodedSize: 340,
    time: 9,
  };
  const last = {
    request,
    response,
    times: { lookup: 0.4, connect: 1, tls: 2, wait: 5, download: 0.5, total: 9 },
    received: 600,
    connection: {
      protocol: 'HTTP/2',
      remote: '127.0.0.1:7071',
      certificate: { subject: 'harbour.skerry.example', until: '2056-11-15' },
    },
    interim: [{ status: 103, headers: [['Link', '</a>']] as [string, string][] }],
  };
  const text = [...headText(last, view), ...figuresText(last, view)].join('\n');
  assert.ok(!text.includes('hidden'));
  for (const line of [
    '103',
    '404 Not Found',
    'Set-Cookie  [secret]',
    'X-Quay      north\\u0007',
    'behind the body',
    'X-Sum  42',
    '12 kB (340 B on the wire) in 9 ms: name 0.4 ms, connection 1 ms, TLS 2 ms, first',
    'byte 5 ms, rest 0.5 ms',
    'HTTP/2 with 127.0.0.1:7071; certificate of harbour.skerry.example, until',
    'cookies set: sid',
  ])
    assert.ok(text.split('\n').includes(line), `${line}\n---\n${text}`);
  const fault = { kind: 'reset', message: 'gone' } as const;
  const hops = hopsText(
    [
      { request, fault, times: { total: 3 }, received: 0 },
      { ...last, cause: 'retry' },
      { ...last, cause: 'redirect' },
    ],
    view,
  );
  assert.match(hops[0]!, /^reset {4}GET http:\/\/skerry\.example\/a .*then sent again +3 ms$/);
  assert.match(hops[1]!, /^404 .*then followed +9 ms$/);
});

test('names stand in columns, and where there is no room, origins below', () => {
  const rows = [
    {
      name: 'berth',
      value: 'known once it has run',
      from: 'kept in berths.md#free',
      hides: ['mervok.yaml:2'],
    },
    { name: 'nights', value: '3', from: 'mervok.yaml:3', hides: [] },
  ];
  assert.deepEqual(namedLines(rows, view).flat(), [
    'berth   known once it has run  kept in berths.md#free',
    '                               hides mervok.yaml:2',
    'nights  3                      mervok.yaml:3',
  ]);
  const long = rows.map(row => ({ ...row, from: row.from.repeat(3) }));
  const [first, second] = namedLines(long, view);
  assert.deepEqual(first!.slice(0, 2), [
    'berth   known once it has run',
    `        ${'kept in berths.md#free'.repeat(3)}`,
  ]);
  assert.equal(second![0], 'nights  3');
});
