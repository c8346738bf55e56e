import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import { compareRuns, gatherRun, rankDeviation } from '../../src/core/record/compare-runs.ts';
import { comparisonText } from '../../src/reports/comparison.ts';
import { caseText } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';

async function* told(events: readonly RunEvent[]) {
  yield* events;
}

/** A run of cases by their title, each with its outcomes and the times of its responses. */
async function ranWith(cases: { [title: string]: { status?: number; times?: number[] } }) {
  const page = Object.keys(cases).map(title => caseText(title, `GET /${title}`, 'status = 200'));
  const texts = { 'mervok.yaml': 'base: http://harbour.skerry.example\n', 'a.md': page.join('') };
  const { events } = await runTexts(texts, ({ url }) => ({
    status: cases[new URL(url).pathname.slice(1)]?.status ?? 200,
  }));
  // As if each had been sent more than once.
  const longer = events.flatMap((event): RunEvent[] => {
    if (event.type !== 'exchange') return [event];
    const { times = [5] } = cases[new URL(event.request.url).pathname.slice(1)]!;
    return times.map(total => ({ ...event, times: { total } }));
  });
  return gatherRun(told(longer));
}

test('what newly fails, what is repaired, what is new and what is gone', async () => {
  const before = await ranWith({
    Kept: {},
    Broken: {},
    Mended: { status: 500 },
    Gone: {},
    Bad: { status: 404 },
  });
  const now = await ranWith({ Kept: {}, Broken: { status: 500 }, Mended: {}, New: {}, Bad: { status: 404 } });
  const comparison = compareRuns(before, now);
  const addresses = (cases: readonly { address: string }[]) => cases.map(({ address }) => address);
  assert.deepEqual(addresses(comparison.newlyFailing), ['a.md#broken']);
  assert.deepEqual(addresses(comparison.repaired), ['a.md#mended']);
  assert.deepEqual(addresses(comparison.added), ['a.md#new']);
  assert.deepEqual(addresses(comparison.gone), ['a.md#gone']);
  assert.deepEqual([comparison.stillFailing, comparison.common, comparison.slower], [1, 4, []]);
  const lines = comparisonText(comparison, {
    paint: (_, text) => text,
    measure: text => text.length,
    width: 80,
  });
  assert.deepEqual(lines, [
    'newly failing    a.md#broken  passed, now failed',
    '',
    'repaired         a.md#mended  failed, now passed',
    '',
    'new              a.md#new',
    '',
    'gone             a.md#gone',
    '',
    'Of 4 cases in both runs: 1 newly failing, 1 still not passing, 1 repaired, 1 new',
    'and 1 gone.',
    'Too few times to tell what became slower: 8 cases, or 8 rounds, are wanted.',
  ]);
});

test('what is only blocked is counted by its cause; where there is little room, addresses stand whole', () => {
  const passed = { title: 'x', outcome: 'passed' as const, times: [] };
  const long = `quay/${'a-long-way-'.repeat(4)}.md#the-case`;
  const run = (outcomes: {
    [address: string]: { outcome: 'passed' | 'failed' | 'blocked'; cause?: string };
  }) =>
    new Map(Object.entries(outcomes).map(([address, each]) => [address, { ...passed, address, ...each }]));
  const [root, one, two] = [long, 'b.md#one', 'b.md#two'];
  const before = run({
    [root]: { outcome: 'passed' },
    [one]: { outcome: 'passed' },
    [two]: { outcome: 'passed' },
  });
  const blocked = { outcome: 'blocked' as const, cause: root };
  const now = run({ [root]: { outcome: 'failed' }, [one]: blocked, [two]: blocked });
  const view = {
    paint: (_: string, text: string) => text,
    measure: (text: string) => text.length,
    width: 60,
  };
  assert.deepEqual(comparisonText(compareRuns(before, now), view).slice(0, 4), [
    `newly failing    ${long}`,
    '',
    `blocked          2 cases by ${long}`,
    '',
  ]);
  const back = compareRuns(now, before);
  assert.deepEqual([back.repaired.length, back.freed.length], [1, 2]);
});

test('slower beyond noise: by ranks where there are many times, else beside all other cases', async () => {
  const around = (centre: number) => Array.from({ length: 12 }, (_, at) => centre + (at % 5) / 10);
  const rows: [what: string, before: number[], now: number[], slower: boolean][] = [
    ['plainly', around(10), around(16), true],
    ['too little to be noticed', around(10), around(11), false],
    ['less than 2 ms', around(1), around(2), false],
    ['one odd time', around(10), [...around(10).slice(1), 900], false],
    ['faster', around(16), around(10), false],
    [
      'just enough times',
      [10, 10.1, 10.2, 10.3, 10.4, 10.5, 10.6, 10.7],
      [16, 16.1, 16.2, 16.3, 16.4, 16.5, 16.6, 16.7],
      true,
    ],
  ];
  for (const [what, before, now, slower] of rows) {
    const comparison = compareRuns(
      await ranWith({ A: { times: before } }),
      await ranWith({ A: { times: now } }),
    );
    assert.equal(comparison.slower.length === 1, slower, what);
  }
  const single = (times: number[]) =>
    ranWith(Object.fromEntries(times.map((time, at) => [`C${at}`, { times: [time] }])));
  const calm = [5, 7, 9, 11, 13, 20, 40, 80, 100, 120];
  const one = compareRuns(await single(calm), await single([5.2, 7.1, 9.3, 11, 13.4, 21, 39, 82, 101, 480]));
  assert.deepEqual(
    one.slower.map(({ address, by }) => [address, by]),
    [['a.md#c9', 'spread']],
  );
  // A machine that is slower as a whole is no reason to blame one case.
  const all = compareRuns(await single(calm), await single(calm.map(time => time * 3)));
  assert.deepEqual(all.slower, []);
});

test('the rank test, against values worked out by hand', () => {
  // U = 9 of 9: (9 - 4.5) / sqrt(9 / 12 * 7)
  assert.ok(Math.abs(rankDeviation([1, 2, 3], [4, 5, 6]) - 4.5 / Math.sqrt(5.25)) < 1e-12);
  assert.equal(rankDeviation([1, 1, 1], [1, 1, 1]), 0);
  assert.ok(Math.abs(rankDeviation([1, 2, 3], [1, 2, 3])) < 1e-12);
  // Ties between both: U = 2.5, variance 4 / 12 * (5 - 6 / 12)
  assert.ok(Math.abs(rankDeviation([1, 2], [2, 2]) - (3 - 2) / Math.sqrt((4 / 12) * (5 - 24 / 12))) < 1e-12);
});
