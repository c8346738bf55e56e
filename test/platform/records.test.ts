import assert from 'node:assert/strict';
import {
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import { recordVersion } from '../../src/core/model/outcomes.ts';
import { openEventCheck } from '../../src/core/record/validate.ts';
import { LineFile } from '../../src/platform/line-file.ts';
import { Recorder, writeWhole } from '../../src/platform/recorder.ts';
import {
  casesOf,
  cookieSettersIn,
  findRun,
  idsIn,
  listRuns,
  readRecord,
  readSummary,
  runsFolder,
} from '../../src/platform/run-records.ts';
import { isOwnFile, isOwnFolder, openFolder, stateFolder, writeOwnFile } from '../../src/platform/state.ts';
import { errorOf } from '../support/errors.ts';
import { folderWith } from '../support/folder.ts';

const at = '2026-11-23T14:05:28.000Z';
const place = { file: 'berths.md', line: 3, column: 1 };
const first = {
  type: 'run',
  version: recordVersion,
  tool: 'mervok test',
  at,
  title: 'Skerry',
  rounds: 1,
  cases: 2,
};
const page = { type: 'page', round: 1, file: 'berths.md', title: 'Berths' };
const caseOf = (address: string, more = {}) => ({
  ...{ type: 'case', round: 1, case: address, title: 'Reserve', place, outcome: 'passed', time: 5, at: 0 },
  ...more,
});
const totals = {
  ...{ cases: { passed: 2, failed: 0, error: 0, blocked: 0, skipped: 0 }, checks: 0, held: 0, requests: 0 },
  ...{ received: 0, causes: 0 },
};
const end = { type: 'end', at, time: 12, totals };
const linesOf = (...events: object[]) => events.map(event => `${JSON.stringify(event)}\n`).join('');

async function all<Item>(items: AsyncIterable<Item>): Promise<Item[]> {
  const list: Item[] = [];
  for await (const item of items) list.push(item);
  return list;
}
const failureOf = (use: Promise<unknown>) =>
  use.then(
    given => `gives ${JSON.stringify(given)}`,
    (error: Error) => error.message,
  );

test('runs are found by their order, by an ID, by its beginning, or by their file', t => {
  assert.deepEqual(
    idsIn([
      '20261123-140528-10.ndjson',
      '20261123-140528-2.ndjson',
      '20261123-140528.ndjson',
      '20261122-235959-3.ndjson',
      '20261124-000000.ndjson',
      ...[
        'x20261123-140528.ndjson',
        '20261123-140528.ndjson.part',
        '20261123-1405.ndjson',
        '20261123-140528.json',
      ],
    ]),
    ['20261122-235959-3', '20261123-140528', '20261123-140528-2', '20261123-140528-10', '20261124-000000'],
  );
  const root = folderWith(t, {
    'empty/mervok.yaml': '',
    'kept/.mervok/runs/20261122-100000.ndjson': linesOf(first),
    'kept/.mervok/runs/20261123-100000.ndjson': linesOf(first),
    'kept/.mervok/runs/20261123-110000.ndjson': '',
    'kept/.mervok/runs/20261124-100000.ndjson/x': 'no file itself',
    'alone.ndjson': linesOf(first),
    'killed/.mervok/runs/20261123-110000.ndjson': '',
  });
  const [empty, kept, killed] = ['empty', 'kept', 'killed'].map(name => join(root, name)) as [
    string,
    string,
    string,
  ];
  assert.deepEqual(listRuns(empty), []);
  assert.deepEqual(listRuns(kept), ['20261122-100000', '20261123-100000', '20261123-110000']);
  const idOf = (named: string, where: string | undefined) => errorOf(() => findRun(named, where).id);
  const rows: [named: string, where: string | undefined, found: string][] = [
    // The one that was killed at once is empty: the one before it is meant.
    ['last', kept, 'gives "20261123-100000"'],
    ['last', killed, 'gives "20261123-110000"'],
    ['20261123-100000', kept, 'gives "20261123-100000"'],
    ['20261123-100000.ndjson', kept, 'gives "20261123-100000"'],
    ['20261122', kept, 'gives "20261122-100000"'],
    ['20261123', kept, "'20261123' is the beginning of 2 runs: 20261123-100000, 20261123-110000."],
    ['lost', kept, "There is no run 'lost'. Did you mean 'last'?"],
    ['harbour', kept, "There is no run 'harbour'. 'mervok runs' lists them."],
    ['runs/20261122', kept, "There is no file 'runs/20261122'."],
    ['a\\b', kept, "There is no file 'a\\b'."],
    ['none.ndjson', kept, "There is no run 'none.ndjson'. 'mervok runs' lists them."],
    ['last', empty, "No run is on record here. Every 'mervok run' leaves one."],
    ['20261122', empty, "There is no file '20261122', and no run is on record here."],
    ['last', undefined, "There is no file 'last', and no collection here whose runs it could be."],
  ];
  for (const [named, where, found] of rows) assert.equal(idOf(named, where), found, named);
  // A file is one by its ending.
  const here = process.cwd();
  process.chdir(root);
  t.after(() => process.chdir(here));
  writeFileSync('harbour', 'no record');
  assert.equal(idOf('harbour', kept), "There is no run 'harbour'. 'mervok runs' lists them.");
  assert.deepEqual(findRun(join(root, 'alone.ndjson'), undefined), {
    id: join(root, 'alone.ndjson'),
    path: join(root, 'alone.ndjson'),
  });
  assert.equal(findRun('20261122', kept).path, join(kept, '.mervok/runs/20261122-100000.ndjson'));
  // A link leads out of the collection.
  symlinkSync(join(kept, '.mervok'), join(empty, '.mervok'));
  assert.deepEqual(listRuns(empty), []);
});

test('a record is read up to its end; what is damaged before that is told by its line', async t => {
  const isEvent = await openEventCheck();
  const cut = '{"type":"case","rou';
  const rows: [name: string, text: string, read: number | string, closely?: number | string][] = [
    ['whole', linesOf(first, page, caseOf('berths.md#a'), end), 4],
    ['killed', linesOf(first, page), 2],
    ['without its last line end', linesOf(first, page, end).trimEnd(), 3],
    ['one line', linesOf(first).trimEnd(), 1],
    ['cut', linesOf(first, page) + cut, 2],
    ['cut at once', linesOf(first) + cut, 1],
    ['empty', '', "'FILE' is empty: its run was killed before it had begun."],
    ['other', 'quay,depth\n1,2\n', "'FILE' is damaged on line 1."],
    ['other line', 'quay', "'FILE' is no record of a run."],
    ['no run first', linesOf(page, end), "'FILE' is no record of a run."],
    ['blank', '\n', "'FILE' is no record of a run."],
    [
      'newer',
      linesOf({ ...first, version: recordVersion + 1, harbour: 1 }),
      `'FILE' has version ${recordVersion + 1} of the record, and this Mervok reads ${recordVersion}.`,
    ],
    ['damaged', `${linesOf(first)}${cut}\n${linesOf(end)}`, "'FILE' is damaged on line 2."],
    ['damaged further', `${linesOf(first, page)}null\n${linesOf(page, end)}`, "'FILE' is damaged on line 3."],
    [
      'damaged, where it comes last',
      `${linesOf(first)}{"type":"page","lane":2,\n${linesOf({ ...page, lane: 1 }, end)}`,
      "'FILE' is damaged on line 2.",
    ],
    ['loosely', linesOf(first, { type: 'page' }, end), 3, "'FILE' is damaged on line 2."],
    ['loose head', linesOf({ ...first, cases: 'many' }, end), 2, "'FILE' is damaged on line 1."],
    ['more is said', linesOf(first, { ...page, tide: 'ebb' }, end), 3, 3],
  ];
  const folder = folderWith(t, Object.fromEntries(rows.map(([name, text]) => [`${name}.ndjson`, text])));
  for (const [name, , read, closely = read] of rows) {
    const path = join(folder, `${name}.ndjson`);
    const told = async (check?: typeof isEvent) => {
      const given = await all(readRecord(path, check)).catch((error: Error) =>
        error.message.replace(path, 'FILE'),
      );
      return typeof given === 'string' ? given : given.length;
    };
    assert.equal(await told(), read, name);
    assert.equal(await told(isEvent), closely, `${name}, looked at closely`);
  }
  assert.deepEqual(await all(readRecord(join(folder, 'whole.ndjson'))), [
    first,
    page,
    caseOf('berths.md#a'),
    end,
  ]);
});

test('what ran at once is told page by page, each user for itself', async t => {
  const laned = (lane: number, what: string, more = {}) => ({
    type: 'case',
    lane,
    round: 1,
    ...more,
    case: what,
  });
  const user = (number: number) => ({ user: number });
  const cleanup = (more = {}) => ({
    type: 'page',
    round: 1,
    ...more,
    file: 'berths.md',
    title: 'é',
    cleanup: true,
  });
  const events = [
    { ...first, jobs: 2 },
    laned(2, 'b1', user(1)),
    laned(1, 'a1 é', user(1)),
    laned(11, 'z', user(2)),
    laned(1, 'a2', user(1)),
    laned(10, 'y', user(2)),
    cleanup(user(1)),
    laned(3, 'later', user(1)),
    { ...laned(20, 'much later', user(1)), round: 12 },
    laned(31, 'of another', user(12)),
    laned(30, 'of the twelfth', user(12)),
    end,
  ];
  const folder = folderWith(t, {
    'jobs.ndjson': linesOf(...events),
    'killed.ndjson': linesOf(...events.slice(0, 5)),
  });
  const told = async (name: string) =>
    (await all(readRecord(join(folder, name)))).map(each => ('case' in each ? each.case : each.type));
  assert.deepEqual(await told('jobs.ndjson'), [
    'run',
    'a1 é',
    'a2',
    'b1',
    'page',
    'later',
    'much later',
    'y',
    'z',
    'of the twelfth',
    'of another',
    'end',
  ]);
  assert.deepEqual(await told('killed.ndjson'), ['run', 'a1 é', 'a2', 'b1', 'z']);
  const [head, one] = (await all(readRecord(join(folder, 'jobs.ndjson')))) as object[];
  assert.ok(!('jobs' in head!) && !('lane' in one!));
});

test('the summary is the first line and the last, however long that is', async t => {
  const long = { ...end, bounds: [{ text: 'x'.repeat(9000), place, holds: 'yes', found: 'é'.repeat(5000) }] };
  const folder = folderWith(t, {
    'short.ndjson': linesOf(first, end),
    'long.ndjson': linesOf(first, caseOf('a'.repeat(5000)), long),
    'killed.ndjson': linesOf(first, page),
    'cut.ndjson': linesOf(first, page) + JSON.stringify(end).slice(0, -4),
    'first.ndjson': linesOf(first),
  });
  const summary = (name: string) => readSummary(join(folder, name)) as Promise<object>;
  assert.deepEqual(await summary('short.ndjson'), { run: first, end });
  assert.deepEqual(await summary('long.ndjson'), { run: first, end: long });
  for (const name of ['killed.ndjson', 'cut.ndjson', 'first.ndjson'])
    assert.deepEqual(await summary(name), { run: first });
});

test('of records only the lines that are asked for are read', async t => {
  const answered = (address: string, headers: [string, string][]) => ({
    ...{
      type: 'exchange',
      round: 1,
      case: address,
      place,
      request: { method: 'GET', url: '/', headers: [] },
    },
    response: { status: 200, reason: '', headers, body: { size: 0 } },
  });
  const runs = Object.fromEntries(
    Array.from({ length: 7 }, (_, index) => [
      `.mervok/runs/2026112${index}-100000.ndjson`,
      `${linesOf(
        first,
        answered(`berths.md#run-${index}`, [['SET-cookie', 'tide=1']]),
        answered('berths.md#says', [['X-Says', 'set-cookie']]),
        { type: 'exchange', case: 'berths.md#fault', fault: { message: 'set-cookie' } },
        caseOf('berths.md#a', { because: 'Set-Cookie' }),
        caseOf('berths.md#b'),
      )}{"type":"exchange","case":"berths.md#cut","response":{"headers":[["Set-Cookie`,
    ]),
  );
  const root = folderWith(t, {
    ...runs,
    'cut.ndjson': `${linesOf(first, caseOf('berths.md#a'))}{"type":"case"`,
  });
  assert.deepEqual(
    [...(await cookieSettersIn(root))],
    [2, 3, 4, 5, 6].map(index => `berths.md#run-${index}`),
  );
  assert.deepEqual(
    (await all(casesOf(findRun('20261120', root).path))).map(each => each.case),
    ['berths.md#a', 'berths.md#b'],
  );
  assert.equal((await all(casesOf(join(root, 'cut.ndjson')))).length, 1);
});

test('a record grows while its run goes; of a collection the last thirty are kept', async t => {
  const root = folderWith(t);
  const begin = new Date(at);
  const recorder = Recorder.inCollection(root, begin);
  const path = join(runsFolder(root), '20261123-140528.ndjson');
  recorder.add(first as RunEvent);
  // However soon it is killed, the record says what it was.
  assert.equal(readFileSync(path, 'utf8'), linesOf(first));
  assert.equal(lstatSync(path).mode & 0o777, 0o600);
  recorder.add(page as RunEvent);
  assert.equal(readFileSync(path, 'utf8'), linesOf(first));
  recorder.add({ ...page, title: 'x'.repeat(70_000) } as RunEvent);
  assert.ok(readFileSync(path, 'utf8').length > 70_000);
  recorder.add(end as RunEvent);
  recorder.finish();
  assert.deepEqual([recorder.problem, (await all(recorder.events())).length], [undefined, 4]);
  recorder.remove();
  assert.ok(existsSync(path));

  for (let more = 2; more <= 40; more++) Recorder.inCollection(root, begin).finish();
  const ids = listRuns(root);
  assert.deepEqual([ids.length, ids[0], ids.at(-1)], [30, '20261123-140528-11', '20261123-140528-40']);

  const temporary = Recorder.temporary();
  temporary.add(first as RunEvent);
  temporary.finish();
  assert.equal((await all(temporary.events())).length, 1);
  temporary.remove();
  assert.match(await failureOf(all(temporary.events())), /ENOENT/);
});

test('what keeps a file of lines from being written is told, and spoils nothing that is there', t => {
  const folder = folderWith(t, { 'there.ndjson': 'old' });
  assert.match(
    errorOf(() => new LineFile(join(folder, 'there.ndjson'), 'wx')),
    /EEXIST/,
  );
  const anew = new LineFile(join(folder, 'there.ndjson'), 'w');
  anew.finish();
  assert.equal(readFileSync(join(folder, 'there.ndjson'), 'utf8'), '');
  if (!existsSync('/dev/full')) return;
  const full = new LineFile('/dev/full', 'w');
  full.add('one');
  assert.equal(full.problem, undefined);
  full.flush();
  assert.match(full.problem!, /ENOSPC/);
  full.add('two');
  full.finish();
});

test('lines are in the file a moment later, also where no more come', async t => {
  const path = join(folderWith(t), 'lines.ndjson');
  const file = new LineFile(path, 'wx');
  file.add('ebb');
  file.add('flood');
  assert.equal(readFileSync(path, 'utf8'), '');
  for (let tries = 0; tries < 200 && readFileSync(path, 'utf8') === ''; tries++)
    await new Promise(resume => setTimeout(resume, 10));
  assert.equal(readFileSync(path, 'utf8'), 'ebb\nflood\n');
  file.finish();
});

test('lines of every size are all there, whole and in their order', t => {
  const path = join(folderWith(t), 'lines.ndjson');
  const file = new LineFile(path, 'wx');
  const lines = Array.from({ length: 1500 }, (_, at) => `${at} ${'tide é '.repeat((at * 37) % 900)}`);
  for (const line of [...lines, 'x'.repeat(400_000), ...lines]) file.add(line);
  file.finish();
  assert.equal(file.problem, undefined);
  assert.ok(readFileSync(path, 'utf8') === `${[...lines, 'x'.repeat(400_000), ...lines].join('\n')}\n`);
});

test('a report is written whole or not at all', async t => {
  const folder = folderWith(t, { 'old.txt': 'old', file: '' });
  const parts = ['é', 'x'.repeat(70_000), Buffer.from('bytes'), new Uint8Array([33]), 'end'];
  await writeWhole(join(folder, 'a', 'b', 'new.txt'), parts);
  assert.equal(readFileSync(join(folder, 'a/b/new.txt'), 'utf8'), `é${'x'.repeat(70_000)}bytes!end`);
  async function* failing() {
    yield 'half';
    throw new Error('no more');
  }
  assert.equal(await failureOf(writeWhole(join(folder, 'old.txt'), failing())), 'no more');
  assert.equal(readFileSync(join(folder, 'old.txt'), 'utf8'), 'old');
  assert.match(await failureOf(writeWhole(join(folder, 'file', 'x'), ['x'])), /EEXIST|ENOTDIR/);
  assert.deepEqual(readdirSync(folder).sort(), ['a', 'file', 'old.txt']);
});

test('what is kept of a collection is its owner’s alone, and no link is followed', t => {
  const root = folderWith(t, { 'elsewhere/x': '' });
  const folder = openFolder(stateFolder(root), 'runs', 'deep');
  assert.equal(folder, join(root, '.mervok', 'runs', 'deep'));
  for (const path of [stateFolder(root), folder]) assert.equal(lstatSync(path).mode & 0o777, 0o700);
  const ignored = join(stateFolder(root), '.gitignore');
  assert.equal(readFileSync(ignored, 'utf8'), '*\n');
  writeFileSync(ignored, 'runs\n');
  openFolder(stateFolder(root), 'runs');
  assert.equal(readFileSync(ignored, 'utf8'), 'runs\n');

  const text = join(folder, 'last.json');
  writeOwnFile(text, 'é'.repeat(100_000));
  assert.deepEqual([lstatSync(text).mode & 0o777, lstatSync(text).size], [0o600, 200_000]);
  symlinkSync(join(root, 'elsewhere', 'x'), join(folder, 'linked.json'));
  writeOwnFile(join(folder, 'linked.json'), 'own');
  assert.ok(isOwnFile(join(folder, 'linked.json')));
  assert.equal(readFileSync(join(root, 'elsewhere', 'x'), 'utf8'), '');
  mkdirSync(join(folder, 'taken'));
  assert.throws(() => writeOwnFile(join(folder, 'taken'), 'text'));
  assert.deepEqual(readdirSync(folder).sort(), ['last.json', 'linked.json', 'taken']);

  symlinkSync(join(root, 'elsewhere'), join(root, 'link'));
  assert.equal(
    errorOf(() => openFolder(stateFolder(root), 'runs', '../../link')),
    `'${join(root, 'link')}' is no folder of its own, and no link is followed there.`,
  );
  assert.deepEqual(
    ['link', 'elsewhere', 'elsewhere/x', 'none'].map(name => [
      isOwnFolder(join(root, name)),
      isOwnFile(join(root, name)),
    ]),
    [
      [false, false],
      [true, false],
      [false, true],
      [false, false],
    ],
  );
  truncateSync(text);
});
