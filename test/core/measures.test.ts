import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { EventOf, OperationEvent, RunEvent } from '../../src/core/model/events.ts';
import { CaseGrouping } from '../../src/core/record/case-grouping.ts';
import { DurationHistogram } from '../../src/core/record/duration-histogram.ts';
import { eventSchema } from '../../src/core/record/event-schema.ts';
import {
  isAnswered,
  isOperation,
  outcomeOf,
  viewOf,
  withoutContents,
} from '../../src/core/record/operations.ts';
import { RequestOutcomes, RequestStatistics } from '../../src/core/record/request-statistics.ts';
import { RunStatistics } from '../../src/core/record/run-statistics.ts';
import { RunTotals } from '../../src/core/record/totals.ts';

const place = { file: 'berths.md', line: 3, column: 1 };
const exchange = (total: number, more: Partial<EventOf<'exchange'>> = {}): EventOf<'exchange'> => ({
  ...{ type: 'exchange', round: 1, case: 'berths.md#a', at: 0, place, times: { total }, received: 10 },
  ...{ request: { method: 'GET', url: 'http://skerry.example/berths/1?a=b', headers: [] } },
  response: { status: 200, reason: '', headers: [], body: { size: 0 } },
  ...more,
});
const fault = (kind: 'reset' | 'unsendable' = 'reset') => {
  const { response: _none, ...rest } = exchange(3);
  return { ...rest, fault: { kind, message: 'm' } };
};
const check = (holds: 'yes' | 'no' | 'unknown', more = {}): RunEvent =>
  ({ type: 'check', round: 1, case: 'berths.md#a', place, text: 't', holds, ...more }) as RunEvent;
const ended = (outcome = 'passed', more = {}): RunEvent =>
  ({
    ...{ type: 'case', round: 1, case: 'berths.md#a', title: 'A', place, outcome, time: 1, at: 0 },
    ...more,
  }) as RunEvent;

test('Apdex: satisfied up to the threshold, tolerating up to four times of it, all others not at all', () => {
  const rows: [time: number, held: boolean, share: number][] = [
    [99, true, 1],
    [100, true, 1],
    [100.001, true, 0.5],
    [400, true, 0.5],
    [400.001, true, 0],
    [450, true, 0],
    [1, false, 0],
    [200, false, 0],
  ];
  const all = new RequestStatistics(100);
  for (const [time, held, share] of rows) {
    const one = new RequestStatistics(100);
    one.add(exchange(time), held);
    assert.equal(one.apdex, share, `${time} ${held}`);
    assert.equal(one.errorRate, held ? 0 : 1);
    all.add(exchange(time), held);
  }
  assert.deepEqual(
    [all.requests, all.failed, all.received, all.apdex, all.errorRate],
    [8, 2, 80, 3 / 8, 2 / 8],
  );
  const none = new RequestStatistics(100);
  assert.deepEqual([none.apdex, none.errorRate], [undefined, undefined]);
  // A fault that was to come holds, and yet nobody was served; a redirect counts with the whole of its way.
  const faulted = new RequestStatistics(100);
  faulted.add(fault(), true);
  assert.deepEqual([faulted.apdex, faulted.failed, faulted.times.count], [0, 0, 0]);
  const whole = new RequestStatistics(100);
  whole.add(exchange(50, { whole: 150 }), true);
  assert.deepEqual([whole.apdex, whole.times.max], [0.5, 150]);
  all.merge(faulted);
  all.merge(whole);
  assert.deepEqual(
    [all.requests, all.failed, all.received, all.apdex, all.times.count],
    [10, 2, 100, 3.5 / 10, 9],
  );
});

test('whether a request held is settled by its own checks, user by user', () => {
  const rows: [events: RunEvent[], settled: boolean[]][] = [
    [[exchange(1), ended()], [true]],
    [[exchange(1), check('yes'), ended()], [true]],
    [[exchange(1), check('yes'), check('no'), check('yes'), ended('failed')], [false]],
    [[exchange(1), check('unknown'), ended('failed')], [false]],
    [
      [exchange(1), check('no'), exchange(2), check('yes'), ended()],
      [false, true],
    ],
    [
      [exchange(1), exchange(2), check('no'), ended()],
      [true, false],
    ],
    [[exchange(1, { part: true }), exchange(2), check('yes'), ended()], [true]],
    [[fault(), ended('error')], [false]],
    [[fault(), check('yes'), ended()], [true]],
    [[fault(), check('no'), ended()], [false]],
    [[fault('unsendable'), check('no'), ended()], []],
    [[exchange(1), check('yes')], []],
    [[exchange(1), check('yes'), { type: 'end' } as RunEvent], [true]],
    [[check('no'), exchange(1), ended(), check('no'), ended()], [true]],
    [
      [
        exchange(1, { user: 1 }),
        exchange(2, { user: 2 }),
        check('no', { user: 1 }),
        ended('failed', { user: 1 }),
        ended('passed', { user: 2 }),
      ],
      [false, true],
    ],
  ];
  for (const [index, [events, expected]] of rows.entries()) {
    const settled: boolean[] = [];
    const outcomes = new RequestOutcomes((_event: OperationEvent, held) => settled.push(held));
    for (const event of events) outcomes.add(event);
    assert.deepEqual(settled, expected, `row ${index}`);
  }
});

test('requests are told apart by case and line, and called as their page has them', () => {
  const statistics = new RunStatistics();
  const at = (line: number) => ({ ...place, line });
  const events: RunEvent[] = [
    { type: 'run', at: '2026-11-23T12:00:00Z', apdex: 1 } as RunEvent,
    exchange(1, { place: at(3) }),
    exchange(2, { place: at(9), request: { method: 'DELETE', url: 'not absolute', headers: [] } }),
    ended('passed', { request: 'GET /berths/{code}' }),
    exchange(3, { place: at(3) }),
    ended('passed', { title: 'B', request: 'GET /other' }),
    exchange(4, { place: at(3), case: 'berths.md#b' }),
    ended('passed', { case: 'berths.md#b' }),
  ];
  for (const event of events) {
    statistics.add(event);
    if (event === events[3]) assert.equal(statistics.repeats, false);
  }
  assert.deepEqual(
    statistics.requests.map(({ case: address, title, request, figures }) => [
      address,
      title,
      request,
      figures.requests,
    ]),
    [
      ['berths.md#a', 'A', 'GET /berths/{code}', 2],
      ['berths.md#a', 'A', 'DELETE not absolute', 1],
      ['berths.md#b', 'A', 'GET /berths/1', 1],
    ],
  );
  assert.deepEqual(
    statistics.repeated.map(({ request }) => request),
    ['GET /berths/{code}'],
  );
  assert.deepEqual([statistics.repeats, statistics.total.threshold, statistics.total.requests], [true, 1, 4]);
  assert.equal(statistics.requests[0]!.figures.threshold, 1);
});

test('durations: the nearest rank, the ends, and one more than are kept as they are', () => {
  const of = (...times: number[]) => {
    const histogram = new DurationHistogram();
    for (const time of times) histogram.add(time);
    return histogram;
  };
  assert.deepEqual(
    [of().min, of().max, of().mean, of().percentile(50)],
    [undefined, undefined, undefined, undefined],
  );
  const few = of(4, 1, 3, 2);
  assert.deepEqual([few.min, few.max, few.mean, few.count, few.sum], [1, 4, 2.5, 4, 10]);
  assert.deepEqual(
    [0, 25, 26, 50, 51, 75, 76, 100].map(percent => few.percentile(percent)),
    [1, 1, 2, 2, 3, 3, 4, 4],
  );
  assert.deepEqual(
    [of(0).percentile(50), of(0.0004).percentile(50), of(4e6).percentile(50), of(4e6).max],
    [0.001, 0.001, 3.6e6, 4e6],
  );
  const thousand = of(...Array.from({ length: 1000 }, (_, index) => index + 1));
  assert.equal(thousand.percentile(50), 500);
  thousand.add(1001);
  assert.equal(Math.round(thousand.percentile(50)!), 501);
  assert.deepEqual(
    [thousand.percentile(100), thousand.count, thousand.min, thousand.max],
    [1001, 1001, 1, 1001],
  );
  const merged = of(5);
  merged.merge(of());
  merged.merge(of(1, 9));
  assert.deepEqual([merged.count, merged.min, merged.max, merged.percentile(50)], [3, 1, 9, 5]);
  merged.merge(thousand);
  assert.deepEqual([merged.count, merged.min, merged.max, merged.sum], [1004, 1, 1001, 15 + 501_501]);
  const many = of(...Array.from({ length: 1500 }, () => 7));
  many.merge(of(1));
  assert.deepEqual([many.count, many.min, Math.round(many.percentile(50)!)], [1501, 1, 7]);
});

test('totals count what was sent, checked and received, and what was sent anew', () => {
  const totals = new RunTotals();
  const events: RunEvent[] = [
    exchange(1),
    check('yes'),
    check('no'),
    ended('failed'),
    exchange(2, { fresh: true }),
    exchange(2, { part: true }),
    fault(),
    fault('unsendable'),
    check('unknown'),
    ended('error'),
    ended('blocked', { blocked: { by: 'berths.md#a', cause: 'berths.md#a' } }),
    ended('skipped'),
    ended('passed'),
  ];
  for (const event of events) totals.add(event);
  assert.deepEqual(totals.cases, { passed: 1, failed: 1, error: 1, blocked: 1, skipped: 1 });
  assert.deepEqual(
    [totals.requests, totals.reconnects, totals.checks, totals.held, totals.received],
    [4, 1, 3, 1, 40],
  );
});

test('what all operations have in common, and what is left of one that waits', () => {
  const one = exchange(1, { connection: { protocol: 'HTTP/1.1' }, interim: [] });
  const request = {
    method: 'PUT',
    url: 'http://skerry.example/x',
    headers: [['A', 'b']],
    body: { size: 2, text: 'ab' },
  } as never;
  const response = {
    status: 404,
    reason: 'Not Found',
    headers: [['C', 'd']],
    body: { size: 3, text: 'abc' },
  } as never;
  const full = { ...one, request, response };
  assert.deepEqual(viewOf(full), {
    ...{
      verb: 'PUT',
      target: 'http://skerry.example/x',
      fields: [['A', 'b']],
      body: { size: 2, text: 'ab' },
    },
    answer: {
      code: 404,
      words: 'Not Found',
      isBad: true,
      fields: [['C', 'd']],
      body: { size: 3, text: 'abc' },
    },
    texts: [],
  });
  assert.equal(
    viewOf({ ...full, response: { ...(response as object), status: 399 } as never }).answer!.isBad,
    false,
  );
  assert.equal(viewOf(fault()).answer, undefined);
  const { connection: _connection, interim: _interim, ...rest } = one;
  assert.deepEqual(withoutContents(full), {
    ...rest,
    request: { method: 'PUT', url: 'http://skerry.example/x', headers: [] },
    response: { status: 404, reason: 'Not Found', headers: [], body: { size: 3 } },
  });
  assert.ok(!('response' in withoutContents(fault())));
  const operation = {
    ...{
      type: 'operation',
      round: 1,
      case: 'a.md#a',
      at: 0,
      place,
      kind: 'sql',
      times: { total: 1 },
      received: 4,
    },
    asked: { verb: 'SELECT', target: 'ledger', fields: [['a', 'b']], body: { size: 1, text: 'x' } },
    answer: { code: 'rows', words: '2 rows', fields: [['n', '2']], body: { size: 5, text: 'hello' } },
  } as never;
  assert.deepEqual([isOperation(operation), isOperation(one), isOperation(ended())], [true, true, false]);
  const { answer, ...unanswered } = operation as { answer: object };
  for (const each of [operation, unanswered]) assert.ok(eventSchema.safeParse(each).success);
  for (const key of Object.keys(answer)) {
    const lacking = { ...unanswered, answer: { ...answer, [key]: undefined } };
    assert.equal(eventSchema.safeParse(lacking).success, false, key);
  }
  assert.deepEqual(viewOf(operation).answer, {
    code: 'rows',
    words: '2 rows',
    isBad: false,
    fields: [['n', '2']],
    body: { size: 5, text: 'hello' },
  });
  const left = withoutContents(operation) as unknown as { asked: object; answer: object };
  assert.deepEqual(left.asked, { verb: 'SELECT', target: 'ledger', fields: [] });
  assert.deepEqual(left.answer, { code: 'rows', words: '2 rows', fields: [], body: { size: 5 } });
  assert.deepEqual([full, fault(), operation].map(outcomeOf), ['404', 'reset', 'rows']);
  const nothing = { ...(operation as object), answer: undefined } as never;
  assert.deepEqual(
    [outcomeOf(nothing), isAnswered(nothing), isAnswered(operation), isAnswered(one), isAnswered(fault())],
    ['nothing', false, true, true, false],
  );
});

test('cases come with what happened in them, user by user', () => {
  const grouping = new CaseGrouping();
  const page = { type: 'page', round: 1, file: 'berths.md', title: 'Berths' } as RunEvent;
  const of = (user: number, event: RunEvent) => ({ ...event, user }) as RunEvent;
  const events = [
    { type: 'run' } as RunEvent,
    ...[
      of(1, page),
      of(2, page),
      of(1, exchange(1)),
      of(2, exchange(2)),
      of(1, check('yes')),
      of(2, ended()),
      of(1, exchange(3)),
    ],
    ...[of(1, ended()), of(1, check('no')), of(1, ended('failed')), { type: 'end' } as RunEvent],
  ];
  const told = events.flatMap(event => {
    const found = grouping.add(event);
    return found
      ? [
          [
            found.page.file,
            found.event.outcome,
            found.checks.length,
            found.operations.map(each => each.times.total),
          ],
        ]
      : [];
  });
  assert.deepEqual(told, [
    ['berths.md', 'passed', 0, [2]],
    ['berths.md', 'passed', 1, [1, 3]],
    ['berths.md', 'failed', 1, []],
  ]);
  const few = new CaseGrouping(event => event.type === 'check' && event.holds === 'no');
  for (const event of [page, exchange(1), check('yes'), check('no')]) assert.equal(few.add(event), undefined);
  const kept = few.add(ended())!;
  assert.deepEqual([kept.checks.length, kept.operations.length], [1, 0]);
});
