import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { CheckEvent, ExchangeEvent, RunEvent } from '../../src/core/model/events.ts';
import { recordSchema } from '../../src/core/record/record-schema.ts';
import { EventLines } from '../../src/platform/event-lines.ts';
import { sequence } from '../support/fuzz.ts';

const places = Array.from({ length: 130 }, (_, at) => ({ file: 'berths.md', line: at + 1, column: 1 }));
const exchange: ExchangeEvent = {
  type: 'exchange',
  round: 1,
  case: 'berths.md#a',
  at: 1_795_470_304_434,
  place: places[0]!,
  request: { method: 'GET', url: 'http://127.0.0.1:7070/berths', headers: [['X-Quay', 'é "1"']] },
  times: { total: 2.5, wait: 1.25, download: 0.5 },
  received: 217,
  connection: { protocol: 'HTTP/1.1', remote: '127.0.0.1:7070' },
  response: {
    status: 200,
    reason: 'OK',
    headers: [['Content-Type', 'application/json']],
    body: { size: 2, text: '{}' },
  },
};
const response = exchange.response!;

/** What one exchange may have and the next one not. */
const changes: readonly Partial<ExchangeEvent>[] = [
  {},
  { user: 3 },
  { user: 4, row: 2 },
  { row: 2 },
  { case: 'berths.md#"b"' },
  { cause: 'redirect' },
  { cause: 'retry', fresh: true },
  { part: true },
  { whole: 12.5 },
  { late: 3.25 },
  { late: 0, lag: 1.5 },
  { lane: 3 },
  { request: { ...exchange.request, url: 'http://127.0.0.1:7070/berths/0417' } },
  { request: { ...exchange.request, headers: [] } },
  { request: { ...exchange.request, body: { size: 3, text: '{"a"' } } },
  { times: { connect: 1, tls: 2, lookup: 0.5, total: 9 } },
  { connection: { protocol: 'HTTP/2', certificate: { subject: 'skerry.example', until: '2027-01-01' } } },
  { response: { ...response, headers: [['content-type', 'application/json']] } },
  { response: { ...response, headers: [['Content-Type', 'text/plain']] } },
  { response: { ...response, headers: [...response.headers, ['X', '\u2028\u0000']] } },
  { response: { ...response, trailers: [['X', 'y']], encoded: 20 } },
  { response: { ...response, status: 204, body: { size: 90_000, base64: 'AAAA', cut: true, sha256: 'ff' } } },
  { fault: { kind: 'reset', message: 'closed' } },
  { fault: { kind: 'refused', message: 'No connection.' }, response: undefined },
  { interim: [{ status: 103, headers: [] }] },
  { definition: { file: 'harbour.yaml', hash: 'ff', notHeld: 'it is "outside"' } },
  {
    example: {
      place: { file: 'berths.md', line: 7, column: 1 },
      differences: [{ at: '$', expected: 'a "list"', found: 'null' }],
    },
  },
  { response: undefined },
];

test('whoever adds to what an exchange tells adds it to its line', () => {
  const { oneOf } = recordSchema() as {
    oneOf: { properties: { [name: string]: { properties?: object } } }[];
  };
  const { properties } = oneOf.find(each => 'connection' in each.properties)!;
  const keys = (value: object) => Object.keys(value).sort();
  assert.deepEqual(
    keys(properties),
    keys({
      ...exchange,
      lane: 0,
      user: 0,
      row: 0,
      cause: 0,
      fresh: 0,
      part: 0,
      whole: 0,
      late: 0,
      lag: 0,
      interim: 0,
      definition: 0,
      example: 0,
      fault: 0,
    }),
  );
  assert.deepEqual(keys(properties.request!.properties!), keys({ ...exchange.request, body: 0 }));
  const times = ['lookup', 'connect', 'tls', 'wait', 'download', 'total'];
  assert.deepEqual(keys(properties.times!.properties!), times.sort());
  assert.deepEqual(keys(properties.response!.properties!), keys({ ...response, encoded: 0, trailers: 0 }));
});

test('a line of the record is the JSON of its event, whatever the one before it was', () => {
  const next = sequence(417);
  const lines = new EventLines();
  for (let turn = 0; turn < 4000; turn++) {
    const event: RunEvent = {
      ...exchange,
      place: places[next(places.length)]!,
      ...changes[next(changes.length)],
      ...(next(3) === 0 && changes[next(changes.length)]),
    };
    const check: CheckEvent = {
      type: 'check',
      round: next(3),
      case: `berths.md#${next(2)}`,
      place: event.place,
      text: `status = ${next(2)}`,
      holds: next(4) === 0 ? 'no' : 'yes',
      ...(next(2) === 0 && { label: 'a "label"', level: 'mervok.yaml' }),
      ...(next(2) === 0 && { user: 2 }),
      ...(next(2) === 0 && { row: next(3) }),
    };
    // What is the same need not be the same object.
    for (const each of [event, check])
      assert.deepEqual(
        JSON.parse(lines.line(next(2) === 0 ? structuredClone(each) : each)),
        JSON.parse(JSON.stringify(each)),
      );
  }
});
