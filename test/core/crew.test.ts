import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Crew } from '../../src/core/text/crew.ts';
import { holdsDoublesAlone } from '../../src/core/values/json-document.ts';

test('whoever comes is there until it leaves, in whatever order; to leave twice does nothing', () => {
  const crew = new Crew<{ place: number; readonly name: number }>();
  const there = new Set<number>();
  const all = Array.from({ length: 40 }, (_, name) => ({ place: 0, name }));
  let state = 7;
  for (let turn = 0; turn < 3000; turn++) {
    state = (state * 48271) % 2147483647;
    const one = all[state % all.length]!;
    if (there.has(one.name)) {
      crew.delete(one);
      there.delete(one.name);
    } else {
      // It is not there: nothing happens.
      crew.delete(one);
      crew.add(one);
      there.add(one.name);
    }
    assert.equal(crew.size, there.size);
  }
  assert.deepEqual(new Set([...crew.now()].map(({ name }) => name)), there);
});

test('whether a JSON text holds nothing but doubles is told as an expression would', () => {
  const mayLose = /\d(?:[\d.]{15}|[eE])/;
  const losesDigits = /(?:^|[:,[\s])-?\d(?:[\d.]{15}|[\d.]*[eE])/;
  const asBefore = (text: string) => !(mayLose.test(text) && losesDigits.test(text));
  const fixed = [
    '',
    '1',
    '[1e5]',
    '[1.5E3]',
    '{"a":1234567890123456}',
    '[123456789012345]',
    '[1234567890123456]',
    '[12345678.90123456]',
    '"1e5"',
    '["a1e5"]',
    '[0.1, 2.5]',
    '{"id":"7f3e9a1e"}',
    '[-1e-7]',
    '[1.]',
    '[.1e5]',
    '[12.e5]',
  ];
  for (const text of fixed) assert.equal(holdsDoublesAlone(text), asBefore(text), text);
  const letters = '0123456789.eE-,:[] "a';
  let state = 3;
  const next = (limit: number) => {
    state = (state * 48271) % 2147483647;
    return state % limit;
  };
  for (let turn = 0; turn < 20_000; turn++) {
    const text = Array.from({ length: next(30) }, () => letters[next(letters.length)]).join('');
    assert.equal(holdsDoublesAlone(text), asBefore(text), text);
  }
});
