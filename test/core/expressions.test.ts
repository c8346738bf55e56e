import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing, Plain } from '../../src/core/model/value.ts';
import { describeExactly } from '../../src/core/values/describe.ts';
import { decide, evaluate, explained, type Given } from '../support/language.ts';
import { Words } from '../support/words.ts';

// What expressions come to, and what is said of conditions: the results stand in test/words/expressions.txt.

const words = new Words('expressions');

const given: Given = {
  headers: [
    ['Content-Type', 'application/json'],
    ['X-Depth', '4.2'],
    ['X-Wait', '5 s'],
    ['X-List', 'a, b'],
    ['Location', '../moorings/7'],
    ['Link', '<?page=2>; rel="next last", </first>; rel=first'],
  ],
  setCookies: ['sid=s1; Path=/', 'lang=en'],
  trailers: [['X-Sum', '9']],
  sent: { headers: [['X-Key', 'k']], body: '{"nights":3}' },
  names: {
    quay: 'North Quay',
    depth: 4.2,
    plain: new Plain('417'),
    free: true,
    none: null,
    list: [3, 1, 2],
    berth: { code: '0417', deposit: null, tags: ['a', 'b'], 'line-2': 'x' },
  },
  body: {
    ...{ text: 'North Quay', code: '0417', number: 4.2, zero: 0, negative: -3, long: 'x'.repeat(60) },
    ...{
      yes: true,
      nothing: null,
      list: [3, 1, 2],
      words: ['free', 'taken', 'free'],
      empty: [],
      object: { a: 1, b: [1] },
    },
    ...{
      date: '2026-11-23',
      instant: '2026-11-23T12:00:00+02:00',
      http: 'Mon, 23 Nov 2026 12:00:00 GMT',
      epoch: 1_795_435_200,
    },
    ...{
      berths: [
        { code: '0417', depth: 4.2, state: 'free' },
        { code: '0418', depth: 7, state: 'taken' },
        { code: '0733', depth: 7.8, state: 'free' },
      ],
    },
    ...{
      html: '<a href="x">&amp;</a>',
      encoded: 'a%20b',
      token: 'eyJhbGciOiJub25lIn0.eyJzdWIiOiJwaWxvdCJ9.',
      base: 'dGlkZQ==',
    },
  },
};

const expressions = `
{quay}
{berth.code}
{berth.tags[1]}
{berth.nope}
{list[7]}
{nobody}
"{quay}: {depth} m, {plain}, {free}, {none}"
"{berth} and {list}"
$.number + 1
$.number - $.zero
$.number * -2
$.number / 0
7 / 2
-$.number
$.text + 1
1 + 2 * 3 - 4 / 2
(1 + 2) * 3
{plain} + 1
5 s + 300 ms
5 s * 2
2 * 5 s
5 s / 2
5 s - 6 s
5 s * 5 s
5 s / 0
1 kB + 1 B
1 kB * 2
today() + 1 day
today() + 12 h
today() - 1 week
1 day + today()
today() - date($.date)
now() - timestamp($.instant)
now() + 90 min
now() - today()
date("9999-12-31") + 1 day
timestamp("9999-12-31T23:59:59.999Z") + 1 ms
timestamp("9999-12-31T23:59:59.998Z") + 1 ms
date("0000-01-01") - 1 day
date("0000-01-02") - 1 day
date($.date)
date($.instant)
date($.http)
date($.epoch)
date($.text)
date(3.5)
date(now())
date(today(), "yyyy 'Hh' MM")
date("23.11.2026", "dd.MM.yyyy")
date("23.11.2026 'H'", "dd.MM.yyyy ''H''")
date("23.11.2026 07", "dd.MM.yyyy HH")
date($.date, "dd/MM/yy")
date("tide", "dd.MM.yyyy")
date(today(), "Q?b nope")
date(null, "dd")
timestamp($.date)
timestamp(today())
timestamp($.instant)
timestamp($.http)
timestamp("1795435200.5")
timestamp(1e300)
timestamp(null)
length($.text)
length($.list)
length($.object)
length($.number)
length($.nothing)
length("é🚢")
count $.berths[*]
count $.berths[?@.state == "free"]
first $.berths[*].code
last $.berths[*].code
nth 2 $.berths[*].code
nth 4 $.berths[*].code
random $.berths[*].code
all $.berths[*].depth
first $.empty[*]
sum(all $.berths[*].depth)
sum($.list)
sum($.empty)
sum($.words)
min($.list)
max($.list)
min($.words)
min($.empty)
mean($.list)
round(2.345, 2)
round(2.5)
floor(-2.5)
ceil(2.1)
abs($.negative)
round($.text)
number("4.20")
number("tide")
number($.long)
number(true)
text(4.20)
text($.list)
text(null)
text(5 s)
upper($.text)
lower($.text)
trim("  a b ")
replace($.text, "North", "South")
replace($.text, /o(r)/, "[$1]")
split("a,b,,c", ",")
split("abc", "")
join($.words, "-")
join($.list, ", ")
substring($.text, 1, 3)
substring($.text, 99)
unique($.words)
sort($.list)
sort($.words)
sort($.object)
reverse($.list)
keys($.object)
values($.object)
base64($.text)
from-base64($.base)
from-base64("%%%")
base64url("??>")
hex("tide")
url-encode("a b/é?")
url-decode($.encoded)
url-decode("%zz")
html-decode($.html)
md5("tide")
sha1("tide")
sha256("tide")
sha512("tide")
hmac-sha256("tide", "key")
jwt($.token)
jwt("a.b")
parse("[1, 2]")
parse("{")
json({berth})
uuid()
random(1, 6)
random(6, 1)
pick($.words)
pick($.empty)
status
reason
time
size
url
version
body
bytes
body /(N\\w+) (Q)/
body /nope/
header x-depth
header x-depth * 2
header x-wait + 1 s
header x-none
header x-list /(\\w), (\\w)/
cookie sid
cookie nope
link next
link last
link first
link prev
location
trailer x-sum
sent header x-key
sent $.nights
sent body
$.berths[0].depth
$.berths[-1].code
$.berths[9].code
$.berths.code
$.text.code
$.nope
$["text"]
$.berths[?@.depth > 7].code
$.berths[?@.code == {berth.code}].depth
`;

const conditions = `
status = 201
status is 5xx
status not in 200, 201
reason = "Made"
time > 5 s
size > 1 MB
$.number > 5
$.number < "x"
$.number between 5 and 6
$.number not between 4 and 5
$.text contains "quay"
$.text not contains "Quay"
$.text starts with "South"
$.text ends with "North"
$.text matches /^South/
$.text not matches /Quay$/
$.text is number
$.text is not text
$.text is uuid or email
$.text is empty
$.empty is not empty
$.words is unique
$.list is sorted
$.list is sorted descending
$.words not contains "free"
$.list = [1, 2, 3]
$.list = [1, 2] in any order
$.words = ["free"] in any order
$.object includes { "a": 2 }
$.object includes { "c": text }
$.object not includes { "a": 1 }
$.object = { "a": 1 }
$ includes { "berths": [{ "code": "0418" }, { "depth": number }] }
$.berths[0] includes { "state": "free" or "closed", "depth": text }
$.nope exists
$.text absent
$.nope = 3
$.nothing = 3
$.nothing exists
each $.berths[*].depth > 5
some $.berths[*].depth > 8
no $.berths[*].state = "free"
each $.empty[*] = 1
each $.words = "free"
some $.words = "closed"
no $.words = "free"
count $.berths[*] = 2
first $.berths[*].code = "0733"
random $.berths[*].state = "closed"
all $.berths[*].code = ["0417"]
header x-depth > 5
header x-none = 1
header x-wait < 1 s
cookie sid = "s2"
link next = "http://skerry.example/"
location = "http://skerry.example/moorings/7"
trailer x-sum = 8
fault = "refused"
fault is not none
sent $.nights = 2
{depth} = 5
{berth.code} = $.berths[1].code
"{quay}" = $.code
not status = 200
not ($.number = 4.2 and $.yes = true)
status = 200 and $.number = 5
status = 201 or $.number = 5
$.number = 4 or $.number = 5 and $.yes = true
$.date < date("2020-01-01")
$.instant > now() + 1 day
$.date = today() + 1 day
$.epoch = 1
$.code = 417
$.yes = false
body contains "nope"
body = "x"
bytes = 3 B
url ends with "b=2"
version = "HTTP/2"
$.long = "y"
$.berths[*].code = "x"
$..code = "x"
`;

const linesOf = (text: string) =>
  text
    .replaceAll('\\\\', '\\')
    .split('\n')
    .filter(line => line !== '');

test('values of expressions', () => {
  for (const expression of linesOf(expressions)) {
    let told: string;
    try {
      const found = evaluate(expression, given);
      told = found instanceof Missing ? `nothing: ${found.reason}` : describeExactly(found);
    } catch (error) {
      told = `refused: ${(error as Error).message}`;
    }
    words.hear('value', expression, told);
  }
  words.complete('value');
});

test('conditions that do not hold, and why', () => {
  for (const condition of linesOf(conditions)) {
    let told: string;
    try {
      const truth = decide(condition, given);
      const { nearest: _document, ...why } = truth === 'yes' ? {} : explained(condition, given);
      told = `${truth} ${JSON.stringify(why)}`;
    } catch (error) {
      told = `refused: ${(error as Error).message}`;
    }
    words.hear('condition', condition, told);
    const without = decide.bind(undefined, condition, { ...given, fault: 'reset' });
    if (!told.startsWith('refused')) words.hear('without a response', condition, without());
  }
  words.complete('condition', 'without a response');
  assert.ok(linesOf(conditions).length > 70);
});
