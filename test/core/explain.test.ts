import assert from 'node:assert/strict';
import { test } from 'node:test';
import { CheckStep } from '../../src/core/steps/check/check-step.ts';
import { caseText, planOf } from '../support/collection.ts';
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

/** A condition that does not hold, and parts of what is said of it. */
const rows: readonly (readonly [condition: string, expected: string, found: string, at?: string])[] = [
  ['status = 404', '404', '200'],
  ['status in 404, 500', 'one of 404, 500', '200'],
  ['status is 4xx or 5xx', 'a 4xx status or a 5xx status', '200'],
  ['time > 5 s', 'more than 5 s', '12 ms'],
  ['size > 1 MB', 'more than 1 MB (1000000 B)', '93 B'],
  ['$.nights between 5 and 6', 'between 5 and 6', '3', '$.nights'],
  ['$.nights not between 1 and 6', 'not between 1 and 6', '3', '$.nights'],
  ['$.nights is text or null', 'a text or null', '3', '$.nights'],
  [
    '$.nights = "3"',
    '"3"',
    '3, which cannot be decided: a number cannot be compared with a text',
    '$.nights',
  ],
  ['$.list[0].state matches /^closed\\/$/', 'a text that matches /^closed\\/$/', '"free"', '$.list[0].state'],
  [
    '$.list[-1].state not contains "closed"',
    'something that does not contain "closed"',
    '"closed"',
    '$.list[1].state',
  ],
  ['$.list[0].state ends with "x"', 'a text that ends with "x"', '"free"', '$.list[0].state'],
  ['$.gone exists', 'something there', "nothing: $ has no member 'gone'; there are nights, fee, list"],
  ['$.nights absent', 'nothing there', '3', '$.nights'],
  ['last $.list[*].state = "free"', '"free"', '"closed"', '$.list[1].state'],
  ['count $.list[*] = 3', '3', '2'],
  ['each $.list[*].state = "free"', 'each: "free"', '1 of 2 does not: $.list[1].state is "closed"'],
  ['no $.list[*].state = "free"', 'no: "free"', '1 of 2 does: $.list[0].state is "free"'],
  [
    'some $.list[*].state = "x"',
    'some: "x"',
    '2 of 2 do not: $.list[0].state is "free", $.list[1].state is "closed"',
  ],
  [
    'each $.list[*].deposit = 1',
    'each: 1',
    "1 of 2 cannot be decided: $.list[0] has no member 'deposit'; there are $ref, state",
  ],
  ['each $.none[*] = 1', 'each: 1', '$.none[*] matches nothing'],
  ['each {codes} matches /^\\d+$/', 'each: a text that matches /^\\d+$/', '1 of 2 does not: it is "x"'],
  ['$.nights = 1 or $.nights = 2', '1, or 2', '3'],
  ['$.nights = 1 and $.fee = 2', '1, and 2', '3; 124.05'],
  ['not ($.nights = 3)', 'not ($.nights = 3)', 'the opposite'],
];

test('what is said of each kind of condition', () => {
  for (const [condition, expected, found, at] of rows) {
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
