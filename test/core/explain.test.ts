import assert from 'node:assert/strict';
import { test } from 'node:test';
import { CheckStep } from '../../src/core/steps/check/check-step.ts';
import { caseText, planOf } from '../support/collection.ts';
import { table } from '../support/inputs.ts';
import { explained, type Given } from '../support/language.ts';

const given: Given = {
  body: {
    nights: 3,
    fee: 124.05,
    list: [
      { $ref: 'x', state: 'free' },
      { state: 'closed', deposit: 1 },
    ],
  },
  names: { nights: 2, codes: ['0417', 'x'] },
};

test('an explanation says what was expected, what was found and where, and where values come from', () => {
  assert.deepEqual(explained('$.nights = {nights}', given), {
    expected: '2',
    found: '3',
    at: '$.nights',
    origins: [{ name: 'nights', value: '2', origin: 'from the test' }],
    nearest:
      '{ "nights": 3, "fee": 124.05, "list": [{ "$ref": "x", "state": "free" }, { "state": "closed", "deposit": 1 }] }',
  });
});

test('what is said of each kind of condition', () => {
  for (const [condition = '', expected, found, at] of table('explanations')[0]!.rows) {
    const explanation = explained(condition, given);
    assert.deepEqual(
      [explanation.expected, explanation.found, explanation.at],
      [expected, found, at],
      condition,
    );
  }
});

test('the nearest part is that of the response, and only where it adds something', () => {
  const nearest = (condition: string) => explained(condition, given).nearest;
  assert.equal(nearest('$.list[1].state = "free"'), '{ "state": "closed", "deposit": 1 }');
  assert.equal(nearest('each $.list[*].state = "free"'), '{ "state": "closed", "deposit": 1 }');
  assert.equal(nearest('$.list[1].x.y = 1'), '{ "state": "closed", "deposit": 1 }');
  assert.equal(nearest('each {codes} matches /^\\d+$/'), undefined);
  assert.equal(nearest('header content-type = "x"'), undefined);
  assert.equal(nearest('some header content-type = "x"'), undefined);
  assert.equal(nearest('body = "x"'), undefined);
  const bytes = { body: '\u0000\u0001\u0002PNG', headers: [['Content-Type', 'image/png']] } as const;
  assert.equal(explained('size = 1 B', bytes).nearest, '6 B of image/png', 'bytes are named, not printed');
});

test('a check is shown as it is written, in one line and without its comments', async () => {
  const statements =
    '$.a = "x # y"   # said\n$.b in   # first\n  "c",   # second\n  "d # e"\nstatus = 200 # and more\n# last';
  const { plan } = await planOf({ 'a.md': caseText('A', 'GET http://skerry.example/', statements) });
  const texts = plan.pages[0]!.cases[0]!.steps.flatMap(step =>
    step instanceof CheckStep ? [step.text] : [],
  );
  assert.deepEqual(texts, ['$.a = "x # y"', '$.b in "c", "d # e"', 'status = 200']);
});
