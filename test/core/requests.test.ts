import assert from 'node:assert/strict';
import { test } from 'node:test';
import { defaultTransport } from '../../src/core/settings/transport.ts';
import type { OutgoingRequest } from '../../src/core/steps/http/http-port.ts';
import { planOf, type Texts, told } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';
import { table } from '../support/inputs.ts';

const root = 'base: "http://skerry.example/v1"\n';

/** What goes out for one request with the fences below it. */
async function sentFor(below: string, settings = '', more: Texts = {}): Promise<OutgoingRequest> {
  const page = `# A\n\n${below}\n\n~~~mervok\nstatus = 200\n~~~\n`;
  const { sent, outcomes, cases } = await runTexts(
    { 'mervok.yaml': root + settings, 'quays/a.md': page, ...more },
    () => ({}),
    { plan: { given: new Map() } },
  );
  if (sent.length !== 1) throw new Error(`${outcomes} ${cases[0]?.problem?.message}`);
  return sent[0]!;
}

const header = (request: OutgoingRequest, name: string) =>
  request.headers.filter(([each]) => each.toLowerCase() === name).map(([, value]) => value);

const variables = `variables: { berth: "0417", nights: 2, nasty: "a&b \\"c\\" <d> ü", list: [1], yes: "{", words: "it's" }\n`;

const [bodies, types, unmade, misshapen] = table('requests');

test('bodies in fences of their own, with their types', async () => {
  for (const [fences = '', body, type] of bodies!.rows) {
    const request = await sentFor(`~~~http\nPOST /x\n~~~\n\nSome prose.\n\n${fences}`, variables);
    assert.deepEqual(request.body, [body], fences);
    assert.deepEqual(header(request, 'content-type'), [type], fences);
  }
  const own = await sentFor(
    '~~~http\nPOST /x\nContent-Type: application/vnd.skerry+json\n~~~\n\n~~~json body\n[]\n~~~',
  );
  assert.deepEqual(header(own, 'content-type'), ['application/vnd.skerry+json']);
});

test('a type of the settings yields to the fence of a body, unless it is of the same kind', async () => {
  for (const [settings, fence, type = ''] of types!.rows) {
    const request = await sentFor(
      `~~~http\nPOST /x\n~~~\n\n~~~${fence}\n~~~`,
      `headers: { Content-Type: ${settings} }\n`,
    );
    const given = header(request, 'content-type');
    assert.equal(given.length, 1, fence);
    assert.match(given[0]!, new RegExp(type), fence);
  }
});

test('multipart: texts, types, files; what is named cannot break it', async () => {
  const request = await sentFor(
    '~~~http\nPOST /x\n~~~\n\n~~~multipart body\nvessel = {nasty}\nnote = {"a": 1} as application/json\n{odd} = 1\nmanifest = file "../files/crates.csv"\nphoto = file "a.bin" as image/png\n~~~',
    `${variables}headers: { X-Quay: north }\n`.replace('berth:', 'odd: "a\\"b\\r\\nc\\nd\\re",\n  berth:'),
  );
  const type = header(request, 'content-type')[0]!;
  const boundary = /^multipart\/form-data; boundary=(mervok-[\w-]+)$/.exec(type)![1]!;
  const part = (disposition: string, more = '') =>
    `--${boundary}\r\nContent-Disposition: form-data; ${disposition}\r\n${more}\r\n`;
  assert.deepEqual(request.body, [
    `${part('name="vessel"')}a&b "c" <d> ü\r\n${part('name="note"', 'Content-Type: application/json\r\n')}{"a": 1}\r\n${part('name="a%22b%0D%0Ac%0Ad%0De"')}1\r\n${part('name="manifest"; filename="crates.csv"', 'Content-Type: text/csv\r\n')}`,
    { file: 'files/crates.csv' },
    `\r\n${part('name="photo"; filename="a.bin"', 'Content-Type: image/png\r\n')}`,
    { file: 'quays/a.bin' },
    `\r\n--${boundary}--\r\n`,
  ]);
  const related = await sentFor(
    '~~~http\nPOST /x\nContent-Type: multipart/related; boundary=quay\n~~~\n\n~~~multipart body\na = 1\n~~~',
  );
  assert.deepEqual(header(related, 'content-type'), ['multipart/related; boundary=quay']);
  assert.match(String(related.body), /^--quay\r\n/);
  const file = await sentFor('~~~http\nPUT /x\n~~~\n\n~~~file body\n./{berth}.pdf\n~~~', variables);
  assert.deepEqual(file.body, [{ file: 'quays/0417.pdf' }]);
  assert.deepEqual(header(file, 'content-type'), ['application/pdf']);
});

test('the query: of the fence, of its own fence, of the settings, each name once', async () => {
  const settings = `query: { lang: en, state: [free, taken], gone: x, own: outer, page: 1, "a b": "{berth}" }\n${variables}`;
  const request = await sentFor(
    '~~~yaml settings\nquery: { gone: null }\n~~~\n\n~~~http\nGET /x?own=1{&page}#top\n~~~\n\n~~~form query\nq = {nasty}\nlang = de\n~~~',
    settings.replace('variables: {', 'variables: { page: 7,'),
  );
  assert.equal(
    request.url,
    'http://skerry.example/v1/x?own=1&page=7&state=free&state=taken&a%20b=0417&q=a%26b%20%22c%22%20%3Cd%3E%20%C3%BC&lang=de#top',
  );
});

test('authorization at its levels; the nearest counts, none takes it away', async () => {
  const rows: [settings: string, fences: string, header: string[]][] = [
    ['auth: { bearer: "t-{berth}" }\n', '', ['Bearer t-0417']],
    [
      'auth: { basic: { user: ä, password: "p:{nights}" } }\n',
      '',
      [`Basic ${Buffer.from('ä:p:2').toString('base64')}`],
    ],
    ['auth: { bearer: x }\n', '~~~yaml settings\nauth: none\n~~~\n\n', []],
    ['auth: { bearer: x }\n', '~~~yaml settings\nauth: null\n~~~\n\n', []],
    ['headers: { Authorization: Bearer x }\n', '~~~yaml settings\nauth: none\n~~~\n\n', []],
    [
      'headers: { Authorization: Bearer x }\n',
      '~~~yaml settings\nauth: { bearer: y }\n~~~\n\n',
      ['Bearer y'],
    ],
    ['auth: { bearer: x }\n', '~~~yaml settings\nheaders: { authorization: Tide 7 }\n~~~\n\n', ['Tide 7']],
    ['auth: { digest: { user: u, password: p } }\n', '', []],
  ];
  for (const [settings, fences, expected] of rows) {
    const request = await sentFor(`${fences}~~~http\nGET /x\n~~~`, settings + variables);
    assert.deepEqual(header(request, 'authorization'), expected, settings + fences);
  }
  const own = await sentFor('~~~http\nGET /x\nAuthorization: own\n~~~', 'auth: { bearer: x }\n');
  assert.deepEqual(header(own, 'authorization'), ['own']);
  const key = (place: string) =>
    sentFor(
      '~~~http\nGET /x?a=1\nCookie: a=1\n~~~',
      `auth: { api-key: { name: quay-key, value: k/1, in: ${place} } }\n`,
    );
  const inHeader = await key('header');
  assert.deepEqual(header(inHeader, 'quay-key'), ['k/1']);
  assert.ok(inHeader.credentials.has('quay-key'));
  assert.equal((await key('query')).url, 'http://skerry.example/v1/x?a=1&quay-key=k%2F1');
  assert.deepEqual(header(await key('cookie'), 'cookie'), ['a=1; quay-key=k/1']);
  const digest = await sentFor('~~~http\nGET /x\n~~~', 'auth: { digest: { user: u, password: p } }\n');
  assert.deepEqual(digest.auth, { kind: 'digest', user: 'u', password: 'p' });
  const oauth = await sentFor(
    '~~~http\nGET /x\n~~~',
    'auth: { oauth2: { flow: client-credentials, token-url: "http://skerry.example/{berth}", client-id: a, client-secret: b } }\nvariables: { berth: "0417" }\n',
  );
  assert.equal(
    oauth.auth?.kind === 'oauth2' && oauth.auth.fields.get('token-url'),
    'http://skerry.example/0417',
  );
});

test('how requests go out is set level by level', async () => {
  const request = await sentFor(
    '~~~yaml settings\nredirects: 0\nretry: { times: 1 }\nproxy: null\nlimits: { body: 20 kB }\n~~~\n\n~~~http\nGET /x\n~~~',
    'redirects: 9\nproxy: http://{berth}.example:1\ntls: { ca: own/authority.pem, verify: false }\ntimeout: 3 s\nvariables: { berth: quay }\n',
  );
  const { redirects, retry, proxy, limits, tls, timeout, jar } = request;
  assert.deepEqual(
    { redirects, retry, proxy, limits, tls, timeout, jar: jar !== undefined },
    {
      redirects: 0,
      retry: { times: 1, every: 500, on: ['refused', 'timeout', 'reset', '5xx', '429'], anyMethod: true },
      proxy: undefined,
      limits: { ...defaultTransport.limits, body: 20_000 },
      tls: { ca: 'own/authority.pem', verify: false },
      timeout: { total: 3000 },
      jar: true,
    },
  );
  const outer = await sentFor(
    '~~~http\nGET /x\n~~~',
    'proxy: http://{q}.example\ncookies: false\nretry: { on: [429] }\nvariables: { q: a }\n',
  );
  assert.deepEqual(
    [outer.proxy, outer.jar, (outer.retry as { anyMethod: boolean }).anyMethod],
    ['http://a.example', undefined, false],
  );
});

test('what keeps a request from being made is told at its place', async () => {
  for (const [page = '', ...expected] of unmade!.rows) {
    const texts = { 'mervok.yaml': `${root}checks: status = 200\n`, 'a.md': page };
    const { findings } = await planOf(texts, { hasFile: () => false });
    assert.deepEqual(told(findings).sort(), expected.sort(), page);
  }
});

test('settings of requests that have the wrong form', async () => {
  for (const [settings = '', expected, says = ''] of misshapen!.rows) {
    const { findings } = await planOf({ 'mervok.yaml': settings });
    assert.equal(told(findings)[0], `mervok.yaml:${expected}`, settings);
    assert.match(`${findings[0]!.message} ${findings[0]!.remedy}`, new RegExp(says), settings);
  }
  const { findings } = await planOf({
    'mervok.yaml': `${root}tls: { verify: false }\n`,
    'a.md': '# A\n\n~~~http\nGET /x\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n',
  });
  assert.deepEqual(told(findings), ['mervok.yaml:2:6 tls-unverified']);
});
