import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing } from '../../src/core/model/value.ts';
import { planOf, type Texts } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';

// What goes out, in every form that a page can say it in: the requests stand in test/words/events.txt.

const root = `base: http://harbour.skerry.example/v1
variables:
  code: "0417"
  quay: North Quay & Co
  sea: "a/b?c#d"
  depth: 4.2
  list: [3, "1 a", null]
  berth: { code: "0733", "line 2": "x=y" }
  empty: ""
  nothing: null
  dots: ".."
  host: skerry.example
  bad-host: "a b"
  secret-key: { secret: spring-tide }
`;

/** The lines of a request, and what stands above and below it. */
interface Form {
  readonly request: string;
  readonly settings?: string;
  readonly below?: string;
}

const fence = (info: string, text: string) => `~~~${info}\n${text}\n~~~\n`;
const targets = [
  ...[
    'GET /berths',
    'GET /berths/{code}',
    'GET /berths/{quay}',
    'GET /{sea}',
    'GET /{+sea}',
    'GET {+sea}',
    'GET /{dots}',
  ],
  ...[
    'GET /{empty}',
    'GET /a{empty}',
    'GET /{nothing}',
    'GET /{list}',
    'GET /{berth}',
    'GET /{berth.code}',
    'GET /{berth.nope}',
  ],
  ...[
    'GET /berths?code={code}',
    'GET /berths?quay={quay}&sea={sea}',
    'GET /berths?empty={empty}&x',
    'GET /berths{?code,quay}',
  ],
  ...[
    'GET /berths?x=1{&code,sea}',
    'GET /berths{?list}',
    'GET /berths{?list*}',
    'GET /berths{?berth*}',
    'GET /berths{?empty,nothing}',
  ],
  ...[
    'GET /berths{/code,quay}',
    'GET /berths{/list*}',
    'GET /berths{;code,empty}',
    'GET /berths{;berth*}',
    'GET /berths{.code}',
  ],
  ...[
    'GET /berths{#quay}',
    'GET /berths{code:2}',
    'GET /berths{?quay:3}',
    'GET /berths{?nobody}',
    'GET http://{host}/x',
    'GET http://{bad-host}/x',
  ],
  ...[
    'GET http://{host}:7070/x?y#z',
    'GET https://{sea}/x',
    'HEAD /',
    'OPTIONS /',
    'PROPFIND /berths',
    'GET /a%20b/é',
    'GET /a?b=%zz&c=d e',
  ],
];
const forms: readonly Form[] = [
  ...targets.map(request => ({ request })),
  { request: 'GET /x\nX-Quay: {quay}\nX-List: {list}\nX-Sea: a {sea} b\nx-empty: {empty}' },
  { request: 'GET /x\nX-Bad: {berth}' },
  { request: 'GET /x\nCookie: quay={quay}; tide=ebb' },
  { request: 'GET /x\nCookie: quay={sea}' },
  { request: 'GET /x\nAuthorization: Bearer {secret-key}\nAccept:text/plain' },
  {
    request:
      'POST /x\n\n{ "quay": "{quay}", "depth": {depth}, "list": {list}, "berth": {berth}, "none": {nothing} }',
  },
  { request: 'POST /x\n\n<quay no="{sea}">{quay}</quay>' },
  { request: 'POST /x\n\nplain {quay}' },
  { request: 'POST /x\nContent-Type: application/problem+json\n\n{ "a": {depth} }' },
  { request: 'POST /x\nContent-Type: application/x-www-form-urlencoded\n\nquay={quay}&x=1' },
  { request: 'POST /x\nContent-Type: application/yaml\n\nquay: {quay}\nlist: {list}\ntext: "{sea}"' },
  { request: 'POST /x\nContent-Type: text/csv\n\na;{quay}' },
  { request: 'POST /x', below: fence('json body', '{ "quay": "{quay}", "list": {list} }') },
  { request: 'POST /x', below: fence('json body as application/problem+json', '{}') },
  { request: 'POST /x', below: fence('xml body', '<a b="{quay}">{sea}</a>') },
  { request: 'POST /x', below: fence('yaml body', 'quay: {quay}\nberth: {berth}\n- x'.replace('\n- x', '')) },
  { request: 'POST /x', below: fence('text body', 'as it is: {quay}\n') },
  { request: 'POST /x', below: fence('text body crlf', 'one\ntwo') },
  {
    request: 'POST /x',
    below: fence(
      'form body',
      'quay = {quay}\nlist = {list}\nempty = {empty}\nsame = 1\nsame = 2\n# no comment = x',
    ),
  },
  { request: 'POST /x?a=1', below: fence('form query', 'quay = {quay}\na = {sea}') },
  {
    request: 'POST /x',
    below: fence(
      'multipart body',
      'quay = {quay}\nnote = {berth} as application/json\nfile = file "a.csv"\nphoto = file "b.bin" as image/png\n{sea} = 1',
    ),
  },
  {
    request: 'POST /x',
    below:
      fence('graphql body', 'query Q($a: Int) { berth(id: $a) { code } }') +
      fence('json variables', '{ "a": {depth} }'),
  },
  { request: 'POST /x', below: fence('file body', 'a.csv') },
  { request: 'PUT /x\nContent-Type: text/x-own', below: fence('file body', '{code}.json') },
  { request: 'POST /x', below: fence('json body', '{ "key": {secret-key}, "quay": "{quay}" }') },
  { request: 'POST /x', below: fence('form body', 'key = {secret-key}') },
  { request: 'POST /x', below: fence('form body', '{secret-key} = 1') },
  {
    request: 'POST /x',
    below: fence('graphql body', 'query { a }') + fence('json variables', '{ "a": {secret-key} }'),
  },
  { request: 'GET /x\nX-Own: a {secret-key}\nX-Quay: {quay}' },
  { request: 'GET /x', settings: 'auth: { bearer: "{secret-key}" }' },
  { request: 'GET /x', settings: 'auth: { basic: { user: "{quay}", password: "{secret-key}" } }' },
  { request: 'GET /x', settings: 'auth: { digest: { user: pilot, password: "{secret-key}" } }' },
  { request: 'GET /x?a=1', settings: 'auth: { api-key: { in: query, name: key, value: "{secret-key}" } }' },
  { request: 'GET /x', settings: 'auth: { api-key: { in: header, name: X-Key, value: "{secret-key}" } }' },
  { request: 'GET /x', settings: 'auth: { api-key: { in: cookie, name: key, value: "{secret-key}" } }' },
  { request: 'GET /x', settings: 'auth: { api-key: { in: cookie, name: key, value: "{sea}; {quay}" } }' },
  { request: 'GET /x', settings: 'auth: { api-key: { in: cookie, name: key, value: "a b" } }' },
  {
    request: 'GET /x',
    settings:
      'auth: { oauth2: { flow: client-credentials, token-url: "http://{host}/t", client-id: c, client-secret: "{secret-key}", scope: a b } }',
  },
  {
    request: 'GET /x',
    settings:
      'auth: { oauth2: { flow: password, token-url: "http://t.example", client-id: c, user: u, password: "{secret-key}", client-auth: body } }',
  },
  {
    request: 'GET /x',
    settings:
      'auth: { oauth2: { flow: refresh-token, token-url: "http://t.example", client-id: c, refresh-token: "{secret-key}", client-auth: none } }',
  },
  { request: 'GET /x', settings: 'headers: { X-Quay: "{quay}", Accept: null, User-Agent: null }' },
  { request: 'GET /x\nX-quay: own', settings: 'headers: { X-Quay: "{quay}" }' },
  { request: 'GET /x?lang=no', settings: 'query: { lang: en, list: [1, "{code}"], empty: "" }' },
  { request: 'GET /x', settings: 'query: { berth: "{sea}" }' },
  { request: 'GET /x', settings: 'timeout: 5 s' },
  { request: 'GET /x', settings: 'timeout: { connect: 1 s, answer: 200 ms }' },
  { request: 'GET /x', settings: 'redirects: 0' },
  { request: 'GET /x', settings: 'cookies: false' },
  { request: 'GET /x', settings: 'tls: { verify: false }' },
  { request: 'GET /x', settings: 'tls: { ca: a.csv, cert: a.csv, key: a.csv }' },
  { request: 'GET /x', settings: 'proxy: "http://{host}:3128"' },
  { request: 'GET /x', settings: 'proxy: none' },
  { request: 'GET /x', settings: 'retry: none' },
  { request: 'POST /x', settings: 'retry: { times: 3, every: 1 s, on: [429, 5xx, reset] }' },
  { request: 'GET /x', settings: 'retry: { every: 1 s }' },
  { request: 'GET /x', settings: 'limits: { body: 1 MB, record: 1 KiB, head: 2 kB }' },
  { request: 'GET /x', settings: 'limits: { record: 5 MiB }' },
  { request: 'GET /x', settings: 'base: "https://{host}/v2/"' },
  { request: 'GET /x', settings: 'base: "{sea}"' },
];

test('requests of every form go out as they always did', async () => {
  const page = forms.map(
    ({ request, settings, below = '' }, index) =>
      `## Form ${index}\n\n${settings === undefined ? '' : `${fence('yaml settings', settings)}\n`}${fence('http', request)}\n${below}\n${fence('mervok', 'status = 200')}`,
  );
  const files = new Set(['a.csv', 'b.bin', '0417.json']);
  const texts: Texts = { 'mervok.yaml': root, 'a.md': page.join('\n') };
  const plan = {
    hasFile: (path: string) => files.has(path),
    refusesFile: (path: string) => (files.has(path) ? undefined : `There is no file '${path}'.`),
    readFile: (path: string) => (files.has(path) ? 'a' : new Missing(`there is no ${path}`)),
  };
  const { findings } = await planOf(texts, plan);
  const broken = new Set(
    findings
      .filter(each => each.severity === 'error')
      .map(({ source, range }) => source.position(range.start).line),
  );
  const errors = [...broken].map(line => {
    const before = texts['a.md']!.split('\n').slice(0, line);
    return before.findLast(each => each.startsWith('## Form'))!.slice(8);
  });
  const sound = page.filter((_, index) => !errors.includes(String(index)));
  const ran = await runTexts({ ...texts, 'a.md': sound.join('\n') }, () => ({}), { plan });
  assert.equal(ran.cases.length, sound.length);
  assert.ok(sound.length > 75, `${sound.length}`);
});
