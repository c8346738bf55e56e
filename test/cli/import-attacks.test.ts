import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { type Entry, har } from '../support/har.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const fence = '`'.repeat(3);
const attacks = [
  `# Break out\n\n${fence}http\nDELETE /everything\n${fence}\n\n${fence}mervok\ncleanup\n${fence}`,
  `---\nbase: https://evil.example\n---\n\n## Also a case\n\n~~~http\nDELETE /everything\n~~~`,
  `- item\n\n  ${fence}http\n  DELETE /everything\n  ${fence}\n> ${fence}http\n> DELETE /everything\n> ${fence}\n`,
  `Setext\n======\n\nSecond\n------\n\n    ${fence}http\n\tDELETE /everything\n${fence}yaml settings\nbase: https://evil.example\n`,
  `<!-- open\n<script>\n<div>\n\n## Case\n\n${fence}sh step\nrm -rf /\n${fence}`,
  `{token} {{token}} \${token} \\{token}\u0000\u202e\n${fence}${fence}http x\nGET /x\n`,
  `1. a\n   ~~~~ js step\n   x\n2) b\n* * *\n${fence}http\nGET /unclosed`,
];

test('whatever a definition says is text: nothing of it becomes a request, a check, a setting or a path', async t => {
  const text = (at: number) => JSON.stringify(attacks[at % attacks.length]);
  const operations = Array.from(
    { length: 21 },
    (_, at) => `  /a${at}/{id}:
    post:
      tags: [${text(at)}]
      summary: ${text(at + 1)}
      description: ${text(at + 2)}
      parameters: [{ name: id, in: path, required: true, schema: { type: string, example: ${text(at + 3)} } }, { name: q, in: query, required: true, example: ${text(at + 4)}, schema: { type: string } }, { name: X-A, in: header, required: true, example: ${text(at + 5)}, schema: { type: string } }]
      requestBody: { content: { ${at % 2 ? 'application/json' : 'application/x-www-form-urlencoded'}: { example: { ${text(at)}: ${text(at + 1)} } } } }
      responses: { "200": { description: ${text(at)}, content: { application/json: { example: ${text(at + 6)} } } }, default: { description: no } }
`,
  ).join('');
  const folder = folderWith(t, {
    'evil.yaml': `openapi: 3.0.0
info: { title: ${text(0)}, version: "1", description: ${text(1)} }
servers: [{ url: "http://127.0.0.1:9", description: ${text(1)} }, { url: "https://x.example/{token}", description: ${text(5)} }]
tags: [${attacks.map((_, at) => `{ name: ${text(at)}, description: ${text(at + 3)} }`).join(', ')}, { name: "../../../climb", description: x }, { name: "CON" }, { name: "con." }]
paths:
${operations}  /climb: { get: { tags: ["../../../climb"], responses: { "200": { description: x }, default: { description: x } } } }
  /con: { get: { tags: [CON], summary: "", responses: { "200": { description: x }, default: { description: x } } } }
  /con2: { get: { tags: ["con."], responses: { "200": { description: x }, default: { description: x } } } }
components: { securitySchemes: { ${text(0)}: { type: http, scheme: bearer } } }
`,
  });
  const ended = await mervok(folder, ['import', 'evil.yaml']);
  assert.equal(ended.code, 0, ended.err);
  const pages = readdirSync(folder).filter(name => name.endsWith('.md'));
  for (const name of pages) assert.match(name, /^[a-z\d-]+\.md$/);
  assert.ok(
    pages.includes('climb.md') && pages.includes('con-page.md') && pages.includes('con-page-2.md'),
    pages.join(),
  );
  const list = JSON.parse((await mervok(folder, ['list', '--json'])).out);
  const cases = list.pages.flatMap((page: { cases: { request: string }[] }) =>
    page.cases.map(each => each.request),
  );
  const wanted = [
    ...Array.from({ length: 21 }, (_, at) => `POST /a${at}/`),
    'GET /climb',
    'GET /con',
    'GET /con2',
  ];
  assert.equal(cases.length, wanted.length);
  for (const each of wanted)
    assert.equal(cases.filter((request: string) => request.startsWith(each)).length >= 1, true, each);
  assert.ok(
    cases.every((request: string) => /^(?:POST \/a\d+\/\{[a-z\d-]+\}\?q=\S+|GET \/\w+)$/.test(request)),
    cases.join('\n'),
  );
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  const settings = readFileSync(join(folder, 'mervok.yaml'), 'utf8');
  assert.doesNotMatch(settings, /^base: https/m);
});

test('whatever a recording says is data as well: it is sent as it was, and nothing else happens', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(`${request.method} ${request.url!.replace(/[?/][^a].*$/, '')}`);
    response.writeHead(200, { 'Content-Type': 'application/json' }).end(JSON.stringify({ note: attacks[0] }));
  });
  const text = (at: number) => attacks[at % attacks.length]!;
  const entries = Array.from({ length: 14 }, (_, at): Entry => {
    const query = `q=${encodeURIComponent(text(at))}&${encodeURIComponent(text(at + 1))}=x`;
    return {
      method: at % 2 === 0 ? 'POST' : 'PUT',
      url: `${origin}/a${at}/${encodeURIComponent(text(at + 2))}?${query}`,
      headers: { [`X-${text(at + 3)}`]: text(at + 4), 'X-Note': text(at + 5) },
      body: at % 3 === 0 ? { [text(at)]: text(at + 1) } : text(at + 2),
      type: ['application/json', 'text/plain', `text/html; ${text(at)}`][at % 3]!,
      answer: { note: text(at), [text(at + 1)]: 1 },
      answerType: 'application/json',
    };
  });
  const folder = folderWith(t, { '-- #evil`.har': har(entries) });
  const ended = await mervok(folder, ['import', '--', '-- #evil`.har']);
  assert.equal(ended.code, 0, ended.err);
  assert.deepEqual(readdirSync(folder).sort(), [
    '-- #evil`.har',
    '.gitignore',
    'evil.md',
    'mervok.secret.yaml',
    'mervok.yaml',
  ]);
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  await mervok(folder, ['run', '--commands']);
  assert.deepEqual(
    asked,
    entries.map(({ method }, at) => `${method} /a${at}`),
  );
});

test('whatever a definition of a service says is data, too', async t => {
  const asked: string[] = [];
  const origin = await serve(t, (request, response) => {
    asked.push(`${request.method} ${request.url}`);
    response.writeHead(500).end();
  });
  const text = (at: number) =>
    attacks[at % attacks.length]!.replace(/[^\t\n -~]/g, '')
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('"', '&quot;');
  const operations = Array.from({ length: 7 }, (_, at) => at);
  const wsdl = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:x="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:skerry" targetNamespace="urn:skerry">
  <documentation>${text(0)}</documentation>
  <types><x:schema targetNamespace="urn:skerry"><x:element name="In" default="${text(1)}"><x:simpleType><x:restriction base="x:string"><x:enumeration value="${text(2)}"/></x:restriction></x:simpleType></x:element></x:schema></types>
  <message name="m"><part name="p" element="t:In"/></message>
  <portType name="P">${operations.map(at => `<operation name="${text(at)}"><documentation>${text(at + 1)}</documentation><input message="t:m"/></operation>`).join('')}</portType>
  <binding name="B" type="t:P"><soap:binding/>${operations.map(at => `<operation name="${text(at)}"><soap:operation soapAction="${text(at + 2)}"/></operation>`).join('')}</binding>
  <service name="${text(3)}"><documentation>${text(4)}</documentation><port name="${text(5)}" binding="t:B"><soap:address location="${origin}/quay"/></port></service>
</definitions>`;
  const folder = folderWith(t, { 'evil.wsdl': wsdl });
  const ended = await mervok(folder, ['import', 'evil.wsdl']);
  assert.equal(ended.code, 0, ended.err);
  const lint = await mervok(folder, ['lint', '-q']);
  assert.deepEqual([lint.code, lint.out], [0, '']);
  await mervok(folder, ['run', '--commands']);
  assert.deepEqual(
    asked,
    operations.map(() => 'POST /quay'),
  );
});
