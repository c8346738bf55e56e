import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { test } from 'node:test';
import type { PlanOptions } from '../../src/core/analysis/analysis.ts';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { depthsOf, graphOf } from '../../src/core/analysis/flow-graph.ts';
import { namesIn, valueSourcesOf } from '../../src/core/analysis/value-sources.ts';
import type { Place } from '../../src/core/model/place.ts';
import { addKnownSecrets } from '../../src/core/runner/known-secrets.ts';
import { previewCase } from '../../src/core/runner/preview.ts';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { NamedValues } from '../../src/core/secrecy/named-values.ts';
import type { EndedScript } from '../../src/core/steps/script/script-port.ts';
import { fileAccess } from '../../src/platform/files.ts';
import { filesOf, givenBySet, type Texts } from '../support/collection.ts';
import { type Answer, runTexts } from '../support/engine.ts';
import { Words } from '../support/words.ts';

// The collection of the demo, looked at from all sides without its harbour: what is found stands in test/words.

const root = 'demo/collection';
const words = new Words('demo');
const texts: Texts = Object.fromEntries(
  readdirSync(root, { recursive: true })
    .map(path => String(path))
    .filter(path => /\.(?:md|yaml)$/.test(path) && !path.includes('.mervok'))
    .map(path => [path, readFileSync(`${root}/${path}`, 'utf8')]),
);
const access = fileAccess({ root: `${process.cwd()}/${root}`, anywhere: false });
const collection = await readCollection(filesOf(texts));
const planned = (options: Partial<PlanOptions> = {}) =>
  buildPlan(collection, { paths: [], given: new Map(), ...access, ...options });
const clockAndRandom = { now: () => Date.UTC(2026, 10, 23, 12), uuid: () => 'uuid', random: () => 0.5 };
const external = {
  variable: (name: string) => `os ${name}`,
  file: (path: string) => `file ${path}`,
  bytes: (path: string) => Buffer.from(path),
};
const at = (place: Place | undefined) => place && `${place.file}:${place.line}:${place.column}`;

test('the plan: pages, cases, what they need, and which feed which', async () => {
  const { plan, findings } = await planned();
  assert.deepEqual(findings, []);
  const depths = depthsOf(plan.pages);
  words.hear('plan', plan.title, plan.environment, String(plan.checks), JSON.stringify(plan.bounds));
  for (const page of plan.pages) {
    words.hear(
      'page',
      page.file,
      page.title,
      String(depths.get(page.file)),
      page.sources.join(),
      page.rows?.name,
    );
    for (const each of page.cases)
      words.hear(
        ...['case', each.address, each.title, at(each.place), JSON.stringify(each.needs), each.after.join()],
        ...[each.cleanup ? 'cleanup' : '', each.each?.text, each.tags.join()],
        each.steps
          .map(
            step =>
              `${step.kind} ${step.place.line} ${step.checks} ${step.gives?.map(({ name }) => name).join() ?? ''}`,
          )
          .join(', '),
      );
  }
  for (const { from, name, to } of graphOf(plan).edges)
    words.hear('edge', from.address, name, to.map(({ address }) => address).join());
  words.complete('plan', 'page', 'case', 'edge');
});

test('each case alone: what it brings along, and why', async () => {
  const { plan } = await planned();
  const cookieSetters = new Set(['office/sign-in.md#sign-in', 'office/pilots.md#pilots']);
  for (const { address } of plan.pages.flatMap(page => page.cases)) {
    const alone = await planned({ paths: [address], effects: async () => cookieSetters });
    words.hear(
      'alone',
      address,
      alone.plan.pages.flatMap(page => page.cases.map(each => each.address)).join(),
    );
    for (const { case: brought, for: user, because } of alone.plan.brought)
      words.hear('brought', brought, user, because);
  }
  words.complete('alone', 'brought');
});

test('each case: where each name has its value from, and what would go out', async () => {
  for (const [environment, given] of [
    ['local', new Map()],
    [
      'staging',
      givenBySet([
        ['nights', 7],
        ['code', '0733'],
      ]),
    ],
  ] as const) {
    const { plan, flow } = await planned({ environment, given });
    const users = new Map(collection.pages.flatMap(page => page.cases.map(each => [each.address, each])));
    for (const each of plan.pages.flatMap(page => page.cases)) {
      const user = users.get(each.address)!;
      // A page's last case sees the most.
      const isLast = user.page.cases.at(-1) === user;
      for (const name of isLast ? namesIn(user, flow) : [])
        words.hear(
          ...['name', environment, each.address, name],
          ...valueSourcesOf(name, user, flow).map(
            source => `${source.origin} ${at(source.place) ?? ''} ${source.byRows ?? ''}`,
          ),
        );
      const masker = new Masker();
      const values = new NamedValues(plan.secretNames, masker, 'lasting');
      addKnownSecrets(plan, values, external);
      const { operations } = previewCase(plan, each, { clockAndRandom, external, row: undefined, values });
      for (const { place, lines, problem, names } of operations)
        words.hear(
          'shown',
          environment,
          at(place),
          names.join(),
          problem,
          JSON.stringify(masker.deep(lines ?? null)),
        );
    }
  }
  words.complete('name', 'shown');
});

/** What every script comes to where none is carried out. */
const unlucky: EndedScript = {
  checks: [],
  console: '',
  fault: { kind: 'limit', message: 'The script was ended.', through: [] },
  time: 1,
};

test('against a server that answers everything in one way, each check says what it wanted and what it found', async () => {
  const berth = { code: '0417', quay: 'North Quay', depth: 4.2, state: 'free', id: 7, deposit: null };
  const answers: { readonly [name: string]: Answer } = {
    list: () => ({
      body: { ...berth, berths: [berth, { ...berth, code: '0418' }], vessels: [], items: [berth], total: 2 },
    }),
    refused: ({ method }) => ({
      status: method === 'DELETE' ? 204 : 404,
      body: '{"title":"gone"}',
      headers: [['Content-Type', 'application/problem+json']],
    }),
    text: () => ({
      status: 201,
      body: '<tides><tide no="1"><height>4.2</height></tide></tides>',
      headers: [
        ['Content-Type', 'application/xml'],
        ['Location', '/v1/x'],
        ['ETag', '"a"'],
      ],
    }),
    fault: () => ({ fault: { kind: 'reset', message: 'The harbour closed the connection.' } }),
  };
  for (const [name, answer] of Object.entries(answers)) {
    const { cases } = await runTexts(texts, answer, {
      plan: { ...access, environment: 'local' },
      operations: { script: { run: async () => unlucky } },
    });
    for (const each of cases)
      words.hear('outcome', name, each.case, each.outcome, each.request, String(each.status));
    assert.ok(cases.length > 50);
  }
  words.complete('outcome');
});
