import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing, Plain } from '../../src/core/model/value.ts';
import { describeExactly } from '../../src/core/values/describe.ts';
import { inputs } from '../support/inputs.ts';
import { decide, evaluate, explained, type Given } from '../support/language.ts';
import { Words } from '../support/words.ts';

// What expressions come to, and what is said of conditions: the results stand in test/words/expressions.txt.

const words = new Words('expressions');

const given: Given = {
  headers: [
    ['Content-Type', 'application/json'],
    ['X-Depth', '4.2'],
    ['X-Wait', '5 s'],
    ['X-List', 'a, b'],
    ['Location', '../moorings/7'],
    ['Link', '<?page=2>; rel="next last", </first>; rel=first'],
  ],
  setCookies: ['sid=s1; Path=/', 'lang=en'],
  trailers: [['X-Sum', '9']],
  sent: { headers: [['X-Key', 'k']], body: '{"nights":3}' },
  names: {
    quay: 'North Quay',
    depth: 4.2,
    plain: new Plain('417'),
    free: true,
    none: null,
    list: [3, 1, 2],
    berth: { code: '0417', deposit: null, tags: ['a', 'b'], 'line-2': 'x' },
  },
  body: {
    ...{ text: 'North Quay', code: '0417', number: 4.2, zero: 0, negative: -3, long: 'x'.repeat(60) },
    ...{
      yes: true,
      nothing: null,
      list: [3, 1, 2],
      words: ['free', 'taken', 'free'],
      empty: [],
      object: { a: 1, b: [1] },
    },
    ...{
      date: '2026-11-23',
      instant: '2026-11-23T12:00:00+02:00',
      http: 'Mon, 23 Nov 2026 12:00:00 GMT',
      epoch: 1_795_435_200,
    },
    ...{
      berths: [
        { code: '0417', depth: 4.2, state: 'free' },
        { code: '0418', depth: 7, state: 'taken' },
        { code: '0733', depth: 7.8, state: 'free' },
      ],
    },
    ...{
      html: '<a href="x">&amp;</a>',
      encoded: 'a%20b',
      token: 'eyJhbGciOiJub25lIn0.eyJzdWIiOiJwaWxvdCJ9.',
      base: 'dGlkZQ==',
    },
  },
};

test('values of expressions', () => {
  for (const expression of inputs('expressions')) {
    let told: string;
    try {
      const found = evaluate(expression, given);
      told = found instanceof Missing ? `nothing: ${found.reason}` : describeExactly(found);
    } catch (error) {
      told = `refused: ${(error as Error).message}`;
    }
    words.hear('value', expression, told);
  }
  words.complete('value');
});

test('conditions that do not hold, and why', () => {
  const conditions = inputs('conditions');
  for (const condition of conditions) {
    let told: string;
    try {
      const truth = decide(condition, given);
      const { nearest: _document, ...why } = truth === 'yes' ? {} : explained(condition, given);
      told = `${truth} ${JSON.stringify(why)}`;
    } catch (error) {
      told = `refused: ${(error as Error).message}`;
    }
    words.hear('condition', condition, told);
    const without = decide.bind(undefined, condition, { ...given, fault: 'reset' });
    if (!told.startsWith('refused')) words.hear('without a response', condition, without());
  }
  words.complete('condition', 'without a response');
  assert.ok(conditions.length > 70);
});
