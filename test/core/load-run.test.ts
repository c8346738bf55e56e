import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseLoad } from '../../src/core/language/load/parse-load.ts';
import type { EventOf, RunEvent } from '../../src/core/model/events.ts';
import type { FiguresEvent } from '../../src/core/model/load-events.ts';
import { compareRuns, gatherRun } from '../../src/core/record/compare-runs.ts';
import { eventSchema } from '../../src/core/record/event-schema.ts';
import { RunStatistics } from '../../src/core/record/run-statistics.ts';
import { RunTotals } from '../../src/core/record/totals.ts';
import {
  Arrivals,
  type LoadShare,
  nextUserAt,
  stretchesOf,
  usersAt,
} from '../../src/core/runner/load/arrivals.ts';
import type { LoadOptions } from '../../src/core/runner/run-options.ts';
import { caseText } from '../support/collection.ts';
import { type Answer, type Ran, type RunTextsOptions, runTexts } from '../support/engine.ts';

function phasesOf(text: string) {
  const { load, errors } = parseLoad(text);
  assert.deepEqual(errors, [], text);
  return load!;
}

function loadOf(text: string, more: Partial<LoadOptions> = {}): LoadOptions {
  const { phases, stops } = phasesOf(text);
  return { phases, stops, mostUsers: 1000, sample: 0, grace: 30_000, ...more };
}

const look = caseText('Look', 'GET /berths', 'status = 200');

interface RanLoad extends Ran {
  readonly figures: readonly FiguresEvent[];
  readonly end: EventOf<'end'>;
  /** When requests went out, in milliseconds since the run began. */
  readonly sentAt: readonly number[];
}

async function runLoad(
  load: LoadOptions,
  answer: Answer,
  { text = look, ...more }: RunTextsOptions & { readonly text?: string } = {},
): Promise<RanLoad> {
  const sentAt: number[] = [];
  const texts = {
    'mervok.yaml': 'base: http://harbour.skerry.example\n',
    'berths.md': `# Berths\n\n${text}`,
  };
  const ran = await runTexts(
    texts,
    (request, at) => {
      sentAt.push(at);
      return answer(request, at);
    },
    { byChance: true, ...more, run: { load, ...more.run } },
  );
  for (const event of ran.events) eventSchema.parse(event);
  const figures = ran.events.filter((event: RunEvent) => event.type === 'figures');
  const end = ran.events.at(-1) as EventOf<'end'>;
  return { ...ran, figures, end, sentAt };
}

const sumOf = (figures: readonly FiguresEvent[], read: (each: FiguresEvent) => number | undefined) =>
  figures.reduce((sum, each) => sum + (read(each) ?? 0), 0);

test('due times are evenly spaced at the rate of the moment, over all phases and shares', () => {
  const timesOf = (text: string, share: LoadShare = { index: 0, of: 1 }) => {
    const [phases] = stretchesOf(phasesOf(text).phases);
    const arrivals = new Arrivals(phases!, share);
    const all: [number: number, at: number, phase: number][] = [];
    for (let due = arrivals.next(); due; due = arrivals.next())
      all.push([due.number, Math.round(due.at), due.phase]);
    return all;
  };
  assert.deepEqual(
    timesOf('stay at 4 rounds/s for 1 s').map(([, at]) => at),
    [125, 375, 625, 875],
  );
  // What one of three has lost at a time, two others take over between them: nothing twice, nothing left out.
  const load = 'rise to 40 rounds/s in 2 s; stay 2 s';
  const lostAt = 1234;
  const own = timesOf(load, { index: 1, of: 3 }).filter(([, at]) => at >= lostAt);
  const taken = [0, 1].map(place => timesOf(load, { index: 1 + 3 * place, of: 6, from: lostAt }));
  assert.ok(taken.every(each => each.length > 5));
  assert.deepEqual(
    taken.flat().sort(([a], [b]) => a - b),
    own,
  );
  // From 0 to 8 a second in a second: n rounds are due within sqrt(n / 4) seconds.
  assert.deepEqual(
    timesOf('rise to 8 rounds/s in 1 s').map(([, at]) => at),
    [0.5, 1.5, 2.5, 3.5].map(rounds => Math.round(1000 * Math.sqrt(rounds / 4))),
  );
  assert.deepEqual(
    timesOf('rise to 8 rounds/s in 1 s; fall to 0 in 1 s').map(([, at]) => at),
    [354, 612, 791, 935, 1065, 1209, 1388, 1646],
  );
  // Parts of a round are not lost at the border of two phases.
  assert.equal(timesOf('stay at 1 rounds/s for 1.5 s; stay 1.5 s').length, 3);
  assert.deepEqual(timesOf('stay at 30 rounds/min for 4 s'), [
    [1, 1000, 1],
    [2, 3000, 1],
  ]);
  const text = 'rise to 100 rounds/s in 3 s; stay 2 s; fall to 10 in 1 s';
  const shares = [0, 1, 2].flatMap(index => timesOf(text, { index, of: 3 }));
  assert.deepEqual(
    shares.sort(([a], [b]) => a - b),
    timesOf(text),
  );
  assert.equal(shares.length, 150 + 200 + 55);
});

test('users come and leave evenly over a phase', () => {
  const [[rise, fall]] = stretchesOf(phasesOf('rise to 4 users in 4 s; fall to 2 in 2 s').phases) as [
    [ReturnType<typeof stretchesOf>[0][0], ReturnType<typeof stretchesOf>[0][0]],
  ];
  assert.deepEqual(
    [0, 499, 500, 1499, 1500, 3500, 4000].map(time => usersAt(rise, time)),
    [0, 0, 1, 1, 2, 4, 4],
  );
  assert.deepEqual([nextUserAt(rise, 0), nextUserAt(rise, 500), nextUserAt(rise, 3600)], [500, 1500, 4000]);
  assert.deepEqual(
    [4000, 4500, 4501, 5501, 6000].map(time => usersAt(fall, time)),
    [4, 4, 3, 2, 2],
  );
  assert.equal(nextUserAt(fall, 4100), 6000);
});

test('in a closed phase each user begins its next round when its last one has ended', async () => {
  const { figures, end, sentAt, events } = await runLoad(loadOf('stay at 2 users for 1 s'), () => ({
    takes: 100,
  }));
  assert.equal(sentAt.length, 20);
  assert.deepEqual(sentAt.slice(0, 6), [0, 0, 100, 100, 200, 200]);
  assert.equal(
    sumOf(figures, each => each.rounds.begun),
    20,
  );
  assert.equal(
    sumOf(figures, each => each.rounds.ended),
    20,
  );
  const { cases, requests, checks, held, p50, load } = end.totals;
  assert.deepEqual([cases.passed, requests, checks, held, p50], [20, 20, 20, 20, 100]);
  assert.deepEqual(load, { rounds: { begun: 20, ended: 20 } });
  assert.equal(figures[0]!.users, 2);
  // The lines of the first round alone.
  assert.deepEqual(
    events.map(({ type }) => type).filter(type => type !== 'figures'),
    ['run', 'page', 'exchange', 'check', 'case', 'end'],
  );
});

test('users that leave at a fall, or at the end, finish their round first', async () => {
  const { figures, sentAt, end } = await runLoad(loadOf('stay at 4 users for 1 s; fall to 0 in 1 s'), () => ({
    takes: 300,
  }));
  // 4 each at 0, 300, 600, 900; at 1200 four are left of 4 × (1 − 0.2) = 3.2, rounded; and so on.
  assert.deepEqual(
    [0, 300, 600, 900, 1200, 1500, 1800].map(time => sentAt.filter(at => at === time).length),
    [4, 4, 4, 4, 3, 2, 1],
  );
  assert.equal(
    sumOf(figures, each => each.rounds.ended),
    sentAt.length,
  );
  assert.deepEqual([end.time, end.totals.cases.passed], [2100, sentAt.length]);
  const inPhase = (phase: number) =>
    sumOf(
      figures.filter(each => each.phase === phase),
      each => each.rounds.begun,
    );
  assert.deepEqual([inPhase(1), inPhase(2)], [16, 6]);
});

test('in an open phase rounds begin when they are due, whoever has answered', async () => {
  const { figures, sentAt, end } = await runLoad(loadOf('stay at 10 rounds/s for 1 s'), () => ({
    takes: 2500,
  }));
  assert.deepEqual(sentAt.map(Math.round), [50, 150, 250, 350, 450, 550, 650, 750, 850, 950]);
  assert.deepEqual(end.totals.load?.rounds.due, 10);
  assert.equal(end.totals.load?.rounds.late, undefined);
  assert.equal(Math.round(end.totals.p50!), 2500);
  // While everything waits, it is told that all are at work.
  assert.deepEqual(
    figures.map(({ from, users, mostUsers }) => [from, users, mostUsers]),
    [
      [0, 10, 10],
      [1000, 10, 10],
      [2000, 5, 10],
      [3000, 0, 5],
    ],
  );
});

test('how late a round begins is added to its first request alone, and counted', async () => {
  const two = look + caseText('Again', 'GET /again', 'status = 200');
  // Two users, rounds of 400 ms, 10 of them due in a second: each round waits longer than the one before.
  const { events, end, sentAt } = await runLoad(
    loadOf('stay at 10 rounds/s for 1 s', { mostUsers: 2, sample: 1 }),
    () => ({ takes: 200 }),
    { text: two },
  );
  const late = events.flatMap(event =>
    event.type === 'exchange' ? [[event.request.url.slice(-5), event.late]] : [],
  );
  assert.deepEqual(
    late.filter(([url]) => url === 'again').every(([, each]) => each === undefined),
    true,
  );
  const first = late.filter(([url]) => url === 'erths').map(([, each]) => each as number);
  // The third is due at 250 and waits for the first, which began at 50, until 450; and so on.
  assert.deepEqual(
    first.map(each => Math.round(each / 10) * 10),
    [0, 0, 200, 200, 400, 400],
  );
  const { rounds } = end.totals.load!;
  assert.equal(rounds.due, 10);
  assert.equal(rounds.begun + (rounds.dropped ?? 0), 10);
  assert.ok(rounds.dropped! > 0 && rounds.late! > 0);
  assert.equal(rounds.begun * 2, sentAt.length);
  const statistics = new RunStatistics();
  for (const event of events) statistics.add(event);
  const [begins, again] = statistics.requests;
  assert.equal(Math.round(begins!.figures.times.max!), Math.round(200 + Math.max(...first)));
  assert.equal(begins!.figures.sent!.max, 200);
  assert.equal(again!.figures.times.max, 200);
  assert.equal(again!.figures.sent, undefined);
});

test('where the unit changes the new one begins at 0, and what goes on is finished', async () => {
  const { figures, sentAt, end } = await runLoad(
    loadOf('stay at 1 user for 1 s; stay at 2 rounds/s for 1 s; stay at 1 user for 1 s'),
    () => ({ takes: 400 }),
  );
  assert.deepEqual(sentAt.map(Math.round), [0, 400, 800, 1250, 1750, 2000, 2400, 2800]);
  assert.deepEqual(
    [1, 2, 3].map(phase =>
      sumOf(
        figures.filter(each => each.phase === phase),
        each => each.rounds.ended,
      ),
    ),
    [3, 2, 3],
  );
  assert.equal(end.time, 3200);
});

test('the warm-up is left out of all figures, whatever becomes of it', async () => {
  const { figures, end, events, sentAt } = await runLoad(
    loadOf('warm up with 2 users for 1 s; stay at 1 user for 1 s'),
    (_, at) => ({ takes: 250, status: at < 1000 ? 500 : 200 }),
  );
  assert.equal(sentAt.length, 12);
  const { cases, requests, checks, load } = end.totals;
  assert.deepEqual([cases.passed, cases.failed, requests, checks, load?.badInWarmUp], [4, 0, 4, 4, 8]);
  assert.deepEqual([...new Set(figures.map(({ phase }) => phase))], [0, 1]);
  const totals = new RunTotals();
  for (const event of events) totals.add(event);
  assert.equal(totals.passed, true);
});

test('what ends a load before its time ends it with what was found', async () => {
  const { end, sentAt } = await runLoad(
    loadOf('stay at 10 rounds/s for 60 s; stop when failed > 20 % for 5 s'),
    (_, at) => ({ status: at < 10_000 ? 200 : 500 }),
  );
  assert.equal(end.stopped, 'condition');
  assert.match(end.because!, /^failed > 20 % for 5 s, found 40 %, 20 of 50$/);
  // After the first second it is a fifth, which is not more than that.
  assert.ok(sentAt.at(-1)! > 10_900 && sentAt.at(-1)! < 12_300, String(sentAt.at(-1)));
  const before = await runLoad(
    loadOf('stay at 10 rounds/s for 3 s; stop when failed > 20 % for 5 s'),
    () => ({ status: 500 }),
  );
  assert.equal(before.end.stopped, undefined);
});

test('bounds may be for a phase, and one for a phase that is not there does not apply', async () => {
  const settings = `base: http://harbour.skerry.example
bounds: |
  p95 time in phase "storm" < 50 ms
  p95 time in phase 1 < 50 ms
  failed in phase 7 < 1 %
  throughput in phase 1 > 9
  throughput > 9
`;
  const load = loadOf('warm up for 2 s; stay at 1 user for 1 s; "storm": stay at 2 users for 1 s');
  const ran = await runTexts(
    { 'mervok.yaml': settings, 'berths.md': `# Berths\n\n${look}` },
    (_, at) => ({ takes: at < 3000 ? 20 : 100 }),
    { byChance: true, run: { load } },
  );
  const end = ran.events.at(-1) as EventOf<'end'>;
  assert.deepEqual(
    end.bounds!.map(({ text, holds, found }) => [text, holds, found]),
    [
      ['p95 time in phase "storm" < 50 ms', 'no', '100 ms'],
      ['p95 time in phase 1 < 50 ms', 'yes', '20 ms'],
      ['throughput in phase 1 > 9', 'yes', '50 a second'],
      ['throughput > 9', 'yes', '35 a second'],
    ],
  );
});

test('an interrupt ends every phase, and every round cleans up', async () => {
  const text = `${caseText('Reserve', 'POST /reservations', 'status = 200')}${caseText('Give back', 'DELETE /reservations', 'status = 200').replace('~~~http', '~~~mervok\ncleanup\n~~~\n\n~~~http')}`;
  const rows: [phases: string, method: 'POST' | 'DELETE', at: number, end: number][] = [
    ['stay at 3 users for 10 s', 'POST', 1000, 1660],
    ['stay at 30 rounds/s for 10 s', 'POST', 1000, 1100],
    ['rise to 9 users in 10 s', 'DELETE', 5000, 5500],
    ['warm up for 5 s; stay at 2 users for 1 s', 'POST', 1000, 1300],
    ['fall to 0 in 1 s', 'POST', 10_500, 10_900],
    // Nothing but the time that is waited for.
    ['stay at 1 rounds/min for 10 min', 'DELETE', 5000, 30_500],
    // Behind the end, while the last rounds go on.
    ['stay at 2 users for 500 ms', 'DELETE', 800, 900],
  ];
  for (const [phases, method, at, latest] of rows) {
    const interrupt = new AbortController();
    const methods: string[] = [];
    const { end } = await runLoad(
      loadOf(phases.startsWith('fall') ? `stay at 5 users for 10 s; ${phases}` : phases),
      (request, now) => {
        methods.push(request.method);
        if (now >= at && request.method === method) interrupt.abort();
        return { takes: request.method === 'POST' ? 400 : 10 };
      },
      { text, signal: interrupt.signal, run: { cleanUpSignal: new AbortController().signal } },
    );
    const count = (name: string) => methods.filter(each => each === name).length;
    assert.equal(end.stopped, 'interrupt', phases);
    assert.equal(count('DELETE'), count('POST'), phases);
    assert.ok(end.time <= latest && end.time >= at, `${phases}: ${end.time}`);
  }
});

test('a round that does not come to its end is cut off behind the end, and cleans up', async () => {
  const text = `${caseText('Reserve', 'POST /reservations', 'status = 200')}${caseText('Give back', 'DELETE /reservations', 'status = 200').replace('~~~http', '~~~mervok\ncleanup\n~~~\n\n~~~http')}`;
  const methods: string[] = [];
  const { end } = await runLoad(
    loadOf('stay at 2 users for 1 s', { grace: 2000 }),
    ({ method }) => {
      methods.push(method);
      return { takes: method === 'POST' ? 60_000 : 20 };
    },
    { text, run: { cleanUpSignal: new AbortController().signal } },
  );
  assert.deepEqual(methods, ['POST', 'POST', 'DELETE', 'DELETE']);
  assert.deepEqual([end.stopped, end.time, end.totals.load?.rounds.cutOff], [undefined, 3020, 2]);
});

test('what does not pass is on record line by line, up to a limit; and the sample', async () => {
  const { events, end } = await runLoad(loadOf('stay at 1 user for 20 s'), () => ({
    takes: 100,
    status: 500,
  }));
  assert.equal(end.totals.cases.failed, 200);
  assert.equal(events.filter(({ type }) => type === 'case').length, 51);
  const sampled = await runLoad(loadOf('stay at 1 user for 20 s', { sample: 0.6 }), () => ({ takes: 100 }));
  // Chance is 0.5 here.
  assert.equal(sampled.events.filter(({ type }) => type === 'case').length, 200);
  const page = sampled.events.findIndex(({ type }) => type === 'page');
  assert.equal(sampled.events[page + 1]?.type, 'exchange');
});

test('a failure ends the load where that is wanted; a limit of the run too', async () => {
  const fails = await runLoad(
    loadOf('stay at 10 rounds/s for 60 s'),
    (_, at) => ({ status: at < 2000 ? 200 : 500 }),
    { run: { failFast: true } },
  );
  assert.equal(fails.end.stopped, 'failure');
  assert.ok(fails.end.time < 2200);
  const limited = await runLoad(loadOf('stay at 2 users for 60 s'), () => ({ takes: 100 }), {
    run: { timeout: 1500 },
  });
  assert.equal(limited.end.stopped, 'timeout');
  assert.ok(limited.end.time <= 1600, String(limited.end.time));
});

test('pauses come from a range, by the chance of the user and its round', async () => {
  const two = look + caseText('Again', 'GET /again', 'status = 200');
  const { sentAt } = await runLoad(loadOf('stay at 1 user for 1 s'), () => ({ takes: 100 }), {
    text: two,
    run: { pause: { from: 200, to: 400 } },
  });
  // Chance is 0.5 here.
  assert.deepEqual(sentAt, [0, 400, 500, 900, 1000].slice(0, sentAt.length));
  assert.equal(sentAt.length, 4);
});

test('two loads are set against each other by all that they counted', async () => {
  const two = look + caseText('Again', 'GET /again', 'status = 200');
  const answered =
    (takes: number, fails: boolean): Answer =>
    ({ url }, at) => ({
      takes: url.endsWith('again') ? takes : 20,
      status: fails && at > 2000 && url.endsWith('berths') ? 500 : 200,
    });
  const ranWith = async (takes: number, fails: boolean) => {
    const { events } = await runLoad(
      loadOf('warm up for 1 s; stay at 5 users for 5 s'),
      answered(takes, fails),
      { text: two },
    );
    return gatherRun(
      (async function* () {
        yield* events;
      })(),
    );
  };
  const [before, now] = [await ranWith(20, false), await ranWith(60, true)];
  const { newlyFailing, slower, common, timesCompared } = compareRuns(before, now);
  assert.deepEqual(
    newlyFailing.map(({ address }) => address),
    ['berths.md#look'],
  );
  assert.deepEqual([common, timesCompared], [2, true]);
  assert.deepEqual(
    slower.map(({ address, before: was, now: is }) => [address, was, is]),
    [['berths.md#again', 20, 60]],
  );
  assert.deepEqual(compareRuns(before, before).slower, []);
});

test('where Mervok itself was the limit it is told, with what it would be without; and else it is not', async () => {
  // So long of every 80 ms the program has no processor.
  const stallsFor = (lost: number) => (time: number) => {
    const into = time % 80;
    return into < 80 - lost ? time : time + 80 - into;
  };
  const limitOf = async (text: string, lost: number) => {
    const { end } = await runLoad(loadOf(text), () => ({ takes: 20 }), { stalls: stallsFor(lost) });
    return end.totals.load?.ownLimit;
  };
  for (const text of ['stay at 40 rounds/s for 4 s', 'stay at 9 users for 4 s']) {
    assert.equal(await limitOf(text, 0), undefined, text);
    // A timer of the runtime is late by as much.
    assert.equal(await limitOf(text, 1), undefined, text);
    const limit = await limitOf(text, 40);
    assert.ok(limit && limit.told > 25, text);
    assert.ok(limit.without >= 10 && limit.without <= 24, `${text}: ${limit.without}`);
  }
});
