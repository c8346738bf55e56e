import assert from 'node:assert/strict';
import { cpSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { defects } from '../../demo/harbour/defects.ts';
import { openHarbour } from '../../demo/harbour/server.ts';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { changesOf } from '../../src/core/replay/changes/changes.ts';
import { type Judge, judgeOfStep } from '../../src/core/replay/judge.ts';
import { noChance } from '../../src/core/replay/offline-case-run.ts';
import { readRecordedCases } from '../../src/core/replay/recorded-case.ts';
import { replayAll } from '../../src/core/replay/replay-all.ts';
import type { ReplayedRequest } from '../../src/core/replay/replayed-case.ts';
import { tryChanges } from '../../src/core/replay/try-changes.ts';
import { loadFor, readCheck } from '../../src/core/suggest/suggest.ts';
import { fileAccess } from '../../src/platform/files.ts';
import { readRecord } from '../../src/platform/run-records.ts';
import { runCases } from '../support/cases.ts';
import { filesOf } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';

// What the three commands are worth, measured on the harbour. MERVOK_FIGURES=show prints the figures of docs/trust.md.

/** Statements that are no checks. */
const others = /^(?:keep|let|skip|wait|repeat|cleanup)\b|^each row\b|^each \{[\w-]+\} as\b/;

function withoutChecks(page: string): string {
  return page.replace(/```mervok\n([\s\S]*?)\n```/g, (_, text: string) => {
    const left = text.split('\n').filter(line => others.test(line));
    return left.length === 0 ? '' : `\`\`\`mervok\n${left.join('\n')}\n\`\`\``;
  });
}

function pagesIn(folder: string): string[] {
  return readdirSync(folder, { recursive: true })
    .map(String)
    .filter(path => path.endsWith('.md'));
}

/** The demo collection, limits of time aside: what is proven here has nothing to do with it. */
function demoIn(t: TestContext, alter: (page: string) => string = page => page): string {
  const folder = folderWith(t);
  cpSync('demo/collection', folder, { recursive: true, filter: path => !path.includes('.mervok') });
  for (const path of pagesIn(folder)) {
    const file = join(folder, path);
    writeFileSync(file, alter(readFileSync(file, 'utf8')));
  }
  const settings = join(folder, 'mervok.yaml');
  writeFileSync(settings, readFileSync(settings, 'utf8').replace('time < 2 s', 'time < 5 min'));
  return folder;
}

async function openFor(t: TestContext, ...choices: Parameters<typeof openHarbour>) {
  const harbour = await openHarbour(...choices);
  t.after(() => harbour.close());
  return ['--set', `harbour=${harbour.url}`, '--set', `safe-harbour=${harbour.safeUrl}`];
}

interface SuggestedRequest {
  readonly case: string;
  readonly place: string;
  readonly checks: readonly { readonly check: string }[];
}

/** What of a page's own checks is proposed again, or something that notices as much. */
function coveredBy(
  requests: readonly SuggestedRequest[],
  request: ReplayedRequest,
  at: number,
): { check: string; isProposed: boolean; isCovered: boolean }[] {
  const { address } = request.replayed.recorded.planned;
  const proposed = requests.filter(each => each.case === address)[at]?.checks ?? [];
  const steps = proposed.map(({ check }) => readCheck(check));
  const suggested = steps.flatMap(step => (step ? [judgeOfStep(step)] : []));
  const until = request.step.repetition?.until;
  const own = [...request.sound].filter(
    ({ step }) => step?.kind === 'check' && step !== until && !('level' in step && step.level),
  );
  // Keeps and the checks of settings stay in the page.
  const left = [...request.sound].filter(each => each.step && !own.includes(each));
  const judges = [...own, ...suggested, ...left];
  const noticed = new Map<Judge, Set<number>>(judges.map(each => [each, new Set()]));
  let index = 0;
  for (const { failing } of tryChanges(
    request,
    changesOf(request.answer.response!, { judges, described: undefined }),
    judges,
  )) {
    for (const judge of failing) noticed.get(judge)!.add(index);
    index++;
  }
  const isWithin = (some: ReadonlySet<number>, all: ReadonlySet<number>) =>
    [...some].every(each => all.has(each));
  const together = new Set([...suggested, ...left].flatMap(each => [...noticed.get(each)!]));
  return own.flatMap(each => {
    const changes = noticed.get(each)!;
    // What is said of the request as it was sent no answer can break.
    if (changes.size === 0) return [];
    const isProposed = suggested.some(other => isWithin(changes, noticed.get(other)!));
    return [{ check: `${address}: ${each.text}`, isProposed, isCovered: isWithin(changes, together) }];
  });
}

const bare = withoutChecks;

test('of checks that are taken out of the pages, 8 of 10 are proposed, or stronger ones; none fails with other data', async t => {
  const whole = demoIn(t);
  const stripped = demoIn(t, bare);
  const at = await openFor(t);
  const ran = await mervok(whole, ['run', '--quiet', '-o', 'run.ndjson', ...at]);
  assert.equal(ran.code, 0, ran.out + ran.err);
  const { out } = await mervok(stripped, ['suggest', '.', '--json', ...at]);
  const { requests } = JSON.parse(out) as { requests: SuggestedRequest[] };
  const texts = Object.fromEntries(
    [...pagesIn(whole), 'mervok.yaml', ...['fleet', 'office', 'quay'].map(each => `${each}/mervok.yaml`)].map(
      path => [path, readFileSync(join(whole, path), 'utf8')],
    ),
  );
  const access = fileAccess({ root: whole, anywhere: false });
  const { plan } = await buildPlan(await readCollection(filesOf(texts)), {
    paths: [],
    given: new Map(),
    ...access,
  });
  const { cases } = await readRecordedCases(plan, readRecord(join(whole, 'run.ndjson')));
  const replaying = { chance: noChance, file: (path: string) => readFileSync(join(whole, path)) };
  const replayedAll = replayAll(plan, cases, () => replaying);
  await loadFor(replayedAll.flatMap(each => each.requests.flatMap(({ answer }) => answer.response ?? [])));
  const seen = new Set<string>();
  const found = new Map<string, ReturnType<typeof coveredBy>>();
  for (const { recorded, requests: own } of replayedAll) {
    if (seen.has(recorded.planned.address)) continue;
    seen.add(recorded.planned.address);
    const ofPage = found.get(recorded.page) ?? [];
    found.set(recorded.page, ofPage);
    for (const [index, request] of own.entries())
      if (request.answer.response) ofPage.push(...coveredBy(requests, request, index));
  }
  const all = [...found.values()].flat();
  const count = (list: typeof all, key: 'isProposed' | 'isCovered') => list.filter(each => each[key]).length;
  if (process.env.MERVOK_FIGURES) {
    for (const [page, list] of found)
      console.log(
        `${page}: ${count(list, 'isProposed')} of ${list.length} by one check, ${count(list, 'isCovered')} by all`,
      );
    console.log(
      `all: ${count(all, 'isProposed')} of ${all.length} by one check, ${count(all, 'isCovered')} by all`,
    );
    for (const { check, isCovered } of all) if (!isCovered) console.log(`not covered: ${check}`);
  }
  assert.ok(count(all, 'isCovered') >= 0.8 * all.length, `${count(all, 'isCovered')} of ${all.length}`);
  const written = await mervok(stripped, ['suggest', '.', '--write', ...at]);
  assert.match(written.out, /^written {2}\d+ checks into quay\/berths\.md$/m, written.err);
  for (let data = 0; data < 6; data++) {
    const { events } = await runCases(stripped, [...(await openFor(t, 0, [], undefined, data))]);
    const broken = events.flatMap(each =>
      each.type === 'check' && each.holds !== 'yes' ? [`${each.case}: ${each.text}, ${each.found}`] : [],
    );
    assert.deepEqual(broken, [], `data ${data}`);
  }
  const caught: string[] = [];
  const settings = join(stripped, 'mervok.yaml');
  writeFileSync(
    settings,
    readFileSync(settings, 'utf8')
      .replace(/^definition:.*$/m, '')
      .replace(/^checks: \|\n(?: {2}.*\n)+/m, ''),
  );
  for (const name of Object.keys(defects) as (keyof typeof defects)[]) {
    const { events } = await runCases(stripped, [...(await openFor(t, 0, [name]))]);
    if (events.some(each => each.type === 'check' && each.holds !== 'yes')) caught.push(name);
  }
  if (process.env.MERVOK_FIGURES)
    console.log(`caught: ${caught.length} of ${Object.keys(defects).length}: ${caught.join(', ')}`);
  const missed = Object.keys(defects).filter(name => !caught.includes(name as never));
  assert.deepEqual(missed, ['upside-down', 'deaf-ledger']);
});

test('the checks of the demo notice at least 85 of 100 changes, and none is brittle', async t => {
  const folder = demoIn(t);
  const at = await openFor(t);
  assert.equal((await mervok(folder, ['run', '--quiet', ...at])).code, 0);
  const { out, code, err } = await mervok(folder, ['doubt', '--json', '--at-least', '85 %', ...at]);
  assert.equal(code, 0, err);
  const { noticed, countable, brittle, verdict } = JSON.parse(out) as { [name: string]: number };
  if (process.env.MERVOK_FIGURES) console.log(verdict);
  assert.ok(noticed! / countable! >= 0.85);
  assert.equal(brittle, 0);
});
