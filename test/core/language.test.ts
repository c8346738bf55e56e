import assert from 'node:assert/strict';
import { test } from 'node:test';
import { planOf } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';

// The productions of the grammar, row by row, on responses of every kind.

type Holds = 'yes' | 'no' | 'unknown';

/** The checks of a page, one case for each response, and what becomes of each. */
interface Looking {
  readonly path: string;
  readonly checks: readonly (readonly [check: string, holds: Holds])[];
}

const document = {
  text: 'North Quay',
  code: '0417',
  number: 4.2,
  whole: 3,
  two: 2.0,
  yes: true,
  no: false,
  nothing: null,
  list: [3, 1, 2],
  sorted: [1, 2, 2],
  down: ['c', 'b', 'a'],
  words: ['free', 'taken'],
  empty: { text: '', list: [], object: {} },
  object: { a: 1, b: [1, { c: null }] },
  berths: [
    { code: '0417', depth: 4.2, state: 'free', deposit: null },
    { code: '0418', depth: 7, state: 'taken', deposit: 250 },
    { code: '0733', depth: 7.8, state: 'free' },
  ],
  date: '2026-11-23',
  instant: '2026-11-23T12:00:00+02:00',
  uuid: '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
  url: 'https://skerry.example/a?b=c',
  mail: 'office@skerry.example',
  'line-2': 'dashed',
  odd: { "it's": 1, 'a"b': 2, '': 3, ünï: 4, '🚢': 5 },
  deep: { a: { a: { a: 1 } } },
};
const digits = '{ "id": 9007199254740993, "fee": 0.1, "large": 1e400, "exact": 0.1234567890123456789 }';

const tides = `<?xml version="1.0"?>
<t:tides xmlns:t="urn:skerry:tides" xmlns="urn:skerry:plain" quay="North Quay">
  <t:tide no="1"><height unit="m"> 4.2 </height></t:tide>
  <t:tide no="2"><height unit="m">0.7</height></t:tide>
</t:tides>`;

const page = `<!doctype html><html><head><title>Quay</title></head><body>
<main><h1>North
   Quay</h1><ul class="berths"><li id="a">0417<li class="taken">0418</ul></main></body></html>`;

const looking: readonly Looking[] = [
  {
    path: '/document',
    checks: [
      // comparisons, by kind
      ['$.number = 4.2', 'yes'],
      ['$.number = 4.20', 'yes'],
      ['$.number = 42e-1', 'yes'],
      ['$.number != 4', 'yes'],
      ['$.number = "4.2"', 'unknown'],
      ['$.number != "4.2"', 'unknown'],
      ['$.two = 2', 'yes'],
      ['$.two is integer', 'yes'],
      ['$.text = "North Quay"', 'yes'],
      ['$.text < "South"', 'yes'],
      ['$.text >= "a"', 'no'],
      ['$.yes = true', 'yes'],
      ['$.yes = "true"', 'unknown'],
      ['$.nothing = null', 'yes'],
      ['$.text != null', 'yes'],
      ['$.missing = null', 'unknown'],
      ['$.missing != null', 'unknown'],
      ['$.missing != 3', 'unknown'],
      ['not ($.missing = 3)', 'unknown'],
      ['$.list = [3, 1, 2]', 'yes'],
      ['$.list = [1, 2, 3]', 'no'],
      ['$.list = [1, 2, 3] in any order', 'yes'],
      ['$.list = [1, 2] in any order', 'no'],
      ['$.sorted = [2, 1, 2] in any order', 'yes'],
      ['$.object = { "b": [1, { "c": null }], "a": 1 }', 'yes'],
      ['$.object != { "a": 1 }', 'yes'],
      ['$.list = 3', 'unknown'],
      ['$.date = today() - (today() - date("2026-11-23"))', 'yes'],
      ['$.date < today() + 100 weeks * 100', 'yes'],
      ['$.instant = timestamp("2026-11-23T10:00:00Z")', 'yes'],
      ['$.instant > now()', 'no'],
      // ranges and lists
      ['$.number between 4 and 5', 'yes'],
      ['$.number between 4.2 and 4.2', 'yes'],
      ['$.number not between 4 and 5', 'no'],
      ['$.text between 1 and 2', 'unknown'],
      ['$.number between 4 and 5 and $.yes = true', 'yes'],
      ['status in 200, 201', 'yes'],
      ['$.text in $.words', 'no'],
      ['$.berths[0].state in $.words', 'yes'],
      ['$.number not in 1, 2', 'yes'],
      ['$.missing in 1, 2', 'unknown'],
      // words
      ['$.text contains "Quay"', 'yes'],
      ['$.text contains "quay"', 'no'],
      ['$.text not contains "x"', 'yes'],
      ['$.list contains 3', 'yes'],
      ['$.list contains "3"', 'no'],
      ['$.number contains 4', 'unknown'],
      ['$.text starts with "North"', 'yes'],
      ['$.text not starts with "North"', 'no'],
      ['$.text ends with "Quay"', 'yes'],
      ['$.number starts with "4"', 'unknown'],
      ['$.code matches /^\\d{4}$/', 'yes'],
      ['$.text matches /^north/i', 'yes'],
      ['$.text not matches /x/', 'yes'],
      ['$.number matches /4/', 'unknown'],
      ['$.text matches "^N"', 'yes'],
      ['$.text matches /Nor(?=th)/', 'yes'],
      ['$.text matches /(?<!x)North/', 'yes'],
      ['$.code matches /^\\u0030\\x{34}/', 'yes'],
      ['$.text matches /o\\/r|th/', 'yes'],
      // types
      ['$.text is text', 'yes'],
      ['$.number is number', 'yes'],
      ['$.number is integer', 'no'],
      ['$.yes is boolean', 'yes'],
      ['$.list is list', 'yes'],
      ['$.object is object', 'yes'],
      ['$.nothing is null', 'yes'],
      ['$.date is date', 'yes'],
      ['$.instant is timestamp', 'yes'],
      ['$.date is timestamp', 'no'],
      ['$.uuid is uuid', 'yes'],
      ['$.url is url', 'yes'],
      ['$.mail is email', 'yes'],
      ['$.text is email', 'no'],
      ['$.nothing is number or null', 'yes'],
      ['$.text is not number', 'yes'],
      ['$.missing is not number', 'unknown'],
      ['status is 2xx', 'yes'],
      ['status is 4xx or 5xx', 'no'],
      ['status is not 5xx', 'yes'],
      // emptiness, order, sameness
      ['$.empty.text is empty', 'yes'],
      ['$.empty.list is empty', 'yes'],
      ['$.empty.object is empty', 'yes'],
      ['$.text is not empty', 'yes'],
      ['$.number is empty', 'unknown'],
      ['$.list is unique', 'yes'],
      ['$.sorted is unique', 'no'],
      ['$.sorted is sorted', 'yes'],
      ['$.list is sorted', 'no'],
      ['$.down is sorted down', 'yes'],
      ['$.down is not sorted', 'yes'],
      ['$.text is unique', 'unknown'],
      // there or not
      ['$.nothing exists', 'yes'],
      ['$.missing exists', 'no'],
      ['$.missing not exists', 'yes'],
      ['$.missing absent', 'yes'],
      ['$.text absent', 'no'],
      // parts
      ['$ includes { "number": 4.2, "list": [3, 1, 2] }', 'yes'],
      ['$.list includes [3, 1]', 'no'],
      ['$.list includes [number, number, integer]', 'yes'],
      ['$.object includes { "b": [1, { "c": null }] }', 'yes'],
      ['$.object includes { "b": [1, {}] }', 'yes'],
      ['$.object includes { "x": number }', 'no'],
      ['$.object not includes { "x": number }', 'yes'],
      ['$.berths[0] includes { "deposit": number or null, "code": text }', 'yes'],
      ['$.number includes { "a": 1 }', 'unknown'],
      ['body includes { "whole": 3 }', 'yes'],
      // joined
      ['$.yes = true and $.no = false', 'yes'],
      ['$.yes = false or $.no = false', 'yes'],
      ['$.yes = false and $.missing = 1', 'no'],
      ['$.yes = true or $.missing = 1', 'yes'],
      ['$.yes = true and $.missing = 1', 'unknown'],
      ['not $.yes = false', 'yes'],
      ['not ($.yes = true and $.no = true)', 'yes'],
      ['$.no = true or $.yes = true and $.whole = 3', 'yes'],
      ['($.no = true or $.yes = true) and $.whole = 4', 'no'],
      ['$.nothing is text or null or $.missing = 1', 'yes'],
      ['$.whole is text or date($.date) = $.date', 'yes'],
      // many
      ['each $.berths[*].code matches /^\\d{4}$/', 'yes'],
      ['each $.berths[*].depth > 5', 'no'],
      ['each $.berths[*].deposit is number or null', 'unknown'],
      ['each $.nowhere[*] = 1', 'no'],
      ['some $.berths[*].state = "taken"', 'yes'],
      ['some $.berths[*].state = "closed"', 'no'],
      ['some $.nowhere[*] = 1', 'no'],
      ['some $.berths[*].deposit = 250', 'yes'],
      ['no $.berths[*].state = "closed"', 'yes'],
      ['no $.berths[*].state = "free"', 'no'],
      ['no $.empty.list[*] = 1', 'yes'],
      ['no $.nowhere[*] = 1', 'unknown'],
      ['no $.berths[*].deposit = 1', 'unknown'],
      ['count $.berths[*] = 3', 'yes'],
      ['count $.nowhere[*] = 0', 'yes'],
      ['count $.berths[?@.state == "free"] = count $.berths[*] - 1', 'yes'],
      ['first $.berths[*].code = "0417"', 'yes'],
      ['last $.berths[*].code = "0733"', 'yes'],
      ['nth 2 $.berths[*].code = "0418"', 'yes'],
      ['nth 9 $.berths[*].code = "0418"', 'unknown'],
      ['nth 9 $.berths[*].code absent', 'yes'],
      ['random $.berths[*].code starts with "0"', 'yes'],
      ['all $.berths[*].depth = [4.2, 7, 7.8]', 'yes'],
      ['all $.empty.list[*] = []', 'yes'],
      ['all $.nowhere[*] is empty', 'unknown'],
      ['all $.nowhere[*].code is sorted', 'unknown'],
      ['all header x-none is unique', 'unknown'],
      ['no sent $.sent[*] = 1', 'yes'],
      ['no sent $.nowhere[*] = 1', 'unknown'],
      ['html("table") absent', 'unknown'],
      ['no html("td") = 1', 'unknown'],
      ['each {given} > 0', 'yes'],
      ['some {given} = 2', 'yes'],
      ['no {given} = 9', 'yes'],
      ['count {given} = 3', 'yes'],
      ['first {given} = 1', 'yes'],
      ['each {name} = 1', 'unknown'],
      ['each header x-several contains ","', 'no'],
      ['count header x-several = 2', 'yes'],
      ['all body /"code":"(\\d+)"/ = ["0417", "0417", "0418", "0733"]', 'yes'],
      // JSONPath, its escapes and what lies beyond the BMP
      ['$[\'line-2\'] = "dashed"', 'yes'],
      ["$[\"odd\"]['it\\'s'] = 1", 'yes'],
      ['$.odd["a\\"b"] = 2', 'yes'],
      ["$.odd[''] = 3", 'yes'],
      ['$.odd.ünï = 4', 'yes'],
      ['$.odd.🚢 = 5', 'yes'],
      ['$.odd["\\ud83d\\udea2"] = 5', 'yes'],
      ['all $.list[::-1] = [2, 1, 3]', 'yes'],
      ['all $.berths[0, 0].code = ["0417", "0417"]', 'yes'],
      ['count $..a = 4', 'yes'],
      ['$.list[-1] = 2', 'yes'],
      ['count $.berths[?@.depth > 4.2 && !@.deposit || @.code == "0417"] = 2', 'yes'],
      ['count $.berths[?length(@.code) == 4] = 3', 'yes'],
      ['count $.berths[?count(@.*) < 4] = 1', 'yes'],
      ['count $.berths[?value(@..deposit) == 250] = 1', 'yes'],
      ['count $.berths[?match(@.code, "04..")] = 2', 'yes'],
      ['count $.berths[?search(@.state, "ree")] = 2', 'yes'],
      ['count $.berths[?@.depth == $.berths[1].depth] = 1', 'yes'],
      // sources
      ['status = 200', 'yes'],
      ['reason = "OK"', 'yes'],
      ['version = "HTTP/1.1"', 'yes'],
      ['url ends with "/document"', 'yes'],
      ['url /(\\w+)$/ = "document"', 'yes'],
      ['time < 30 s', 'yes'],
      ['size > 500 B', 'yes'],
      ['header x-depth = 4.2', 'yes'],
      ['header x-depth = "4.20"', 'no'],
      ['header X-Depth > 4', 'yes'],
      ['header "x-depth" is number', 'yes'],
      ['header x-depth + 1 = 5.2', 'yes'],
      ['header x-limit = 5 s', 'yes'],
      ['header x-limit < 1 min', 'yes'],
      ['header x-none absent', 'yes'],
      ['header x-none = 1', 'unknown'],
      ['header x-several = "a, b"', 'yes'],
      ['header set-cookie exists', 'unknown'],
      ['header content-type /(\\w+)$/ = "json"', 'yes'],
      ['cookie sid = "s1"', 'yes'],
      ['cookie sid /(\\d)/ = 1', 'yes'],
      ['cookie none absent', 'yes'],
      ['location ends with "/berths/0417"', 'yes'],
      ['location /(\\d+)$/ = "0417"', 'yes'],
      ['link next contains "page=2"', 'yes'],
      ['link last absent', 'yes'],
      ['body contains "North"', 'yes'],
      ['body /"code":"(\\d+)"/ = "0417"', 'yes'],
      ['bytes = bytes', 'yes'],
      ['fault = "none"', 'yes'],
      ['sent header x-sent = "so"', 'yes'],
      ['sent $.sent = 1', 'yes'],
      ['sent body contains "sent"', 'yes'],
      ['sent url = url', 'yes'],
      ['xml//tide exists', 'unknown'],
      // values
      ['"{name} Quay" = $.text', 'yes'],
      ['{name} = "North"', 'yes'],
      ['{berth.code} = "0417"', 'yes'],
      ['{given.1} = 2', 'yes'],
      ['{plain} = 12', 'yes'],
      ['{plain} = "12"', 'yes'],
      ['{plain} + 1 = 13', 'yes'],
      ['{pause} = 300 ms', 'yes'],
      ['{padded} = 417', 'unknown'],
      ['{padded} = "0417"', 'yes'],
      ['{quoted} = 12', 'unknown'],
      ['{switch} = true', 'yes'],
      ['$.whole + 2 * 3 = 9', 'yes'],
      ['($.whole + 2) * 3 = 15', 'yes'],
      ['-$.whole = -3', 'yes'],
      ['$.whole - -1 = 4', 'yes'],
      ['$.whole / 0 = 1', 'unknown'],
      ['$.text + 1 = 2', 'unknown'],
      ['1 / 3 * 3 < $.whole', 'yes'],
      ['0.1 + 0.2 + $.whole = 3.3', 'yes'],
      ['time < 2 minutes', 'yes'],
      ['time < 1 hour', 'yes'],
      ['time < 3 days', 'yes'],
      ['time < 1 week', 'yes'],
      ['time < 0.5 min', 'yes'],
      ['size < 1 MiB', 'yes'],
      ['size < 1 GB', 'yes'],
      ['size > 0.1 KiB', 'yes'],
      ['"a label": $.whole = 3', 'yes'],
      ['"with {name}": $.whole = 3', 'yes'],
      ['$.whole in\n  1,\n  3   # the right one\n', 'yes'],
      ['$.list = [\n3,\n1,\n2\n]', 'yes'],
    ],
  },
  {
    path: '/digits',
    checks: [
      ['$.id = 9007199254740993', 'yes'],
      ['$.id = 9007199254740992', 'no'],
      ['$.id - 9007199254740992 = 1', 'yes'],
      ['$.id is integer', 'yes'],
      ['$.fee + 0.2 = 0.3', 'yes'],
      ['$.large > 1e399', 'yes'],
      ['$.exact = 0.1234567890123456789', 'yes'],
      ['count $[?@ == 9007199254740993] = 1', 'yes'],
    ],
  },
  {
    path: '/tides',
    checks: [
      ['xml/tides/@quay = "North Quay"', 'yes'],
      ['xml//tide[@no="2"]/height = 0.7', 'yes'],
      ['xml("//tide[@no = 2]/height") < 1', 'yes'],
      ['xml//tide[@no = 2 and height]/height < 1', 'yes'],
      ['(xml//tide[@no="2"]/height < 1)', 'yes'],
      ['length(xml/tides/@quay) = 10', 'yes'],
      ['xml//t:tide[1]/height = 4.2', 'yes'],
      ['xml//p:height[1] exists', 'unknown'],
      ['count xml//p:height = 2', 'yes'],
      ['count xml//u:height = 0', 'unknown'],
      ['each xml//height/@unit = "m"', 'yes'],
      ['some xml//height > 4', 'yes'],
      ['no xml//height > 5', 'yes'],
      ['first xml//tide/@no = 1', 'yes'],
      ['all xml//tide/@no = ["1", "2"]', 'yes'],
      ['xml//height = 4.2', 'unknown'],
      ['xml//height exists', 'unknown'],
      ['xml//storm absent', 'yes'],
      ['xml//storm = 1', 'unknown'],
      ['xml("count(//tide)") = 2', 'yes'],
      ['xml("//tide[last()]/height div 0.1") > 6', 'yes'],
      ['xml("string(/tides/@quay)") starts with "North"', 'yes'],
      ['$.a = 1', 'unknown'],
      ['$.a absent', 'unknown'],
      ['not ($.a = 1)', 'unknown'],
      ['count $.a[*] = 0', 'unknown'],
    ],
  },
  {
    path: '/page',
    checks: [
      ['html("main > h1") = "North Quay"', 'yes'],
      ['count html("li") = 2', 'yes'],
      ['html("li") = "0417"', 'unknown'],
      ['html("#a") = "0417"', 'yes'],
      ['html("li.taken") = 418', 'unknown'],
      ['html("title") = "Quay"', 'yes'],
      ['last html("ul.berths li") = "0418"', 'yes'],
      ['html("table") absent', 'yes'],
    ],
  },
  {
    path: '/lines',
    checks: [
      ['count $[*] = 2', 'yes'],
      ['$[1].a = 2', 'yes'],
    ],
  },
  {
    path: '/broken',
    checks: [
      ['$.a exists', 'unknown'],
      ['$.a absent', 'unknown'],
      ['$ includes {}', 'unknown'],
      ['body contains "{"', 'yes'],
      ['xml/a exists', 'unknown'],
    ],
  },
];

const settings = `
base: http://harbour.skerry.example
namespaces: { p: "urn:skerry:plain" }
variables:
  name: North
  given: [1, 2, 3]
  berth: { code: "0417" }
  plain: 12
  pause: 300 ms
  padded: 0417
  quoted: "12"
  switch: true
`;

const answers: { readonly [path: string]: readonly [type: string, body: string] } = {
  '/document': ['application/json', JSON.stringify(document)],
  '/digits': ['application/json', digits],
  '/tides': ['application/xml', tides],
  '/page': ['text/html', page],
  '/lines': ['application/x-ndjson', '{"a":1}\n{"a":2}\n'],
  '/broken': ['application/json', '{ "a": '],
};

const answer: Answer = ({ url }) => {
  const [type, body] = answers[new URL(url).pathname]!;
  const headers: [string, string][] = [
    ['Content-Type', type],
    ['X-Depth', '4.2'],
    ['X-Limit', '5 s'],
    ['X-Several', 'a'],
    ['X-Several', 'b'],
    ['Set-Cookie', 'sid=s1'],
    ['Set-Cookie', 'lang=en'],
    ['Location', '/berths/0417'],
    ['Link', '</berths?page=2>; rel="next"'],
  ];
  return { reason: 'OK', headers, body };
};

test('every condition, value and source of the language, on responses of every kind', async () => {
  const pages = looking.map(
    ({ path, checks }) =>
      `## Look at ${path.slice(1)}\n\n~~~http\nPOST ${path}\nX-Sent: so\n\n{ "sent": 1 }\n~~~\n\n~~~mervok\n${checks.map(([check]) => check).join('\n')}\n~~~\n`,
  );
  const ran = await runTexts({ 'mervok.yaml': settings, 'language.md': pages.join('\n') }, answer);
  for (const { path, checks } of looking) {
    const made = ran.checks.filter(each => each.case === `language.md#look-at-${path.slice(1)}`);
    assert.equal(made.length, checks.length);
    for (const [at, [check, holds]] of checks.entries())
      assert.equal(made[at]!.holds, holds, `${check}: ${made[at]!.found}`);
  }
});

/** A statement, the code of what is said of it, and a part of the message or its remedy. */
const wrong: readonly (readonly [statement: string, code: string, says: string])[] = [
  ['status == 200', 'syntax', "'='"],
  ["$.a = 'b'", 'syntax', '"b"'],
  ['status = ', 'syntax', 'value'],
  ['status', 'syntax', 'comparison'],
  ['$.a', 'syntax', 'comparison'],
  ['status = 200 201', 'syntax', 'does not belong'],
  ['statsu = 200', 'word-unknown', "'status'"],
  ['$.a contians 3', 'word-unknown', "'contains'"],
  ['$.a is txt', 'word-unknown', "'text'"],
  ['$.a is string', 'word-unknown', "'is text'"],
  ['$.a is', 'word-unknown', 'type'],
  ['$.a not absent', 'syntax', "'exists'"],
  ['$.a not is text', 'syntax', "'is not'"],
  ['$.a starts "x"', 'syntax', "'with'"],
  ['$.a between 1', 'syntax', "'and'"],
  ['$.a = 1 and', 'syntax', 'value'],
  ['$.a = 1 && $.b = 2', 'syntax', "'and'"],
  ['! $.a = 1', 'syntax', "'not'"],
  ['($.a = 1', 'syntax', "')'"],
  ['$.a = [1, 2', 'syntax', "']'"],
  ['$.a = { b: 1 }', 'syntax', 'double quotes'],
  ['$.a = "b', 'syntax', 'not closed'],
  ['$.a = "\\x"', 'syntax', 'escape'],
  ['$.a matches /b', 'syntax', 'not closed'],
  ['$.a matches /b/q', 'syntax', 'flag'],
  ['$.a matches /(/', 'pattern-form', 'pattern'],
  ['$.a = /b/', 'syntax', "'matches'"],
  ['$.a = 01', 'syntax', 'leading zeros'],
  ['time < 3 secs', 'syntax', 'belong'],
  ['time < 3secs', 'word-unknown', 'unit'],
  ['$.line-2 = 1', 'path-form', "$['line-2']"],
  ['$.a[ = 1', 'path-form', 'filter'],
  ['$.a[?@.b = 1] = 1', 'path-form', "'=='"],
  ['count $.a[?length(@.*) < 3] = 1', 'path-form', 'several'],
  ['count $.a[?nope(@.b) == 1] = 1', 'path-form', 'nope'],
  ['count $.a[?match(@.b, "(")] = 1', 'pattern-form', 'RFC 9485'],
  ['count $.a[?count(1) == 1] = 1', 'path-form', 'query'],
  ['count $.a[?@.* == 1] = 1', 'path-form', 'several'],
  ['$.a[*] = 1', 'many-values', 'each'],
  ['$..a exists', 'many-values', 'each'],
  ['keep $.a[*].b as c', 'many-values', 'first'],
  ['count status 3 = 1', 'syntax', 'comparison'],
  ['nth 0 $.a[*] = 1', 'syntax', 'from 1'],
  ['nth $.a[*] = 1', 'syntax', 'whole number'],
  ['each 3 = 3', 'syntax', 'path'],
  ['some = 3', 'syntax', 'path'],
  ['status = "200"', 'never-equal', 'without quotes'],
  ['time < 300', 'never-equal', '300 ms'],
  ['size < 20', 'never-equal', '20 kB'],
  ['reason = 200', 'never-equal', 'status'],
  ['body = 3', 'never-equal', '"3"'],
  ['status is text', 'never-equal', 'never'],
  ['body is object', 'never-equal', '$ is object'],
  ['$.a is 2xx', 'never-equal', 'status'],
  ['status contains 2', 'never-equal', 'text'],
  ['time matches /3/', 'never-equal', 'text'],
  ['body is sorted', 'never-equal', 'list'],
  ['$.a > true', 'never-equal', 'order'],
  ['$.a < [1]', 'never-equal', 'order'],
  ['$.a < null', 'never-equal', 'order'],
  ['"a" + "b" = $.a', 'never-equal', 'in one'],
  ['$.a = today() + 2', 'never-equal', '2 days'],
  ['$.a = 2 s * 2 s', 'never-equal', 'meaning'],
  ['$.a = now() + now()', 'never-equal', 'meaning'],
  ['fault = "broken"', 'never-equal', 'refused'],
  ['nope($.a) = 1', 'function-unknown', 'nope'],
  ['lenght($.a) = 1', 'function-unknown', "'length'"],
  ['length() = $.a', 'function-arguments', '0 arguments'],
  ['length($.a, 1) = 1', 'function-arguments', '2 arguments'],
  ['lower(3) = $.a', 'function-arguments', 'a text'],
  ['sum(status) = 1', 'function-arguments', 'a list'],
  ['header = 1', 'syntax', 'name of a header'],
  ['sent status = 200', 'syntax', "'sent'"],
  ['sent location = "a"', 'syntax', 'request'],
  ['xml//a[ = 1', 'selector-form', 'XPath'],
  ['html("a[") = 1', 'selector-form', 'CSS'],
  ['html(3) = 1', 'syntax', 'text'],
  ['keep $.a', 'syntax', "'as'"],
  ['keep $.a as 3', 'syntax', 'name'],
  ['keep as a', 'word-unknown', 'known'],
  ['let a 3', 'syntax', "'='"],
  ['let = 3', 'syntax', 'name'],
  ['wait 2', 'never-equal', '2 s'],
  ['wait "2 s"', 'never-equal', 'duration'],
  ['wait', 'syntax', 'value'],
  ['skip $.a = 1', 'syntax', "'when'"],
  ['skip when $.a', 'syntax', 'comparison'],
  ['repeat every 1 s until $.a = 1', 'syntax', "'for'"],
  ['repeat 1 s', 'syntax', "'every'"],
  ['each row fees', 'syntax', "'of'"],
  ['cleanup', 'statement-place', 'before'],
  ['each row of fees.csv', 'statement-place', 'before'],
  ['each {list} as item', 'statement-place', 'before'],
  ['repeat every 1 s for 3 s until $.a = 1', 'statement-place', 'request'],
  ['$.a fits nothing', 'schema-missing', 'nothing'],
  ['$.a fits "none.json"', 'schema-missing', 'none.json'],
  ['$.a includes', 'syntax', 'value'],
  ['$.a includes [text or]', 'syntax', 'type'],
  ['{nobody} = 1', 'name-unknown', 'nobody'],
  ['$.a = {noone.x}', 'name-unknown', 'noone'],
  // warnings
  ['status exists', 'check-idle', 'always'],
  ['status >= 0', 'check-idle', 'never below'],
  ['1 + 1 = 2', 'check-idle', 'looks at nothing'],
  ['"{list}": 1 + 1 = 2', 'check-idle', 'looks at nothing'],
  ['length($.a) >= 0', 'check-idle', 'never below'],
  ['$.a = $.a', 'check-idle', 'same'],
  ['$.a contains ""', 'check-idle', 'every text'],
  ['count $.a = 3', 'one-value', '$.a[*]'],
  ['each $.a.b is text', 'one-value', '$.a.b[*]'],
];

test('what can never be right is told before anything is sent, at its place, with its remedy', async () => {
  const cases = wrong.map(
    ([statement], index) =>
      `## Case ${index + 1}\n\n~~~http\nGET /\n~~~\n\n~~~mervok\n${statement}\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`,
  );
  const { findings } = await planOf({
    'mervok.yaml': 'base: http://skerry.example\nvariables: { list: [1] }\n',
    'wrong.md': cases.join('\n'),
  });
  const placed = findings
    .filter(({ code }) => code !== 'name-unused')
    .map(({ source, range, ...each }) => ({ ...each, ...source.position(range.start) }));
  const astray: string[] = [];
  for (const [index, [statement, wanted, says]] of wrong.entries()) {
    const line = index * 14 + 8;
    const told = placed
      .filter(each => each.line > line - 8 && each.line <= line + 6)
      .map(each => `${each.line - line}:${each.column} ${each.code}: ${each.message} ${each.remedy ?? ''}`);
    const [only = ''] = told;
    const right =
      told.length === 1 && /^0:[1-9]\d* /.test(only) && only.includes(` ${wanted}: `) && only.includes(says);
    if (!right) astray.push(`${statement}\n  wanted ${wanted} '${says}'\n  ${told.join('\n  ')}`);
  }
  assert.deepEqual(astray, []);
});
