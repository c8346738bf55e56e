import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { test } from 'node:test';
import { digestHeader, readDigestChallenge } from '../../src/platform/auth/digest/digest-header.ts';
import { openDriver } from '../support/driver.ts';
import { closedPort, serve } from '../support/server.ts';

const { send, sendAll } = await openDriver();

test('the examples of RFC 7616: MD5, SHA-256, a hashed user', () => {
  const request = { method: 'GET', uri: '/dir/index.html', body: Buffer.alloc(0) };
  const credentials = { kind: 'digest', user: 'Mufasa', password: 'Circle of Life' } as const;
  const rest =
    'nonce="7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", opaque="FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"';
  const clientNonce = 'f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ';
  const answer = (algorithm: string) =>
    digestHeader(
      readDigestChallenge([
        [
          'WWW-Authenticate',
          `Digest realm="http-auth@example.org", qop="auth", algorithm=${algorithm}, ${rest}`,
        ],
      ])!,
      credentials,
      request,
      { count: 1, clientNonce },
    );
  assert.match(answer('MD5'), /response="8ca523f5e9506fed4657c9700eebdbec"/);
  assert.match(
    answer('SHA-256'),
    /response="753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1"/,
  );
  const hashed = readDigestChallenge([
    [
      'WWW-Authenticate',
      'Digest realm="api@example.org", qop="auth", algorithm=SHA-512-256, nonce="5TsQWLVdgBdmrQ0XsxbDODV+57QdFR34I9HAbC/RVvkK", opaque="HRPCssKJSGjCrkzDg8OhwpzCiGPChXYjwrI2QmXDnsOS", charset=UTF-8, userhash=true',
    ],
  ])!;
  const told = digestHeader(
    hashed,
    { kind: 'digest', user: 'Jäsøn Doe', password: 'Secret, or not?' },
    { method: 'GET', uri: '/doe.json', body: Buffer.alloc(0) },
    { count: 1, clientNonce: 'NTg6RKcb9boFIAS3KrFK9BGeh+niz/sm' },
  );
  assert.match(told, /username="793263caabb707a56211940d90411ea4a575adeccb7e360aeb624ed06ece9b0b"/);
  assert.match(told, /userhash=true/);
});

test('of several challenges the strongest is answered, others are passed over', () => {
  const challenge = readDigestChallenge([
    ['WWW-Authenticate', 'Basic realm="a, b", Digest realm="quay \\"one\\"", nonce="n1", algorithm=MD5'],
    [
      'www-authenticate',
      'Digest realm="quay", nonce="n2", algorithm=SHA-256, qop="auth, auth-int", stale=TRUE',
    ],
  ])!;
  assert.deepEqual(
    [challenge.realm, challenge.nonce, challenge.algorithm, challenge.protection, challenge.stale],
    ['quay', 'n2', 'SHA-256', 'auth-int', true],
  );
  assert.equal(readDigestChallenge([['WWW-Authenticate', 'Basic realm="Digest"']]), undefined);
  assert.equal(
    readDigestChallenge([['WWW-Authenticate', 'Digest realm="x", nonce="n", algorithm=TIDE']]),
    undefined,
  );
  const algorithmOf = (said: string) =>
    readDigestChallenge([['WWW-Authenticate', `Digest realm="x", nonce="n"${said}`]])?.algorithm;
  assert.deepEqual(
    ['', ', algorithm=md5', ', algorithm=-sess', ', algorithm=SHA-256-sess', ', algorithm=xMD5'].map(
      algorithmOf,
    ),
    [undefined, 'md5', undefined, 'SHA-256-sess', undefined],
  );
});

/** A server that checks digest answers on its own. */
function digestChecker({ algorithm, qop }: { algorithm: string; qop: string | undefined }) {
  const hash = (text: string) =>
    createHash(algorithm === 'MD5' ? 'md5' : 'sha256')
      .update(text)
      .digest('hex');
  const counts: string[] = [];
  return {
    counts,
    challenge: `Digest realm="harbour", nonce="n-1"${qop ? `, qop="${qop}"` : ''}, algorithm=${algorithm}`,
    accepts({ method, headers }: IncomingMessage, body: string): boolean {
      const given = new Map(
        [...(headers.authorization ?? '').matchAll(/([\w*]+)=(?:"([^"]*)"|([^,\s]+))/g)].map(
          ([, name, quoted, bare]) => [name!, quoted ?? bare!],
        ),
      );
      if (!given.has('response')) return false;
      counts.push(given.get('nc') ?? '');
      const what = hash(
        `${method}:${given.get('uri')}${given.get('qop') === 'auth-int' ? `:${hash(body)}` : ''}`,
      );
      const account = hash('pilot:harbour:tide');
      const middle = qop ? `n-1:${given.get('nc')}:${given.get('cnonce')}:${given.get('qop')}` : 'n-1';
      return given.get('response') === hash(`${account}:${middle}:${what}`);
    },
  };
}

test('a digest challenge is answered, and the answer used again', async t => {
  for (const [algorithm, qop] of [
    ['MD5', undefined],
    ['MD5', 'auth'],
    ['SHA-256', 'auth'],
    ['SHA-256', 'auth,auth-int'],
  ] as const) {
    const checker = digestChecker({ algorithm, qop });
    const origin = await serve(t, async (request, response) => {
      let body = '';
      for await (const chunk of request) body += chunk;
      if (checker.accepts(request, body)) response.end('aboard');
      else response.writeHead(401, { 'WWW-Authenticate': checker.challenge }).end();
    });
    const auth = { kind: 'digest', user: 'pilot', password: 'tide' } as const;
    const more = { auth, method: 'POST', body: ['{"crate":1}'] };
    const first = await sendAll(`${origin}/area?a=1`, more);
    assert.deepEqual(
      first.exchanges.map(({ response, cause }) => [response!.status, cause]),
      [
        [401, undefined],
        [200, 'challenge'],
      ],
      `${algorithm} ${qop}`,
    );
    const second = await sendAll(`${origin}/area?a=2`, more);
    assert.equal(second.exchanges.length, 1, 'the second request is answered for in advance');
    const bodiless = await sendAll(`${origin}/area`, { auth });
    assert.equal(bodiless.exchanges.at(-1)!.response!.status, 200);
    if (qop) assert.deepEqual(checker.counts, ['00000001', '00000002', '00000003']);
    const wrong = await sendAll(origin, { auth: { ...auth, password: 'ebb' } });
    assert.deepEqual(
      wrong.exchanges.map(({ response }) => response!.status),
      [401, 401],
      'refused, it gives up',
    );
  }
  const basic = await serve(t, (_request, response) =>
    response.writeHead(401, { 'WWW-Authenticate': 'Basic realm="harbour"' }).end(),
  );
  const { exchanges } = await sendAll(basic, { auth: { kind: 'digest', user: 'pilot', password: 'tide' } });
  assert.deepEqual(
    exchanges.map(({ response }) => response!.status),
    [401],
    'what cannot be answered is not',
  );
});

test('a challenge is answered once, and anew where it is another one; nothing but a refusal is', async t => {
  let [asked, isLate] = [0, false];
  const origin = await serve(t, (request, response) => {
    asked++;
    const challenge = `Digest realm="harbour", nonce="n-${isLate ? asked : 1}"`;
    const isRight = isLate && request.headers.authorization?.includes(`nonce="n-${asked - 1}"`);
    const status = request.url === '/open' || isRight ? 200 : 401;
    response.writeHead(status, { 'WWW-Authenticate': challenge }).end();
  });
  const statuses = async (path: string) => {
    const auth = { kind: 'digest', user: 'pilot', password: 'tide' } as const;
    const { exchanges } = await sendAll(origin + path, { auth });
    return exchanges.map(({ response }) => response!.status);
  };
  const digest = { kind: 'digest', user: 'pilot', password: 'tide' } as const;
  const nobody = await send(`http://127.0.0.1:${await closedPort()}/`, { auth: digest });
  assert.equal(nobody.fault?.kind, 'refused');
  assert.ok(!('connection' in nobody));
  assert.deepEqual(await statuses('/open'), [200]);
  assert.deepEqual(await statuses('/a'), [401, 401]);
  assert.deepEqual(await statuses('/a'), [401], 'the same challenge again: the password is wrong');
  isLate = true;
  assert.deepEqual(await statuses('/a'), [401, 200]);
  assert.deepEqual(await statuses('/a'), [401, 200], 'another challenge: the old one had run out');
});

test('a token is fetched once, shared, renewed before it runs out, and told as an exchange', async t => {
  const asked: string[] = [];
  let [served, fails, life] = [0, false, 3600];
  const origin = await serve(t, async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    if (request.url !== '/token') {
      response.end(request.headers.authorization);
      return;
    }
    asked.push(`${request.headers.authorization} ${body}`);
    response.setHeader('Content-Type', 'application/json');
    if (fails) response.writeHead(401).end('{"error":"invalid_client","error_description":"nobody here"}');
    else
      response.end(
        JSON.stringify({
          access_token: `token-${++served}`,
          token_type: 'Bearer',
          expires_in: life,
          refresh_token: `refresh-${served}`,
          ...(life < 3600 && { id_token: 'id-of-the-pilot' }),
        }),
      );
  });
  let now = Date.UTC(2026, 10, 23);
  const later = await openDriver({ now: () => now });
  const fields = new Map([
    ['token-url', `${origin}/token`],
    ['client-id', 'pilot boat'],
    ['client-secret', 's:1'],
    ['scope', 'berths read'],
  ]);
  const auth = { kind: 'oauth2', flow: 'client-credentials', fields } as const;
  const both = await Promise.all([
    later.sendAll(`${origin}/a`, { auth }),
    later.sendAll(`${origin}/b`, { auth }),
  ]);
  assert.deepEqual(asked.splice(0), [
    `Basic ${Buffer.from('pilot+boat:s%3A1').toString('base64')} scope=berths+read&grant_type=client_credentials`,
  ]);
  assert.deepEqual(
    both.map(({ exchanges }) => exchanges.map(({ cause, response }) => `${cause} ${response!.status}`)),
    [['token 200', 'undefined 200'], ['undefined 200']],
  );
  assert.deepEqual(both[0].secrets, ['token-1', 'refresh-1']);
  const { response } = await later.send(origin, { auth });
  assert.equal(Buffer.from(response!.body).toString(), 'Bearer token-1');
  now += 3_590_000;
  assert.equal(Buffer.from((await later.send(origin, { auth })).response!.body).toString(), 'Bearer token-2');

  const withPassword = new Map([...fields, ['user', 'u'], ['password', 'p'], ['client-auth', 'body']]);
  await send(origin, { auth: { kind: 'oauth2', flow: 'password', fields: withPassword } });
  assert.match(asked.at(-1)!, /^undefined .*username=u&password=p.*grant_type=password/);
  assert.match(asked.at(-1)!, /client_id=pilot\+boat&client_secret=s%3A1/);
  const refreshing = {
    kind: 'oauth2',
    flow: 'refresh-token',
    fields: new Map([...fields, ['refresh-token', 'first']]),
  } as const;
  await later.send(origin, { auth: refreshing });
  assert.match(asked.at(-1)!, /refresh_token=first/);
  now += 3_590_000;
  await later.send(origin, { auth: refreshing });
  assert.match(
    asked.at(-1)!,
    /refresh_token=refresh-4/,
    'a new refresh token takes the place of the old one',
  );

  life = 100;
  const short = { ...auth, fields: new Map([...fields, ['audience', 'short']]) };
  const token = async () => {
    const { exchanges, secrets } = await later.sendAll(origin, { auth: short });
    return [exchanges.length, ...(secrets ?? [])];
  };
  assert.deepEqual(await token(), [2, `token-${served}`, `refresh-${served}`, 'id-of-the-pilot']);
  now += 89_000;
  assert.deepEqual(await token(), [1]);
  now += 1500;
  assert.equal((await token())[0], 2, 'a tenth before it runs out it is renewed');

  fails = true;
  const refused = await sendAll(origin, { auth });
  assert.equal(refused.exchanges.at(-1)!.fault!.kind, 'unsendable');
  assert.match(
    refused.exchanges.at(-1)!.fault!.message,
    /No token from .*\/token: its status is 401, invalid_client, nobody here\. Are the names and secrets/,
  );
  fails = false;
  assert.equal((await send(origin, { auth })).response?.status, 200, 'the next one tries anew');
});

test('a client without a secret tells its name alone; what is no answer of OAuth is told; a proxy is asked for tokens too', async t => {
  const asked: string[] = [];
  const origin = await serve(t, async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    asked.push(`${request.url} ${request.headers.authorization} ${body}`);
    if (request.method === 'POST') assert.equal(request.headers['user-agent'], 'mervok');
    if (request.url === '/empty') response.writeHead(204).end();
    else if (request.url === '/text') response.end('tide');
    else if (request.url === '/moved') response.writeHead(307, { Location: '/token' }).end();
    else
      response
        .setHeader('Content-Type', 'application/json')
        .end('{"access_token":"t","token_type":"Bearer"}');
  });
  const fields = (more: { [name: string]: string }) =>
    new Map(Object.entries({ 'token-url': `${origin}/token`, 'client-id': 'pilot', ...more }));
  const auth = (more: { [name: string]: string }) =>
    ({ kind: 'oauth2', flow: 'client-credentials', fields: fields(more) }) as const;
  await send(origin, { auth: auth({}) });
  assert.equal(asked[0], '/token undefined grant_type=client_credentials&client_id=pilot');
  // Without a time it is kept for good.
  await send(origin, { auth: auth({}) });
  assert.deepEqual(asked.slice(1), ['/ Bearer t ', '/ Bearer t ']);
  await send(origin, { auth: auth({ 'client-secret': 's', 'client-auth': 'none' }) });
  assert.match(asked.at(-2)!, /^\/token undefined grant_type=client_credentials&client_id=pilot$/);
  await send(origin, { auth: auth({ scope: 'berths', audience: 'harbour' }) });
  assert.match(
    asked.at(-2)!,
    / scope=berths&audience=harbour&grant_type=client_credentials&client_id=pilot$/,
  );
  const refreshing = { ...auth({ 'refresh-token': 'r-1' }), flow: 'refresh-token' } as const;
  await send(origin, { auth: refreshing });
  assert.match(asked.at(-2)!, / refresh_token=r-1&grant_type=refresh_token&client_id=pilot$/);
  const wrong = async (url: string) =>
    (await send(origin, { auth: auth({ 'token-url': url }) })).fault!.message;
  assert.match(
    await wrong(`${origin}/text`),
    /^No token from .*\/text: its status is 200, and its answer is none of OAuth 2\.0 \(.*(?:JSON|json).*\)\.$/,
  );
  assert.match(
    await wrong(`${origin}/empty`),
    /: its status is 204, and its answer is none of OAuth 2\.0 \((?!.*[Ii]nvalid response status).*\)\.$/,
  );
  assert.match(await wrong(`${origin}/moved`), /: its status is 307/);
  assert.match(
    await wrong('http://'),
    /^The 'token-url' of 'auth' is no address that can be called: 'http:\/\/'\.$/,
  );
  assert.match(await wrong('ftp://skerry.example'), /is no address that can be called/);
  assert.match(
    await wrong(`http://127.0.0.1:${await closedPort()}/t`),
    /^No token from .*: No connection to .*refused/,
  );
  asked.length = 0;
  await send('http://skerry.example/x', {
    auth: auth({ 'token-url': 'http://office.example/token' }),
    proxy: origin,
  });
  assert.deepEqual(
    asked.map(line => line.split(' ')[0]),
    ['http://office.example/token', 'http://skerry.example/x'],
  );
});
