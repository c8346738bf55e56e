import assert from 'node:assert/strict';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { strToU8, zipSync } from 'fflate';
import type { RunEvent } from '../../src/core/model/events.ts';
import { isUsageError, UsageError } from '../../src/core/model/usage-error.ts';
import { withEnd } from '../../src/core/record/repair.ts';
import { openEventCheck } from '../../src/core/record/validate.ts';
import { type Chunks, openTable, TableError, type TableForm } from '../../src/core/values/table-reader.ts';
import { readRecord } from '../../src/platform/run-records.ts';
import { endings } from '../../src/reports/endings.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mutate, sequence } from '../support/fuzz.ts';
import { mervok, program } from '../support/program.ts';
import { bytesOf } from '../support/reports.ts';
import { scaled, seed } from '../support/scale.ts';
import { serve } from '../support/server.ts';

type Next = (limit: number) => number;

/** The record of a run in which everything happens: rows, failures, faults, blocked and skipped cases, cleaning up. */
async function recordOf(t: TestContext): Promise<string> {
  const origin = await serve(t, ({ url }, response) => {
    if (url === '/gone') return void response.destroy();
    response.writeHead(url === '/bad' ? 500 : 200, {
      'Content-Type': 'application/json',
      'Set-Cookie': 'a=b',
    });
    response.end('{"id":417,"berths":[{"code":"0417"}]}');
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\nbounds: p95 time < 1 s\napdex: 300 ms\n`,
    'a.md':
      caseText('List', 'GET /berths', 'status = 200\nkeep $.id as berth\n"a label": $.id > 4') +
      caseText('Bad', 'GET /bad', 'status = 200\nkeep $.nothing as nothing') +
      caseText('Gone', 'GET /gone', 'status = 200') +
      caseText('Blocked', 'GET /{nothing}', 'status = 200') +
      '## Rows\n\n```csv rows codes\ncode\n0417\n0418\n```\n\n```mervok\neach row of codes\n```\n\n```http\nPOST /{code}\n\n{code}\n```\n\n```mervok\nstatus = 200\n```\n\n' +
      '## Skipped\n\n```mervok\nskip when 1 = 1\n```\n\n```http\nGET /\n```\n\n```mervok\nstatus = 200\n```\n\n' +
      '## Leave\n\n```mervok\ncleanup\n```\n\n```http\nDELETE /{berth}\n```\n\n```mervok\nstatus = 200\n```\n',
  });
  const { code, err } = await mervok(folder, ['run', '--rounds', '2', '--quiet', '-o', 'r.ndjson']);
  assert.equal(code, 1, err);
  return readFileSync(join(folder, 'r.ndjson'), 'utf8');
}

/** Something else in the place of a value somewhere in a document. */
function spoil(value: unknown, next: Next): unknown {
  const others = [null, -1, 1e308, '', 'é\u0000', [], {}, true, [[]], '\ud800'];
  if (typeof value !== 'object' || value === null || next(6) === 0) return others[next(others.length)];
  const keys = Object.keys(value);
  if (keys.length === 0) return others[next(others.length)];
  const key = keys[next(keys.length)]!;
  if (Array.isArray(value)) return value.with(Number(key), spoil(value[Number(key)], next));
  if (next(8) === 0) return Object.fromEntries(Object.entries(value).filter(([name]) => name !== key));
  return { ...value, [key]: spoil(value[key as keyof typeof value], next) };
}

/** A record that somebody, or a disk, has done something to. */
function damage(record: string, next: Next): string {
  const lines = record.trimEnd().split('\n');
  const at = next(lines.length);
  switch (next(6)) {
    case 0:
      return lines.toSpliced(at, 1 + next(3)).join('\n');
    case 1:
      return lines.toSpliced(at, 0, lines[next(lines.length)]!).join('\n');
    case 2:
      return record.slice(0, next(record.length));
    case 3:
      return mutate(record, next);
    default:
      return lines.with(at, JSON.stringify(spoil(JSON.parse(lines[at]!), next))).join('\n');
  }
}

/** But for the one that reads fonts from beside the built program. */
const formats = endings.filter(ending => ending !== '.pdf');

test('whatever is done to a record, it is refused with its place, or every report of it is made', async t => {
  const record = await recordOf(t);
  const folder = mkdtempSync(join(tmpdir(), 'mervok-test-'));
  t.after(() => rmSync(folder, { recursive: true, force: true }));
  const path = join(folder, 'r.ndjson');
  const isEvent = await openEventCheck();
  const next = sequence(seed);
  const found = { refused: 0, told: 0 };
  for (let turn = 0; turn < scaled(4000, 250); turn++) {
    const text = damage(record, next);
    writeFileSync(path, text);
    try {
      const events: RunEvent[] = [];
      const whole = withEnd(readRecord(path, isEvent), why => new UsageError(`'${path}' ${why}.`));
      for await (const event of whole) events.push(event);
      // All of them, one after the other: the slow ones would be most of the time.
      for (const ending of turn % 20 === 0 ? formats : [formats[turn % formats.length]!])
        assert.ok((await bytesOf(ending, events)).length > 0);
      found.told++;
    } catch (error) {
      if (!isUsageError(error)) throw new Error(`${(error as Error).stack}\n\nThe record was:\n${text}`);
      assert.match(error.message, /^'.*r\.ndjson' (?:is|has|was) /);
      found.refused++;
    }
  }
  t.diagnostic(`${JSON.stringify(found)}, seed ${seed}`);
  assert.ok(found.refused > 20 && found.told > 20, JSON.stringify(found));
});

/** The least that is a workbook; not compressed, so that a changed byte changes what it says. */
function workbook(cells: readonly (readonly (string | number)[])[]): Buffer {
  const escaped = (cell: string | number) => String(cell).replaceAll('&', '&amp;').replaceAll('<', '&lt;');
  const rows = cells.map(
    (row, at) =>
      `<row r="${at + 1}">${row.map((cell, column) => `<c r="${'ABC'[column]}${at + 1}" t="inlineStr"><is><t>${escaped(cell)}</t></is></c>`).join('')}</row>`,
  );
  const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
  const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
  return Buffer.from(
    zipSync(
      {
        'xl/workbook.xml': strToU8(
          `<workbook xmlns="${main}" xmlns:r="${office}"><sheets><sheet name="Berths" sheetId="1" r:id="rId1"/></sheets></workbook>`,
        ),
        'xl/_rels/workbook.xml.rels': strToU8(
          `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="${office}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
        ),
        'xl/worksheets/sheet1.xml': strToU8(
          `<worksheet xmlns="${main}"><sheetData>${rows.join('')}</sheetData></worksheet>`,
        ),
      },
      { level: 0 },
    ),
  );
}

/** Bytes that come in two pieces. */
function chunksOf(bytes: Buffer): Chunks {
  return async function* () {
    yield bytes.subarray(0, bytes.length >> 1);
    yield bytes.subarray(bytes.length >> 1);
  };
}

test('whatever is done to a file of rows, it is refused with a reason, or its rows are read', async t => {
  const cells = [
    ['code', 'depth', 'note'],
    ...Array.from({ length: 30 }, (_, at) => [`04${at}`, at / 3, `"é, ${at}`]),
  ];
  const sheet = workbook(cells);
  const objects = cells.slice(1).map(([code, depth, note]) => ({ code, depth, note }));
  const files: readonly [TableForm, Buffer][] = [
    [
      'csv',
      Buffer.from(
        `\ufeff${cells.map(row => row.map(cell => `"${String(cell).replaceAll('"', '""')}"`).join(',')).join('\r\n')}`,
      ),
    ],
    ['json', Buffer.from(JSON.stringify(objects))],
    ['ndjson', Buffer.from(objects.map(each => JSON.stringify(each)).join('\n'))],
    ['xlsx', sheet],
  ];
  for (const [form, bytes] of files) assert.equal((await openTable(chunksOf(bytes), form)).count, 30, form);
  const next = sequence(seed);
  const found = { refused: 0, read: 0 };
  for (let turn = 0; turn < scaled(20_000, 800); turn++) {
    const [form, sound] = files[next(files.length)]!;
    const bytes =
      next(2) === 0 && form !== 'xlsx' ? Buffer.from(mutate(sound.toString(), next)) : Buffer.from(sound);
    for (let times = next(4); times > 0; times--)
      bytes[next(bytes.length)] = next(2) === 0 ? 32 + next(95) : next(256);
    const cut = next(5) === 0 ? bytes.subarray(0, next(bytes.length)) : bytes;
    try {
      const table = await openTable(chunksOf(cut), form);
      let rows = 0;
      for await (const row of table.rows()) rows += row.size > 0 ? 1 : 0;
      assert.equal(rows, table.count);
      found.read++;
    } catch (error) {
      if (!(error instanceof TableError))
        throw new Error(`${(error as Error).stack}\n\nThe ${form} was:\n${cut.toString('base64')}`);
      assert.ok(error.message.length > 5);
      found.refused++;
    }
  }
  t.diagnostic(`${JSON.stringify(found)}, seed ${seed}`);
  assert.ok(found.refused > 20 && found.read > 20, JSON.stringify(found));
});

test('whatever is done to a collection, the program ends as it says, and without a word of its inside', async t => {
  assert.ok(program.endsWith('mervok.cjs'));
  const next = sequence(seed);
  const sound: { readonly [file: string]: string } = {
    'mervok.yaml': 'base: http://127.0.0.1:9\nvariables:\n  nights: 2\nchecks: |\n  time < 2 s\n',
    'a.md': `---\ntags: [quay]\n---\n# Berths\n\n${caseText('List', 'GET /berths{?nights}', 'status = 200\nkeep $.id as berth')}${caseText('Read', 'GET /{berth}', 'each $.berths[*].depth > 4')}`,
    'codes.csv': 'code\n0417\n',
    'b.md':
      '## Rows\n\n```mervok\neach row of "codes.csv"\n```\n\n```http\nPOST /{code}\n```\n\n```json body\n{ "code": {code} }\n```\n\n```mervok\nstatus = 201\n```\n',
  };
  const files = Object.keys(sound);
  const commands = [['run'], ['lint'], ['list', '--json'], ['graph'], ['vars'], ['show', 'a.md']];
  for (let turn = 0; turn < scaled(300, 8); turn++) {
    const file = files[next(files.length)]!;
    const folder = folderWith(t, { ...sound, [file]: mutate(sound[file]!, next) });
    const words = commands[turn % commands.length]!;
    const { code, out, err } = await mervok(folder, words);
    const all = `${out}${err}`;
    assert.ok(code !== null && [0, 1, 2].includes(code), `${words}: ${code}\n${all}`);
    assert.doesNotMatch(all, /\n\s+at .*:\d+:\d+|dist\/|\bundefined\b|\[object |NaN/, words.join(' '));
    if (code === 2)
      assert.match(all, /:\d+:\d+ {2}(?:error|warning)|nothing|There is no|no case|lint tells them/i);
  }
});
