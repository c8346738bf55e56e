import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import type { Stop } from '../../src/core/model/outcomes.ts';
import { RunTotals } from '../../src/core/record/totals.ts';
import { fitRows } from '../../src/reports/body.ts';
import { findingsText } from '../../src/reports/findings-text.ts';
import { formatJson } from '../../src/reports/json-text.ts';
import { createMeasure, createPaint, fit, plainPaint, wrap } from '../../src/reports/style.ts';
import { TerminalReport } from '../../src/reports/terminal-report.ts';
import { progressInWords, verdictInWords } from '../../src/reports/verdict.ts';
import { caseText, planOf, type Texts } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';

const root = 'title: Skerry Harbour\nbase: "http://skerry.example"\n';
const texts: Texts = {
  'mervok.yaml': root,
  'berths.md':
    caseText('Good', 'GET /good', 'status = 200') +
    caseText('Bad', 'GET /bad', '"a label <&>": $.state = "free"\nkeep $.nope as berth') +
    caseText('Down', 'GET /down', 'status = 200') +
    caseText('Needs', 'GET /{berth}', 'status = 200') +
    caseText('Needs more', 'GET /{berth}', 'status = 200'),
};
const answer: Answer = ({ url }) =>
  url.endsWith('/down')
    ? { fault: { kind: 'refused', message: 'No connection.' } }
    : { body: { state: 'tak\u0001en <b>&amp;', quay: '\u001b[31mred' } };

async function terminal(
  events: readonly RunEvent[],
  { width = 100, quiet = false, colour = false } = {},
): Promise<string> {
  const totals = new RunTotals();
  let text = '';
  const measure = await createMeasure(['']);
  const view = new TerminalReport(
    {
      write: part => (text += part),
      paint: createPaint({ colour }),
      measure,
      width,
      quiet,
      again: { pathPrefix: '', flags: [] },
    },
    totals,
  );
  for (const event of events) {
    totals.add(event);
    view.add(event);
  }
  return text;
}

test('the terminal is quiet where all is well', async () => {
  const { events } = await runTexts(
    { 'mervok.yaml': root, 'a.md': `# Berths\n\n${caseText('All of them', 'GET /berths', 'status = 200')}` },
    () => ({}),
  );
  assert.equal(
    await terminal(events, { width: 80 }),
    `Skerry Harbour

Berths                                                                      a.md
passed   All of them               GET /berths                     200      5 ms

Passed: 1 case; the one check holds.
1 request in 5 ms, 2 B received
`,
  );
});

test('a failure opens up: check, place, expected, found, and what it blocks', async () => {
  const { events } = await runTexts(texts, answer);
  const shown = await terminal(events);
  assert.match(shown, /^failed {3}Bad {2,}GET \/bad {2,}200 {2,}5 ms$/m);
  assert.match(shown, /^ {9}"a label <&>": \$\.state = "free" {2,}berths\.md:18$/m);
  assert.match(shown, /^ {11}expected {3}"free"$/m);
  assert.match(shown, /^ {11}found {6}"tak\\u0001en <b>&amp;"$/m);
  assert.match(shown, /^ {11}at {9}\$\.state$/m);
  assert.match(shown, /^error {4}Down/m);
  assert.match(shown, /^ {9}No connection\. {2,}berths\.md:25$/m);
  assert.match(shown, /^blocked {2}Needs, Needs more: 'berth' did not come from Bad$/m);
  assert.match(
    shown,
    /^Failed: 1 case of \d, 1 could not be carried out, 2 blocked by 1 of them; 1 of 3 checks hold\.$/m,
  );
  assert.match(shown, /^Once they are mended: mervok run --failed$/m);
  assert.ok(
    !shown.includes('\u001b') && !shown.includes('\u0001'),
    'nothing of a response reaches the terminal raw',
  );
});

test('colour is added only where it is wanted, and never beyond the sixteen', async () => {
  const { events } = await runTexts(texts, answer);
  const coloured = await terminal(events, { colour: true });
  for (const [, code] of coloured.matchAll(/\u001b\[(\d+(?:;\d+)*)m/g))
    assert.match(code!, /^(?:\d|[23]\d|9\d)$/);
  assert.equal(coloured.replace(/\u001b\[\d+m/g, ''), await terminal(events));
});

test('no line is wider than the terminal, from 60 columns on', async () => {
  const { events } = await runTexts(texts, answer);
  for (const width of [60, 72, 100, 200]) {
    for (const line of (await terminal(events, { width })).split('\n'))
      assert.ok(line.length <= width, `${width}: ${line}`);
  }
});

test('the verdict alone', async () => {
  const { events } = await runTexts(texts, answer);
  assert.equal((await terminal(events, { quiet: true })).split('\n').length, 2);
});

test('long runs of passing cases fold; many rounds tell only what fails', async () => {
  const many = Array.from({ length: 20 }, (_, at) => caseText(`Case ${at}`, 'GET /', 'status = 200')).join(
    '',
  );
  const { events } = await runTexts({ 'mervok.yaml': root, 'a.md': many }, () => ({}));
  const shown = await terminal(events);
  assert.match(shown, /^passed {3}8 more$/m);
  let calls = 0;
  const rounds = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'status = 200') },
    () => ({ status: ++calls === 3 ? 500 : 200 }),
    { rounds: 5 },
  );
  const told = await terminal(rounds.events);
  assert.match(told, /^Skerry Harbour, 5 rounds$/m);
  assert.match(told, /^A, round 3|round 3/m);
  assert.equal(told.match(/^passed/gm), null);
  assert.equal(told.match(/^failed/gm)!.length, 1);
});

test('of many cases, pages that passed take a line each; where something failed, the page opens up', async () => {
  const page = (title: string, count: number, request = 'GET /good') =>
    `# ${title}\n\n${Array.from({ length: count }, (_, at) => caseText(`Case ${at}`, at === 1 ? request : 'GET /good', 'status = 200')).join('')}`;
  const { events } = await runTexts(
    {
      'mervok.yaml': root,
      'a.md': page('Berths', 20),
      'b.md': page('Quays', 20, 'GET /down'),
      'c.md': page('Tides', 3),
    },
    answer,
  );
  const told = await terminal(events, { width: 70 });
  assert.match(told, /^passed {3}Berths, 20 cases +a\.md$/m);
  assert.match(told, /\n\nQuays +b\.md\npassed {3}1 case\nerror +Case 1 /);
  assert.match(told, /\n\npassed {3}18 more\n\npassed {3}Tides, 3 cases +c\.md\n/);
  assert.ok(
    told.split('\n').every(line => line.length <= 70),
    told,
  );
});

test('a run of many rounds shows how far it is, where output can be taken back', async () => {
  const { events } = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'status = 200') },
    () => ({}),
    { rounds: 1200 },
  );
  let time = 0;
  let text = '';
  const options = {
    write: (part: string) => (text += part),
    paint: plainPaint,
    measure: await createMeasure(['']),
    width: 80,
    quiet: false,
  };
  const totals = new RunTotals();
  const view = new TerminalReport({ ...options, live: { now: () => time++ } }, totals);
  for (const [at, event] of events.entries()) {
    totals.add(event);
    view.add(event);
    if (at % 1000 === 0) view.showProgress();
  }
  assert.match(text, /Skerry Harbour, 1,200 rounds\n/);
  assert.match(text, /\r\u001b\[K250 of 1,200 cases\r\u001b\[K500 of 1,200 cases\r/);
  assert.ok(text.lastIndexOf('\r\u001b[K') > text.lastIndexOf(' of 1,200'), 'it is gone at the end');
});

test('the line of progress tells how far a run is and, after a second, how fast', async () => {
  const { events } = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'status = 200') },
    () => ({}),
    { rounds: 600 },
  );
  const [run] = events;
  assert.ok(run?.type === 'run');
  const totals = new RunTotals();
  for (const event of events.slice(0, -1)) totals.add(event);
  const rows: [run: object, elapsed: number, text: string][] = [
    [{}, 900, '600 of 600 cases'],
    [{}, 2000, '600 of 600 cases, 2 s, 300 requests a second, half within 5 ms'],
    [{ rounds: 0 }, 2000, '600 cases, 2 s, 300 requests a second, half within 5 ms'],
    [{ rounds: 1, cases: 1200 }, 2000, '600 of 1,200 cases, 2 s'],
  ];
  for (const [more, elapsed, text] of rows)
    assert.equal(progressInWords({ ...run, ...more }, totals, elapsed), text);
});

test('once the status is wrong, checks that find nothing are told in short', async () => {
  const { events } = await runTexts(
    { 'mervok.yaml': root, 'a.md': caseText('A', 'GET /', 'status = 200\n$.a = 1\n$.b.c is text') },
    () => ({ status: 500 }),
  );
  assert.match(await terminal(events), /^ {11}undecided {2}\$\.a = 1; \$\.b\.c is text$/m);
});

test('that the program itself was late is told where times may be wrong by it', () => {
  const lateness = (lag: number | undefined, p50: number | undefined) => {
    const totals = new RunTotals();
    Object.defineProperty(totals, 'p50', { value: p50 });
    return verdictInWords(Object.assign(totals, { checks: 1, held: 1, lag })).includes('itself was late');
  };
  const rows: [lag: number | undefined, p50: number | undefined, isTold: boolean][] = [
    [undefined, 1, false],
    [4, 1, false],
    [29, 1.3, true],
    [9, 100, false],
    [11, 100, true],
    [29, undefined, true],
  ];
  for (const [lag, p50, isTold] of rows) assert.equal(lateness(lag, p50), isTold, `${lag} ${p50}`);
});

test('verdicts are sentences', () => {
  const verdict = (
    figures: Partial<RunTotals['cases']> & { checks?: number; held?: number; stopped?: Stop },
  ) => {
    const { checks = 1, held = 1, stopped, ...cases } = figures;
    return verdictInWords(
      Object.assign(new RunTotals(), {
        checks,
        held,
        stopped,
        cases: { passed: 0, failed: 0, error: 0, blocked: 0, skipped: 0, ...cases },
      }),
    );
  };
  assert.equal(verdict({ passed: 1 }), 'Passed: 1 case; the one check holds.');
  assert.equal(verdict({ checks: 1234, held: 1234, passed: 20 }), 'Passed: 20 cases; all 1,234 checks hold.');
  assert.equal(
    verdict({ checks: 41, held: 39, passed: 9, failed: 1, blocked: 2 }),
    'Failed: 1 case of 12, 2 blocked by it; 39 of 41 checks hold.',
  );
  assert.equal(
    verdict({ checks: 3, held: 0, failed: 2, error: 1, blocked: 1 }),
    'Failed: 2 cases of 4, 1 could not be carried out, 1 blocked by them; none of 3 checks holds.',
  );
  assert.equal(
    verdict({ checks: 0, held: 0, error: 1 }),
    'Failed: 1 case could not be carried out; nothing was checked.',
  );
  assert.equal(
    verdict({ checks: 8, held: 8, error: 1, passed: 2 }),
    'Failed: 1 case of 3 could not be carried out; all 8 checks that were made hold.',
  );
  assert.equal(verdict({ checks: 0, held: 0, passed: 2 }), 'Nothing was checked: 2 cases.');
  assert.equal(
    verdict({ passed: 1, stopped: 'interrupt' }),
    'Not finished: 1 case; the one check holds. The run was interrupted.',
  );
});

test('findings mark their place, also behind tabs, wide characters and in a long line', async () => {
  const rows: [line: string, shown: string][] = [
    ['statsu = 1', '    statsu = 1\n    ^^^^^^'],
    ['"é漢字": statsu = 1', '    "é漢字": statsu = 1\n             ^^^^^^'],
    [`"${'x'.repeat(300)}": statsu = 1`, ' statsu = 1\n'],
  ];
  for (const [line, shown] of rows) {
    const { findings } = await planOf({ 'a.md': `# A\n\n~~~mervok\n${line}\n~~~\n` });
    const text = findingsText(findings, {
      paint: plainPaint,
      width: 80,
      measure: await createMeasure([line]),
    });
    assert.ok(text.includes(shown), text);
    for (const each of text.split('\n')) assert.ok([...each].length <= 80, each);
  }
});

test('texts are cut and broken by the columns they take', async () => {
  const measure = await createMeasure(['漢']);
  assert.equal(fit('漢字漢字', 5, measure), '漢字…');
  assert.equal(fit('ab', 4, measure), 'ab  ');
  assert.deepEqual(wrap('one two three', 7, measure), ['one two', 'three']);
  assert.deepEqual(wrap('averylongword b', 4, measure), ['averylongword', 'b']);
  assert.deepEqual(wrap('half within 12 ms or 3 sails', 14, measure), ['half within', '12 ms or 3', 'sails']);
});

test('a body is cut to the rows of a screen, by what its lines take there', () => {
  const rows: [lines: string[], rows: number, shown: string[] | undefined][] = [
    [['a', 'b', 'c'], 3, undefined],
    [['a', 'b', 'c', 'd'], 3, ['a', 'b', 'c']],
    [['a'.repeat(25), 'b'], 3, ['a'.repeat(25)]],
    [['\u001b[1maaaaaaaaaa\u001b[22m', '', 'c'], 2, ['\u001b[1maaaaaaaaaa\u001b[22m', '']],
    [['a'.repeat(100)], 3, ['a'.repeat(28)]],
    [[''], 1, undefined],
  ];
  for (const [lines, room, shown] of rows) assert.deepEqual(fitRows(lines, room, 10), shown);
});

test('of what differs the brackets are set off, and inside of them what differs itself', () => {
  const rows: [json: string, paths: string[], shown: string][] = [
    ['{"a":1,"b":2}', ['$.a'], '{ "a": <1>, "b": 2 }'],
    ['{"a":1,"b":2}', ['$', '$.b'], '<{> "a": 1, "b": <2> <}>'],
    ['[[1,2],[]]', ['$[0]', '$[1]'], '[\n  <[>1, 2<]>,\n  <[]>\n]'],
    ['{"a":{"b":[{}]}}', ['$.a'], '{\n  "a": <{> "b": [{}] <}>\n}'],
  ];
  for (const [json, paths, shown] of rows) {
    const marked = { paths: new Set(paths), mark: (text: string) => `<${text}>` };
    const told = formatJson(json, 80, (_role, text) => text, marked);
    assert.equal(told.replace(/\s+/g, ' '), shown.replace(/\s+/g, ' '), json);
  }
});
