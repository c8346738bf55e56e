import assert from 'node:assert/strict';
import { test } from 'node:test';
import { decodeBody } from '../../src/core/language/charset.ts';
import { functions } from '../../src/core/language/functions/table.ts';
import { compileSegments } from '../../src/core/language/jsonpath/evaluate.ts';
import { Match } from '../../src/core/language/jsonpath/match.ts';
import { parsePath } from '../../src/core/language/jsonpath/parse.ts';
import { Search } from '../../src/core/language/jsonpath/search.ts';
import { compilePattern } from '../../src/core/language/patterns.ts';
import { parseBody } from '../../src/core/language/templates/body-template.ts';
import { render } from '../../src/core/language/templates/render.ts';
import { parseTarget, renderTarget } from '../../src/core/language/templates/target.ts';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { CalendarDate, Missing, Plain, type Value } from '../../src/core/model/value.ts';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { typeOfFile } from '../../src/core/steps/http/prepare-body.ts';
import { describeExactly } from '../../src/core/values/describe.ts';
import { loadXml } from '../../src/core/values/xml.ts';
import { contextOf, decide, evaluate, type Given, toldOf } from '../support/language.ts';
import { hearWhole } from '../support/whole.ts';

// Everything with everything: what each comes to is held by a digest (test/words/wholes.txt), one for each row.

await loadXml();

/** What something gives, or what is said where it cannot. */
function tried(compute: () => unknown): unknown {
  try {
    return compute();
  } catch (error) {
    return `refused: ${(error as Error).message}`;
  }
}

const document = {
  ...{ text: 'North Quay', code: '0417', number: 4.2, zero: 0, yes: true, nothing: null, empty: '' },
  ...{
    list: [3, 1, 2],
    sorted: [1, 2, 2],
    words: ['free', 'taken', 'free'],
    none: [],
    mixed: [1, 'a', null],
  },
  object: { a: 1, b: [1, { c: null }] },
  date: '2026-11-23',
  instant: '2026-11-23T12:00:00+02:00',
  berths: [
    { code: '0417', depth: 4.2, state: 'free', deposit: null },
    { code: '0418', depth: 7, state: 'taken', deposit: 250 },
    { code: '0733', depth: 7.8, state: 'free' },
  ],
};
const names: NonNullable<Given['names']> = {
  text: 'North Quay',
  plain: new Plain('4.2'),
  number: 4.2,
  list: [3, 1, 2],
  berth: { code: '0417', depth: 4.2 },
  nothing: null,
};
const given: Given = {
  body: document,
  names,
  headers: [
    ['Content-Type', 'application/json'],
    ['X-Depth', '4.2'],
    ['X-Limit', '5 s'],
    ['Set-Cookie', 'sid=s1'],
    ['Location', '/berths/0417'],
  ],
  setCookies: ['sid=s1; Path=/'],
  sent: { headers: [['X-Key', 'k']], body: '{"nights":3}' },
};
const lines = (text: string) => text.split('\n').filter(line => line !== '');

const subjects = lines(`status
reason
time
size
body
url
header "X-Depth"
header "X-None"
headers "X-Depth"
cookie "sid"
location
sent header "X-Key"
sent body
sent $.nights
$.text
$.code
$.number
$.zero
$.yes
$.nothing
$.empty
$.list
$.sorted
$.none
$.object
$.object.b[1].c
$.date
$.instant
$.missing
$.text.inner
count $.list[*]
count $.missing[*]
first $.words[*]
last $.words[*]
nth 2 $.words[*]
nth 9 $.words[*]
each $.list[*]
random $.list[*]
all $.words[*]
all $.missing[*]
each $.words[*]
each $.mixed[*]
each $.none[*]
some $.list[*]
some $.berths[*].deposit
no $.words[*]
some $.berths[?@.depth > 5].state
length($.text)
lower($.text)
sum($.list)
-$.number
$.number * 2 + 1
{text}
{plain}
{number}
{list}
{berth.code}
{berth.none}
{nobody}
"a"
4.2`);
const predicates = lines(`= 4.2
= "4.2"
= "North Quay"
= null
= true
= {plain}
= {list}
= [3, 1, 2]
= [1, 2, 3] in any order
= { "a": 1, "b": [1, { "c": null }] }
!= 4
!= "free"
< 3
<= 4.2
> "A"
>= 0
> 1 ms
< 1 kB
> date("2026-01-01")
between 1 and 5
not between "a" and "z"
in 200, 3, "free"
not in 1, 2
in {list}
contains "o"
contains 3
not contains "free"
starts with "North"
not starts with "x"
ends with "Quay"
matches /^north/i
not matches /(?=x)/
matches "^[0-9]+$"
is number
is text
is not null
is list
is integer or text
is 2xx
is date
is timestamp
is sorted
is sorted down
is unique
is empty
is not empty
exists
not exists
includes { "a": number }
includes [3]
not includes [1, 2]
includes [text or null, number]`);

test('each subject with each predicate', () => {
  for (const subject of subjects) {
    const told = predicates.map(predicate => tried(() => toldOf(`${subject} ${predicate}`, given)));
    hearWhole('subject', subject, told);
  }
  const without = (more: Given) =>
    subjects.map(subject => tried(() => toldOf(`${subject} = 4.2 or not ${subject} exists`, more)));
  hearWhole('subjects', 'without a response', without({ names, fault: 'reset' }));
  hearWhole('subjects', 'no JSON', without({ names, body: 'North Quay' }));
  hearWhole('subjects', 'no body', without({ names, body: '', status: 204, reason: '' }));
  const pairs = ['status = 200', 'status = 404', '$.missing = 1', 'not $.zero = 1', '(time > 0 ms)'];
  const joined = pairs.flatMap(a =>
    pairs.flatMap(b => [`${a} and ${b}`, `${a} or ${b}`, `not (${a} and ${b}) or ${b}`]),
  );
  hearWhole(
    'joined',
    'and, or, not',
    joined.map(condition => tried(() => toldOf(condition, given))),
  );
  assert.ok(subjects.length * predicates.length > 2500);
});

const amounts = [
  ...['"North Quay"', '"4.2"', '""', '4.2', '-7', '0', '1e21', '2 s', '1500 ms', '3 kB', 'true', 'null'],
  ...[
    '$.list',
    '$.words',
    '$.mixed',
    '$.sorted',
    '$.none',
    '$.object',
    '$.berths',
    '{plain}',
    '{nobody}',
    '$.missing',
  ],
  ...['date("2026-02-28")', 'timestamp("2026-11-23T12:00:00Z")', '"2026-11-23"', '"20261123"', '1795435200'],
  ...[
    '"Mon, 23 Nov 2026 12:00:00 GMT"',
    '"2026-11-23T12:00:00.5+02:00"',
    '"aGVsbG8="',
    '"a%20b"',
    '"{"',
    '/a+/',
  ],
  ...['"eyJhbGciOiJub25lIn0.eyJzdWIiOiJwaWxvdCJ9."', '"yyyy-MM-dd"', '"dd.MM.yyyy HH:mm"', '"<a>&amp;</a>"'],
];

test('each function with each amount, alone and in twos and threes; each operator between them', () => {
  const come = (expression: string) =>
    tried(() => {
      const found = evaluate(expression, given, true);
      return found instanceof Missing ? `nothing: ${found.reason}` : describeExactly(found);
    });
  const few = amounts.filter((_, at) => at % 4 === 0);
  for (const name of Object.keys(functions)) {
    hearWhole(
      'function',
      name,
      ['', ...amounts].map(amount => come(`${name}(${amount})`)),
    );
    hearWhole(
      'function',
      `${name}, two`,
      few.flatMap(a => few.map(b => come(`${name}(${a}, ${b})`))),
    );
    hearWhole(
      'function',
      `${name}, three`,
      few.map(a => come(`${name}(${a}, "a", "b")`)),
    );
  }
  for (const operator of ['+', '-', '*', '/'])
    for (const a of amounts)
      hearWhole(
        'operator',
        `${a} ${operator}`,
        amounts.map(b => come(`${a} ${operator} ${b}`)),
      );
});

const near = [
  ...[
    '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
    'x2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
    '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a111',
  ],
  ...[
    '2B1A1F0E-6A55-4C6F-9D5A-0F3F8F1F0A11',
    '2b1a1f0e6a554c6f9d5a0f3f8f1f0a11',
    'g b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11',
  ],
  ...[
    'office@skerry.example',
    'office@skerry',
    'a b@skerry.example',
    '@skerry.example',
    'a@-skerry.example',
    'a@b.c',
  ],
  ...[`${'a'.repeat(64)}@skerry.example`, `${'a'.repeat(65)}@skerry.example`, `a@${'b'.repeat(63)}.example`],
  ...[
    `a@${'b'.repeat(64)}.example`,
    `a@${'b.'.repeat(125)}example`,
    'a@@b.example',
    '"a"@b.example',
    'x a@b.example y',
  ],
  ...['https://skerry.example/a', 'skerry.example', '/a', 'mailto:a@b.example', 'http://', 'urn:a:b'],
  ...[
    '2026-11-23',
    '2026-02-30',
    '2026-11-23x',
    ' 2026-11-23',
    '26-11-23',
    '2024-02-29',
    '2023-02-29',
    '0000-01-01',
  ],
  ...[
    '2026-11-23T12:00:00Z',
    '2026-11-23 12:00:00Z',
    '2026-11-23t12:00:00z',
    '2026-11-23T12:00:00',
    '2026-11-23T24:00:00Z',
  ],
  ...[
    '2026-11-23T12:00:00.123456789Z',
    '2026-11-23T12:00:60Z',
    '2026-11-23T12:00:00+24:00',
    '2026-11-23T12:60:00Z',
  ],
  ...[
    '4.2',
    '1e3',
    '01',
    '-0',
    '.5',
    '5.',
    '+1',
    '1_000',
    'NaN',
    '9007199254740993',
    '4.0',
    '1e400',
    'true',
    'TRUE',
    'null',
    '',
  ],
];
const literals = [
  ...[
    '"a"',
    '"2026-11-23"',
    '4',
    '-1',
    '0',
    '2 s',
    '0 ms',
    '3 kB',
    'true',
    'null',
    '[1]',
    '{ "a": 1 }',
    'today()',
    'now()',
  ],
  ...[
    'status',
    'time',
    'size',
    'reason',
    'body',
    'header "a"',
    '$.a',
    '{text}',
    'count $.a[*]',
    'length($.a)',
    '/a/',
  ],
];

test('each type with what is nearly of it; each kind against each other', () => {
  const types = 'text number integer boolean list object null date timestamp uuid url email 2xx 5xx'.split(
    ' ',
  );
  const texts = near.flatMap<[string, Value]>(text => [
    [`"${text}"`, text],
    [text, new Plain(text)],
  ]);
  const others: [string, Value][] = [200, 204, 300, 500, 4.2, -0, true, null, [], {}].map(each => [
    String(each),
    each,
  ]);
  for (const type of types)
    hearWhole(
      'type',
      type,
      [...texts, ...others].map(([name, x]) => [
        name,
        ...[`{x} is ${type}`, `$.x is not ${type}`].map(each =>
          tried(() => decide(each, { names: { x }, body: { x } }, true)),
        ),
      ]),
    );
  for (const a of literals)
    for (const operator of ['=', '<', '>=', '>'])
      hearWhole(
        'kinds',
        `${a} ${operator}`,
        literals.map(b => tried(() => toldOf(`${a} ${operator} ${b}`, given))),
      );
});

const paths = lines(`$
$.text
$['text']
$.berths
$.berths[0]
$.berths[-1]
$.berths[3]
$.berths[-4]
$.berths[*]
$.berths[0,2,0]
$.berths[:2]
$.berths[1:]
$.berths[-2:]
$.berths[::2]
$.berths[::-1]
$.berths[2:0:-1]
$.berths[5:1:-2]
$.berths[::0]
$.berths[*].code
$.berths[*]['code','depth']
$..code
$..*
$..[0]
$..berths[*].state
$.*
$.object.*
$.object.b[*].c
$.text[0]
$.text.*
$.list[?@ > 1]
$.list[?@ >= 2 && @ < 3]
$.list[?@ == 1 || @ == 3]
$.list[?!(@ == 1)]
$.mixed[?@ == null]
$.mixed[?@ != null]
$.mixed[?@ < 'b']
$.words[?@ == 'free']
$.words[?@ == $.words[0]]
$.berths[?@.deposit]
$.berths[?!@.deposit]
$.berths[?@.deposit == null]
$.berths[?@.deposit > 100].code
$.berths[?@.deposit <= 250].code
$.berths[?@.none == @.nope]
$.berths[?@.none != 1]
$.berths[?@.state == 'free' && @.depth > 5 || @.code == '0418'].code
$.berths[?(@.state == 'free' || @.depth > 5) && !(@.code == '0733')].code
$.berths[?length(@.code) == 4]
$.berths[?count(@.*) == 4].code
$.berths[?match(@.code, '04.*')].code
$.berths[?search(@.code, '7')].code
$.berths[?search(@.code, '[')]
$.berths[?value(@..depth) == 7].code
$.berths[?length(@.none) == 1]
$.berths[?match(@.depth, '.*')]
$.berths[?@['code'] == "0417"].depth
$.berths[?@.code == $.code].depth
$[?@.code]
$[?@[0].code]
$.object[?@ == 1]
$..[?@.depth > 7]
$..[?@.c == null]
$.berths[?@.depth == 4.20].code
$.berths[?@.depth == 42e-1].code
$.berths[?@.depth == -1]
$.berths[?@ == {}]
$.berths[
$.berths[a]
$.berths[01]
$.berths[?]
$.berths[?@.a = 1]
$.berths[?@.a ==]
$.berths[?(@.a]
$.berths[?!@.a == 1]
$.berths[?@.*== 1]
$.berths[?length(@.*) == 1]
$.berths[?length(1,2) == 1]
$.berths[?lenght(@.a) == 1]
$.berths[?count(1) == 1]
$.berths[?count(@.*)]
$.berths[?match(@.a, '(')]
$.berths[?match(@.a)]
$.berths[?match(@.a, 'b') == true]
$.list[2::-1]
$.list[5:-9:-1]
$.list[-1:-9:-1]
$.list[0:3:2]
$.list[3:0:-1]
$.list[:0:-1]
$.list[:5:-1]
$.list[1:1]
$.list[-1:]
$.list[-9:9]
$.list[9:]
$.x-y
$.object.b-c
$.berths[?@.line-2 == 1]
$.berths[?@.depth == 01]
$.berths[?@.depth == 1e]
$.berths[?@.depth == 7.]
$.berths[?length(value(@..code)) == 4].code
$.berths[?match(@.code, @.code)].code
$.berths[?match('0417', @.code)].code
$.berths[?match(@.code, 4)]
$.berths[?search($.text, 'North')].code
$.berths[?search(@.code, 'a\\d')]
$.berths[?search(@.code, '\\p{L}')]
$.berths[?search(@.code, '(?:7)')]
$.berths[?search(@.code, '7$')]
$.berths[?search(@.code, '[^0-6]')].code
$.berths[?search(@.code, '1{2')]
$.berths[?search(@.code, '1|7')].code
$.berths[?count(@) == 1].code
$.berths[?count($..code) == 4].code
$.berths[?value(@.none) == 1]
$.berths[?value(@.*) == 1]
$.berths[?!match(@.code, '04.*')].code
$.berths[?!(@.deposit > 1 || @.state == 'free')].code
$.berths[?@.deposit != null].code
$.berths[?@.deposit >= null].code
$.berths[?null == @.deposit].code
$.berths[?true == false]
$.berths[?'a' < 'b'].code
$.berths[?@.state > 'free'].code
$.berths[?@ == @].code
$.berths[?@.tags[0] == 'a']
$[?@ > 4].x
$..list[?@ > $.zero]
$.berths[1]
$.berths[?1]
$.berths[?'a']
$.berths[?@.a == 1 &&]
$.berths[?@.a == 1 and @.b == 2]
$.berths[9007199254740992]
$.berths['\\q']
$.berths['\\u0041\\n']
$.berths['it\\'s',"a\\"b"]
$.
$..
$x
$.berths[1:2:3:4]
$.berths[-0]
$.berths[ 0 , 1 ]
$ .text`);

test('each path on documents of every kind', () => {
  const documents: readonly unknown[] = [document, [document, [1, [2]], 'a'], 'text', null, [], {}, 4];
  for (const path of paths) {
    const told = documents.map(each =>
      tried(() => {
        const { path: parsed, end } = parsePath(path, 0);
        const search = new Search(each as Value);
        const found = compileSegments(parsed.segments)(new Match(each as Value), search);
        return [end, found.map(match => [match.path, match.value])];
      }),
    );
    hearWhole('path', path, told);
  }
});

const tides = `<?xml version="1.0" encoding="UTF-8"?>
<t:tides xmlns:t="urn:skerry:tides" xmlns="urn:skerry:plain" quay="North Quay"><!-- high -->
  <t:tide no="1"><height unit="m"> 4.2 </height><at>06:10</at></t:tide>
  <t:tide no="2"><height unit="m">0.7</height><at/></t:tide>
</t:tides>`;
const web = `<!doctype html><html lang="en"><head><title>Quay</title></head><body><!-- x --><main id="m"><h1>North
   Quay</h1><ul class="berths list"><li id="a">0417<li class="taken">0418</ul><a href="/b?c=d">More</a></main></body></html>`;

test('each path of XML and each selector of HTML, on what it is for and what not', () => {
  const xml = lines(`xml/tides/tide
xml/tides/tide[1]/height
xml/t:tides/t:tide[2]/height
xml/tides/@quay
xml//height
xml//height[@unit="m"]
xml//tide[@no=2]/at
xml//tide[last()]/@no
xml/tides/tide[height > 1]/@no
xml/tides/none
xml/tides/tide/height/text()
xml("count(//tide)")
xml("sum(//height)")
xml("string(/tides/@quay)")
xml("//tide[@no={number}]/at")
xml("//tide[at={text}]/@no")
xml("boolean(//none)")
xml("//*[local-name()='at']")
xml("//comment()")
xml("//tide/@no | //at")
xml("//tide[")
xml("nope(//tide)")
html("title")
html("h1")
html("li")
html("li.taken")
html("#a")
html("ul.berths > li:first-child")
html("li:nth-child(2)")
html("a[href^='/b']")
html("a") "href"
html("main") "id"
html("ul") "class"
html(".none")
html("li:not(.taken)")
html("{text}")
html("a[")
html("li:nope")`);
  const bodies: [type: string, body: string][] = [
    ['application/xml', tides],
    ['text/html', web],
    ['application/json', '{"a":1}'],
    ['application/xml', '<a>'],
    ['text/xml; charset=iso-8859-1', '<?xml version="1.0" encoding="iso-8859-1"?><a b="1">x</a>'],
    ['text/plain', ''],
  ];
  const forms = ['% exists', '% = 4.2', 'count % = 2', 'each % contains "4"'];
  for (const path of xml) {
    const told = bodies.flatMap(([type, body]) =>
      forms.map(form =>
        tried(() => toldOf(form.replace('%', path), { names, body, headers: [['Content-Type', type]] })),
      ),
    );
    hearWhole('document', path, told);
  }
});

test('each body with each charset', () => {
  const bodies = [
    ...['North', 'Låring', '\uFEFFNorth'].map(text => Buffer.from(text)),
    Buffer.from('Låring', 'latin1'),
    Buffer.from('\uFEFFNorth', 'utf16le'),
    Buffer.from([0xfe, 0xff, 0, 0x4e]),
    Buffer.from([0xff]),
    Buffer.from(`<?xml version="1.0" encoding='iso-8859-1'?><a>\u00e5</a>`, 'latin1'),
    Buffer.from('<?xml version="1.0"?><a/>'),
  ];
  const types = [
    ...[
      '',
      'text/plain',
      'text/plain; charset=utf-8',
      'text/plain;charset="ISO-8859-1"',
      'text/plain; charset=utf-16le',
    ],
    ...[
      'application/xml',
      'image/svg+xml',
      'application/json; charset=latin1',
      'text/plain; charset=nope',
      'text/xmlx',
    ],
  ];
  for (const type of types) {
    const told = bodies.map(body => {
      const text = decodeBody(body, type === '' ? undefined : type);
      return text instanceof Missing ? text.reason : text;
    });
    hearWhole('charset', type, told);
  }
});

test('each ending of a file stands for a type, each type for a form', () => {
  const endings = lines(`csv gif gz html jpeg jpg json pdf png svg txt xml yaml zip bin
CSV a.json b.tar.gz none .json json. constructor`).flatMap(line => line.split(' '));
  hearWhole(
    'types',
    'of files',
    endings.map(ending => [ending, typeOfFile(`a.${ending}`), typeOfFile(ending)]),
  );
});

const values: { readonly [name: string]: Value } = {
  ...{ text: 'North Quay & Co', path: 'a/b?c#d', dots: '..', dot: '.', empty: '', number: 4.2, whole: 7 },
  ...{ plain: new Plain('0417'), yes: true, nothing: null, unicode: 'Låring 🚢', quotes: `"it's" \\ {x}` },
  ...{
    lines: 'a\nb\r\nc',
    list: [3, '1 a', null],
    none: [],
    nested: [[1], { a: 2 }],
    date: new CalendarDate(20_780),
  },
  ...{
    object: { a: 1, 'b c': 'x=y', n: null },
    bare: {},
    markup: '<a b="c">&amp;</a>',
    big: 1e21,
    host: 'skerry.example',
  },
};

test('each form of a target, a header and a body with each value', () => {
  const targets = lines(`/{x}
/a{x}b
/a/{x}/c
/{+x}
{+x}
{x}
http://{x}/a
http://{x}
http://h{+x}.example/
/a?b={x}
/a?{x}=b
/a?b={+x}&c
/a#{x}
/a{?x}
/a{?x*}
/a{?x:2}
/a?b{&x}
/a?b{&x*}
/a{#x}
/a{/x}
/a{/x*}
/a{;x}
/a{;x*}
/a{.x}
/{x:2}
/{x,y}
/a{?x,y}
/{x.a}
/{x.0}`);
  const place = (start: number, end: number) => ({ start, end });
  const forms = ['json', 'xml', 'form', 'text', 'yaml'] as const;
  const bodies = [
    '{x}',
    '{"a":{x}}',
    '{"a":"{x}"}',
    '<a b="{x}">{x}</a>',
    'a={x}&b=1',
    'a: {x}',
    '{+x}',
    '[{x.0}, {x.a}]',
  ];
  for (const [name, value] of Object.entries(values)) {
    const context = contextOf({ names: { x: value, y: 'z' } });
    hearWhole(
      'targets',
      name,
      targets.map(target => tried(() => renderTarget(parseTarget(target, place), context))),
    );
    hearWhole(
      'bodies',
      name,
      forms.flatMap(form =>
        bodies.map(body =>
          tried(() => {
            const source = new Source('a.md', body);
            return render(parseBody(new Excerpt(source, body, 1), 0, form), context);
          }),
        ),
      ),
    );
  }
});

test('each pattern on each text', () => {
  const patterns = lines(`a
^a
a$
^a$
A
[a-c]+
[^a-c]
\\d{2,3}
\\w+\\s\\w+
(a|b)+c
(?:a|b)c?
a.c
\\bcat\\b
(?<=a)b
(?=b)
(a)\\1
\\p{Lu}
\\u0041
[\\w-]+
\\/
(
[
a{2
*a
a**
(?<n>a)
\\x41
.
^$`);
  const texts = [
    'a',
    'A',
    'abc',
    'aab bc',
    'a\nc',
    'a\nb',
    '12',
    '1234',
    'the cat',
    'aa',
    'Ä',
    'a/b',
    '',
    '🚢',
    'a-b_c',
  ];
  for (const pattern of patterns) {
    const told = ['', 'i', 's', 'm', 'x', 'ii', 'im'].map(flags =>
      tried(() => {
        const compiled = compilePattern(pattern, flags);
        return texts.map(text =>
          tried(() => [compiled.test(text), compiled.matches(text, 2), compiled.replace(text, '<$0$1$$>')]),
        );
      }),
    );
    hearWhole('pattern', pattern, told);
  }
});

test('each secret in each text, and what is left around it', () => {
  const secrets = ['plain-0417-word', 'tide/+&ü "x"', '🚢-a-secret', 'short'];
  const around = [
    '%',
    'a%',
    ' % ',
    'aa%aa',
    '"%"',
    '\\%\\',
    'x=%&y',
    '%%',
    '\u0000%\u007f',
    '\\u0041%\\u0042',
    '%2525',
    '&#65;%&#x41;',
    'ü%🚢',
  ];
  const writings: ((text: string) => string)[] = [
    text => text,
    text => JSON.stringify(text).slice(1, -1),
    text =>
      [...text]
        .map(char =>
          [
            ...Buffer.from(char, 'utf16le')
              .toString('hex')
              .matchAll(/(..)(..)/g),
          ]
            .map(([, low, high]) => `\\u${high}${low}`)
            .join(''),
        )
        .join(''),
    encodeURIComponent,
    text => [...Buffer.from(text)].map(byte => `%${byte.toString(16).padStart(2, '0')}`).join(''),
    text => text.replaceAll('&', '&amp;').replaceAll('"', '&quot;'),
    text => [...text].map(char => `&#${char.codePointAt(0)};`).join(''),
    text => Buffer.from(text).toString('hex'),
    text => Buffer.from(text).toString('base64'),
    text => Buffer.from(`x${text}`).toString('base64url'),
    text => text.toUpperCase(),
    text => text.slice(0, -1),
    text => text.slice(1),
    text => [...text].join(' '),
  ];
  for (const secret of secrets) {
    const masker = new Masker();
    masker.addValue(secret, 'lasting');
    for (const [at, write] of writings.entries()) {
      const told = around.flatMap(each => {
        const text = each.replace('%', () => write(secret));
        return [masker.text(text), masker.deep({ text, list: [text], [text]: 1, cut: true })];
      });
      hearWhole('masked', `${secret}, ${at}`, told);
    }
  }
});
