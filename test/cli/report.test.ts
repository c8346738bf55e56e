import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { recordVersion } from '../../src/core/model/outcomes.ts';
import { endings } from '../../src/reports/endings.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { textOfPdf } from '../support/pdf.ts';
import { mervok, program } from '../support/program.ts';
import { serve } from '../support/server.ts';

const pages = {
  'berths.md':
    '# Berths\n\nThe *free* ones first.\n\n' +
    caseText('List', 'GET /good', 'status = 200\nkeep $.state as state') +
    `# Take\n\nA berth that is free can be taken.\n\n\`\`\`http\nGET /bad\n\`\`\`\n\`\`\`mervok\nstatus = 200\nkeep $.id as berth\n\`\`\`\n` +
    caseText('Leave', 'GET /{berth}', 'status = 200'),
  'tides.md': caseText('High water', 'GET /good', 'status = 200'),
  'sea/depths.md': caseText('Depth', 'GET /good', 'status = 200'),
};

/** A collection and a server that answers /good with 200 and everything else with 500. */
async function harbour(t: Parameters<Parameters<typeof test>[0] & object>[0], more = '') {
  const origin = await serve(t, ({ url }, response) => {
    response.writeHead(url === '/good' ? 200 : 500, { 'Content-Type': 'application/json' });
    response.end(JSON.stringify({ state: url === '/good' ? 'free' : 'Åland 漢' }));
  });
  return folderWith(t, { 'mervok.yaml': `title: Skerry\nbase: "${origin}"\n${more}`, ...pages });
}

const beginnings: { readonly [ending: string]: RegExp } = {
  '.html': /^<!doctype html>/,
  '.pdf': /^%PDF-1\.\d[\s\S]*%%EOF\s*$/,
  '.md': /^## Skerry: not passed\n/,
  '.xlsx': /^PK/,
  '.csv': /^started,page,case,/,
  '.json': /^\{\n {2}"format": "mervok-report"/,
  '.ndjson': /^\{"type":"run"/,
  '.har': /^\{"log":/,
  '.xml': /^<\?xml/,
  '.tap': /^TAP version 14\n/,
};

test('a report goes under any name, or to standard output; the run says where each one went', async t => {
  const folder = await harbour(t);
  const run = await mervok(folder, ['run', '-o', 'html:out/report', '-o', 'JUnit:out/result.txt']);
  assert.match(run.out, /^written {2}out\/report, [\d.]+ kB\nwritten {2}out\/result\.txt, [\d.]+ k?B\n$/m);
  assert.match(readFileSync(join(folder, 'out/report'), 'utf8'), beginnings['.html']!);
  assert.match(readFileSync(join(folder, 'out/result.txt'), 'utf8'), beginnings['.xml']!);
  for (const ending of endings) {
    const { out } = await mervok(folder, ['report', '-o', `${ending.slice(1)}:-`]);
    assert.match(out, beginnings[ending]!, ending);
  }
  const piped = await mervok(folder, ['run', '-o', 'tap:-', '-o', 'run.md']);
  assert.match(piped.out, /^TAP version 14\n[\s\S]*ok 5 - High water: High water\n$/);
  assert.match(piped.err, /^Failed: 1 case of 5, 1 blocked by it; .*\n[\s\S]*^written {2}run\.md/m);
  assert.equal((await mervok(folder, ['run', '-q', '-o', 'run.md'])).out.split('\n').length, 2);
  const rows: [words: string[], says: RegExp][] = [
    [['-o', '-'], /-o json:-/],
    [['-o', 'json:'], /A path is missing behind 'json:'/],
    [['-o', 'report'], /for a path without one: -o html:PATH/],
    [['-o', 'xls:report'], /No report has the ending of 'xls:report'/],
    [['-o', 'json:-', '-o', 'tap:-'], /One report at a time/],
    [['-o', 'json:-', '--json'], /both want standard output/],
  ];
  for (const [words, says] of rows) {
    const { code, out, err } = await mervok(folder, ['run', ...words]);
    assert.deepEqual([code, out], [2, ''], words.join(' '));
    assert.match(err, says);
  }
});

test('a report ends with the verdict when it is asked for it', async t => {
  const folder = await harbour(t);
  for (const index of [1, 2]) await mervok(folder, ['run', '--shard', `${index}/3`, '-o', `${index}.ndjson`]);
  await mervok(folder, ['run', 'tides.md', '-o', 'tides.ndjson']);
  await mervok(folder, ['run', '-o', 'all.ndjson']);
  const rows: [words: string[], code: number][] = [
    [['all.ndjson'], 0],
    [['all.ndjson', '--verdict'], 1],
    [['all.ndjson', '--verdict', '-o', 'all.md'], 1],
    [['tides.ndjson', '--verdict'], 0],
    [['--merge', '1.ndjson', '2.ndjson'], 0],
    // A share is missing, so nobody knows.
    [['--merge', '1.ndjson', '2.ndjson', '--verdict'], 3],
  ];
  for (const [words, code] of rows)
    assert.equal((await mervok(folder, ['report', ...words])).code, code, words.join(' '));
});

test('every format, with the run and of the run on record: the same bytes, in folders that are made', async t => {
  const folder = await harbour(t);
  const options = (where: string) => endings.flatMap(ending => ['-o', `${where}/deep/run${ending}`]);
  const run = await mervok(folder, ['run', ...options('now')]);
  assert.equal(run.code, 1, run.err);
  const { code, out, err } = await mervok(folder, ['report', 'last', ...options('later')]);
  assert.equal(code, 0, err);
  assert.match(out, /^written {2}later\/deep\/run\.html, \d+ kB\n/);
  for (const ending of endings) {
    const [now, later] = ['now', 'later'].map(where =>
      readFileSync(join(folder, where, `deep/run${ending}`), 'latin1'),
    );
    assert.match(now!, beginnings[ending]!, ending);
    // A spreadsheet and a document say when they were made.
    if (!['.xlsx', '.pdf'].includes(ending)) assert.equal(now, later, ending);
  }
  assert.deepEqual(
    readdirSync(join(folder, 'now/deep')).sort(),
    endings.map(ending => `run${ending}`).sort(),
  );
});

test('the page tells the verdict, what failed with its prose and exchange, and what that blocks', async t => {
  const folder = await harbour(t);
  await mervok(folder, ['run', '-o', 'run.html']);
  const page = readFileSync(join(folder, 'run.html'), 'utf8');
  assert.match(page, /<h1 class="fails">Failed: 1 case of 5, 1 blocked by it; 3 of 5 checks hold\.<\/h1>/);
  assert.match(page, /<div class="prose"><p>A berth that is free can be taken\.<\/p>/);
  assert.match(page, /<dt>expected<\/dt><dd>200<\/dd>[\s\S]*?<dt>found<\/dt><dd class="found">500<\/dd>/);
  assert.match(page, /<summary>1 case is blocked by this<\/summary><ul><li>Leave /);
  assert.match(page, /<mark><b>500<\/b> Internal Server Error<\/mark>/);
  assert.match(page, /&quot;state&quot;|"state": "Åland 漢"/);
  assert.doesNotMatch(page, /(?:src|href)="(?!#)/);
});

test('without -o a run is told again as it was told then', async t => {
  const folder = await harbour(t);
  const { out } = await mervok(folder, ['run']);
  const again = await mervok(folder, ['report']);
  assert.equal(again.code, 0);
  assert.equal(again.out.trimEnd(), out.replace(/^Once .*$/m, '').trimEnd());
  assert.equal((await mervok(folder, ['report', '-q'])).out.split('\n').length, 2);
});

test('many users: figures request by request at the end, bounds that are not kept in the verdict', async t => {
  const folder = await harbour(t, 'bounds: |\n  failed < 10 %\n  p95 time < 1 min\n');
  const { code, out } = await mervok(folder, ['run', '--users', '3', '--rounds', '4', '-o', 'run.html']);
  assert.equal(code, 1);
  assert.match(out, /^ +sent +failed +50 % +90 % +95 % +99 % +longest$/m);
  // Of twelve there is no 95 of 100: that would be the slowest, which is told anyway.
  assert.match(out, /^Take {2}GET \/bad +12 +100 %( +[\d.]+ m?s){2} {19,}[\d.]+ m?s$/m);
  assert.match(out, /^in total +48 +25 %( +[\d.]+ m?s){3} {10,}[\d.]+ m?s$/m);
  assert.match(out, /^not kept failed < 10 % +mervok\.yaml:4\n {11}found +40 %, 24 of 60$/m);
  // How late the program itself was hangs on the machine.
  assert.match(out, /^Failed: .*1 of 2\s+bounds is not kept/m);
  for (const line of out.split('\n')) assert.ok(line.length <= 100, line);
  const page = readFileSync(join(folder, 'run.html'), 'utf8');
  assert.equal(page.match(/<svg class="chart"/g)!.length, 5);
  assert.match(page, /is not kept<\/span> <code>failed &lt; 10 %<\/code>/);
  const { out: runs } = await mervok(folder, ['runs']);
  assert.match(runs, /1 of 2\s+bounds is not kept/);
});

test('a report that cannot be written spoils neither the verdict nor the other reports; the code is 3', async t => {
  const folder = await harbour(t);
  writeFileSync(join(folder, 'file'), '');
  mkdirSync(join(folder, 'folder.html'));
  const { code, out, err } = await mervok(folder, [
    'run',
    '-o',
    'file/run.html',
    '-o',
    'folder.html',
    '-o',
    'run.tap',
  ]);
  assert.equal(code, 3);
  assert.match(out, /^Failed: 1 case of \d, 1 blocked by it; \d of \d checks hold\.$/m);
  assert.match(
    err,
    /^The report 'file\/run\.html' could not be written: .+\nThe report 'folder\.html' could not be written: .+\n$/,
  );
  assert.match(readFileSync(join(folder, 'run.tap'), 'utf8'), beginnings['.tap']!);
  assert.deepEqual(
    readdirSync(folder).filter(name => name.includes('.part')),
    [],
  );
  const again = await mervok(folder, ['report', '-o', 'file/run.html']);
  assert.equal(again.code, 3);
});

test('an ending that stands for no format is an error before anything is sent', async t => {
  const folder = await harbour(t);
  for (const args of [
    ['run', '-o', 'run.docx'],
    ['report', '-o', 'run'],
  ]) {
    const { code, err } = await mervok(folder, args);
    assert.equal(code, 2);
    assert.match(
      err,
      /^No report has the ending of 'run(?:\.docx)?'\. There are \.html \(a page to read\), \.pdf /,
    );
  }
  assert.ok(!existsSync(join(folder, '.mervok')));
});

test('records that are cut off, damaged, of a newer version, or none', async t => {
  const folder = await harbour(t);
  await mervok(folder, ['run', '-o', 'whole.ndjson']);
  const lines = readFileSync(join(folder, 'whole.ndjson'), 'utf8').trimEnd().split('\n');
  const write = (name: string, text: string) => writeFileSync(join(folder, name), text);
  write('cut.ndjson', lines.join('\n').slice(0, lines.slice(0, -6).join('\n').length - 20));
  write('damaged.ndjson', lines.with(4, `${lines[4]!.slice(0, 30)}`).join('\n'));
  write('wrong.ndjson', lines.with(4, '{"type":"case","round":1}').join('\n'));
  write('times.ndjson', lines.with(0, lines[0]!.replace(/"at":"[^"]*"/, '"at":"high water"')).join('\n'));
  const far = lines.findIndex(line => line.startsWith('{"type":"exchange"'));
  write('far.ndjson', lines.with(far, lines[far]!.replace(/"at":\d+/, '"at":1e308')).join('\n'));
  write(
    'newer.ndjson',
    lines.with(0, lines[0]!.replace(/"version":\d+/, `"version":${recordVersion + 1}`)).join('\n'),
  );
  write('none.ndjson', 'high water 06:12\n');
  write('empty.ndjson', '');
  const all = endings.flatMap(ending => ['-o', `out/run${ending}`]);
  const cut = await mervok(folder, ['report', 'cut.ndjson', ...all]);
  assert.equal(cut.code, 0, cut.err);
  assert.match(
    readFileSync(join(folder, 'out/run.html'), 'utf8'),
    /The record breaks off before the end of the run\./,
  );
  assert.match(readFileSync(join(folder, 'out/run.tap'), 'utf8'), /^Bail out! The record breaks off/m);
  JSON.parse(readFileSync(join(folder, 'out/run.json'), 'utf8'));
  const rows: [name: string, says: RegExp][] = [
    ['damaged.ndjson', /^'damaged\.ndjson' is damaged on line 5\.\n$/],
    ['wrong.ndjson', /^'wrong\.ndjson' is damaged on line 5\.\n$/],
    ['times.ndjson', /^'times\.ndjson' is damaged on line 1\.\n$/],
    ['far.ndjson', new RegExp(`^'far\\.ndjson' is damaged on line ${far + 1}\\.\\n$`)],
    [
      'newer.ndjson',
      new RegExp(
        `^'newer\\.ndjson' has version ${recordVersion + 1} of the record, and this Mervok reads ${recordVersion}\\.\\n$`,
      ),
    ],
    ['none.ndjson', /^'none\.ndjson' is no record of a run\.\n$/],
    ['empty.ndjson', /^'empty\.ndjson' is empty: its run was killed before it had begun\.\n$/],
    ['missing.ndjson', /^There is no run 'missing\.ndjson'\./],
  ];
  for (const [name, says] of rows) {
    const { code, err } = await mervok(folder, ['report', name, '-o', `never/${name}.html`]);
    assert.equal(code, 2, name);
    assert.match(err, says);
    assert.ok(!existsSync(join(folder, `never/${name}.html`)), name);
  }
});

test('lines that are gone from a record are found out by what its end counts', async t => {
  const folder = await harbour(t);
  await mervok(folder, ['run', '-o', 'whole.ndjson']);
  const lines = readFileSync(join(folder, 'whole.ndjson'), 'utf8').trimEnd().split('\n');
  const rows: [type: string, says: RegExp][] = [
    ['check', /^'less\.ndjson' is damaged: it holds 4 checks, and its end counts 5\.\n$/],
    ['exchange', /^'less\.ndjson' is damaged: it holds 3 requests, and its end counts 4\.\n$/],
    ['case', /^'less\.ndjson' is damaged: it holds 4 cases, and its end counts 5\.\n$/],
    ['page', /^'less\.ndjson' is damaged: a page is missing\.\n$/],
  ];
  for (const [type, says] of rows) {
    const gone = lines.findIndex(line => line.startsWith(`{"type":"${type}"`));
    writeFileSync(join(folder, 'less.ndjson'), lines.toSpliced(gone, 1).join('\n'));
    const { code, err } = await mervok(folder, ['report', 'less.ndjson', '-o', 'less.html']);
    assert.equal(code, 2, type);
    assert.match(err, says);
    assert.ok(!existsSync(join(folder, 'less.html')));
  }
});

test('reports of a run whose record is cut by a full disk are whole, and say so', async t => {
  const folder = await harbour(t);
  const outputs = ['.html', '.json', '.tap'].map(ending => `-o run${ending}`).join(' ');
  const limited = `ulimit -f 400; trap '' XFSZ; exec node ${program} run tides.md --rounds 1500 -q ${outputs}`;
  const { status, stdout, stderr } = await new Promise<{
    status: number | null;
    stdout: string;
    stderr: string;
  }>(ended => {
    const child = execFile(
      'bash',
      ['-c', limited],
      { cwd: folder, encoding: 'utf8' },
      (_error, stdout, stderr) => ended({ status: child.exitCode, stdout, stderr }),
    );
  });
  assert.equal(status, 3);
  assert.match(stdout, /^Passed: 1,500 cases; all 1,500 checks hold\./);
  assert.match(stderr, /^The record is not whole: EFBIG[^\n]*\n$/, 'every report could be written');
  const json = JSON.parse(readFileSync(join(folder, 'run.json'), 'utf8'));
  assert.equal(json.totals.stopped, 'killed');
  assert.ok(json.totals.checks < 1500);
  const tap = readFileSync(join(folder, 'run.tap'), 'utf8');
  assert.equal(tap.match(/^(?:not )?ok /gm)!.length, Number(/^1\.\.(\d+)$/m.exec(tap)![1]));
  assert.match(
    readFileSync(join(folder, 'run.html'), 'utf8'),
    /The record breaks off before the end of the run\./,
  );
});

test('the shards of a run, told as one, are the run; a missing one is told', async t => {
  const folder = await harbour(t);
  for (const shard of [1, 2, 3])
    await mervok(folder, ['run', '--shard', `${shard}/3`, '-o', `${shard}.ndjson`]);
  await mervok(folder, ['run', '-o', 'whole.json']);
  const { code, err } = await mervok(folder, [
    'report',
    '--merge',
    '1.ndjson',
    '2.ndjson',
    '3.ndjson',
    '-o',
    'all.json',
    '-o',
    'all.html',
  ]);
  assert.equal(code, 0, err);
  assert.equal(err, '');
  const [whole, all] = ['whole.json', 'all.json'].map(name =>
    JSON.parse(readFileSync(join(folder, name), 'utf8')),
  );
  assert.deepEqual(all.totals.cases, whole.totals.cases);
  assert.equal(all.totals.requests, whole.totals.requests);
  assert.equal(all.verdict, whole.verdict);
  assert.deepEqual(
    all.pages.map(({ file }: { file: string }) => file).sort(),
    whole.pages.map(({ file }: { file: string }) => file).sort(),
  );
  const two = await mervok(folder, ['report', '--merge', '1.ndjson', '3.ndjson', '-o', 'two.html']);
  assert.equal(two.code, 0);
  assert.match(two.err, /^shard 2 of 3 is missing\.$/m);
  assert.match(
    readFileSync(join(folder, 'two.html'), 'utf8'),
    /<dt>Selected<\/dt><dd>all but shard 2 of 3<\/dd>/,
  );
  const errors: [args: string[], says: RegExp][] = [
    [['1.ndjson', '2.ndjson'], /^These are 2 runs\. To tell them as one: mervok report --merge/],
    [['--merge', '1.ndjson', './1.ndjson'], /is named twice/],
    [['--merge', '1.ndjson', '4.ndjson'], /There is no run '4\.ndjson'/],
  ];
  for (const [args, says] of errors) {
    const failed = await mervok(folder, ['report', ...args]);
    assert.equal(failed.code, 2);
    assert.match(failed.err, says);
  }
});

test('the document tells the verdict, what failed and why, in letters of every alphabet that its fonts know', async t => {
  const folder = await harbour(t);
  await mervok(folder, ['run', '-o', 'run.pdf']);
  const text = textOfPdf(readFileSync(join(folder, 'run.pdf'))).replace(/\s+/g, ' ');
  for (const told of [
    'Failed: 1 case of 5, 1 blocked by it; 3 of 5 checks hold.',
    'What did not pass',
    'A berth that is free can be taken.',
    'status = 200',
    'Blocked by it: Leave.',
    '{ "state": "Åland \\u{6f22}" }',
    '1 of 1',
  ])
    assert.ok(text.includes(told), `${told}: ${text}`);
});

test('a record of the second version is read as it is', async t => {
  const earlier = readFileSync('test/reports/records/version-2.ndjson', 'utf8');
  const folder = folderWith(t, { 'earlier.ndjson': earlier });
  const shown = await mervok(folder, ['report', 'earlier.ndjson', '-o', 'now.ndjson', '-o', 'now.html']);
  assert.equal(shown.code, 0, shown.err);
  const now = readFileSync(join(folder, 'now.ndjson'), 'utf8');
  assert.equal(now, earlier.replace('"version":2', `"version":${recordVersion}`));
});

test('a record of the first version is read, with the names that its figures have now', async t => {
  const earlier = readFileSync('test/reports/records/version-1.ndjson', 'utf8');
  const folder = folderWith(t, { 'earlier.ndjson': earlier });
  const shown = await mervok(folder, ['report', 'earlier.ndjson', '-o', 'now.ndjson', '-o', 'now.json']);
  assert.equal(shown.code, 0, shown.err);
  const now = readFileSync(join(folder, 'now.ndjson'), 'utf8').trimEnd().split('\n');
  const parsed = (lines: readonly string[]) => lines.map(line => JSON.parse(line));
  const before = parsed(earlier.trimEnd().split('\n'));
  const after = parsed(now);
  assert.deepEqual(after.at(0), { ...before.at(0), version: recordVersion });
  assert.deepEqual(after.slice(1, -1), before.slice(1, -1));
  const { half, most, ...totals } = before.at(-1).totals;
  assert.deepEqual(after.at(-1), { ...before.at(-1), totals: { ...totals, p50: half, p95: most } });
  const report = JSON.parse(readFileSync(join(folder, 'now.json'), 'utf8'));
  assert.deepEqual(
    [report.totals.medianMilliseconds, report.totals.p95Milliseconds, report.totals.checks],
    [half, most, 5],
  );
  const told = await mervok(folder, ['report', 'earlier.ndjson']);
  assert.doesNotMatch(told.out, /half within/, 'of a handful there are no percentiles');
});
