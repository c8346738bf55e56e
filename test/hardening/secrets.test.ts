import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { unzipSync } from 'fflate';
import { endings } from '../../src/reports/endings.ts';
import { folderWith } from '../support/folder.ts';
import { textOfPdf } from '../support/pdf.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

/** Characters that are written differently in every place. */
const secret = `s3a "&<>' é~*!/+(x)`;
const token = 'tok/en+4711==';
const told = 'told-"once"&only';
const badge = 'badge-0471<1>';

const forms = (text: string) => {
  const json = JSON.stringify(text).slice(1, -1);
  const bytes = Buffer.from(text);
  const inBase64 = [0, 1, 2].map(shift =>
    Buffer.concat([Buffer.alloc(shift, 0x61), bytes, Buffer.alloc(3, 0x61)])
      .toString('base64')
      .slice(4, -8),
  );
  return [
    text,
    json,
    JSON.stringify(json).slice(1, -1),
    encodeURIComponent(text),
    new URLSearchParams([['', text]]).toString().slice(1),
    text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;'),
    text
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('>', '&gt;')
      .replaceAll('"', '&quot;')
      .replaceAll("'", '&apos;'),
    bytes.toString('hex'),
    ...inBase64,
  ];
};

/** What a report says, where its bytes are not it. */
function textOfReport(bytes: Buffer, file: string): string {
  if (file.endsWith('.pdf')) return textOfPdf(bytes);
  if (!file.endsWith('.xlsx')) return bytes.toString('utf8');
  return Object.values(unzipSync(bytes))
    .map(part => Buffer.from(part).toString('utf8'))
    .join('\n');
}

const kase = (title: string, settings: string, request: string, body = '') =>
  `## ${title}\n\n\`\`\`yaml settings\n${settings || 'title: x'}\n\`\`\`\n\n\`\`\`http\n${request}\n\`\`\`\n\n${body === '' ? '' : `\`\`\`${body}\n\`\`\`\n\n`}\`\`\`mervok\n$.never = {word}\nsent body = "x"\nsent url = "x"\n\`\`\`\n\n`;

test('a secret reaches no output, wherever it goes and however it comes back', async t => {
  const seen: string[] = [];
  const origin = await serve(t, async (request, response) => {
    let body = '';
    for await (const chunk of request) body += chunk;
    const echo = `${request.url} ${Object.values(request.headers).join(' ')} ${body}`;
    seen.push(echo);
    if (request.url === '/told') {
      response.setHeader('Content-Type', 'application/json').end(JSON.stringify({ word: told }));
      return;
    }
    if (request.url === '/token') {
      response.writeHead(200, { 'Content-Type': 'application/json' });
      response.end(JSON.stringify({ access_token: token, token_type: 'bearer' }));
      return;
    }
    // Whoever comes with the token hears it again.
    const again = request.headers.authorization?.includes(token) ? token : '';
    if (request.httpVersion === '1.1')
      response.writeEarlyHints({ link: '</a>', 'x-word': encodeURIComponent(secret) });
    const challenge = request.url === '/digest' && !request.headers.authorization;
    response.writeHead(challenge ? 401 : 200, {
      'Content-Type': 'application/json',
      'X-Echo': encodeURIComponent(echo),
      'X-Token': again,
      Trailer: 'X-Behind',
      'Set-Cookie': `sid=${encodeURIComponent(secret)}`,
      ...(challenge && { 'WWW-Authenticate': 'Digest realm="r", nonce="n", qop="auth"' }),
    });
    const base64 = Buffer.from(echo).toString('base64');
    response.write(' ');
    response.addTrailers({ 'X-Behind': encodeURIComponent(secret) });
    response.end(JSON.stringify({ echo, base64, hex: Buffer.from(secret).toString('hex'), again }));
  });
  const oauth = (auth: string) =>
    `auth: { oauth2: { flow: client-credentials, token-url: "${origin}/token", client-id: c, client-secret: "{word}", client-auth: ${auth} } }`;
  const page = [
    kase('Header', '', 'GET /\nX-Word: {coded}'),
    kase('Query', 'query: { w: "{word}" }', 'GET /{word}?a={word}', 'form query\nb = {word}'),
    kase('JSON', '', 'POST /', 'json body\n{"a": {word}, "b": "x{word}y"}'),
    kase('XML', '', 'POST /', 'xml body\n<a b="{word}">{word}</a>'),
    kase('Form', '', 'POST /', 'form body\na = {word}'),
    kase('YAML', '', 'POST /', 'yaml body\na: {word}\nb: "{word}"'),
    kase('Multipart', '', 'POST /', 'multipart body\na = {word}'),
    kase('Graph', '', 'POST /', 'graphql body\n{ a }\n```\n\n```json variables\n{"w": {word}}'),
    kase('Basic', 'auth: { basic: { user: keeper, password: "{word}" } }', 'GET /'),
    kase('Digest', 'auth: { digest: { user: keeper, password: "{word}" } }', 'GET /digest'),
    kase('Key', 'auth: { api-key: { name: k, value: "{word}", in: query } }', 'GET /'),
    kase('Key as header', 'auth: { api-key: { name: X-Key, value: "{coded}", in: header } }', 'GET /'),
    kase('Token', oauth('basic'), 'GET /'),
    kase('Token by body', oauth('body'), 'GET /'),
    kase('Bearer', 'auth: { bearer: "{coded}" }', 'GET /'),
    kase('File and computed', '', 'POST /\nX-Kept: {kept}', 'text body\n{kept} {made}'),
    kase('Environment', '', 'GET /{badge}\nX-Badge: {badge}'),
    kase('Cookie', 'auth: { api-key: { name: pass, value: "{coded}", in: cookie } }', 'GET /'),
    kase('Cookie as header', '', 'GET /\nCookie: pass={coded}'),
    '## Keep\n\n```http\nGET /told\n```\n\n```mervok\nstatus = 200\nkeep $.word as secret told\n```\n\n',
    kase('Kept', '', 'POST /{told}\nX-Told: {told}', 'json body\n{"told": {told}}'),
    '## Row\n\n```mervok\neach row of people\n```\n\n```http\nPOST /{pin}\n\n{pin}\n```\n\n```mervok\nstatus = 404\nsent body = "x"\n```\n\n',
  ].join('');
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\nvariables:\n  coded: { secret: "plain-0417-word" }\n  kept: { file: kept.txt, secret: true }\n  badge: { os: HARBOUR_BADGE, secret: true }\n  made: { let: 'join([{kept}, "-made"], "")' }\n  pin: { secret: none-at-all }\nenvironments: { local: {}, staging: { coded: { secret: "plain-0417-word" } } }\n`,
    'kept.txt': 'kept-in-a-file\n',
    'mervok.secret.yaml': `variables:\n  word: ${JSON.stringify(secret)}\n`,
    'page.md': `# Secrets\n\n\`\`\`csv rows people\npin\npin-of-a-row\n\`\`\`\n\n${page}`,
  });
  const files = endings.map(ending => `out/r${ending}`);
  const environment = { HARBOUR_BADGE: badge };
  const asked = ['run', ...files.flatMap(file => ['-o', file])];
  const run = await mervok(folder, asked, environment);
  assert.equal(run.code, 1);
  assert.match(run.out, /Failed: 21 cases/);
  const outputs = new Map([['run', run.out + run.err]]);
  for (const file of files) outputs.set(file, textOfReport(readFileSync(join(folder, file)), file));
  // A report that is made later is made from the record alone.
  await mervok(folder, ['report', 'last', ...files.flatMap(file => ['-o', file.replace('out', 'later')])]);
  for (const file of files)
    outputs.set(
      `later ${file}`,
      textOfReport(readFileSync(join(folder, file.replace('out', 'later'))), file),
    );
  for (const words of [
    ['send', 'page.md#json'],
    ['send', 'page.md#token', '--raw'],
    ['send', 'page.md#basic', '--pick', '$.echo'],
    ['pick', '$'],
    ['pick', 'sent url'],
    ['show', 'page.md'],
    ['vars'],
    ['vars', 'page.md#key'],
    ['lint'],
    ['list', '--json'],
    ['graph', '--as', 'svg'],
    ['run', '--verbose'],
    ['run', '--json'],
    ['run', '--log', 'out/run.log', '--seed', 'x'],
    ['runs', '--json'],
    ['compare'],
    ['vars', '--compare', 'local', 'staging'],
  ]) {
    const { out, err } = await mervok(folder, words, environment);
    assert.ok((out + err).length > 20, words.join(' '));
    outputs.set(words.join(' '), out + err);
  }
  outputs.set('run.log', readFileSync(join(folder, 'out/run.log'), 'utf8'));
  for (const file of readdirSync(join(folder, '.mervok/runs')))
    outputs.set(file, readFileSync(join(folder, '.mervok/runs', file), 'utf8'));
  outputs.set('last.json', readFileSync(join(folder, '.mervok/last.json'), 'utf8'));
  for (const each of [token, encodeURIComponent(told), encodeURIComponent(badge), 'pass=plain-0417-word'])
    assert.ok(
      seen.some(text => text.includes(each)),
      `${each} was sent`,
    );
  for (const [what, text] of outputs)
    if (/\.(?!xlsx|har|log)/.test(what))
      assert.match(text, /\[secret\]|secret/, `${what} shows where one stood`);
  for (const [what, text] of outputs)
    for (const each of [secret, token, told, badge, 'plain-0417-word', 'kept-in-a-file', 'pin-of-a-row'])
      for (const form of forms(each)) assert.ok(!text.includes(form), `${what} holds ${form}`);
});
