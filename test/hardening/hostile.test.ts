import assert from 'node:assert/strict';
import { readFileSync, statSync } from 'node:fs';
import type { ServerResponse } from 'node:http';
import { join } from 'node:path';
import { test } from 'node:test';
import { createGzip } from 'node:zlib';
import { validateXML } from 'xmllint-wasm';
import { printPicked } from '../../src/cli/expression.ts';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { textOfPdf } from '../support/pdf.ts';
import { mervok } from '../support/program.ts';
import { scaled } from '../support/scale.ts';
import { serve, serveRaw } from '../support/server.ts';

const escapes =
  '\u001b]0;taken over\u0007\u001b[2J\u001b[31mred\u001b[0m\u009b31m\u0008\u0000\u007f\r\u0085\u2028\u202e';
const markup = '<script>alert(1)</script></pre></script>]]>--><img src=x onerror=alert(1)>&lt;"\'=cmd|calc';
const nasty = `${escapes}${markup}`;

/** What would move the cursor, colour the text or end a line; of them only line ends are ours. */
const control = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/;

test('markup, control characters and escape sequences in every part of a response stay text in every output', async t => {
  // Below HTTP, since the server of the runtime refuses to send such heads.
  const origin = await serveRaw(t, socket => {
    // The parser of heads lets none of the first control characters pass, but those of the second set.
    const inHead = Buffer.concat([Buffer.from([0x9b, 0x85, 0x90]), Buffer.from(markup)]);
    const body = Buffer.from(JSON.stringify({ [nasty]: nasty, list: [nasty] }) + nasty);
    socket.once('data', chunk => {
      const isJson = chunk.toString('latin1').startsWith('GET /json');
      const sent = isJson ? Buffer.from(JSON.stringify({ note: nasty, [`key${nasty}`]: 1 })) : body;
      socket.end(
        Buffer.concat([
          Buffer.from(
            `HTTP/1.1 200 OK${isJson ? '' : '\t<b>'}\r\nContent-Type: application/json\r\nX-Note: `,
          ),
          inHead,
          Buffer.from(`\r\nSet-Cookie: sid=<script>\r\nContent-Length: ${sent.length}\r\n\r\n`),
          sent,
        ]),
      );
    });
  });
  const checks =
    'status = 404\n$.note = "x"\nheader x-note = "y"\nbody contains "zz"\nkeep $.nothing as berth';
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': caseText('Object', 'GET /json', checks) + caseText('Broken', 'GET /broken', checks),
  });
  const files = ['html', 'pdf', 'md', 'xlsx', 'csv', 'json', 'ndjson', 'har', 'xml', 'tap'].map(
    e => `r.${e}`,
  );
  const run = await mervok(folder, ['run', '--verbose', ...files.flatMap(file => ['-o', file])]);
  assert.equal(run.code, 1, run.err);
  const read = (file: string) => readFileSync(join(folder, file), 'utf8');
  const outputs: [what: string, text: string][] = [['run', run.out + run.err]];
  for (const words of [
    ['report', 'last'],
    ['send', 'a.md#broken'],
    ['send', 'a.md#object'],
    ['pick', '$.note = "x"'],
    ['compare', 'last', 'last'],
  ]) {
    const { out, err } = await mervok(folder, words);
    outputs.push([words.join(' '), out + err]);
  }
  for (const [what, text] of outputs) {
    // What compares says nothing of bodies.
    assert.ok(what.startsWith('compare') ? text.length > 0 : text.includes('alert(1)'), `${what}: ${text}`);
    assert.equal(
      control.exec(text)?.[0],
      undefined,
      `${what}: ${JSON.stringify(text.slice(control.exec(text)?.index ?? 0).slice(0, 60))}`,
    );
  }
  for (const file of ['r.html', 'r.md'])
    assert.doesNotMatch(read(file).replace(/`[^`]*`|^ {4}.*$/gm, ''), /<script>alert|<img src=x/, file);
  for (const file of ['r.html', 'r.md', 'r.tap', 'r.xml', 'r.csv'])
    assert.doesNotMatch(read(file), /[\u0000-\u0008\u000b\u000c\u000e-\u001f]/, file);
  const { valid, errors } = await validateXML({
    xml: [{ fileName: 'r.xml', contents: read('r.xml') }],
    schema: [readFileSync('test/reports/schemas/junit.xsd', 'utf8')],
  });
  assert.ok(valid, JSON.stringify(errors));
  for (const file of ['r.json', 'r.har']) JSON.parse(read(file));
  for (const line of read('r.ndjson').trimEnd().split('\n')) JSON.parse(line);
  // A cell must not begin a formula.
  for (const line of read('r.csv').split('\n')) assert.doesNotMatch(line, /(?:^|,)"?[=+@]/);
  assert.ok(textOfPdf(readFileSync(join(folder, 'r.pdf'))).length > 200);
});

test('a value that is picked is as it is for a program, and harmless in a terminal', () => {
  const picked = { output: [nasty], places: [nasty], problem: nasty };
  for (const live of [false, true]) {
    let [told, said] = ['', ''];
    const terminal = { live, out: (text: string) => (told += text), err: (text: string) => (said += text) };
    printPicked(picked, terminal, new Masker());
    assert.equal(told.includes(escapes), !live);
    assert.equal(control.test(told), !live);
    assert.doesNotMatch(said, control);
  }
  process.exitCode = 0;
});

const piece = Buffer.alloc(1 << 20, ' ');
const largeMegabytes = scaled(1024, 100);

/** Answers that want to be too much, one way or another. */
const floods: { readonly [path: string]: (response: ServerResponse) => void } = {
  '/endless': response => void pour(response, Number.POSITIVE_INFINITY),
  '/large': response => void pour(response, largeMegabytes),
  '/bomb': response => {
    response.writeHead(200, { 'Content-Type': 'application/json', 'Content-Encoding': 'gzip' });
    const zip = createGzip();
    zip.pipe(response);
    response.on('close', () => zip.destroy());
    void pour(zip, scaled(1024, 300));
  },
  '/deep': response => void response.end('['.repeat(200_000)),
  '/deep-closed': response => void response.end(`${'[{"a":'.repeat(50_000)}1${'}]'.repeat(50_000)}`),
  '/entities': response => {
    const levels = Array.from({ length: 12 }, (_, at) => `<!ENTITY e${at + 1} "${`&e${at};`.repeat(10)}">`);
    response.setHeader('Content-Type', 'application/xml');
    response.end(`<!DOCTYPE a [<!ENTITY e0 "tide">${levels.join('')}]><a>&e12;</a>`);
  },
  '/headers': response => {
    for (let at = 0; at < 5000; at++) response.setHeader(`X-${at}`, 'tide '.repeat(20));
    response.end('{}');
  },
  '/pattern': response => void response.end(JSON.stringify({ note: `${'a'.repeat(50_000)}!` })),
  '/numbers': response => void response.end(`{"n":${'9'.repeat(200_000)},"e":1e99999999}`),
  '/names': response => void response.end('{"__proto__":{"status":200},"constructor":1,"toString":2}'),
  '/redirects': response => void response.writeHead(302, { Location: '/redirects' }).end(),
};

/** So many megabytes, as fast as they are taken. */
async function pour(to: NodeJS.WritableStream, megabytes: number): Promise<void> {
  let closed = false;
  let go: () => void = () => undefined;
  const close = () => {
    closed = true;
    go();
  };
  to.on('close', close)
    .on('error', close)
    .on('drain', () => go());
  for (let left = megabytes; left > 0 && !closed; left--)
    if (!to.write(piece))
      await new Promise<void>(settle => {
        go = settle;
      });
  if (!closed) to.end();
}

test('a response that is too much, one way or another, ends its case and nothing else', async t => {
  const origin = await serve(t, ({ url }, response) => {
    response.on('error', () => undefined);
    if (url === '/sound') response.setHeader('Content-Type', 'application/json').end('{"quay":"North Quay"}');
    else floods[url!]!(response);
  });
  const checks = [
    'status = 200',
    '$.quay = "North Quay"',
    'count $..[*] = 1',
    'each $..note matches /^(a+)+$/',
    'no $..[?match(@.note, "(a|a)*b")] exists',
    'xml//a = "x"',
    'html("p") = "x"',
  ];
  const sound = caseText('Sound', 'GET /sound', 'status = 200\n$.quay = "North Quay"');
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\ntimeout: 20 s\n`,
    'a.md': Object.keys(floods)
      .map(path => caseText(path.slice(1), `GET ${path}`, checks.join('\n')))
      .join('\n'),
    'b.md': sound,
  });
  const files = ['html', 'json', 'xml', 'tap', 'md', 'har', 'csv'].map(ending => `r.${ending}`);
  const run = await mervok(folder, ['run', ...files.flatMap(file => ['-o', file])], {
    NODE_OPTIONS: '--max-old-space-size=256',
  });
  assert.equal(run.code, 1, run.out + run.err);
  assert.doesNotMatch(run.out + run.err, /\n\s+at .*:\d+:\d+|heap|Maximum call stack|internal/i);
  const report = JSON.parse(readFileSync(join(folder, 'r.json'), 'utf8'));
  const outcomes = new Map<string, string>(
    report.pages.flatMap((page: { cases: { title: string; outcome: string }[] }) =>
      page.cases.map(({ title, outcome }) => [title, outcome]),
    ),
  );
  assert.equal(outcomes.size, Object.keys(floods).length + 1);
  assert.equal(outcomes.get('Sound'), 'passed');
  for (const path of Object.keys(floods))
    assert.match(outcomes.get(path.slice(1))!, /^(?:failed|error)$/, path);
  for (const [title, limit] of [
    ['endless', /larger than 10 MiB/],
    ['large', /larger than 10 MiB/],
    ['bomb', /once it is decoded \(gzip\), is larger than 10 MiB/],
    ['headers', /The head of the response/],
    ['redirects', /redirect/],
  ] as const) {
    const at = run.out.indexOf(title);
    assert.match(run.out.slice(at, at + 600).replace(/\s+(?:a\.md:\d+\s+)?/g, ' '), limit, title);
  }
  const { code, out } = await mervok(folder, ['run', 'b.md']);
  assert.equal(code, 0, out);
  // Into a file goes a body of any size, through a little memory.
  const saved = await mervok(folder, ['send', `${origin}/large`, '-o', 'large.bin'], {
    NODE_OPTIONS: '--max-old-space-size=64',
  });
  assert.equal(saved.code, 0, saved.err);
  assert.equal(statSync(join(folder, 'large.bin')).size, largeMegabytes * piece.length);
});
