import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { EventOf } from '../../src/core/model/events.ts';
import { caseText } from '../support/collection.ts';
import { type Answer, type Ran, type RunTextsOptions, runTexts } from '../support/engine.ts';

const root = 'base: http://harbour.skerry.example\n';
/** Answers after so many milliseconds. */
const after =
  (takes: number): Answer =>
  () => ({ takes });
const endOf = ({ events }: Ran) => events.at(-1) as EventOf<'end'>;

/** Requests as `path at-milliseconds`, with the run. */
async function timed(
  page: string,
  answer: Answer = after(5),
  options: RunTextsOptions = {},
): Promise<Ran & { readonly begun: readonly string[] }> {
  const begun: string[] = [];
  const told: Answer = (request, at) => {
    begun.push(`${new URL(request.url).pathname} ${at}`);
    return answer(request, at);
  };
  return { ...(await runTexts({ 'mervok.yaml': root, 'a.md': page }, told, options)), begun };
}

const one = caseText('One', 'GET /one', 'status = 200');
const two = caseText('Two', 'GET /two', 'status = 200');

test('a case takes as long as its requests and its waiting; what is told begins when it began', async () => {
  const page = one + caseText('Late', 'GET /late', 'wait 2 s\nstatus = 200\nwait "00:00:01"') + two;
  const ran = await timed(page.replace('wait "00:00:01"', 'wait 0.5 s'));
  assert.deepEqual(ran.begun, ['/one 0', '/late 5', '/two 2510']);
  assert.deepEqual(
    ran.cases.map(({ time, at }) => [time, at! - ran.cases[0]!.at!]),
    [
      [5, 0],
      [2505, 5],
      [5, 2510],
    ],
  );
  const end = endOf(ran);
  assert.deepEqual([end.time, end.at, end.stopped], [2515, '2026-11-23T12:00:02.515Z', undefined]);
});

test('what is no duration ends its case before it is waited for', async () => {
  const page = caseText('Late', 'GET /late', 'keep $.id as long\nwait {long}\nstatus = 200') + two;
  const ran = await timed(page, () => ({ body: { id: 'long' }, takes: 5 }));
  assert.deepEqual(ran.outcomes, ['Late: error', 'Two: passed']);
  assert.equal(ran.cases[0]!.problem!.message, "wait {long}: 'long' is no duration; write for example 2 s.");
  assert.deepEqual(ran.begun, ['/late 0', '/two 5']);
});

const repeating = (repeat: string) => `## Moor\n\n~~~mervok\n${repeat}\n~~~\n\n~~~http\nGET /moor\n~~~\n`;

test('a request is repeated until its condition holds, and as long as there is time for one more', async () => {
  /** The state is `moored` from this moment on. */
  const mooredFrom =
    (moment: number): Answer =>
    (_, at) => ({ body: { state: at >= moment ? 'moored' : 'adrift' }, takes: 10 });
  const rows: [repeat: string, from: number, times: number[], outcome: string][] = [
    ['every 100 ms for 1 s', 0, [0], 'passed'],
    ['every 100 ms for 1 s', 1, [0, 110], 'passed'],
    ['every 100 ms for 1 s', 300, [0, 110, 220, 330], 'passed'],
    // A pause that ends with the time is still made, one that ends behind it is not.
    ['every 100 ms for 110 ms', 110, [0, 110], 'passed'],
    ['every 100 ms for 109 ms', 110, [0], 'failed'],
    ['every 100 ms for 220 ms', 1e9, [0, 110, 220], 'failed'],
    ['every 100 ms for 219 ms', 1e9, [0, 110], 'failed'],
    ['every 1 s for 0 s', 1e9, [0], 'failed'],
    ['every 0 s for 20 ms', 1e9, [0, 10, 20], 'failed'],
  ];
  for (const [repeat, from, times, outcome] of rows) {
    const ran = await timed(repeating(`repeat ${repeat} until $.state = "moored"`), mooredFrom(from));
    const said = `${repeat}, from ${from}`;
    assert.deepEqual(
      ran.begun,
      times.map(at => `/moor ${at}`),
      said,
    );
    assert.deepEqual(ran.outcomes, [`Moor: ${outcome}`], said);
    assert.deepEqual(
      ran.exchanges.map(({ cause }) => cause),
      times.map((_, index) => (index === 0 ? undefined : 'repeat')),
      said,
    );
    assert.deepEqual(
      ran.checks.map(({ holds, found }) => [holds, found]),
      [outcome === 'passed' ? ['yes', undefined] : ['no', '"adrift"']],
      said,
    );
  }
});

test('a fault means not yet; where it stays, it is what the case ends with', async () => {
  const refused = { fault: { kind: 'refused' as const, message: 'No connection.' }, takes: 10 };
  const repeat = 'repeat every 100 ms for 200 ms until $.state = "moored"';
  const comes = await timed(repeating(repeat), (_, at) =>
    at < 100 ? refused : { body: { state: 'moored' }, takes: 10 },
  );
  assert.deepEqual([comes.begun, comes.outcomes], [['/moor 0', '/moor 110'], ['Moor: passed']]);
  const stays = await timed(repeating(repeat), () => refused);
  assert.deepEqual([stays.begun, stays.outcomes], [['/moor 0', '/moor 110'], ['Moor: error']]);
  assert.deepEqual([stays.cases[0]!.problem!.message, stays.checks], ['No connection.', []]);
  const unsendable = { fault: { kind: 'unsendable' as const, message: 'No address.' }, takes: 10 };
  assert.deepEqual((await timed(repeating(repeat), () => unsendable)).begun, ['/moor 0']);
  const wanted = await timed(repeating(repeat.replace(/\$.*/, 'fault = "refused"')), (_, at) =>
    at < 100 ? { takes: 10 } : refused,
  );
  assert.deepEqual([wanted.begun, wanted.outcomes], [['/moor 0', '/moor 110'], ['Moor: passed']]);
});

test('rounds begin as long as a run is to last; the first one always', async () => {
  const rows: [run: RunTextsOptions['run'], rounds: number[]][] = [
    [{ lasting: 0 }, [0]],
    [{ lasting: 10 }, [0]],
    [{ lasting: 11 }, [0, 10]],
    [{ lasting: 30 }, [0, 10, 20]],
    [{ lasting: 31 }, [0, 10, 20, 30]],
    [{ lasting: 31, rounds: 2 }, [0, 10]],
    [{ rounds: 3 }, [0, 10, 20]],
    [{}, [0]],
  ];
  for (const [run = {}, rounds] of rows) {
    const ran = await timed(one + two, after(5), { run });
    assert.deepEqual(
      ran.begun.filter(each => each.startsWith('/one')),
      rounds.map(at => `/one ${at}`),
      JSON.stringify(run),
    );
    assert.deepEqual(
      ran.cases.map(({ round }) => round),
      rounds.flatMap((_, index) => [index + 1, index + 1]),
    );
    const first = ran.events[0] as EventOf<'run'>;
    assert.deepEqual(
      [first.rounds, first.lasting],
      [run.rounds ?? (run.lasting === undefined ? 1 : 0), run.lasting],
    );
    assert.equal(endOf(ran).time, rounds.length * 10);
  }
});

test('several users take their time each', async () => {
  const ran = await timed(one + two, ({ url }) => ({ takes: url.endsWith('/one') ? 5 : 20 }), {
    rounds: 2,
    run: { users: 3 },
  });
  const expected = ['/one 0', '/two 5', '/one 25', '/two 30'].flatMap(each => [each, each, each]);
  assert.deepEqual(ran.begun, expected);
  assert.equal(endOf(ran).time, 50);
});

test('a pause comes between cases, of rounds and rows too, and not before the first', async () => {
  const rows = '~~~csv rows berths\ncode\n0417\n0418\n~~~\n\n';
  const each = caseText('Each', 'GET /{code}', 'status = 200').replace(
    '~~~http',
    '~~~mervok\neach row of berths\n~~~\n\n~~~http',
  );
  const ran = await timed(one + two + rows + each, after(5), {
    rounds: 2,
    run: { pause: { from: 100, to: 100 } },
  });
  assert.deepEqual(ran.begun, [
    ...['/one 0', '/two 105', '/0417 210', '/0418 315'],
    ...['/one 420', '/two 525', '/0417 630', '/0418 735'],
  ]);
});

test('a run that may take no longer ends there, and cleans up behind it', async () => {
  const clean = `## Clean\n\n~~~mervok\ncleanup\n~~~\n\n~~~http\nDELETE /one\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`;
  const cleanUpSignal = new AbortController().signal;
  const rows: [timeout: number, outcomes: string[], stopped: string | undefined, time: number][] = [
    [61, ['One: passed', 'Two: passed', 'Clean: passed'], undefined, 60],
    [41, ['One: passed', 'Two: passed', 'Clean: passed'], 'timeout', 60],
    [39, ['One: passed', 'Two: error', 'Clean: passed'], 'timeout', 59],
    [21, ['One: passed', 'Two: error', 'Clean: passed'], 'timeout', 41],
    [20, ['One: error', 'Clean: passed'], 'timeout', 40],
    [19, ['One: error', 'Clean: passed'], 'timeout', 39],
  ];
  for (const [timeout, outcomes, stopped, time] of rows) {
    const ran = await timed(one + two + clean, after(20), { run: { timeout, cleanUpSignal } });
    assert.deepEqual(ran.outcomes, outcomes, String(timeout));
    assert.deepEqual([endOf(ran).stopped, endOf(ran).time], [stopped, time], String(timeout));
  }
});

test('an interrupt ends what is waited for, of whatever kind', async () => {
  const pages = {
    wait: caseText('Wait', 'GET /wait', 'wait 1 h\nstatus = 200'),
    repeat: repeating('repeat every 1 h for 9 h until $.state = "moored"'),
    request: caseText('Slow', 'GET /slow', 'status = 200'),
  };
  for (const [name, page] of Object.entries(pages)) {
    const interrupt = new AbortController();
    const ran = await timed(
      page + two,
      () => {
        setImmediate(() => interrupt.abort());
        return { takes: name === 'request' ? 3_600_000 : 5 };
      },
      { signal: interrupt.signal },
    );
    assert.equal(endOf(ran).stopped, 'interrupt', name);
    assert.ok(endOf(ran).time <= 5, name);
    assert.equal(ran.begun.length, 1, name);
  }
});
