import assert from 'node:assert/strict';
import { test } from 'node:test';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { Missing } from '../../src/core/model/value.ts';
import { ambiguousTargets } from '../../src/core/stand-in/ambiguous-targets.ts';
import { buildPatterns } from '../../src/core/stand-in/build-stand-in.ts';
import { ReceivedRequest } from '../../src/core/stand-in/received-request.ts';
import { StandIn } from '../../src/core/stand-in/stand-in.ts';
import { writeJson } from '../../src/core/values/json-document.ts';
import { textOf } from '../../src/core/values/text.ts';
import { filesOf, type Texts } from '../support/collection.ts';
import { table } from '../support/inputs.ts';

const settings = `base: http://skerry.example
variables: { state: free, password: { secret: spring-tide }, arrival: { let: today() }, berth: { code: "0417" } }
`;

const chance = { now: () => Date.UTC(2026, 10, 30), uuid: () => 'uuid', random: () => 0.5 };
const external = { variable: () => undefined, file: () => new Missing('no'), bytes: () => new Missing('no') };

/** Answers from pages; fences are written with ~~~. */
async function standIn(texts: Texts): Promise<StandIn> {
  const collection = await readCollection(filesOf({ 'mervok.yaml': settings, ...texts }));
  const { plan, flow } = await buildPlan(collection, { paths: [], given: new Map() });
  const { patterns, unanswered, base } = await buildPatterns(plan, flow, {
    external,
    clockAndRandom: chance,
  });
  return new StandIn(patterns, { unanswered, basePath: base?.path ?? '' });
}

function requestOf(text: string): ReceivedRequest {
  const [head = '', ...body] = text.split('\n\n');
  const [first = '', ...lines] = head.split('\n');
  const [method = '', target = ''] = first.split(' ');
  const headers = Object.fromEntries(
    lines.map(line => [line.slice(0, line.indexOf(':')).toLowerCase(), line.slice(line.indexOf(':') + 2)]),
  );
  return new ReceivedRequest(
    method,
    target,
    { host: '127.0.0.1:7080', ...headers },
    { text: body.join('\n\n') },
  );
}

const http = (text: string) => `~~~~http\n${text}\n~~~~\n\n`;
const json = (body: string) => http(`HTTP/1.1 200 OK\nContent-Type: application/json\n\n${body}`);
const checks = '~~~mervok\nstatus < 600\n~~~\n\n';

for (const { title, rows } of table('stand-in'))
  test(`requests are read backwards: ${title}`, async () => {
    for (const [requests, asked, wanted] of rows as [string, string, string][]) {
      const cases = requests.split(' ;; ').map((request, at) => {
        const names = [
          ...new Set(
            [...request.matchAll(/\{[+/;?&]?([a-z.,]+)\}/gi)].flatMap(([, each]) => each!.split(',')),
          ),
        ];
        // What a name stands for is shown by the answer.
        const shown = names.map(name => `${JSON.stringify(name)}: {${name}}`).join(', ');
        return `## ${'abc'[at]}\n\n${http(request)}${json(`{ ${shown} }`)}${checks}`;
      });
      const answer = (await standIn({ 'x.md': cases.join('') })).answer(requestOf(asked));
      const text = answer.body && 'text' in answer.body ? answer.body.text : '';
      if (answer.from === undefined) {
        const { status, reasons = [] } = JSON.parse(text) as { status: number; reasons?: string[] };
        const told = `${status === 400 ? 'broken' : 'none'}: ${reasons[0]}`;
        const [kind, why = ''] = wanted.split(': ');
        assert.ok(told.startsWith(kind!) && told.includes(why), `${requests} ${asked}: ${told}`);
        continue;
      }
      const values = Object.entries(JSON.parse(text) as { [name: string]: never }).map(
        ([name, value]) => `${name}=${textOf(value) ?? writeJson(value)}`,
      );
      const known = values.filter(each => !/=made-up-|=\d{6}$/.test(each));
      assert.equal([answer.from.replace('x.md#', ''), ...known].join(' '), wanted, `${requests} ${asked}`);
    }
  });

const ask = (stand: StandIn, request: string) => {
  const { body, from, status, headers } = stand.answer(requestOf(request));
  return { from: from?.replace(/^.*#/, ''), status, headers, text: body && 'text' in body ? body.text : '' };
};

test('an example is filled from the request, what is computed of it, variables and examples above', async () => {
  const stand = await standIn({
    'a.md': `## Tariff\n\n${http('GET /tariff')}${json('{ "rate": 41.35 }')}~~~mervok\nkeep $.rate as rate\n~~~\n\n## Stay\n\n~~~mervok\nlet fee = {rate} * {nights}\n~~~\n\n${http('GET /stays/{nights}')}${json('{ "nights": {nights}, "fee": {fee}, "rate": {rate}, "state": "{state}", "at": "{arrival}", "code": "{berth.code}", "unknown": "{other}", "made": {number} }')}${checks}`,
  });
  const { text } = ask(stand, 'GET /stays/3');
  const { unknown, made, ...known } = JSON.parse(text) as { [name: string]: unknown };
  assert.deepEqual(known, {
    nights: 3,
    fee: 124.05,
    rate: 41.35,
    state: 'free',
    at: '2026-11-30',
    code: '0417',
  });
  assert.match(String(unknown), /^made-up-other-/);
  assert.equal(typeof made, 'number');
  // The same request is answered alike, another one not.
  assert.equal(ask(stand, 'GET /stays/3').text, text);
  assert.notEqual((JSON.parse(ask(stand, 'GET /stays/4').text) as { made: number }).made, made);
});

test('a request without an example, and one that lies elsewhere than all, are told so', async () => {
  const stand = await standIn({
    'mervok.yaml': 'base: http://skerry.example/v1\n',
    'a.md': `## Read\n\n${http('GET /berths/{berth}')}${json('{}')}${checks}## Take\n\n${http('POST /berths/{berth}')}${checks}## Elsewhere\n\n${http('GET {next}')}`,
  });
  const reasons = (asked: string) =>
    (JSON.parse(ask(stand, asked).text) as { reasons: readonly string[] }).reasons;
  assert.deepEqual(reasons('POST /v1/berths/7'), [
    'a.md#take asks for this, and has no example.',
    'a.md#read would answer if the method were GET.',
  ]);
  assert.deepEqual(reasons('GET /berths/7'), [
    'All of it lies below /v1.',
    'a.md#read answers GET /v1/berths/{berth}.',
  ]);
  assert.deepEqual(reasons('GET /v1/vessels'), ['a.md#read answers GET /v1/berths/{berth}.']);
});

test('where nothing is known of what stands before the targets, that is told', async () => {
  const unknown = {
    'mervok.yaml': 'base: "{server}"\nenvironments: { local: { server: http://skerry.example } }\n',
  };
  await assert.rejects(
    standIn({ ...unknown, 'a.md': `## Read\n\n${http('GET /berths')}${checks}` }),
    /What stands before the targets is not known: \{server\} has no value/,
  );
});

test('values of a request are escaped for the place where they land', async () => {
  const page = (type: string, body: string) =>
    `## A\n\n${http('GET /{a}')}${http(`HTTP/1.1 200 OK\nContent-Type: ${type}\nX-A: {a}\n\n${body}`)}${checks}`;
  const of = async (type: string, body: string, asked = 'GET /%3Cb%20a=%22%27&%0D%0AX:1') =>
    ask(await standIn({ 'a.md': page(type, body) }), asked);
  assert.equal(
    (await of('text/html', '<p title="{a}">{a}</p>')).text,
    '<p title="&lt;b a=&quot;&apos;&amp;\r\nX:1">&lt;b a=&quot;&apos;&amp;\r\nX:1</p>',
  );
  assert.equal((await of('application/xml', '<p>{a}</p>')).text, '<p>&lt;b a=&quot;&apos;&amp;\r\nX:1</p>');
  assert.deepEqual(JSON.parse((await of('application/json', '{ "a": "{a}", "b": {a} }')).text), {
    a: `<b a="'&\r\nX:1`,
    b: `<b a="'&\r\nX:1`,
  });
  const { headers } = await of('text/plain', 'x');
  assert.match(headers.find(([name]) => name === 'X-A')![1], /^made-up-a-/);
});

test('rows of a table are known values, and one of them fills an answer', async () => {
  const stand = await standIn({
    'a.md': `# A\n\n~~~csv rows book\ncode;quay;deposit\n0417;North Quay;100\n0501;Fish Steps;null\n~~~\n\n## Row\n\n~~~mervok\neach row of book\n~~~\n\n${http('GET /berths/{code}')}${json('{ "code": "{code}", "quay": "{quay}", "deposit": {deposit} }')}${checks}## Other\n\n${http('GET /berths/{any}')}${json('"other"')}${checks}`,
  });
  assert.deepEqual(JSON.parse(ask(stand, 'GET /berths/0501').text), {
    code: '0501',
    quay: 'Fish Steps',
    deposit: null,
  });
  assert.equal(ask(stand, 'GET /berths/0733').from, 'other');
});

test('a target that begins with a value is served where an example above leads', async () => {
  const stand = await standIn({
    'a.md': `## First\n\n${http('GET /berths')}${http('HTTP/1.1 200 OK\nLink: </berths?page=2>; rel="next"\nContent-Type: application/json\n\n{ "last": "/berths?page=9" }')}~~~mervok\nkeep link next as next\nkeep $.last as last\n~~~\n\n## Next\n\n${http('GET {next}')}${json('2')}${checks}## Last\n\n${http('GET {last}')}${json('9')}${checks}## Nowhere\n\n${http('GET {elsewhere}')}${json('0')}${checks}`,
  });
  const asked = ['GET /berths', 'GET /berths?page=2', 'GET /berths?page=9', 'GET /berths?page=3'];
  assert.deepEqual(
    asked.map(each => ask(stand, each).from),
    ['first', 'next', 'last', 'first'],
  );
  assert.equal(stand.patterns.length, 3);
});

test('how a request signs in has to be there, and must not be there where it does not', async () => {
  const page = `---\nauth: { api-key: { name: harbour-key, value: "{password}", in: query } }\n---\n## Key\n\n${http('GET /a')}${json('1')}${checks}## None\n\n~~~yaml settings\nauth: none\n~~~\n\n${http('GET /a')}${json('2')}${checks}## Bearer\n\n~~~yaml settings\nauth: { bearer: "{password}" }\nheaders: { X-Office: quay }\n~~~\n\n${http('GET /b')}${json('3')}${checks}## Digest\n\n~~~yaml settings\nauth: { digest: { user: a, password: "{password}" } }\n~~~\n\n${http('GET /c')}${json('4')}${checks}## Token\n\n~~~yaml settings\nauth: { oauth2: { flow: client-credentials, token-url: "http://skerry.example/token", client-id: a } }\n~~~\n\n${http('GET /d')}${json('5')}${checks}`;
  const stand = await standIn({ 'a.md': page });
  const from = (request: string) => ask(stand, request).from ?? ask(stand, request).status;
  assert.equal(from('GET /a?harbour-key=x'), 'key');
  assert.equal(from('GET /a'), 'none');
  assert.equal(from('GET /a\nAuthorization: x'), 404);
  assert.equal(from('GET /b'), 404);
  assert.equal(from('GET /b\nAuthorization: Bearer x\nX-Office: any'), 'bearer');
  const { status, headers } = ask(stand, 'GET /c');
  assert.deepEqual([status, headers.some(([, value]) => value.startsWith('Digest realm='))], [401, true]);
  assert.equal(from('GET /c\nAuthorization: Digest x'), 'digest');
  const token = JSON.parse(ask(stand, 'POST /token\n\ngrant_type=client_credentials').text) as {
    token_type: string;
  };
  assert.equal(token.token_type, 'Bearer');
  assert.equal(from('GET /d\nAuthorization: Bearer x'), 'token');
});

test('references side by side are a finding, and others are not', async () => {
  const of = async (target: string) => {
    const collection = await readCollection(
      filesOf({ 'mervok.yaml': settings, 'a.md': `## A\n\n${http(`GET ${target}`)}${json('1')}${checks}` }),
    );
    const { plan, flow } = await buildPlan(collection, { paths: [], given: new Map() });
    return ambiguousTargets(plan, flow).map(({ code }) => code);
  };
  for (const target of ['/a/{state}{password}', '/{+state}{+password}', '/a?b={state}{password}'])
    assert.deepEqual(await of(target), ['target-ambiguous'], target);
  for (const target of [
    '/a/{state}/{password}',
    '/a/{state}{?password}',
    '/a{/state}{/password}',
    '/a/{state}.{password}',
    '/a?b={state}&c={password}',
  ])
    assert.deepEqual(await of(target), [], target);
});
