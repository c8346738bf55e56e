import assert from 'node:assert/strict';
import { test } from 'node:test';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { openNamed } from '../../src/core/analysis/tables.ts';
import { Plain, type Value } from '../../src/core/model/value.ts';
import { describe } from '../../src/core/values/describe.ts';
import { type Chunks, chunksOf, TableError } from '../../src/core/values/table-reader.ts';

/** Every byte a chunk of its own, so that whatever can be cut in two is. */
const byteByByte = (text: string): Chunks =>
  async function* () {
    for (const byte of Buffer.from(text)) yield Buffer.of(byte);
  };

const told = (value: Value) =>
  value instanceof Plain ? `${value.quoted ? '"' : ''}${value.text}` : describe(value);

async function rowsOf(name: string, chunks: Chunks): Promise<string[]> {
  const table = await openNamed(name, chunks);
  const rows: string[] = [];
  for await (const row of table.rows())
    rows.push([...row].map(([column, value]) => `${column}=${told(value)}`).join(' '));
  assert.equal(table.count, rows.length);
  return rows;
}

test('tables of every form, read piece by piece', async () => {
  const rows: [name: string, text: string, read: string[]][] = [
    ['a.csv', 'code,name\n0417,North Quay\n', ['code=0417 name=North Quay']],
    [
      'a.csv',
      '\uFEFFcode;name\r\n"0417";"Gull; the ""old"" one"\r\n',
      ['code="0417 name="Gull; the "old" one'],
    ],
    ['a.tsv', 'code\tname\n1\tLåring\n\n2\t\n', ['code=1 name=Låring', 'code=2 name=']],
    ['a.csv', 'code|text\n1|"two\nlines"', ['code=1 text="two\nlines']],
    ['a.ndjson', '{"code":1}\n\n{"code":"0417","deep":true}', ['code=1', 'code="0417" deep=true']],
    ['a.json', '[{"code":9007199254740993}]', ['code=9007199254740993']],
  ];
  for (const [name, text, read] of rows) {
    assert.deepEqual(await rowsOf(name, chunksOf(text)), read, name);
    assert.deepEqual(await rowsOf(name, byteByByte(text)), read, `${name}, byte by byte`);
  }
  const { columns } = await openNamed('a.ndjson', chunksOf('{"a":1}\n{"b":2}\n'));
  assert.deepEqual(columns, ['a', 'b']);
});

test('what is no table says so, with its line', async () => {
  const rows: [name: string, text: string, says: RegExp][] = [
    ['a.csv', '', /a\.csv cannot be used: it is empty/],
    ['a.csv', 'code\n', /it holds no rows, so nothing would be run/],
    ['a.csv', 'code,name\n1,2\n3\n', /a\.csv:3 cannot be used: this row has more or fewer cells/],
    ['a.csv', 'a,a\n1,2\n', /a\.csv:1 .*two columns have the name 'a'/],
    ['a.csv', 'a,\n1,2\n', /column 2 has no name/],
    ['a.ndjson', '{"a":1}\n{"a":\n', /a\.ndjson:2 cannot be used/],
    ['a.ndjson', '{"a":1}\n[1]\n', /row 2 is a list, and an object is wanted/],
    ['a.json', '{"a":1}', /it is an object, and a list of objects is wanted/],
    ['a.xlsx', 'no workbook', /it is no workbook in the format XLSX/],
    ['a.ods', '', /ends in none of \.csv/],
  ];
  for (const [name, text, says] of rows)
    await assert.rejects(openNamed(name, chunksOf(text)), (error: unknown) => {
      assert.ok(error instanceof TableError, String(error));
      assert.match(error.message, says);
      return true;
    });
  const latin = async function* () {
    yield Buffer.from('code\nl\xe5ring\n', 'latin1');
  };
  await assert.rejects(openNamed('a.csv', latin), /no text in UTF-8/);
});

const sheet = (rows: string) =>
  `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>${rows}</sheetData></worksheet>`;
const cell = (at: string, text: string) => `<c r="${at}" t="inlineStr"><is><t>${text}</t></is></c>`;

/** A workbook of two sheets, as small as one can be. */
function workbook(): Uint8Array {
  const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
  const relations = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
  const file = (text: string) => strToU8(`<?xml version="1.0" encoding="UTF-8"?>${text}`);
  return zipSync({
    '[Content_Types].xml': file(
      '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>',
    ),
    'xl/workbook.xml': file(
      `<workbook xmlns="${main}" xmlns:r="${relations}"><sheets><sheet name="Berths" sheetId="1" r:id="r1"/><sheet name="Quay 2" sheetId="2" r:id="r2"/></sheets></workbook>`,
    ),
    'xl/_rels/workbook.xml.rels': file(
      `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${relations}/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="${relations}/worksheet" Target="worksheets/sheet2.xml"/><Relationship Id="r3" Type="${relations}/styles" Target="styles.xml"/></Relationships>`,
    ),
    'xl/styles.xml': file(
      `<styleSheet xmlns="${main}"><cellXfs count="2"><xf numFmtId="0"/><xf numFmtId="14" applyNumberFormat="1"/></cellXfs></styleSheet>`,
    ),
    'xl/worksheets/sheet1.xml': file(
      sheet(
        `<row r="1">${cell('A1', 'code')}${cell('B1', 'depth')}${cell('C1', 'free')}${cell('D1', 'since')}</row>` +
          `<row r="2">${cell('A2', '0417')}<c r="B2"><v>4.2</v></c><c r="C2" t="b"><v>1</v></c><c r="D2" s="1"><v>46349</v></c></row>` +
          `<row r="3">${cell('A3', '0501')}<c r="B3"><v>9007199254740993</v></c><c r="C3" t="b"><v>0</v></c></row>`,
      ),
    ),
    'xl/worksheets/sheet2.xml': file(
      sheet(`<row r="1">${cell('A1', 'code')}</row><row r="2">${cell('A2', '0733')}</row>`),
    ),
  });
}

test('a workbook: numbers, truth values and dates are such, texts stay texts; another sheet by its name', async () => {
  const chunks = async function* () {
    yield workbook();
  };
  assert.deepEqual(await rowsOf('berths.xlsx', chunks), [
    'code="0417 depth=4.2 free=true since=2026-11-23',
    'code="0501 depth=9007199254740993 free=false since=null',
  ]);
  assert.deepEqual(await rowsOf('berths.xlsx#Quay 2', chunks), ['code="0733']);
  await assert.rejects(
    openNamed('berths.xlsx#Quay 3', chunks),
    /it has no sheet 'Quay 3', but 'Berths', 'Quay 2'/,
  );
});

test('a workbook whose sheets have lost their names or their files is told as damaged', async () => {
  const parts = unzipSync(workbook());
  const text = strFromU8(parts['xl/workbook.xml']!);
  const damaged: { [path: string]: Uint8Array }[] = [
    { ...parts, 'xl/workbook.xml': strToU8(text.replaceAll('name=', 'ame=')) },
    { ...parts, 'xl/workbook.xml': strToU8(text.replaceAll('<sheet ', '<shet ')) },
    Object.fromEntries(Object.entries(parts).filter(([path]) => !path.startsWith('xl/worksheets/'))),
  ];
  for (const each of damaged) {
    const chunks = async function* () {
      yield zipSync(each);
    };
    for (const name of ['berths.xlsx', 'berths.xlsx#Quay 2'])
      await assert.rejects(openNamed(name, chunks), /it is no workbook in the format XLSX, or a damaged one/);
  }
});
