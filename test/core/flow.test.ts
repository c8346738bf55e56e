import assert from 'node:assert/strict';
import { test } from 'node:test';
import { compareNames } from '../../src/core/analysis/page-order.ts';
import { UsageError } from '../../src/core/model/usage-error.ts';
import { Plain } from '../../src/core/model/value.ts';
import { caseText, givenBySet, planOf, type Texts, told } from '../support/collection.ts';

const root = 'base: "http://skerry.example"\n';

const harbour: Texts = {
  'mervok.yaml': root,
  'berths.md': `# Berths\n\n${caseText('All', 'GET /berths', 'status = 200\nkeep first $.berths[*].code as berth')}${caseText('One', 'GET /berths/{berth}', 'status = 200')}`,
  'reservations.md': `---\nheaders: { Authorization: "Bearer {token}" }\n---\n# Reservations\n\n${caseText('Reserve', 'POST /berths/{berth}/reservations', 'status = 201\nkeep $.id as reservation')}${caseText('Cancel', 'DELETE /reservations/{reservation}', 'status = 204')}${caseText('Other', 'GET /reservations', 'status = 200')}`,
  'sign-in.md': `# Signing in\n\n${caseText('Sign in', 'POST /sessions', 'status = 201\nkeep $.token as token')}`,
};

const addresses = (plan: Awaited<ReturnType<typeof planOf>>['plan']) =>
  plan.pages.flatMap(page => page.cases.map(each => each.address));

test('pages run in the order of their names, but after those they take names from', async () => {
  const { plan, findings } = await planOf(harbour);
  assert.deepEqual(told(findings), []);
  assert.deepEqual(
    plan.pages.map(page => page.file),
    ['berths.md', 'sign-in.md', 'reservations.md'],
  );
});

test('one case alone brings the cases that it needs, and no others', async () => {
  const { plan } = await planOf(harbour, { paths: ['reservations.md#cancel'] });
  assert.deepEqual(addresses(plan), [
    'berths.md#all',
    'sign-in.md#sign-in',
    'reservations.md#reserve',
    'reservations.md#cancel',
  ]);
  assert.deepEqual(
    plan.pages.flatMap(page => page.cases.map(each => each.asked)),
    [false, false, false, true],
  );
  const needs = plan.pages.at(-1)!.cases.at(-1)!.needs;
  assert.deepEqual(needs, [
    { name: 'reservation', ownPage: true, producers: ['reservations.md#reserve'] },
    { name: 'token', ownPage: false, producers: ['sign-in.md#sign-in'] },
  ]);
});

test('a selection names folders, pages and cases; a wrong one gets the nearest', async () => {
  const texts = {
    'mervok.yaml': root,
    'a/one.md': caseText('One', 'GET /', 'status = 200'),
    'a/two.md': caseText('Two', 'GET /', 'status = 200'),
    'b.md': caseText('B', 'GET /', 'status = 200'),
  };
  assert.deepEqual(addresses((await planOf(texts, { paths: ['a'] })).plan), ['a/one.md#one', 'a/two.md#two']);
  assert.deepEqual(addresses((await planOf(texts, { paths: ['a/two.md', 'b.md#b'] })).plan), [
    'a/two.md#two',
    'b.md#b',
  ]);
  await assert.rejects(planOf(texts, { paths: ['a/twoo.md'] }), {
    message: "There is no page or folder 'a/twoo.md'. Did you mean 'a/two.md'?",
  });
  await assert.rejects(planOf(texts, { paths: ['b.md#c'] }), UsageError);
  await assert.rejects(planOf(texts, { environment: 'local' }), /There is no environment 'local'/);
});

test('names in files are compared as people count', () => {
  assert.deepEqual(['tide-10.md', 'tide-9.md', 'b/a.md', 'a.md', 'tide-9b.md'].toSorted(compareNames), [
    'a.md',
    'b/a.md',
    'tide-9.md',
    'tide-9b.md',
    'tide-10.md',
  ]);
});

/** One page beside a mervok.yaml with a base; its findings. */
async function findingsOf(cases: string, more: Texts = {}): Promise<{ told: string[]; said: string }> {
  const { findings } = await planOf({ 'mervok.yaml': root, 'a.md': cases, ...more });
  return {
    told: told(findings),
    said: findings.map(each => `${each.message} ${each.remedy ?? ''}`).join('\n'),
  };
}

test('a name that nothing gives is an error before anything is sent', async () => {
  const unknown = await findingsOf(
    `${caseText('A', 'GET /{berht}', 'status = 200\nkeep $.a as berth')}${caseText('B', 'GET /{berth}', 'status = 200')}`,
  );
  assert.deepEqual(unknown.told, ['a.md:4:7 name-unknown']);
  assert.match(unknown.said, /Did you mean 'berth'\?/);
  const inChecks = await findingsOf(
    caseText(
      'A',
      'GET /',
      '"{one}": status = 200\n$.a = "{two}" and $.b matches /{three}/\nkeep {four} as five\n$.x = {five}',
    ),
  );
  assert.deepEqual(
    inChecks.told.map(each => each.split(' ')[1]),
    ['name-unknown', 'name-unknown', 'name-unknown', 'name-unknown'],
  );
});

test('an unknown name that is used often is told once', async () => {
  const { told: findings, said } = await findingsOf(
    caseText('A', 'GET /{quay}/{quay}', 'status = 200\n$.a = {quay}'),
  );
  assert.deepEqual(findings, ['a.md:4:7 name-unknown']);
  assert.match(said, /'quay' has no value anywhere\. It is used in 2 more places\./);
});

test('a name that is kept further down has no value yet', async () => {
  const later = await findingsOf(
    `${caseText('A', 'GET /{berth}', 'status = 200')}${caseText('B', 'GET /', 'status = 200\nkeep $.a as berth')}`,
  );
  assert.deepEqual(later.told, ['a.md:4:7 name-later']);
  assert.match(later.said, /line 19 makes it/);
  const own = await findingsOf(caseText('A', 'GET /', '$.a = {berth}\nkeep $.a as berth'));
  assert.deepEqual(own.told, ['a.md:8:7 name-later']);
});

test('a header of the collection that needs a token does not reach the sign-in itself', async () => {
  const { told: findings, said } = await findingsOf(
    caseText('Sign in', 'POST /sessions', 'status = 201\nkeep $.token as token'),
    {
      'mervok.yaml': `${root}headers: { Authorization: "Bearer {token}" }\n`,
    },
  );
  assert.deepEqual(findings, ['mervok.yaml:2:27 name-later']);
  assert.match(said, /'token' has no value yet in a\.md#sign-in.*null/s);
});

test('a name that two other pages keep is ambiguous, a let stays on its page', async () => {
  const keeps = (title: string) => caseText(title, 'GET /', 'status = 200\nkeep $.a as berth');
  const uses = caseText('Use', 'GET /{berth}', 'status = 200');
  assert.deepEqual((await findingsOf(uses, { 'b.md': keeps('B'), 'c.md': keeps('C') })).told, [
    'a.md:4:7 name-ambiguous',
  ]);
  assert.deepEqual((await findingsOf(uses, { 'b.md': keeps('B') })).told, []);
  const lets = caseText('B', 'GET /', 'status = 200\nlet berth = 1');
  assert.deepEqual((await findingsOf(uses, { 'b.md': lets })).told, ['a.md:4:7 name-unknown']);
});

test('pages that need each other are an error', async () => {
  const { told: findings, said } = await findingsOf(
    `${caseText('A', 'GET /{b}', 'status = 200\nkeep $.a as a')}`,
    {
      'b.md': caseText('B', 'GET /{a}', 'status = 200\nkeep $.b as b'),
    },
  );
  assert.deepEqual(findings, ['a.md:1:1 page-cycle']);
  assert.match(said, /a\.md, b\.md and again a\.md/);
});

test('variables: which one counts, and which refer to themselves', async () => {
  const use = caseText('Use', 'GET /{quay}', 'status = 200');
  assert.deepEqual(
    (await findingsOf(use, { 'mervok.yaml': `${root}variables: { quay: "{mole}", mole: "{quay}" }\n` })).told,
    ['mervok.yaml:2:36 name-circular'],
  );
  const shadowed = await findingsOf(caseText('A', 'GET /', 'status = 200\nkeep $.a as quay\n$.a = {quay}'), {
    'mervok.yaml': `${root}variables: { quay: 1 }\n`,
  });
  assert.deepEqual(shadowed.told, ['a.md:9:13 name-shadowed']);
  const given = await planOf(
    { 'mervok.yaml': root, 'a.md': use },
    { given: givenBySet([['quay', new Plain('x')]]) },
  );
  assert.deepEqual(given.findings, []);
});

test('warnings: nothing checked, nothing used', async () => {
  const bare =
    '## A\n\n~~~http\nGET /\n~~~\n\n~~~http\nGET /x\n~~~\n\n~~~mervok\nstatus = 200\nkeep $.a as berth\n~~~\n';
  assert.deepEqual((await findingsOf(bare)).told, ['a.md:4:1 request-unchecked', 'a.md:13:13 name-unused']);
  assert.deepEqual(
    (await findingsOf('## A\n\n~~~http\nGET /\n~~~\n', { 'mervok.yaml': `${root}checks: status = 200\n` }))
      .told,
    [],
  );
});

test('what can be seen of a request and of the order of its fences', async () => {
  assert.deepEqual(
    (await findingsOf(caseText('A', 'GET /', 'status = 200'), { 'mervok.yaml': 'title: x\n' })).told,
    ['a.md:4:5 base-missing'],
  );
  assert.deepEqual(
    (
      await findingsOf(
        `## A\n\n~~~mervok\nstatus = 200\n~~~\n\n~~~http\nGET /\n~~~\n\n~~~mervok\nstatus = 200\n~~~\n`,
      )
    ).told,
    ['a.md:4:1 no-response-yet'],
  );
  const body = await findingsOf(
    caseText('A', 'POST /\nContent-Type: application/problem+json\n\n{ "a": 1,\n  "b": x }', 'status = 200'),
  );
  assert.deepEqual(body.told, ['a.md:8:8 body-json']);
  assert.deepEqual(
    (await findingsOf(caseText('A', 'POST /\nContent-Type: text/plain\n\n{ "a": x }', 'status = 200'))).told,
    [],
  );
  assert.deepEqual((await findingsOf(caseText('A', 'POST /\n\n[1, ]', 'status = 200'))).told, [
    'a.md:6:5 body-json',
  ]);
});

test('what is wrong with a page is told also where it is named and no case of it could be read', async () => {
  const rows: [page: string, path: string, finding: string][] = [
    ['# A\n\n~~~http\nGET berths\n~~~\n', 'a.md', 'a.md:4:5 request-line'],
    ['# A\n\n~~~http\nGET berths\n~~~\n', 'a.md#a', 'a.md:4:5 request-line'],
    ['---\ntittle: x\n---\n# A\n', 'a.md', 'a.md:2:1 setting-unknown'],
    ['# A\n\n~~~mervok\nstatsu = 1\n~~~\n', 'a.md', 'a.md:4:1 word-unknown'],
  ];
  for (const [page, path, expected] of rows) {
    const { findings } = await planOf({ 'mervok.yaml': root, 'a.md': page }, { paths: [path] });
    assert.deepEqual(told(findings), [expected], `${path} of ${page}`);
  }
});

test('settings that cannot be read do not cause errors elsewhere', async () => {
  const { told: findings } = await findingsOf(caseText('A', 'GET /{quay}', 'status = 200'), {
    'mervok.yaml': 'base: {harbour}/v1\n',
  });
  assert.deepEqual(findings, ['mervok.yaml:1:16 yaml-form']);
});
