import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseBound } from '../../src/core/language/bounds.ts';
import { type LoadPhase, lengthOfLoad } from '../../src/core/language/load/load.ts';
import { parseLoad } from '../../src/core/language/load/parse-load.ts';

function phasesOf(text: string): readonly LoadPhase[] {
  const { load, errors } = parseLoad(text);
  assert.deepEqual(
    errors.map(({ message }) => message),
    [],
    text,
  );
  return load!.phases;
}

const inNumbers = ({ number, label = '', unit, from, to, lasting }: LoadPhase) =>
  `${number}${label && ` ${label}`} ${from}-${to} ${unit} ${lasting}`;

test('phases follow each other: each goes on from where the one above has ended', () => {
  const rows: [text: string, phases: string[]][] = [
    ['stay at 1 user for 1 s', ['1 1-1 users 1000']],
    ['rise to 50 users in 2 min; stay 5 min', ['1 0-50 users 120000', '2 50-50 users 300000']],
    ['rise to 50 users in 2 min; stay for 5 min', ['1 0-50 users 120000', '2 50-50 users 300000']],
    ['rise to 8 users in 1 s\nfall to 2 in 1 s', ['1 0-8 users 1000', '2 8-2 users 1000']],
    [
      'rise to 8 users in 1 s;fall to 2 users in 1 s; rise to 5 in 1 s',
      ['1 0-8 users 1000', '2 8-2 users 1000', '3 2-5 users 1000'],
    ],
    ['rise to 8 users in 1 s; rise to 40 rounds/s in 1 s', ['1 0-8 users 1000', '2 0-40 rounds 1000']],
    [
      'rise to 40 rounds/s in 1 s; stay at 4 users for 1 s; stay 2 s',
      ['1 0-40 rounds 1000', '2 4-4 users 1000', '3 4-4 users 2000'],
    ],
    ['stay at 90 rounds/min for 1 min', ['1 1.5-1.5 rounds 60000']],
    ['stay at 0.5 rounds/s for 1.5 h', ['1 0.5-0.5 rounds 5400000']],
    ['stay at 36 rounds / h for 1 h', ['1 0.01-0.01 rounds 3600000']],
    ['warm up for 10 s; stay at 4 users for 1 s', ['0 1-1 users 10000', '1 4-4 users 1000']],
    [
      'warm up with 20 rounds/s for 10 s; rise to 4 users in 1 s',
      ['0 20-20 rounds 10000', '1 0-4 users 1000'],
    ],
    ['warm up with 3 users for 1 s; rise to 4 users in 1 s', ['0 3-3 users 1000', '1 0-4 users 1000']],
    ['"storm": stay at 4 users for 1 s', ['1 storm 4-4 users 1000']],
    [
      '"a; b # c": stay at 4 users for 1 s # calm\n# nothing\n\n stay 1 s',
      ['1 a; b # c 4-4 users 1000', '2 4-4 users 1000'],
    ],
  ];
  for (const [text, phases] of rows) assert.deepEqual(phasesOf(text).map(inNumbers), phases, text);
  assert.equal(lengthOfLoad({ phases: phasesOf('warm up for 10 s; stay at 4 users for 1 s') }), 11_000);
});

test('besides phases a load says what users take, and what ends it', () => {
  const text = `rise to 2 users in 1 s
each user takes random row of "office/pilots.csv"
stop when failed > 20 % for 10 s
stop when p95 time > 2 s for 1 min`;
  const { rows, stops } = parseLoad(text).load!;
  assert.deepEqual(rows, {
    table: 'office/pilots.csv',
    order: 'random',
    range: rangeOf(text, 'office/pilots.csv'),
  });
  assert.deepEqual(
    stops.map(each => [each.text, each.over, text.slice(each.range.start, each.range.end)]),
    [
      ['failed > 20 % for 10 s', 10_000, 'stop when failed > 20 % for 10 s'],
      ['p95 time > 2 s for 1 min', 60_000, 'stop when p95 time > 2 s for 1 min'],
    ],
  );
  const plain = parseLoad('stay at 2 users for 1 s; each user takes row of pilots.xlsx#Quay').load!;
  assert.deepEqual([plain.rows?.table, plain.rows?.order], ['pilots.xlsx#Quay', 'in turn']);
});

function rangeOf(text: string, part: string) {
  const start = text.indexOf(part);
  return { start, end: start + part.length };
}

test('what is wrong with a load is told at its place, with what mends it', () => {
  const rows: [text: string, place: string, message: RegExp, remedy: RegExp | undefined][] = [
    ['', '', /at least one phase/, /rise to 50 users/],
    ['warm up for 10 s', 'warm up for 10 s', /at least one phase/, /rise to 50 users/],
    [
      'raise to 50 users in 2 min',
      'raise to 50 users in 2 min',
      /nothing that a load does/,
      /Did you mean 'rise to'/,
    ],
    [
      'stop wen failed > 1 % for 2 s',
      'stop wen failed > 1 % for 2 s',
      /nothing that a load does/,
      /Did you mean 'stop when'/,
    ],
    ['hold 3 min', 'hold 3 min', /nothing that a load does/, /There are: rise to/],
    ['rise to 50 users', 'rise to 50 users', /in what time/, /in 2 min/],
    ['rise to 50 in 2 min', '50', /not said what is counted/, /50 users, or: 50 rounds\/s/],
    ['rise to 50 user/s in 2 min', 'user/s', /not known/, /Did you mean 'users'/],
    ['rise to 50 round/second in 2 min', 'round/second', /not known/, /rounds\/s/],
    ['rise to many users in 2 min', 'many users', /no number/, /There are: rise/],
    ['rise to 2.5 users in 2 min', '2.5 users', /no 2.5 users/, /whole/],
    ['rise to 50 users in 2', '2', /no duration/, /its unit/],
    ['rise to 50 users in 2 metres', '2 metres', /no duration/, /its unit/],
    ['rise to 50 users in 0 s', '0 s', /no duration/, /its unit/],
    ['stay 5 min', 'stay 5 min', /Nothing goes on yet/, /Begin with/],
    ['stay at 5 users', 'stay at 5 users', /for how long/, /stay at 50 users for 5 min/],
    [
      'rise to 5 users in 1 s; rise to 3 in 1 s',
      'rise to 3 in 1 s',
      /does not rise: it begins at 5 users/,
      /fall to 3 users/,
    ],
    ['rise to 5 users in 1 s; fall to 5 in 1 s', 'fall to 5 in 1 s', /does not fall/, /stay 5 min/],
    [
      'rise to 5 users in 1 s; fall to 5 rounds/s in 1 s',
      'fall to 5 rounds/s in 1 s',
      /in rounds\/s it begins at 0/,
      /rise to 5 rounds\/s/,
    ],
    ['rise to 5 rounds/s in 1 s; warm up for 2 s', 'warm up for 2 s', /stands first/, /Move it/],
    ['"calm": warm up for 2 s; stay at 1 user for 1 s', '"calm"', /no label/, /away/],
    ['"7": stay at 1 user for 1 s', '"7"', /is no label/, /"storm"/],
    ['"a": stay at 1 user for 1 s; "a": stay 1 s', '"a"', /Two phases/, /another/],
    ['"a": rise to 1 usr in 1 s', 'usr', /not known/, /'user'/],
    [
      'stay at 1 user for 1 s; each user gets row of "a.csv"',
      'each user gets row of "a.csv"',
      /cannot be read/,
      /takes row of/,
    ],
    [
      'stay at 1 user for 1 s; each user takes row of a.csv; each user takes row of b.csv',
      'each user takes row of b.csv',
      /one table/,
      undefined,
    ],
    [
      'stay at 1 user for 1 s; stop when failed > 20 %',
      'stop when failed > 20 %',
      /for how long/,
      /for 10 s/,
    ],
    ['stay at 1 user for 1 s; stop when failure > 20 % for 2 s', 'failure', /cannot be bounded/, /failed/],
    ['stay at 1 user for 1 s; stop when failed > 20 % for 20 ms', '20 ms', /too short/, /for 1 s/],
    [
      'stay at 1 user for 1 s; stop when failed of a.md > 20 % for 2 s',
      'failed of a.md > 20 %',
      /over all of it/,
      /Leave out/,
    ],
  ];
  for (const [text, place, message, remedy] of rows) {
    const { load, errors } = parseLoad(text);
    assert.equal(load, undefined, text);
    assert.equal(errors.length, 1, `${text}: ${errors.map(each => each.message)}`);
    const [error] = errors;
    assert.equal(error!.code, 'load-form');
    assert.match(error!.message, message, text);
    if (remedy) assert.match(error!.remedy ?? '', remedy, text);
    else assert.equal(error!.remedy, undefined, text);
    assert.equal(text.slice(error!.range.start, error!.range.end), place, text);
  }
  // What only follows from a phase that cannot be read is not told.
  assert.equal(parseLoad('rise to 5 usrs in 1 s; stay 2 s; fall to 0 in 3 s').errors.length, 1);
});

test('a bound may be for a phase, by its number or its label', () => {
  const rows: [text: string, phase: string | undefined, of: string | undefined][] = [
    ['p95 time in phase "storm" < 400 ms', 'storm', undefined],
    ['failed in phase 2 < 1 %', '2', undefined],
    ['mean time of sea/tides.md in phase "the storm of 3" < 1 s', 'the storm of 3', 'sea/tides.md'],
    ['mean time of in phase.md < 1 s', undefined, 'in phase.md'],
  ];
  for (const [text, phase, of] of rows) {
    const bound = parseBound(text);
    assert.deepEqual([bound.phase, bound.of], [phase, of], text);
  }
});
