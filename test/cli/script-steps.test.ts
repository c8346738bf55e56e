import assert from 'node:assert/strict';
import { test } from 'node:test';
import { fence, pageOf, runCases } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const js = (...lines: string[]) => fence('js step', lines.join('\n'));
const checks = (...lines: string[]) => fence('mervok', lines.join('\n'));
const within = fence('yaml settings', 'limits: { script: { time: 700 ms } }');
const get = (target = '/berths') => fence('http', `GET ${target}`);

const settings = (base: string) => `title: Skerry Harbour
base: ${base}
variables:
  nights: 3
  tariff: 118.25
  large: 12345678901234567890
  fine: 0.12345678901234567890123
  quoted: "3"
  list: [1, { "a": null, "__proto__": 2 }]
  berth-code: NORTH
  period: 1500
  key: { secret: gull-and-anchor-0417 }
headers: { X-Harbour-Key: "{key}" }
limits: { script: { time: 60 s, memory: 32 MiB } }
`;

const modules = {
  'lib/seasons.js': `import { upper } from 'mervok:functions';
import { days } from '../lib/days.mjs';
export const season = day => {
  if (!days.includes(day)) throw new RangeError(\`no day: \${day}\`);
  return upper(day);
};
export default season;
`,
  'lib/days.mjs': "export const days = ['mon', 'tue'];\n",
  'lib/checks.js':
    "import { holds } from 'mervok:checks';\nexport const isDeep = depth => holds('deep', depth > 4);\n",
};

test('scripts: what they take, give and check, and how they end', async t => {
  const base = await serve(t, (request, response) => {
    const { pathname } = new URL(request.url!, 'http://harbour.example');
    if (pathname === '/secret')
      response.writeHead(200, { 'Content-Type': 'application/json' }).end('{"you":"gull-and-anchor-0417"}');
    else if (pathname === '/text') response.writeHead(200).end('high water');
    else if (pathname === '/large')
      response
        .writeHead(200, { 'Content-Type': 'application/json' })
        .end('{"id":9007199254740993,"fee":0.30000000000000000001}');
    else
      response
        .writeHead(200, { 'Content-Type': 'application/json', 'Set-Cookie': ['a=1', 'b=2'], ETag: '"7"' })
        .end('{"count":2,"berths":[{"code":"0417","depth":4.5},{"code":"0733","depth":7.5}]}');
  });
  const values =
    "import { nights, tariff, large, fine, quoted, list, 'berth-code' as code } from 'mervok:values'";
  const check = "import { equals, holds } from 'mervok:checks'";
  const exchange = "import { answer, request } from 'mervok:exchange'";
  const rows: [title: string, fences: string, told: string | RegExp][] = [
    [
      'Values',
      js(
        values,
        check,
        "equals('all', [nights, tariff, large, fine, quoted, list, code], [3, 118.25, 12345678901234567890n, '0.12345678901234567890123', '3', [1, { a: null, ['__proto__']: 2 }], 'NORTH'])",
      ),
      'passed',
    ],
    [
      'Gives',
      `${js(values, 'export const fee = nights * tariff', "const b = [1n, { c: 'd' }]", "export { b as 'the-list' }", 'export let e', 'e = null')}${checks('{fee} = 354.75', '{the-list} = [1, { "c": "d" }]', '{e} = null')}`,
      'passed',
    ],
    ['Gives to a case below', checks('{fee} = 354.75'), 'passed'],
    [
      'Destructures',
      `${js('export const { a, b: [c, ...d], e = 5 } = { a: 1, b: [2, 3, 4] }')}${checks('[{a}, {c}, {d}, {e}] = [1, 2, [3, 4], 5]')}`,
      'passed',
    ],
    [
      'Large numbers',
      `${js('export const n = 12345678901234567890n', 'export const bytes = new Uint8Array([104, 105])', "export const tagged = ['\\u0001n5']")}${checks('{n} = 12345678901234567890', 'hex({bytes}) = "6869"', 'length({tagged}) = 1')}`,
      'passed',
    ],
    [
      'Answer',
      `${get()}${js(exchange, check, "equals('status', [answer.status, answer.reason], [200, 'OK'])", "equals('json', answer.json.berths[1].code, '0733')", "holds('same', answer.json === answer.json && answer.text.startsWith('{') && answer.bytes.length === answer.text.length)", "equals('headers', [answer.headers.get('etag'), answer.headers.get('none'), answer.headers.all('set-cookie'), answer.headers.has('ETag')], ['\"7\"', null, ['a=1', 'b=2'], true])", "equals('request', [request.method, new RegExp('/berths$').test(request.url), request.headers.get('x-harbour-key')], ['GET', true, '[secret]'])", "holds('time', answer.time > 0)")}${checks('status = 200')}`,
      'passed',
    ],
    [
      'Large answer',
      `${get('/large')}${js("import { answer } from 'mervok:exchange'", check, "equals('id', answer.json, { id: 9007199254740993n, fee: '0.30000000000000000001' })")}`,
      'passed',
    ],
    [
      'No JSON',
      `${get('/text')}${js("import { answer } from 'mervok:exchange'", 'export const a = answer.json.a')}`,
      /^error: Error: the body is no JSON: /,
    ],
    [
      'Below a command',
      `${fence('sh step', 'echo \'{"a":1}\'; echo e >&2; exit 2')}${js("import { answer } from 'mervok:exchange'", check, "equals('all', [answer.exit, answer.errors, answer.json.a], [2, 'e', 1])")}${checks('exit = 2')}`,
      'passed',
    ],
    [
      'Functions',
      js(
        check,
        "import { sha256, base64, find, date, sum, hex, unbase64, round } from 'mervok:functions'",
        "equals('all', [base64('a'), find('no 12', '(\\\\d+)'), sum([1, 2n, 3.5]), hex(unbase64('aGk=')), round(2.345, 2)], ['YQ==', 12, 6.5, '6869', 2.35])",
        "holds('sha', sha256(new Uint8Array([97])) === sha256('a'))",
      ),
      'passed',
    ],
    [
      'Function refused',
      js("import { sum } from 'mervok:functions'", "export const a = sum('x')"),
      /^error: Error: sum\(\) takes a list, not a text\.$/,
    ],
    [
      'Module',
      `${js("import { season } from '../lib/seasons.js'", "import again from '../lib/seasons.js'", "import * as days from '../lib/days.mjs'", "export const s = season('mon') + again('tue') + days.days.length")}${checks('{s} = "MONTUE2"')}`,
      'passed',
    ],
    [
      'Module throws',
      js("import { season } from '../lib/seasons.js'", 'export const s = 1', "  season('fri')"),
      'error: RangeError: no day: fri (in lib/seasons.js:4).',
    ],
    [
      'Module checks',
      js("import { isDeep } from '../lib/checks.js'", 'isDeep(4)'),
      'failed: isDeep(4): false',
    ],
    [
      'Equals',
      js(check, "equals('parts', { a: [1, { b: 'x' }] }, { a: [1, { b: 'y' }] })"),
      /^failed: equals\(\{ a.*: \{ "a": \[1, \{ "b": "x" \}\] \}$/,
    ],
    ['Holds not', js(check, 'const one = 1', "holds('less', one > 2)"), 'failed: holds(one > 2): false'],
    [
      'Checks a text',
      js(check, "holds('text', 'yes')"),
      /^failed: .*: "yes", which is neither true nor false$/,
    ],
    ['Checks undefined', js(check, "equals('undefined', undefined, undefined)"), /^failed: .*: undefined$/],
    ['Checks NaN', js(check, "equals('NaN', 0 / 0, NaN)"), /^failed: .*: NaN$/],
    ['Checks without a label', js(check, 'holds(true)'), /^failed: .*: a label that is no text$/],
    [
      'Goes on',
      `${js(check, "if (!holds('a', false)) holds('b', true)", 'export const on = 1')}${checks('{on} = 1')}`,
      "failed: if (!holds(false)) holds('b', true): false",
    ],
    [
      'A loop over nothing',
      js(check, "for (const each of []) equals('each', each, 1)"),
      'failed: the script checks something: it made no check',
    ],
    [
      'After an await that never ends',
      js(check, 'await new Promise(() => {})', "holds('never', true)"),
      'error: The script waits for something that never comes, so not all of it was carried out.',
    ],
    [
      'Awaits',
      `${js('const later = async n => n + 1', 'export const sum = (await Promise.all([1, 2].map(later)))[1]')}${checks('{sum} = 3')}`,
      'passed',
    ],
    ['Throws a text', js('export const a = 1', "throw 'aground'"), 'error: The script threw: aground.'],
    ['Throws nothing', js('export const a = 1', 'throw undefined'), 'error: The script threw: undefined.'],
    [
      'Exports a function',
      js('const f = [() => 1]', 'export const g = f[0]'),
      /^error: 'g' cannot be kept: it is a function\. A value is what JSON has/,
    ],
    [
      'Exports a circle',
      js('const c = {}', 'c.c = c', 'export { c }'),
      /^error: 'c' cannot be kept: it is a value that holds itself/,
    ],
    ['Exports a date', js('export const d = new Date()'), /^error: 'd' cannot be kept: it is a Date/],
    ['Exports nothing', js('export let u'), /^error: 'u' cannot be kept: it is undefined/],
    ['What an export that failed gives', checks('{u} = 1'), 'blocked'],
    [
      'A name too early',
      js('export const a = moored + 1', 'const moored = 1'),
      /^error: ReferenceError: moored is not initialized/,
    ],
    [
      'Loops',
      within + js('export const a = 1', 'for (;;);'),
      /^error: The script had not ended within 700 ms\. The limit is the setting 'limits'/,
    ],
    [
      'Inside the engine',
      within + js('export const a = new Array(2 ** 31).indexOf(5)'),
      /^error: The script had not ended within 700 ms/,
    ],
    [
      'Fills the memory',
      js('export const a = []', 'for (;;) a.push(new Array(1000).fill(0))'),
      /^error: The script takes more memory than it may\. The limit is the setting 'limits': \{ script: \{ memory: 32 MiB \} \}/,
    ],
    ['After all that', `${js('export const still = 1')}${checks('{still} = 1')}`, 'passed'],
    [
      'Taints',
      js(
        "import { key } from 'mervok:values'",
        check,
        "export const signed = key + '!'",
        'console.log(key)',
        "equals('the key ' + key, key, 'x')",
      ),
      "failed: equals('the key ' + key, key, 'x'): [secret]",
    ],
    ['Tainted value', checks('{signed} = "x"'), /^failed: .*: "\[secret\]"$/],
    [
      'Taints and throws',
      js(
        "import { key } from 'mervok:values'",
        'export const a = 1',
        "throw new Error('with ' + [...key].join('-'))",
      ),
      'error: The script threw; what it says is not shown: it has seen a secret.',
    ],
    [
      'Secret in the answer',
      `${get('/secret')}${js("import { answer } from 'mervok:exchange'", 'export const half = answer.json.you.slice(0, 8)', 'console.log(half)')}${checks('status = 200')}`,
      'passed',
    ],
    [
      'Secret request',
      `${get()}${js("import { secretRequest } from 'mervok:exchange'", check, "equals('key', secretRequest.headers.get('x-harbour-key'), 'gull-and-anchor-0417')")}${checks('status = 200')}`,
      'passed',
    ],
    [
      'Repeats',
      `${checks('repeat every 5 ms for 60 s until {turn} > 5')}${js(check, 'export const turn = Math.floor(Math.random() * 8)', "holds('in time', turn < 8)")}`,
      'passed',
    ],
    [
      'Prints',
      js(
        "console.log('a', 1, { b: [2n] }, null, undefined)",
        "console.error(new TypeError('odd'))",
        check,
        "holds('no', false)",
      ),
      'failed: holds(false): false',
    ],
    [
      'Prints a lot',
      js("for (let line = 0; line < 40_000; line++) console.log('berth', line)", 'export const p = 1'),
      'passed',
    ],
    [
      'Prints more',
      `${js("console.log('x'.repeat(10_000))", 'export const p1 = 1')}${js("console.log('y'.repeat(10_000))", 'export const p2 = 1')}`,
      'passed',
    ],
  ];
  const folder = folderWith(t, { 'mervok.yaml': settings(base), 'quays/a.md': pageOf(rows), ...modules });
  const ran = await runCases(folder, ['--commands']);
  const astray = rows.flatMap(([title, , told]) => {
    const found = ran.of(title).told;
    return (typeof told === 'string' ? found === told : told.test(found)) ? [] : [`${title}: ${found}`];
  });
  assert.deepEqual(astray, [], ran.err);

  const [equals] = ran.of('Equals').checks;
  assert.deepEqual(
    [equals!.label, equals!.expected, equals!.differences],
    ['parts', '{ "a": [1, { "b": "y" }] }', [{ at: 'it.a[1].b', expected: '"y"', found: '"x"' }]],
  );
  const [gives] = ran.of('Gives').operations;
  assert.deepEqual(
    [gives!.kind, gives!.beside, gives!.asked.verb, gives!.asked.fields.slice(0, 2), gives!.answer!.words],
    [
      'script',
      true,
      'js',
      [
        ['nights', '3'],
        ['tariff', '118.25'],
      ],
      '3 values',
    ],
  );
  assert.equal(JSON.parse(gives!.answer!.body.text!).fee, 354.75);
  const { event: thrown } = ran.of('Module throws');
  assert.equal(thrown.problem!.line, "  season('fri')");
  assert.equal(thrown.problem!.place.file, 'quays/a.md');
  assert.match(ran.out, /RangeError: no day: fri .*\n\s+season\('fri'\)\n\s+\^/);
  assert.equal(
    ran.of('Prints').operations[0]!.texts![0]!.body.text,
    'a 1 {"b":["2n"]} null undefined\nTypeError: odd\n',
  );
  assert.match(ran.out, /console +a 1 \{"b":\["2n"\]\} null undefined\n +TypeError: odd/);
  const printed = ran.of('Prints a lot').operations[0]!.texts![0]!.body;
  assert.ok(printed.size > 15_000 && printed.size < 17_000, String(printed.size));
  const [first, second] = ran.of('Prints more').operations;
  assert.deepEqual([first!.texts![0]!.body.size, second!.texts![0]!.body.size < 6100], [10_001, true]);
  assert.equal(ran.of('Repeats').checks.filter(({ label }) => label === 'in time').length, 1);
  const record = JSON.stringify(ran.events);
  for (const secret of ['gull-and-anchor', 'g-u-l-l', 'gull-and'])
    assert.ok(!record.includes(secret) && !ran.out.includes(secret), secret);
  // Requests are counted apart from other steps, and so are their times.
  const end = ran.events.at(-1)!;
  assert.ok(end.type === 'end' && end.totals.requests === 5 && end.totals.steps! > 40);
});

test('local time is UTC, wherever a script runs', async t => {
  const page = `${js(
    'const day = new Date(2026, 5, 1)',
    'export const times = [day.toISOString(), day.getTimezoneOffset(), new Date("2026-01-01T10:00").getUTCHours(), String(day)]',
  )}${checks('{times} = ["2026-06-01T00:00:00.000Z", 0, 10, "Mon Jun 01 2026 00:00:00 GMT+0000"]')}`;
  const folder = folderWith(t, { 'a.md': page });
  for (const TZ of ['America/St_Johns', 'Pacific/Kiritimati', 'UTC']) {
    const { code, out } = await mervok(folder, ['run'], { TZ });
    assert.equal(code, 0, out);
  }
});

test('what is wrong with a script is found before anything runs, and told at its place', async t => {
  const rows: [lines: string[], told: string[]][] = [
    [['export const a = 1'], []],
    [['let a = ;'], ['2:9 script-form']],
    [['export const a = 1', '  const b = {'], ['3:13 script-form']],
    [["import { nigths } from 'mervok:values'", 'export const a = nigths'], ['2:10 name-unknown']],
    [["import { later } from 'mervok:values'", 'export const a = later'], ['2:10 name-unknown']],
    [["import { 'a b' as c } from 'mervok:values'", 'export const a = c'], ['2:10 script-form']],
    [["import { holds } from 'mervok:check'", "holds('a', true)"], ['2:23 script-form']],
    [["import { hold } from 'mervok:checks'", "hold('a', true)"], ['2:10 script-form']],
    [["import { sha255 } from 'mervok:functions'", 'export const a = sha255(1)'], ['2:10 script-form']],
    [["import * as checks from 'mervok:checks'", "checks.holds('a', true)"], ['2:25 script-form']],
    [["import values from 'mervok:values'", 'export const a = values'], ['2:20 script-form']],
    [["import fs from 'node:fs'", 'export const a = fs'], ['2:16 script-form']],
    [["import { a as b } from './none.js'", 'export const a = b'], ['2:24 file-missing']],
    [["import { a as b } from '../outside.js'", 'export const a = b'], ['2:24 file-missing']],
    [["import { a as b } from './note.txt'", 'export const a = b'], ['2:24 file-missing']],
    [["import { a as b } from './broken.js'", 'export const a = b'], ['broken.js:1:8 script-form']],
    [["import { tides } from './fine.js'", 'export const a = tides'], ['2:10 script-form']],
    [
      ["import { a as b } from './reaches.js'", 'export const a = b'],
      ['reaches.js:1:16 script-form', 'reaches.js:2:23 script-form'],
    ],
    [["export * from './fine.js'"], ['2:15 script-form']],
    [["export { a } from './fine.js'"], ['2:19 script-form']],
    [['export default 5'], ['2:1 script-form']],
    [['export function f() {}'], ['2:17 script-form']],
    [['export const f = () => 1'], ['2:14 script-form']],
    [['export class Berth {}'], ['2:14 script-form']],
    [['export const _a = 1'], ['2:14 script-form']],
    [["export const a = await import('./fine.js')"], ['2:24 script-form']],
    [['const f = async () => 1', 'f()', 'export const a = 1'], ['3:1 script-form']],
    [['(async () => { throw 1 })()', 'export const a = 1'], ['2:1 script-form']],
    [['[1].forEach(async each => each)', 'export const a = 1'], ['2:1 script-form']],
    [['Promise.resolve(1).then(console.log)', 'export const a = 1'], ['2:1 script-form']],
    [["import { answer } from 'mervok:exchange'", 'export const a = answer'], ['2:10 no-response-yet']],
    [['export const a = nigths * 2'], ['2:18 script-form']],
    [['export const a = sha256("x")'], ['2:18 script-form']],
    [["export const a = fetch('http://harbour.example')"], ['2:18 script-form']],
    [
      ['const f = ({ a: b, ...c }, [d = 1]) => b + c + d + e', 'export const g = f({}, [])'],
      ['2:52 script-form'],
    ],
    [["import { a as b } from './undeclared.js'", 'export const c = b'], ['undeclared.js:1:18 script-form']],
    [['lost = 1', 'export const a = 1'], ['2:1 script-form']],
    [['export const a = { [key]: 1 }'], ['2:21 script-form']],
    [['export const a = typeof fetch'], []],
    [['globalThis.made = 1', 'export const a = made'], []],
    [
      [
        'class Berth { #depth = 4; static of = () => new Berth(); get depth() { return this.#depth } }',
        'outer: for (const { depth: how } of [Berth.of()]) { try { if (how) break outer } catch ({ message }) { message() } }',
        'const count = function counted() { return arguments.length + new.target }',
        'export const a = `${count}`.length; let { b: { c } = { c: 1 } } = {}; [c] = [2]',
      ],
      [],
    ],
    [['let a = 1', 'a++'], ['2:1 script-idle']],
    [["import { holds } from 'mervok:checks'", "holds('a', true)"], []],
    [["import './checks.js'"], []],
  ];
  const files = {
    'mervok.yaml': 'title: Skerry',
    'note.txt': '',
    'fine.js': 'export const tide = 1;\n',
    'broken.js': 'export a = 1;\n',
    'undeclared.js': 'export const a = mooring + 1;\n',
    'reaches.js': "import fs from 'node:fs';\nimport { later } from 'mervok:values';\nexport const a = 1;\n",
    'checks.js': "import { holds } from 'mervok:checks';\nholds('a', true);\n",
  };
  const astray: string[] = [];
  await Promise.all(
    rows.map(async ([lines, told]) => {
      const folder = folderWith(t, { ...files, 'a.md': `${js(...lines)}` });
      const { out, err } = await mervok(folder, ['lint', '--json']);
      const { findings } = JSON.parse(out || `{"findings":[{"code":${JSON.stringify(err)}}]}`) as {
        findings: { file: string; line: number; column: number; code: string }[];
      };
      const found = findings
        .filter(({ code }) => code !== 'name-unused')
        .map(
          ({ file, line, column, code }) => `${file === 'a.md' ? '' : `${file}:`}${line}:${column} ${code}`,
        );
      if (JSON.stringify(found) !== JSON.stringify(told)) astray.push(`${lines.join(' ⏎ ')}: ${found}`);
    }),
  );
  assert.deepEqual(astray, []);
});

test('chance and the clock of scripts follow the seed; without one they do not', async t => {
  const page = pageOf([
    [
      'A',
      `${js('export const a = [Math.random(), crypto.randomUUID()]', "import { random, uuid, pick } from 'mervok:functions'", 'export const b = [random(1, 1000), uuid(), pick([1, 2, 3, 4, 5])]', 'export const c = Math.abs(Date.now() - Date.parse(new Date().toISOString())) < 1000')}${checks('{c} = true')}`,
    ],
  ]);
  const folder = folderWith(t, { 'a.md': page, 'mervok.yaml': 'title: Skerry' });
  const given = async (...args: string[]) =>
    (await runCases(folder, args)).of('A').operations[0]!.answer!.body.text;
  const [one, two, other, none, again] = [
    await given('--seed', 'tide'),
    await given('--seed', 'tide'),
    await given('--seed', 'ebb'),
    await given(),
    await given(),
  ];
  assert.equal(one, two);
  assert.equal(new Set([one, other, none, again]).size, 4);
});

test('scripts of several users run at once, each with its own values', async t => {
  const base = await serve(t, (_request, response) => response.writeHead(200).end('{}'));
  const page = pageOf([
    [
      'A',
      `${get('/')}${js("import { holds } from 'mervok:checks'", 'export const own = Math.random()', 'export let same = own', 'for (let at = 0; at < 20_000; at++) same = own', "holds('own', same === own)")}${checks('{same} = {own}', 'status = 200')}`,
    ],
  ]);
  const folder = folderWith(t, { 'a.md': page, 'mervok.yaml': `base: ${base}` });
  const { code, out, events } = await runCases(folder, ['--users', '8', '--rounds', '5']);
  assert.equal(code, 0, out);
  assert.equal(events.filter(event => event.type === 'operation').length, 40);
});
