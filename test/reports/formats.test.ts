import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { test } from 'node:test';
import { Ajv } from 'ajv';
import addFormats from 'ajv-formats';
import { parse } from 'csv-parse/sync';
import readSheets from 'read-excel-file/universal';
import { Parser } from 'tap-parser';
import { validateXML } from 'xmllint-wasm';
import { parse as parseYaml } from 'yaml';
import type { RunEvent } from '../../src/core/model/events.ts';
import { DurationHistogram } from '../../src/core/record/duration-histogram.ts';
import { endingOf, endings } from '../../src/reports/endings.ts';
import { percentileTexts, timesInWords } from '../../src/reports/percentiles.ts';
import { Workbook } from '../../src/reports/workbook.ts';
import { caseText, type Texts } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';
import { bytesOf, textOf } from '../support/reports.ts';

const hostile = '</script><script>alert(1)</script>]]> \u0001\u001b[31m # `\u202e \ud83d\u2028';
const texts: Texts = {
  'mervok.yaml':
    'title: "Skerry & <Harbour>"\nbase: "http://skerry.example"\nbounds: |\n  failed < 1 %\n  p95 time < 1 s\n',
  'berths.md':
    caseText('Good #1', 'GET /good?state=free&no=1', 'status = 200') +
    caseText('Bad', 'GET /bad', '"a label <&>": $.state = "free"\nkeep $.nope as berth') +
    caseText('Down', 'GET /down', 'status = 200') +
    caseText('Needs', 'GET /{berth}', 'status = 200') +
    caseText('Needs more', 'GET /{berth}', 'status = 200') +
    caseText('Skipped', 'GET /good', 'skip when status = 200\n$.a = 1') +
    '# Rows\n\nOne for each.\n\n```csv rows vessels\nname\n=1+1\n"@sum, ""a"""\n```\n```mervok\neach row of vessels\n```\n```http\nGET /{name}\n```\n```mervok\nstatus = 404\n```\n',
  'bytes.md': `${caseText('Bytes', 'GET /bytes', 'status = 200')}# Huge\n\n\`\`\`http\nPOST /huge\nContent-Type: text/plain\n\nmooring lines\n\`\`\`\n\`\`\`mervok\nstatus = 200\n\`\`\`\n`,
};
const answer: Answer = ({ url }) => {
  if (url.endsWith('/down')) return { fault: { kind: 'refused', message: `No connection. ${hostile}` } };
  if (url.endsWith('/bytes')) return { body: Buffer.from([0xff, 0xfe, 0, 1, 2, 0xc3]).toString('latin1') };
  if (url.endsWith('/huge')) return { body: 'x'.repeat(200_000) };
  return { body: { state: `taken ${hostile}` }, headers: [['X-Quay', `=HYPERLINK("x") ${hostile}`]] };
};

let ran: Promise<readonly RunEvent[]> | undefined;
/** A run in which everything is that makes reports difficult. */
function events(): Promise<readonly RunEvent[]> {
  ran ??= runTexts(texts, answer).then(({ events }) => {
    const bytes = Buffer.from([0xff, 0xfe, 0, 1]);
    // What the record keeps of a body that is no text.
    return events.map(event =>
      event.type === 'exchange' && event.request.url.endsWith('/bytes') && event.response
        ? { ...event, response: { ...event.response, body: { size: 4, base64: bytes.toString('base64') } } }
        : event,
    );
  });
  return ran;
}

const noControls = /^[^\u0000-\u0008\u000b\u000c\u000e-\u001f]*$/;

test('the ending chooses the format', () => {
  assert.equal(endingOf('out/run.XML'), '.xml');
  assert.equal(endingOf('run.ndjson'), '.ndjson');
  assert.equal(endingOf('run.pptx'), undefined);
  assert.equal(endingOf('run'), undefined);
  assert.equal(endingOf('run.constructor'), undefined);
});

test('every report of a run without any case is one too', async () => {
  const all = await events();
  // The document needs its fonts, which lie beside the built program.
  for (const ending of endings.filter(each => each !== '.pdf')) {
    const bytes = await bytesOf(ending, [all[0]!, all.at(-1)!]);
    assert.ok(bytes.length > 0, ending);
  }
});

test('JUnit is valid by the schema that CI systems go by, whatever responses hold', async () => {
  const xml = await textOf('.xml', await events());
  const schema = readFileSync('test/reports/schemas/junit.xsd', 'utf8');
  const { valid, errors } = await validateXML({
    xml: { fileName: 'run.xml', contents: xml },
    schema: [schema],
  });
  assert.ok(valid, JSON.stringify(errors.slice(0, 3)));
  assert.match(xml, noControls);
  assert.match(
    xml,
    /^<testsuites name="Skerry &amp; &lt;Harbour&gt;" tests="12" failures="4" errors="1" time="0\.040">$/m,
  );
  assert.match(xml, /<testcase name="Bad" classname="berths" time="0\.005">\n {6}<failure message="/);
  assert.match(
    xml,
    /<skipped>blocked: 'berth' did not come from berths\.md#bad, because of berths\.md#bad<\/skipped>/,
  );
  assert.match(
    xml,
    /<testcase name="failed &lt; 1 %" classname="bounds">\n {6}<failure message="failed &lt; 1 %: found 70 %|66\.7 %/,
  );
  assert.match(xml, /<testcase name="p95 time &lt; 1 s" classname="bounds"\/>/);
});

test('TAP is read as 14 by a parser of it: a point for each case and bound, reasons as YAML', async () => {
  const tap = await textOf('.tap', await events());
  assert.match(tap, noControls);
  const points: {
    ok: boolean;
    name: string;
    skip?: unknown;
    diag?: { why: { check?: string; found?: string }[] };
  }[] = [];
  const parser = new Parser();
  parser.on('assert', point => points.push(point));
  const done = new Promise<{ count: number; plan: { end: number | null } }>(resolve =>
    parser.on('complete', resolve),
  );
  parser.end(tap);
  const { count, plan } = await done;
  assert.equal(count, plan.end);
  assert.equal(count, 12);
  assert.deepEqual(
    points.map(({ ok, skip }) => (skip ? 'skip' : ok ? 'ok' : 'not ok')),
    ['ok', 'not ok', 'not ok', 'skip', 'skip', 'skip', 'not ok', 'not ok', 'ok', 'ok', 'not ok', 'ok'],
  );
  const [block] = /(?<=^ {2}---\n)[\s\S]*?(?=^ {2}\.\.\.$)/m.exec(tap)!;
  const { why } = parseYaml(block);
  assert.deepEqual([why[0].check, why[0].line], ['$.state = "free"', 18]);
});

test('HTTP Archive is valid by its schema, faults and bytes included', async () => {
  const har = JSON.parse(await textOf('.har', await events()));
  const schemas = createRequire(import.meta.url)('har-schema') as { [name: string]: object };
  const ajv = new Ajv({ strict: false, schemas: Object.values(schemas), meta: false, validateSchema: false });
  addFormats.default(ajv);
  const validate = ajv.getSchema('har.json#')!;
  assert.ok(validate(har), JSON.stringify(validate.errors));
  const { entries } = har.log;
  assert.equal(entries.length, 8);
  assert.deepEqual(entries[0].request.queryString, [
    { name: 'state', value: 'free' },
    { name: 'no', value: '1' },
  ]);
  for (const { timings, time } of entries) {
    const { ssl: _inConnect, ...parts } = timings;
    const sum = Object.values(parts as { [phase: string]: number }).reduce(
      (all, part) => all + Math.max(0, part),
      0,
    );
    assert.ok(Math.abs(sum - time) < 0.01);
  }
  const of = (path: string) =>
    entries.find((entry: { request: { url: string } }) => entry.request.url.endsWith(path));
  assert.equal(of('/down').response.status, 0);
  assert.deepEqual(of('/bytes').response.content, {
    size: 4,
    mimeType: 'application/json',
    text: '//4AAQ==',
    encoding: 'base64',
  });
  assert.equal(of('/huge').request.postData.text, 'mooring lines');
  assert.match(of('/huge').response.content.comment, /only the beginning of 200000 bytes/);
  // A validator that lets everything through would prove nothing.
  assert.ok(!validate({ log: { ...har.log, entries: [{ ...entries[0], request: {} }] } }));
});

test('CSV has a line an exchange, and nothing that a spreadsheet would carry out', async () => {
  const csv = await textOf('.csv', await events());
  const rows = parse(csv, { columns: true }) as { [column: string]: string }[];
  assert.equal(rows.length, 8);
  assert.deepEqual(
    [rows[0]!.case, rows[0]!.status, rows[0]!.outcome, rows[0]!.milliseconds],
    ['Good #1', '200', 'passed', '5'],
  );
  assert.equal(rows.find(row => row.url!.endsWith('/down'))!.fault, 'refused');
  for (const row of rows)
    for (const [column, value] of Object.entries(row)) assert.doesNotMatch(value, /^[=+\-@\t\r]/, column);
  assert.match(csv, noControls);
});

test('a row that begins like a formula gets an apostrophe before it', async () => {
  const all = await events();
  const shifted = all.map(event =>
    event.type === 'case' ? { ...event, title: `=cmd|'/c calc'!A0` } : event,
  );
  assert.match(await textOf('.csv', shifted), /,'=cmd\|'\/c calc'!A0,/);
});

test('the spreadsheet has four sheets, texts as texts', async () => {
  const bytes = await bytesOf('.xlsx', await events());
  const sheets = await readSheets(new Uint8Array(bytes).buffer);
  assert.deepEqual(
    sheets.map(({ sheet }) => sheet),
    ['Summary', 'Cases', 'Checks', 'Exchanges'],
  );
  const [summary, cases, checks, exchanges] = sheets.map(({ data }) => data);
  assert.equal(summary![0]![0], 'Skerry & <Harbour>');
  assert.equal(cases!.length, 1 + 10);
  assert.equal(exchanges!.length, 1 + 8);
  const failed = checks!.find(row => String(row[4]).includes('$.state = "free"'))!;
  assert.match(String(failed[6]), /^"taken <\/script>/);
  assert.ok(summary!.some(row => row[0] === 'Bound not kept' && row[1] === 'failed < 1 %'));
});

test('a workbook takes rows of several sheets in turn, whatever texts hold', async () => {
  const workbook = new Workbook();
  const [first, second] = ['First', 'Second & <last>'].map(name => workbook.sheet(name, [10], true));
  const texts = ['=1+1', '_x0041_', 'a\u0000b & <c> "d"', '\ud800', ' blank ', 'x'.repeat(40_000)];
  const chunks: Uint8Array[] = [];
  for (let row = 0; row < 3000; row++) {
    first!.add([row, undefined, Number.NaN, texts[row % texts.length]]);
    if (row % 2 === 0) second!.add(Array.from({ length: 30 }, (_, at) => at));
    chunks.push(...workbook.take());
  }
  assert.ok(chunks.length > 5, 'they are written while they come');
  first!.end();
  second!.end('and more');
  const bytes = Buffer.concat([...chunks, ...workbook.end()]);
  const sheets = await readSheets(new Uint8Array(bytes).buffer);
  assert.deepEqual(
    sheets.map(({ sheet, data }) => [sheet, data.length]),
    [
      ['First', 3000],
      ['Second & <last>', 1501],
    ],
  );
  const [data, numbers] = sheets.map(sheet => sheet.data);
  assert.deepEqual(data![2]!.slice(0, 3), [2, null, null]);
  assert.equal(data![0]![3], '=1+1');
  assert.match(String(data![1]![3]), /^_x005F_x0041_$|^_x0041_$/);
  assert.equal(data![2]![3], 'a\\u0000b & <c> "d"');
  assert.equal(data![3]![3], '\\ud800');
  assert.equal(String(data![5]![3]).length, 32_767);
  assert.equal(numbers![0]![29], 29);
  assert.equal(numbers!.at(-1)![0], 'and more');
});

test('of a handful of times no percentile is told', () => {
  const told = (count: number) => {
    const times = new DurationHistogram();
    for (let at = 1; at <= count; at++) times.add(at);
    return [timesInWords(times), ...percentileTexts(times)];
  };
  assert.deepEqual(told(0), [undefined, '', '', '', '']);
  assert.deepEqual(told(1), ['The answer took 1 ms.', '', '', '', '']);
  assert.deepEqual(told(2), ['An answer took 1.5 ms on average, 1 ms to 2 ms.', '1 ms', '', '', '']);
  assert.deepEqual(told(19).slice(1), ['10 ms', '18 ms', '', '']);
  assert.match(told(20)[0]!, /half came within 10 ms, 95 of 100 within 19 ms\.$/);
  assert.match(told(100)[0]!, /95 of 100 within 95 ms, 99 within 99 ms\.$/);
});

test('an address that is none keeps no report from being written', async () => {
  const all = (await events()).map(event =>
    event.type === 'exchange' ? { ...event, request: { ...event.request, url: 'http://[::1' } } : event,
  );
  for (const ending of endings.filter(each => each !== '.pdf'))
    assert.ok((await bytesOf(ending, all)).length > 0);
});

test('JSON: totals, then every case with its checks', async () => {
  const json = JSON.parse(await textOf('.json', await events()));
  assert.equal(json.format, 'mervok-report');
  assert.equal(json.passed, false);
  assert.deepEqual(json.totals.cases, { passed: 3, failed: 3, error: 1, blocked: 2, skipped: 1 });
  assert.deepEqual(
    json.bounds.map(({ holds }: { holds: string }) => holds),
    ['no', 'yes'],
  );
  const [page] = json.pages;
  assert.deepEqual(
    page.cases.map((each: { outcome: string }) => each.outcome),
    ['passed', 'failed', 'error', 'blocked', 'blocked', 'skipped', 'failed', 'failed'],
  );
  assert.equal(page.cases[0].exchanges, undefined);
  assert.equal(page.cases[1].exchanges[0].response.status, 200);
  assert.deepEqual(page.cases[3].blocked, { name: 'berth', by: 'berths.md#bad', cause: 'berths.md#bad' });
});

test('the record is one event a line', async () => {
  const all = await events();
  const lines = (await textOf('.ndjson', all)).trimEnd().split('\n');
  assert.deepEqual(
    lines.map(line => JSON.parse(line)),
    JSON.parse(JSON.stringify(all)),
  );
});

test('Markdown: the verdict, then what did not pass, folded; nothing of a response is markup in it', async () => {
  const markdown = await textOf('.md', await events());
  assert.match(markdown, /^## Skerry &amp; &lt;Harbour>: not passed\n\n\*\*/);
  assert.match(markdown, /<summary><b>failed<\/b> Bad <i>Good #1<\/i><\/summary>/);
  assert.match(markdown, /; 2 cases blocked by it$/m);
  assert.match(markdown, noControls);
  assert.equal(markdown.match(/<details>/g)!.length, markdown.match(/^<\/details>$/gm)!.length);
  // Fences hold what came from outside: outside of them there is none of it.
  const outside = markdown.replace(/^(`{3,})text\n[\s\S]*?\n\1$/gm, '');
  assert.doesNotMatch(outside, /script|alert/);
});

test('a summary stays short enough for a comment, and says what it leaves out', async () => {
  const many = Array.from({ length: 80 }, (_, at) =>
    caseText(`Case ${at}`, 'GET /bad', '$.state = "free"'),
  ).join('');
  const { events } = await runTexts({ 'mervok.yaml': texts['mervok.yaml']!, 'a.md': many }, () => ({
    body: { state: 'x'.repeat(3000) },
  }));
  const markdown = await textOf('.md', events);
  assert.ok(markdown.length < 65_000, String(markdown.length));
  const told = markdown.match(/<details>/g)!.length;
  assert.match(markdown, new RegExp(`^${80 - told} more failures of cases are not told here\\.$`, 'm'));
});
