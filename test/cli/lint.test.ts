import assert from 'node:assert/strict';
import { test } from 'node:test';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';

test('lint: warnings alone are no error, unless they are taken for one; as JSON for programs', async t => {
  const folder = folderWith(t, {
    'mervok.yaml':
      'base: http://skerry.example\nvariables: { password: spring-tide-77, token: { os: TOKEN } }\n',
    'a.md':
      '## A\n\n~~~http\nGET /\nAuthorization: Bearer abcdefghijkl\n~~~\n\n~~~mervok\nstatus = 200\nlength($.a) >= 0\n~~~\n',
    'b.md':
      '## B\n\n~~~http\nPOST /\n\n{ "name": "Curlew", "password": "neap-tide" }\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n',
  });
  const lint = (...args: string[]) => mervok(folder, ['lint', ...args]);
  const plain = await lint();
  assert.equal(plain.code, 0);
  assert.match(plain.out, /4 warnings\n$/);
  const quiet = await lint('-q');
  assert.deepEqual([quiet.code, quiet.out], [0, '']);
  const strict = await lint('--strict');
  assert.equal(strict.code, 2);
  assert.match(strict.out, /error check-idle/);
  const { findings, ...rest } = JSON.parse((await lint('--json')).out);
  assert.deepEqual(rest, { format: 'mervok-lint', version: 1, pages: 2, cases: 2, checks: 3 });
  const told = findings.map(
    (each: { [key: string]: unknown }) =>
      `${each.file}:${each.line}:${each.column} ${each.code} ${each.severity}`,
  );
  assert.deepEqual(told, [
    'a.md:5:1 secret-written warning',
    'a.md:10:1 check-idle warning',
    'b.md:6:34 secret-written warning',
    'mervok.yaml:2:14 secret-written warning',
  ]);
});

test('pick: values to one side, how many matches and where to the other', async t => {
  const folder = folderWith(t, {
    'berths.json':
      '{ "berths": [{ "code": "0417", "depth": 4.2 }, { "code": "0418", "depth": 7 }], "it\'s": 1 }',
    'tides.xml': '<t:tides xmlns:t="urn:t"><tide no="1">4.2</tide><tide no="2">0.7</tide></t:tides>',
    'page.html': '<main><h1>Quay</h1><p>a<p>b</main>',
    'berth.json': '{ "required": ["code", "quay"] }',
  });
  const rows: [expression: string, file: string, out: string, err: RegExp, code: number][] = [
    [
      '$.berths[*].code',
      'berths.json',
      '0417\n0418\n',
      /^2 matches:\n {2}\$\['berths'\]\[0\]\['code'\]\n {2}\$\['berths'\]\[1\]/,
      0,
    ],
    ['$["it\'s"]', 'berths.json', '1\n', /^1 match: \$\['it\\'s'\]\n$/, 0],
    ['count $.berths[?@.depth > 5]', 'berths.json', '1\n', /^1 match: \$\['berths'\]\[1\]\n$/, 0],
    ['$.berth', 'berths.json', '', /^0 matches\n\$ has no member 'berth'; there are berths, it's\n$/, 1],
    ['$.berths[0].depth * 2', 'berths.json', '8.4\n', /^$/, 0],
    ['xml//tide', 'tides.xml', '4.2\n0.7\n', /^2 matches:\n {2}\/t:tides\/tide\[1\]\n/, 0],
    ['xml//tide[@no="2"]/@no', 'tides.xml', '2\n', /^1 match: \/t:tides\/tide\[2\]\/@no\n$/, 0],
    ['html("p")', 'page.html', 'a\nb\n', /main > p:nth-of-type\(2\)/, 0],
    [
      'each $.berths[*].depth > 5',
      'berths.json',
      '',
      /^does not hold: expected each: more than 5, found 1 of 2 does not: \$\.berths\[0\]\.depth is 4\.2\n$/,
      1,
    ],
    ['xml//tide = 1', 'tides.xml', '', /^cannot be decided: xml\/\/tide matches 2; lead it by each/, 1],
    ['$.berths[0] fits "berth.json"', 'berths.json', '', /found 1 part that differs/, 1],
    ['$.berths[0] fits "none.json"', 'berths.json', '', /The schema 'none\.json' cannot be used/, 2],
    ['xml//tide[', 'tides.xml', '', /selector-form/, 2],
    ['$.berths[', 'berths.json', '', /path-form/, 2],
  ];
  for (const [expression, file, out, err, code] of rows) {
    const ended = await mervok(folder, ['pick', expression, file]);
    assert.deepEqual([ended.out, ended.code], [out, code], `${expression}: ${ended.err}`);
    assert.match(ended.err, err, expression);
  }
  const quiet = await mervok(folder, ['pick', '-q', '$.berths[*].code', 'berths.json']);
  assert.deepEqual([quiet.out, quiet.err], ['0417\n0418\n', '']);
});
