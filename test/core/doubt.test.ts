import assert from 'node:assert/strict';
import { test } from 'node:test';
import { doubt } from '../../src/core/doubt/doubt.ts';
import type { ExchangeEvent, RunEvent } from '../../src/core/model/events.ts';
import { noChance } from '../../src/core/replay/offline-case-run.ts';
import { type DoubtDigest, digestOf } from '../../src/reports/doubt/digest.ts';
import type { Texts } from '../support/collection.ts';
import type { Answer } from '../support/engine.ts';
import { table } from '../support/inputs.ts';
import { answerOf, asRecord, plannedOf, recordOf } from '../support/trust.ts';

const half = { ...noChance, random: () => 0.5 };

async function doubted(texts: Texts, events: readonly RunEvent[], seed?: string): Promise<DoubtDigest> {
  const { plan, flow } = await plannedOf(texts);
  const options = { seed, chanceFor: () => half, file: () => Buffer.from('') };
  return digestOf(await doubt(plan, flow, asRecord(events), options), 'run');
}

async function doubtedAfterRun(texts: Texts, answer: Answer): Promise<DoubtDigest> {
  return doubted(texts, await recordOf(texts, answer));
}

const http = (request: string) => `~~~http\n${request.replace(' /', ' http://skerry.example/')}\n~~~\n\n`;
const statements = (text: string) => `~~~mervok\n${text}\n~~~\n\n`;
const pageOf = (checks: string, request = 'GET /a') => ({
  'a.md': `## A\n\n${http(request)}${statements(checks)}`,
});

/** `$.code: is gone; …`, part by part. */
function unnoticedIn({ cases }: DoubtDigest): string[] {
  return cases.flatMap(({ requests }) =>
    requests.flatMap(({ unnoticed }) => unnoticed.map(({ at, changes }) => `${at}: ${changes.join('; ')}`)),
  );
}

const [changes, brittle] = table('doubt') as [Section, Section];
type Section = ReturnType<typeof table>[number];

test('what is changed, what a check notices of it, and what would go unnoticed', async () => {
  for (const [checks, answer, expected] of changes.rows as [string, string, string][]) {
    const digest = await doubtedAfterRun(pageOf(checks), () => answerOf(answer));
    const { noticed, countable } = digest;
    const said = [`${noticed} of ${countable}`, ...unnoticedIn(digest)].join('\n');
    assert.equal(said, expected, `${checks} for ${answer}`);
  }
});

test('each unnoticed change is told with a check that notices it', async () => {
  for (const [checks, answer] of changes.rows as [string, string][]) {
    const digest = await doubtedAfterRun(pageOf(checks), () => answerOf(answer));
    const remedies = digest.cases.flatMap(({ requests }) =>
      requests.flatMap(each => each.unnoticed.flatMap(part => part.checks)),
    );
    if (remedies.length === 0) continue;
    const mended = await doubtedAfterRun(pageOf([checks, ...new Set(remedies)].join('\n')), () =>
      answerOf(answer),
    );
    assert.deepEqual(unnoticedIn(mended), [], `${checks} for ${answer}`);
    assert.equal(mended.noticed, mended.countable);
  }
});

test('a check that fails where something is added is brittle, and notices nothing', async () => {
  for (const [check, answer, expected] of brittle.rows as [string, string, string][]) {
    const { cases } = await doubtedAfterRun(pageOf(check), () => answerOf(answer));
    const found = cases.flatMap(({ requests }) =>
      requests.flatMap(each => each.brittle.map(({ check: text, at }) => `${text} at ${at}`)),
    );
    assert.equal(found.join('\n') || 'none', expected, `${check} for ${answer}`);
  }
});

const taken: Texts = {
  'a.md': `## Make\n\n${http('POST /a')}${statements('status = 201\nkeep $.id as made')}## Read\n\n${http('GET /a/{made}')}${statements('status = 200')}`,
};
const looked: Texts = {
  'a.md': `## Make\n\n${http('POST /a')}${statements('status = 201\nkeep $.id as made')}`,
  'b.md': `## Read\n\n${http('GET /b')}${statements('$.id = {made}')}`,
};
const made: Answer = ({ method }) => ({ status: method === 'POST' ? 201 : 200, body: { id: 4711 } });

test('a value that goes into a later request is carried on, one that a later check looks at is followed there', async () => {
  const carried = await doubtedAfterRun(taken, made);
  assert.deepEqual(
    carried.cases.map(each => each.carried),
    // Another kind, a higher number, and one below all.
    [4, 0],
  );
  assert.ok(!unnoticedIn(carried).some(each => each.startsWith('$.id: 4711')));
  const followed = await doubtedAfterRun(looked, made);
  assert.equal(followed.carried, 0);
  const [first] = followed.cases;
  assert.deepEqual(
    first!.requests[0]!.unnoticed.map(({ at, changes: words }) => [at, words]),
    [['header content-type', ['is gone', "becomes 'text/html'"]]],
  );
});

test('only the last answer to the first passing pass of a request is changed', async () => {
  let asked = 0;
  const page = {
    'a.md': `~~~csv rows turns\nturn\n1\n2\n~~~\n\n## A\n\n${statements('each row of turns\nrepeat every 1 ms for 1 s until $.state = "moored"')}${http('GET /a')}${statements('status = 200\n$ includes { "state": text }')}`,
  };
  const { cases } = await doubtedAfterRun(page, () => ({
    body: { state: asked++ % 2 === 0 ? 'waiting' : 'moored' },
  }));
  assert.equal(cases.length, 1);
  const [{ requests }] = cases as [DoubtDigest['cases'][number]];
  assert.equal(requests.length, 1);
  assert.deepEqual(
    requests[0]!.unnoticed.map(({ at }) => at),
    ['header content-type'],
  );
});

/** A record in which something of the exchange is not as it was. */
function withExchange(events: readonly RunEvent[], alter: (event: ExchangeEvent) => void): RunEvent[] {
  const copy = structuredClone(events) as RunEvent[];
  for (const event of copy) if (event.type === 'exchange') alter(event);
  return copy;
}

const three = 'status = 200\n$.code = "0417"\n$.depth > 4';
const berth: Answer = () => ({ body: { code: '0417', depth: 4.2 } });

test('what does not give what was recorded is left out, and told', async () => {
  const events = await recordOf(pageOf(three), berth);
  const masked = withExchange(events, event => {
    event.response!.body.text = '{"code":"[secret]","depth":4.2}';
  });
  const reasons = ({ cases }: DoubtDigest) =>
    cases.flatMap(({ leftOut }) => leftOut.map(({ step, reason }) => `${step}: ${reason}`));
  assert.deepEqual(reasons(await doubted(pageOf(three), masked)), [
    '$.code = "0417": what it looks at is masked or cut on record',
  ]);
  const cut = withExchange(events, event => {
    event.response!.body = { size: 29, text: '{"code":"0417" …', cut: true };
  });
  assert.equal(reasons(await doubted(pageOf(three), cut)).length, 2);
  const changed = pageOf('status = 200\n$.code = "0418"\n$.depth > 4');
  assert.deepEqual(reasons(await doubted(changed, events)), [
    '$.code = "0418": the page has changed since the run, and it does not hold for what came then',
  ]);
});

test('a check that is new in the page closes its gap without a run', async () => {
  const events = await recordOf(pageOf('status = 200'), berth);
  const before = await doubted(pageOf('status = 200'), events);
  const after = await doubted(pageOf(three), events);
  assert.ok(after.noticed > before.noticed);
  assert.deepEqual(after.cases[0]!.leftOut, []);
});

test('cases that did not pass, that were not run, or that ask for something else now are told', async () => {
  const page = (request: string) => ({
    'a.md': `## A\n\n${http(request)}${statements('status = 200')}## B\n\n${http('GET /b')}${statements('status = 201')}`,
  });
  const events = await recordOf(page('GET /a'), berth);
  const more = { ...page('POST /a'), 'c.md': `## C\n\n${http('GET /c')}${statements('status = 200')}` };
  const { cases, leftOut } = await doubted(more, events);
  assert.deepEqual(cases, []);
  assert.deepEqual(
    leftOut.map(({ case: address, reason }) => `${address}: ${reason}`),
    [
      'a.md#a: the page asks for something else than it did in this run',
      'a.md#b: failed in this run',
      'c.md#c: not in this run',
    ],
  );
});

test('chance and the clock are as they were', async () => {
  const page = pageOf('let key = uuid()\n$.key != {key}\n$.expires > now()');
  const { cases } = await doubtedAfterRun(page, () => ({
    body: { key: 'a', expires: '2026-11-23T12:30:00Z' },
  }));
  assert.deepEqual(cases[0]!.leftOut, []);
});

test('where there are too many changes, chance chooses, and it is told', async () => {
  const body = Object.fromEntries(Array.from({ length: 400 }, (_, index) => [`m${index}`, index]));
  const { cases } = await doubtedAfterRun(pageOf('status = 200'), () => ({ body }));
  const { tried, possible } = cases[0]!.requests[0]!;
  assert.equal(tried, 600);
  assert.ok(possible > 1600);
});

test('documents that are deep, long, binary or no documents are looked at as well as they can be', async () => {
  let deep: unknown = 'x';
  for (let depth = 0; depth < 200; depth++) deep = { a: deep };
  const list = Array.from({ length: 10_000 }, (_, index) => ({ id: index, name: `Berth ${index}` }));
  const answers: ReturnType<Answer>[] = [
    { body: deep },
    { body: { list } },
    { body: list },
    { body: '\u0000\u0001', headers: [['Content-Type', 'application/octet-stream']] },
    { body: '{ "no": 1 }\n{ "no": 2 }\n', headers: [['Content-Type', 'application/x-ndjson']] },
    { body: '<p>Open</p>', headers: [['Content-Type', 'text/html']] },
    { status: 204, body: '' },
  ];
  for (const answer of answers) {
    const { countable, noticed } = await doubtedAfterRun(pageOf('status is 2xx'), () => answer);
    assert.ok(countable >= 1 && noticed >= 1);
  }
});
