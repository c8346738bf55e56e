import { createHash } from 'node:crypto';
import { appendFileSync } from 'node:fs';
import type { CollectionCase } from '../../src/core/analysis/collection.ts';
import type { Flow } from '../../src/core/analysis/flow.ts';
import { depthsOf, graphOf } from '../../src/core/analysis/flow-graph.ts';
import type { Plan } from '../../src/core/analysis/plan.ts';
import { namesIn, valueSourcesOf } from '../../src/core/analysis/value-sources.ts';
import type { RunEvent } from '../../src/core/model/events.ts';
import type { Finding } from '../../src/core/model/finding.ts';
import { compareRuns, gatherRun } from '../../src/core/record/compare-runs.ts';
import { mergeRecords } from '../../src/core/record/merge-records.ts';
import { isOperation, viewOf, withoutContents } from '../../src/core/record/operations.ts';
import { withEnd } from '../../src/core/record/repair.ts';
import { RunStatistics } from '../../src/core/record/run-statistics.ts';
import { totalsOf } from '../../src/core/record/totals.ts';
import { addKnownSecrets } from '../../src/core/runner/known-secrets.ts';
import { previewCase } from '../../src/core/runner/preview.ts';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { NamedValues } from '../../src/core/secrecy/named-values.ts';
import { offeredLater, Words } from './words.ts';

// What a collection or a run says from every side, in its order. Nobody would read all of it, so that a digest is what
// stands in test/words. MERVOK_WORDS=show writes all of it into build/wholes.txt, to be set against that of before.

const words = new Words('wholes');

/** What is not there can be seen, too. */
const inWords = (_key: string, value: unknown): unknown => {
  if (value === undefined) return 'undefined';
  if (value instanceof Map || value instanceof Set) return [...value];
  return value;
};

/** @param about what the lines have in common */
export function hearWhole(what: string, about: string, lines: readonly unknown[]): void {
  const told = lines
    .map(line => JSON.stringify(line, inWords))
    .join('\n')
    .replaceAll(offeredLater, '');
  if (process.env.MERVOK_WORDS === 'show')
    appendFileSync('build/wholes.txt', `${what} | ${about}\n${told}\n\n`);
  const digest = createHash('sha256').update(told).digest('hex').slice(0, 16);
  words.hear(what, about, `${lines.length} lines`, digest);
}

/** So many cases are looked at one by one, and so many of the places where a record may break off. */
const [most, mostCut] = [100, 40];

/** A collection as it was made ready to run: what follows what, where names come from, what would go out. */
export function sidesOf(
  plan: Plan,
  flow: Flow,
  users: readonly CollectionCase[],
  findings: readonly Finding[],
): unknown[] {
  const { pages, edges } = graphOf(plan);
  const { given, secretNames, bounds, brought, checks } = plan;
  const lines: unknown[] = [
    { given, secretNames, bounds, brought, checks, environment: plan.environment, title: plan.title },
    ...findings.map(({ source, range, code }) => [source.file, range, code]),
    ...depthsOf(pages),
    pages.flatMap(({ cases }) => cases.filter(({ internal }) => internal).map(({ address }) => address)),
    ...edges.map(({ from, name, to }) => [from.address, name, to.map(each => each.address)]),
  ];
  for (const user of users.slice(0, most))
    for (const name of namesIn(user, flow))
      lines.push([
        user.address,
        name,
        valueSourcesOf(name, user, flow).map(({ origin, place, byRows }) => [origin, place, byRows]),
      ]);
  const external = {
    variable: (name: string) => `os ${name}`,
    file: (path: string) => `file ${path}`,
    bytes: (path: string) => Buffer.from(path),
  };
  const clockAndRandom = { now: () => Date.UTC(2026, 10, 23, 12), uuid: () => 'uuid', random: () => 0.5 };
  const isRight = findings.every(({ severity }) => severity !== 'error');
  for (const each of isRight ? pages.flatMap(page => page.cases).slice(0, most) : []) {
    const masker = new Masker();
    const values = new NamedValues(plan.secretNames, masker, 'lasting');
    addKnownSecrets(plan, values, external);
    const { operations } = previewCase(plan, each, { clockAndRandom, external, row: undefined, values });
    lines.push(masker.deep(JSON.parse(JSON.stringify(operations, inWords))));
  }
  return lines;
}

export function hearPlan({ pages }: Plan, sides: readonly unknown[]): void {
  const about = pages.flatMap(({ cases }) => cases.map(({ title }) => title)).join(', ');
  hearWhole('plan', about.slice(0, 100), sides);
}

async function* each<Item>(items: readonly Item[]): AsyncGenerator<Item> {
  yield* items;
}

/** What becomes of a record that breaks off after each of its events. */
async function cutShort(events: readonly RunEvent[]): Promise<unknown[]> {
  const ends: unknown[] = [];
  for (let length = 1; length < Math.min(events.length, mostCut); length++) {
    const added: RunEvent[] = [];
    for await (const event of withEnd(each(events.slice(0, length)), why => new Error(why)))
      added.push(event);
    ends.push(added.slice(length));
  }
  return ends;
}

/** A run as its record has it, its figures, and what becomes of it beside others. */
export async function hearRun(all: readonly RunEvent[]): Promise<void> {
  if (!Words.count) return;
  const events = all.map(event => (event.type === 'end' ? { ...event, lag: undefined } : event));
  const first = events[0];
  // Several users take turns as it comes.
  if (first?.type !== 'run' || first.users !== undefined) return;
  const statistics = new RunStatistics();
  for (const event of events) statistics.add(event);
  const { total, requests, repeats, timeline } = statistics;
  timeline.gather();
  const gathered = await gatherRun(each(events));
  const fewer = events.filter((event, index) => event.type !== 'case' || index % 3 > 0);
  const other = await gatherRun(
    each(fewer.map(event => (event.type === 'case' ? { ...event, outcome: 'failed' as const } : event))),
  );
  const shard = (index: number) => ({ ...first, shard: { index, of: 3, share: 'a' } });
  const merged: unknown[] = [];
  for (const records of [
    [first, { ...first, at: '2026-11-23T11:59:00.000Z', title: 'Other', users: 2 }],
    [shard(1), shard(3)],
  ])
    for await (const event of mergeRecords(records.map(run => ({ run, events: each(events) }))))
      if (event.type === 'run' || event.type === 'end') merged.push({ ...event, lag: undefined });
      else merged.push([event.type, 'user' in event ? event.user : undefined, 'case' in event && event.case]);
  hearWhole(
    'run',
    events
      .flatMap(event => (event.type === 'case' ? `${event.title}: ${event.outcome}` : []))
      .join(', ')
      .slice(0, 100),
    [
      ...events,
      (await totalsOf(each(events))).recorded,
      [repeats, total.requests, total.failed, total.apdex, total.errorRate, total.times.percentile(95)],
      ...requests.map(({ figures, ...rest }) => [rest, figures.requests, figures.failed, figures.apdex]),
      [timeline.step, timeline.length],
      ...timeline.stretches.map((stretch, index) => [
        ...[
          stretch.requests,
          stretch.failed,
          stretch.answers,
          stretch.received,
          stretch.times.percentile(50),
        ],
        ...[timeline.lengthOf(index), timeline.usersIn(index)],
      ]),
      ...events.filter(isOperation).map(event => [viewOf(event), withoutContents(event)]),
      compareRuns(gathered, other),
      compareRuns(other, gathered),
      ...merged,
      ...(await cutShort(events)),
    ],
  );
}
