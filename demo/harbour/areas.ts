import { createHash, randomBytes } from 'node:crypto';
import type { TLSSocket } from 'node:tls';
import { type Answer, type Call, Problem, type Route } from './http.ts';
import type { Office } from './office.ts';

/** Places that want to know who asks, each in another way. */
export function areasOf(office: Office): Route[] {
  return [
    ...customsTariffs(office),
    ...pilotHouse(office),
    ...lighthouse(office),
    ...pilots(office),
    ...ledger(office),
  ];
}

/** A key, in a header, the query or a cookie. */
function customsTariffs({ books }: Office): Route[] {
  const requireKey = ({ request, query }: Call) => {
    const key =
      request.headers['x-harbour-key'] ?? query.get('harbour-key') ?? cookiesOf(request).get('harbour-key');
    if (key !== 'gull-and-anchor') throw new Problem(401, 'No key', 'A key of the customs office is needed.');
  };
  return [
    {
      method: 'GET',
      path: '/v1/customs/tariffs',
      answer: call => {
        requireKey(call);
        return {
          status: 200,
          body: {
            currency: 'SKC',
            tariffs: books.tariffs,
          },
        };
      },
    },
  ];
}

/** A form to sign in, a cookie from then on. */
function pilotHouse(office: Office): Route[] {
  const sessions = new Map<string, string>();
  const sessionOf = ({ request }: Call) => cookiesOf(request).get('watch');
  return [
    {
      method: 'POST',
      path: '/v1/pilot-house/watch',
      answer: ({ bytes, request }) => {
        const form = new URLSearchParams(bytes.toString('utf8'));
        if (!/urlencoded/.test(request.headers['content-type'] ?? '') || form.get('word') !== 'ebb & flow')
          throw new Problem(403, 'Not let in', 'The word is wrong.');
        const id = randomBytes(9).toString('base64url');
        sessions.set(id, form.get('pilot') ?? '');
        return {
          status: 303,
          headers: {
            Location: 'watch',
            'Set-Cookie': [`watch=${id}; Path=/v1/pilot-house; HttpOnly`, 'tide=high; Path=/'],
          },
        };
      },
    },
    {
      method: 'GET',
      path: '/v1/pilot-house/watch',
      answer: call => {
        const pilot = sessions.get(sessionOf(call) ?? '');
        if (pilot === undefined) throw new Problem(401, 'Not on watch', 'Nobody is on watch.');
        return { status: 200, body: { pilot, since: new Date().toISOString() } };
      },
    },
    {
      method: 'DELETE',
      path: '/v1/pilot-house/watch',
      answer: call => {
        if (!office.has('open-door')) sessions.delete(sessionOf(call) ?? '');
        return { status: 204 };
      },
    },
  ];
}

/** Digest authorization (RFC 7616) that protects the body too. */
function lighthouse({ books }: Office): Route[] {
  const realm = 'lighthouse';
  const nonces = new Set<string>();
  const sha256 = (text: string | Buffer) => createHash('sha256').update(text).digest('hex');
  const requireAnswer = ({ request, bytes }: Call) => {
    const given = new Map(
      [...(request.headers.authorization ?? '').matchAll(/(\w+)=(?:"([^"]*)"|([^,\s]+))/g)].map(
        ([, name, quoted, bare]): [string, string] => [name!, quoted ?? bare!],
      ),
    );
    const part = (name: string) => given.get(name) ?? '';
    const account = sha256(`keeper:${realm}:lamp-oil`);
    const what = sha256(`${request.method}:${part('uri')}:${sha256(bytes)}`);
    const middle = ['nonce', 'nc', 'cnonce', 'qop'].map(part).join(':');
    if (nonces.has(part('nonce')) && part('response') === sha256(`${account}:${middle}:${what}`)) return;
    const nonce = randomBytes(12).toString('hex');
    nonces.add(nonce);
    throw new Problem(401, 'Not the keeper', 'Only the keeper reads and writes the log.', {
      'WWW-Authenticate': `Digest realm="${realm}", nonce="${nonce}", algorithm=SHA-256, qop="auth-int"`,
    });
  };
  const entries = [...books.log];
  return [
    {
      method: 'GET',
      path: '/v1/lighthouse/log',
      answer: call => {
        requireAnswer(call);
        return { status: 200, body: { entries } };
      },
    },
    {
      method: 'POST',
      path: '/v1/lighthouse/log',
      answer: call => {
        requireAnswer(call);
        entries.push(call.bytes.toString('utf8'));
        return {
          status: 201,
          headers: { Location: '/v1/lighthouse/log' },
          body: { entries: entries.length },
        };
      },
    },
  ];
}

/** A token endpoint of OAuth 2.0 (RFC 6749), and what its tokens open. */
function pilots({ books }: Office): Route[] {
  const tokens = new Set<string>();
  const refreshers = new Set<string>(['first-refresh']);
  const issue = (refreshable: boolean): Answer => {
    const token = `pilot-${randomBytes(9).toString('hex')}`;
    const refresh = `again-${randomBytes(9).toString('hex')}`;
    tokens.add(token);
    refreshers.add(refresh);
    return {
      status: 200,
      headers: { 'Cache-Control': 'no-store' },
      body: {
        access_token: token,
        token_type: 'Bearer',
        expires_in: 600,
        ...(refreshable && { refresh_token: refresh }),
      },
    };
  };
  return [
    {
      method: 'POST',
      path: '/v1/token',
      answer: ({ request, bytes }) => {
        const form = new URLSearchParams(bytes.toString('utf8'));
        const basic = `Basic ${Buffer.from('pilot-office:north+star').toString('base64')}`;
        const known =
          request.headers.authorization === basic ||
          (form.get('client_id') === 'pilot-office' && form.get('client_secret') === 'north star');
        if (!known) return { status: 401, body: { error: 'invalid_client' } };
        switch (form.get('grant_type')) {
          case 'client_credentials':
            return issue(false);
          case 'password':
            return form.get('username') === 'pilot' && form.get('password') === 'spring-tide'
              ? issue(true)
              : { status: 400, body: { error: 'invalid_grant' } };
          case 'refresh_token':
            return refreshers.delete(form.get('refresh_token') ?? '')
              ? issue(true)
              : { status: 400, body: { error: 'invalid_grant' } };
          default:
            return { status: 400, body: { error: 'unsupported_grant_type' } };
        }
      },
    },
    {
      method: 'GET',
      path: '/v1/pilots',
      answer: ({ request }) => {
        const token = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1];
        if (token === undefined || !tokens.has(token))
          throw new Problem(401, 'No token', 'A token of the pilot office is needed.', {
            'WWW-Authenticate': 'Bearer realm="pilots"',
          });
        return { status: 200, body: { pilots: books.pilots.map(name => ({ name })) } };
      },
    },
  ];
}

/** A book that opens only over a safe connection, to those who show a certificate of the harbour's authority. */
function ledger({ books }: Office): Route[] {
  return [
    {
      method: 'GET',
      path: '/v1/ledger',
      answer: ({ request }) => {
        const socket = request.socket as Partial<TLSSocket>;
        if (!socket.encrypted) throw new Problem(403, 'Not safe', 'The ledger is read over TLS only.');
        const reader = socket.authorized ? socket.getPeerCertificate?.().subject.CN : undefined;
        if (reader === undefined)
          throw new Problem(403, 'Not known', 'A certificate of the harbour is needed.');
        return { status: 200, body: { reader, pages: books.ledgerPages } };
      },
    },
  ];
}

function cookiesOf(request: Call['request']): Map<string, string> {
  const pairs = (request.headers.cookie ?? '').split(';').map(pair => pair.trim().split('='));
  return new Map(pairs.map(([name = '', value = '']) => [name, value]));
}
