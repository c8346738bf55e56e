import assert from 'node:assert/strict';
import { test } from 'node:test';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { noChance } from '../../src/core/replay/offline-case-run.ts';
import { readRecordedCases } from '../../src/core/replay/recorded-case.ts';
import { replayAll } from '../../src/core/replay/replay-all.ts';
import { AskedRequests } from '../../src/core/suggest/asked-requests.ts';
import { candidatesFor, chooseFrom, type Suggestion } from '../../src/core/suggest/suggest.ts';
import { filesOf } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';
import { table } from '../support/inputs.ts';

const kept = {
  berth: '0417',
  nights: 3,
  tariff: 88.75,
  seen: '"a1b2c3"',
  lines: ['head line', 'stern line'],
  key: 'spring-tide',
};
const before = `## Before

~~~http
GET http://skerry.example/before
~~~

~~~mervok
keep $.berth as berth
keep $.nights as nights
keep $.tariff as tariff
keep $.reservation as reservation
keep $.seen as seen
keep $.lines as lines
keep $.key as secret key
~~~
`;

/** A response as a table has it: with its head, or a JSON or XML document alone. */
function answerOf(text: string): ReturnType<Answer> {
  const type = text.startsWith('<') ? 'application/xml' : 'application/json';
  if (!text.startsWith('HTTP/')) return { body: text, headers: [['Content-Type', type]] };
  const [head = '', ...body] = text.split('\n\n');
  const [first = '', ...fields] = head.split('\n');
  const headers = fields.map((line): [string, string] => {
    const at = line.indexOf(':');
    return [line.slice(0, at), line.slice(at + 1).trim()];
  });
  return { status: Number(first.split(' ')[1]), headers, body: body.join('\n\n') };
}

interface Proposed {
  /** Everything that holds. */
  readonly candidates: readonly Suggestion[];
  /** What is worth it beside the checks that are there. */
  readonly chosen: readonly string[];
}

/** What is proposed for a request that was answered so; each answer is one of a case that runs for each row. */
async function proposed(request: string, answers: readonly string[], checks = ''): Promise<Proposed> {
  const rows = answers.map((_, index) => `turn-${'ab'[index]}`).join('\n');
  const [first = '', ...rest] = request.replace(/^(\S+) \//, '$1 http://skerry.example/').split('\n');
  const statements = `each row of turns${checks === '' ? '' : `\n${checks}`}`;
  const page = `${before}\n~~~csv rows turns\nturn\n${rows}\n~~~\n\n## Case\n\n~~~mervok\neach row of turns\n~~~\n\n~~~http\n${[first, ...rest].join('\n')}\n~~~\n\n~~~mervok\n${checks}\n~~~\n`;
  const texts = { 'a.md': statements === '' ? '' : page };
  let turn = 0;
  const { events, outcomes } = await runTexts(
    texts,
    ({ url }) =>
      url.endsWith('/before')
        ? { body: `{ "reservation": 9007199254740995, ${JSON.stringify(kept).slice(1)}` }
        : answerOf(answers[turn++]!),
    { byChance: true },
  );
  assert.ok(
    outcomes.every(each => each.endsWith('passed')),
    outcomes.join(),
  );
  const { plan, flow } = await buildPlan(await readCollection(filesOf(texts)), {
    paths: [],
    given: new Map(),
  });
  const all = async function* () {
    yield* events;
  };
  const asked = new AskedRequests(flow);
  const { cases } = await readRecordedCases(plan, all());
  for (const { requests } of await replayAll(plan, cases, () => ({
    chance: noChance,
    file: () => Buffer.from(''),
  })))
    for (const each of requests) asked.addRecorded(each);
  const own = asked.all.find(({ planned }) => planned.title === 'Case')!;
  assert.equal(own.observations.length, answers.length);
  const candidates = await candidatesFor(own);
  return { candidates, chosen: (await chooseFrom(candidates, own)).map(({ text }) => text) };
}

const sections = table('suggest');

test('every pattern is proposed where it must be, and not where it may be a coincidence', async () => {
  const missed: string[] = [];
  for (const { title, rows } of sections)
    for (const [request, answers, check] of rows as [string, string, string][]) {
      const { candidates } = await proposed(request, answers.split(' || '));
      const own = candidates.filter(({ pattern }) => pattern === title).map(({ text }) => text);
      const about = `${title}: ${request} -> ${answers}: ${candidates.map(({ text }) => text).join('; ')}`;
      const [, never] = /^not: (.*)$/.exec(check) ?? [];
      const isRight = never === undefined ? own.includes(check) : !own.some(text => text.includes(never));
      if (!isRight) missed.push(`${check}. ${about}`);
    }
  assert.deepEqual(missed, []);
});
