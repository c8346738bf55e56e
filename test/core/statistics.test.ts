import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseBound } from '../../src/core/language/bounds.ts';
import type { ExchangeEvent, RunEvent } from '../../src/core/model/events.ts';
import { SourceError } from '../../src/core/model/finding.ts';
import { recordVersion } from '../../src/core/model/outcomes.ts';
import { DurationHistogram } from '../../src/core/record/duration-histogram.ts';
import { type MergedRecord, mergeRecords } from '../../src/core/record/merge-records.ts';
import { percentText, rateText } from '../../src/core/record/number-texts.ts';
import { withEnd } from '../../src/core/record/repair.ts';
import { RunStatistics } from '../../src/core/record/run-statistics.ts';
import { Timeline } from '../../src/core/record/timeline.ts';
import { RunTotals } from '../../src/core/record/totals.ts';
import { upgraded } from '../../src/core/record/upgrade.ts';
import { openEventCheck } from '../../src/core/record/validate.ts';
import { caseText, planOf } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';

function timesOf(values: Iterable<number>): DurationHistogram {
  const times = new DurationHistogram();
  for (const value of values) times.add(value);
  return times;
}

/** The same numbers on every run, spread over three powers of ten. */
function* spread(count: number, seed: number): Generator<number> {
  let state = seed;
  for (let at = 0; at < count; at++) {
    state = (state * 48271) % 2147483647;
    yield 10 ** ((state / 2147483647) * 3);
  }
}

test('a few times have exact percentiles, by the nearest rank', () => {
  const times = timesOf([5, 1, 4, 2, 3]);
  const rows: [percent: number, time: number][] = [
    [1, 1],
    [20, 1],
    [21, 2],
    [50, 3],
    [95, 5],
    [100, 5],
  ];
  for (const [percent, time] of rows) assert.equal(times.percentile(percent), time, `${percent} %`);
  assert.deepEqual([times.min, times.mean, times.max, times.count], [1, 3, 5, 5]);
  assert.deepEqual(
    [new DurationHistogram().percentile(50), new DurationHistogram().mean, new DurationHistogram().min],
    [undefined, undefined, undefined],
  );
});

test('what was written down of times adds up exactly, wherever they were counted', () => {
  const values = [...spread(6000, 11)];
  const whole = timesOf(values);
  const written = new DurationHistogram();
  for (let at = 0; at < values.length; at += 37)
    written.addRecorded(JSON.parse(JSON.stringify(timesOf(values.slice(at, at + 37)).recorded)));
  for (const percent of [0.1, 1, 50, 90, 99, 99.9])
    assert.equal(written.percentile(percent), whole.percentile(percent), `${percent} %`);
  assert.deepEqual([written.count, Math.round(written.sum)], [whole.count, Math.round(whole.sum)]);
  const cells = whole.recorded.cells;
  assert.equal(
    cells.filter((_, at) => at % 2 === 1).reduce((sum, count) => sum + count, 0),
    values.length,
  );
  // A cell is told by its middle: within a twentieth of a percent of all that is in it.
  for (const value of [1, 2.047, 2.048, 2.049, 17.3, 999.9, 59_999, 3_599_000]) {
    const few = new DurationHistogram();
    few.addRecorded(timesOf(Array.from({ length: 1200 }, () => value)).recorded);
    assert.ok(Math.abs(few.recorded.cells[0]! / 1000 - value) / value < 0.0005, String(value));
  }
  assert.deepEqual(new DurationHistogram().recorded, { count: 0, sum: 0, min: 0, max: 0, cells: [] });
});

test('many times keep three digits of every percentile, and their ends exactly', () => {
  const values = [...spread(20_000, 7)];
  const times = timesOf(values);
  const sorted = values.toSorted((a, b) => a - b);
  for (const percent of [1, 50, 90, 95, 99, 99.9]) {
    const exact = sorted[Math.ceil((percent / 100) * sorted.length) - 1]!;
    assert.ok(Math.abs(times.percentile(percent)! - exact) / exact < 0.002, `${percent} %`);
  }
  assert.equal(times.max, sorted.at(-1));
  assert.equal(times.min, sorted[0]);
  assert.equal(times.percentile(100), sorted.at(-1));
});

test('added up, two of them are as one that had heard everything', () => {
  for (const [few, many] of [
    [10, 20],
    [10, 5000],
    [5000, 10],
    [4000, 6000],
  ] as const) {
    const [a, b] = [[...spread(few, 3)], [...spread(many, 11)]];
    const merged = timesOf(a);
    merged.merge(timesOf(b));
    const whole = timesOf([...a, ...b]);
    for (const percent of [1, 50, 90, 95, 99, 100])
      assert.equal(merged.percentile(percent), whole.percentile(percent), `${few} and ${many}, ${percent} %`);
    assert.equal(merged.count, whole.count);
    assert.deepEqual([merged.min, merged.max], [whole.min, whole.max]);
  }
});

function exchangeAt(at: number, total = 5, status = 200, user?: number): ExchangeEvent {
  const place = { file: 'a.md', line: 3, column: 1 };
  return {
    type: 'exchange',
    round: 1,
    ...(user !== undefined && { user }),
    case: 'a.md#a',
    at,
    place,
    request: { method: 'GET', url: 'http://skerry.example/', headers: [] },
    response: { status, reason: '', headers: [], body: { size: 2 } },
    times: { total },
    received: 100,
  };
}

test('the stretches of time follow from the length of the run, and lose nothing on the way', () => {
  const rows: [length: number, step: number][] = [
    [80, 10],
    [2000, 50],
    [8000, 100],
    [30_000, 500],
    [600_000, 10_000],
    [40 * 3_600_000, 1_800_000],
    [80 * 3_600_000, 3_600_000],
    [400 * 3_600_000, 8 * 3_600_000],
  ];
  for (const [length, step] of rows) {
    const timeline = new Timeline(1000);
    for (let at = 0; at < 500; at++)
      timeline.add(exchangeAt(1000 + (length * at) / 500, 0, at % 5 === 0 ? 503 : 200), at % 5 > 0);
    assert.equal(timeline.step, step, `${length} ms`);
    assert.ok(timeline.stretches.length <= 90);
    const sum = (read: (stretch: (typeof timeline.stretches)[number]) => number) =>
      timeline.stretches.reduce((all, stretch) => all + read(stretch), 0);
    assert.equal(
      sum(({ requests }) => requests),
      500,
    );
    assert.equal(
      sum(({ failed }) => failed),
      100,
    );
    assert.equal(
      sum(({ times }) => times.count),
      500,
    );
    assert.equal(
      sum(({ answers }) => answers.get('503') ?? 0),
      100,
    );
  }
});

test('users count for as long as they are at work; few requests make long stretches', () => {
  const timeline = new Timeline(0);
  for (const [at, user] of [
    [0, 1],
    [0, 2],
    [900, 1],
    [400, 2],
  ] as const)
    timeline.add(exchangeAt(at, 5, 200, user), true);
  assert.equal(timeline.usersIn(0), 2);
  assert.equal(timeline.usersIn(Math.floor(800 / timeline.step)), 1);
  timeline.gather();
  assert.ok(timeline.stretches.length <= 12);
});

test('bounds are read with their measure, what they are for, and their limit', () => {
  const rows: [text: string, bound: object][] = [
    ['p95 time < 400 ms', { measure: { kind: 'percentile', percent: 95 }, operator: '<', limit: 400 }],
    ['p99.9 time <= 2 s', { measure: { kind: 'percentile', percent: 99.9 }, operator: '<=', limit: 2000 }],
    ['mean time<1min', { measure: { kind: 'mean' }, operator: '<', limit: 60_000 }],
    ['failed < 1 %', { measure: { kind: 'failed', as: 'share' }, operator: '<', limit: 0.01 }],
    ['failed <= 3', { measure: { kind: 'failed', as: 'number' }, operator: '<=', limit: 3 }],
    ['throughput > 20.5', { measure: { kind: 'throughput' }, operator: '>', limit: 20.5 }],
    ['apdex >= 0.9', { measure: { kind: 'apdex' }, operator: '>=', limit: 0.9 }],
    [
      'max time of sea/tides.md < 1 s',
      { measure: { kind: 'max' }, of: 'sea/tides.md', operator: '<', limit: 1000 },
    ],
  ];
  for (const [text, bound] of rows) assert.deepEqual(parseBound(text), { text, ...bound });
  const wrong: [text: string, says: RegExp][] = [
    ['', /is no bound/],
    ['p95 time', /is no bound/],
    ['p95 time = 400 ms', /is no bound/],
    ['1 s < p95 time < 2 s', /is no bound/],
    ['< 400 ms', /begins with what it measures/],
    ['p0 time < 400 ms', /cannot be bounded/],
    ['p100 time < 400 ms', /cannot be bounded/],
    ['p95 time < 400', /no limit for this/],
    ['p95 time < 4 %', /no limit for this/],
    ['failed < 1 ms', /no limit for this/],
    ['throughput > 5 %', /no limit for this/],
    ['apdex > 90', /no limit for this/],
  ];
  for (const [text, says] of wrong)
    assert.throws(
      () => parseBound(text),
      (error: Error) => error instanceof SourceError && says.test(error.message),
      text,
    );
});

const root = (bounds: string) => `base: "http://skerry.example"\nbounds: |\n${bounds.replace(/^/gm, '  ')}\n`;
const pages = {
  'a.md': caseText('Good', 'GET /good', 'status = 200') + caseText('Bad', 'GET /bad', 'status = 200'),
  'sea/b.md': caseText('Also good', 'GET /good', 'status = 200'),
};
const answer = ({ url }: { url: string }) => ({ status: url.endsWith('/bad') ? 500 : 200 });

test('bounds belong to the verdict; what nothing was measured of is not kept', async () => {
  const rows: [bound: string, holds: string, found: string][] = [
    ['p95 time < 6 ms', 'yes', '5 ms'],
    ['p95 time < 5 ms', 'no', '5 ms'],
    ['max time <= 5 ms', 'yes', '5 ms'],
    ['min time >= 5 ms', 'yes', '5 ms'],
    ['failed < 50 %', 'yes', '33.3 %, 1 of 3'],
    ['failed < 1', 'no', '1 of 3'],
    ['failed of a.md < 40 %', 'no', '50 %, 1 of 2'],
    ['failed of sea < 1 %', 'yes', '0 %, 0 of 1'],
    ['failed of a.md#good < 1 %', 'yes', '0 %, 0 of 1'],
    ['apdex > 0.6', 'yes', '0.67'],
    ['throughput > 199', 'yes', '200 a second'],
    ['throughput > 200', 'no', '200 a second'],
  ];
  for (const [bound, holds, found] of rows) {
    const totals = new RunTotals();
    const { events } = await runTexts({ 'mervok.yaml': root(bound), ...pages }, answer, { run: { totals } });
    const end = events.at(-1)!;
    assert.ok(end.type === 'end');
    assert.deepEqual(
      end.bounds?.map(each => [each.holds, each.found]),
      [[holds, found]],
      bound,
    );
    assert.deepEqual(totals.bounds, end.bounds);
    assert.equal(totals.exceeded.length, holds === 'yes' ? 0 : 1);
  }
});

test('a run that passes but for a bound does not pass; a bound for what was not selected does not apply', async () => {
  const totals = new RunTotals();
  const texts = { 'mervok.yaml': root('p50 time < 1 ms\nfailed of sea/b.md < 1 %'), ...pages };
  await runTexts(texts, answer, { run: { totals }, plan: { paths: ['a.md#good'] } as object });
  assert.deepEqual(
    totals.bounds.map(({ text }) => text),
    ['p50 time < 1 ms'],
  );
  assert.equal(totals.cases.failed, 0);
  assert.equal(totals.passed, false);
});

test('a bound that a record does not tell as one is unknown, and so not kept', async () => {
  const { events } = await runTexts({ 'mervok.yaml': root('failed < 100 %'), ...pages }, answer);
  const [run] = events;
  assert.ok(run?.type === 'run');
  const totals = new RunTotals();
  const changed = { ...run, bounds: [{ ...run.bounds![0]!, text: '[secret] < 1 s' }] };
  for (const event of [changed, ...events.slice(1)]) totals.add(event);
  assert.deepEqual(
    totals.bounds.map(({ holds, found }) => [holds, found]),
    [['unknown', 'it cannot be read']],
  );
});

test('a bound for what is nowhere is an error at its place', async () => {
  const { findings } = await planOf({ 'mervok.yaml': root('failed of sea/c.md < 1 %'), ...pages });
  assert.deepEqual(
    findings.map(({ code, message, remedy }) => [code, message, remedy]),
    [['bound-unknown', "Nothing here is 'sea/c.md'.", "Did you mean 'sea/b.md'?"]],
  );
});

test('a request fails with its own checks, not with those of the next one', async () => {
  const two =
    '# Two\n\n```http\nGET /bad\n```\n```mervok\nstatus = 200\n```\n```http\nGET /good\n```\n```mervok\nstatus = 200\n```\n';
  const down = caseText('Down', 'GET /down', 'fault = "refused"');
  const performance = new RunStatistics();
  const { events } = await runTexts(
    { 'mervok.yaml': root('failed < 100 %'), 'a.md': two, 'b.md': down },
    request =>
      request.url.endsWith('/down') ? { fault: { kind: 'refused', message: '' } } : answer(request),
  );
  for (const event of events) performance.add(event);
  assert.deepEqual(
    performance.requests.map(({ title, request, figures }) => [
      title,
      request,
      figures.requests,
      figures.failed,
    ]),
    [
      ['Two', 'GET /bad', 1, 1],
      ['Two', 'GET /good', 1, 0],
      ['Down', 'GET /down', 1, 0],
    ],
  );
  assert.equal(performance.total.errorRate, 1 / 3);
  // What failed is not served, however fast; what was to fail has no time.
  assert.equal(performance.total.apdex, 1 / 3);
  assert.equal(performance.repeats, false);
});

async function* replay(events: readonly RunEvent[]): AsyncGenerator<RunEvent> {
  yield* events;
}

const refuse = (why: string) => new Error(why);

async function gather(events: AsyncIterable<RunEvent>): Promise<RunEvent[]> {
  const all: RunEvent[] = [];
  for await (const event of events) all.push(event);
  return all;
}

test('a record that breaks off gets the end that can be told', async () => {
  const { events } = await runTexts({ 'mervok.yaml': root('failed < 100 %'), ...pages }, answer);
  const at = events.findIndex(event => event.type === 'check');
  const whole = await gather(withEnd(replay(events.slice(0, at + 1)), refuse));
  const [broken, end] = whole.slice(-2);
  assert.ok(broken?.type === 'case' && end?.type === 'end');
  assert.equal(broken.outcome, 'error');
  assert.match(broken.problem!.message, /breaks off/);
  assert.equal(end.stopped, 'killed');
  assert.equal(end.time, 5);
  assert.equal(end.totals.requests, 1);
  assert.deepEqual(await gather(withEnd(replay(events), refuse)), events);
  const totals = new RunTotals();
  for (const event of whole) totals.add(event);
  assert.equal(totals.passed, false);
});

const recordOf = (events: readonly RunEvent[], more: object = {}): MergedRecord => {
  const [run] = events;
  assert.ok(run?.type === 'run');
  return { run: { ...run, ...more }, events: replay(events) };
};

test('records of several machines are told as one: users and figures add up', async () => {
  const texts = { 'mervok.yaml': root('failed < 40 %'), ...pages };
  const [a, b] = [
    await runTexts(texts, answer, { run: { users: 2 } }),
    await runTexts(texts, answer, { rounds: 3 }),
  ];
  const merged = await gather(mergeRecords([a, b].map(({ events }) => recordOf(events))));
  const [run, end] = [merged[0], merged.at(-1)];
  assert.ok(run?.type === 'run' && end?.type === 'end');
  assert.equal(run.users, 3);
  assert.equal(run.rounds, 3);
  assert.equal(end.totals.requests, 15);
  assert.equal(end.totals.cases.failed, 5);
  assert.equal(end.bounds?.[0]?.found, '33.3 %, 5 of 15');
  const users = new Set(merged.flatMap(event => ('user' in event ? [event.user] : [])));
  assert.deepEqual([...users].sort(), [1, 2, 3]);
  const isEvent = await openEventCheck();
  for (const event of merged) assert.ok(isEvent(event), JSON.stringify(event));
});

test('shards are told as one: what several of them needed is one case, unless it came to something worse', async () => {
  const texts = {
    'mervok.yaml': root('failed < 100 %'),
    'sign-in.md': caseText('Sign in', 'GET /sign-in', 'status = 200\nkeep $.token as token'),
    'a.md': caseText('A', 'GET /a/{token}', 'status = 200') + caseText('Second', 'GET /b', 'status = 200'),
    'b.md': caseText('B', 'GET /b/{token}', 'status = 200'),
  };
  const served = () => ({ body: { token: 'x1' } });
  const shardOf = (index: number, of = 3) =>
    runTexts(texts, served, { plan: { shard: { index, of, durations: new Map() } } });
  const shards = await Promise.all([1, 2, 3].map(index => shardOf(index)));
  const whole = await runTexts(texts, served);
  const casesIn = (events: readonly RunEvent[]) =>
    events.flatMap(event =>
      event.type === 'case' ? `${event.case}: ${event.outcome}` : event.type === 'page' ? event.file : [],
    );
  const merged = await gather(mergeRecords(shards.map(({ events }) => recordOf(events))));
  assert.deepEqual(casesIn(merged).sort(), casesIn(whole.events).sort());
  const [run, end] = [merged[0], merged.at(-1)];
  assert.ok(run?.type === 'run' && end?.type === 'end');
  assert.equal(run.cases, 4);
  assert.equal(run.selected, undefined);
  assert.equal(end.totals.requests, 4);
  assert.equal(end.totals.cases.passed, 4);

  // The second machine could not sign in.
  const other = shards[1]!.events.map(event =>
    event.type === 'case' && event.title === 'Sign in' ? { ...event, outcome: 'error' as const } : event,
  );
  const worse = await gather(mergeRecords([recordOf(shards[0]!.events), recordOf(other)]));
  assert.deepEqual(
    casesIn(worse).filter(each => each.startsWith('sign-in')),
    casesIn(shards[0]!.events).some(each => each.startsWith('sign-in'))
      ? ['sign-in.md', 'sign-in.md#sign-in: passed', 'sign-in.md', 'sign-in.md#sign-in: error']
      : ['sign-in.md', 'sign-in.md#sign-in: error'],
  );
  assert.ok(worse[0]?.type === 'run');
  assert.equal(worse[0].selected, 'all but shard 3 of 3');
  const better = await gather(mergeRecords([recordOf(other), recordOf(shards[0]!.events)]));
  assert.deepEqual(
    casesIn(better).filter(each => each.startsWith('sign-in.md#')),
    ['sign-in.md#sign-in: error'],
  );

  // Shards of different selections are told one behind the other.
  const apart = await gather(
    mergeRecords([recordOf(shards[0]!.events), recordOf((await shardOf(2, 2)).events)]),
  );
  const events = apart.filter(event => event.type === 'case' && event.title === 'Sign in');
  assert.equal(events.length, 2);
});

test('what the records of several machines have in common stays', async () => {
  const { events } = await runTexts({ 'mervok.yaml': root('failed < 100 %'), ...pages }, answer);
  const about = async (first: object, second: object) => {
    const [merged] = await gather(mergeRecords([recordOf(events, first), recordOf(events, second)]));
    assert.ok(merged?.type === 'run');
    return merged;
  };
  for (const key of ['environment', 'lasting', 'seed', 'rows', 'selected', 'apdex'] as const) {
    assert.equal((await about({ [key]: 7 }, { [key]: 7 }))[key], 7, key);
    assert.ok(!((key as string) in (await about({ [key]: 7 }, { [key]: 8 }))), key);
    assert.ok(!((key as string) in (await about({}, { [key]: 8 }))), key);
  }
  assert.equal((await about({ title: 'A' }, { title: 'B' })).title, 'A, B');
  assert.equal((await about({ title: 'A' }, { title: 'A' })).title, 'A');
  assert.equal((await about({ rounds: 0 }, { rounds: 2 })).rounds, 0);
  assert.equal((await about({ rounds: 3 }, { rounds: 2 })).rounds, 3);
  assert.equal((await about({ users: 3 }, {})).users, 4);
  assert.equal((await about({}, {})).users, undefined);
  assert.equal((await about({}, {})).cases, 6);
  assert.equal((await about({}, {})).bounds?.length, 1);
  const [early, late] = ['2026-11-23T11:00:00.000Z', '2026-11-23T13:00:00.000Z'];
  for (const [first, second] of [
    [early, late],
    [late, early],
  ]) {
    const merged = await gather(
      mergeRecords([recordOf(events, { at: first }), recordOf(events, { at: second })]),
    );
    const end = merged.at(-1)!;
    assert.ok(merged[0]?.type === 'run' && end.type === 'end');
    assert.equal(merged[0].at, early);
    assert.equal(end.time, 2 * 3_600_000 + 15);
    assert.equal(end.at, '2026-11-23T13:00:00.015Z');
  }
});

test('a line of a record of an earlier version is read under the names of today', () => {
  const rows: [line: unknown, read: unknown][] = [
    [
      { type: 'run', version: 1, cases: 3 },
      { type: 'run', version: recordVersion, cases: 3 },
    ],
    [
      { type: 'run', version: 2 },
      { type: 'run', version: recordVersion },
    ],
    [
      { type: 'run', version: recordVersion + 1 },
      { type: 'run', version: recordVersion + 1 },
    ],
    [
      { type: 'page', version: 1 },
      { type: 'page', version: 1 },
    ],
    [
      { type: 'end', totals: { half: 4, most: 9, held: 1 } },
      { type: 'end', totals: { p50: 4, p95: 9, held: 1 } },
    ],
    [
      { type: 'end', totals: { p50: 4 } },
      { type: 'end', totals: { p50: 4 } },
    ],
    [
      { type: 'case', totals: { half: 4 } },
      { type: 'case', totals: { half: 4 } },
    ],
    [
      { type: 'end', totals: null },
      { type: 'end', totals: null },
    ],
    [{ type: 'end' }, { type: 'end' }],
    [null, null],
    ['run', 'run'],
  ];
  for (const [line, read] of rows) assert.deepEqual(upgraded(line), read);
});

test('what a line of a record has to say is checked; what it says more is let through', async () => {
  const { events } = await runTexts({ 'mervok.yaml': root('failed < 100 %'), ...pages }, answer);
  const isEvent = await openEventCheck();
  for (const event of events) assert.ok(isEvent(event));
  const check = events.find(event => event.type === 'check')!;
  assert.ok(isEvent({ ...check, later: 1 }));
  const wrong: unknown[] = [
    null,
    3,
    {},
    { type: 'case' },
    { type: 'tide' },
    { ...check, holds: 'maybe' },
    { ...check, place: 'a.md:3' },
  ];
  for (const each of wrong) assert.ok(!isEvent(each), JSON.stringify(each));
});

test('shares and rates are told with the digits that count', () => {
  const shares: [share: number, text: string][] = [
    [0, '0 %'],
    [0.00001, 'under 0.01 %'],
    [0.0012, '0.12 %'],
    [0.021, '2.1 %'],
    [0.99999, 'over 99.99 %'],
    [1, '100 %'],
  ];
  for (const [share, text] of shares) assert.equal(percentText(share), text);
  const rates: [rate: number, text: string][] = [
    [0.125, '0.13'],
    [12.34, '12.3'],
    [123.4, '123'],
    [12345, '12,345'],
  ];
  for (const [rate, text] of rates) assert.equal(rateText(rate), text);
});
