import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { test } from 'node:test';
import { load } from 'js-yaml';
import { readCollection } from '../../src/core/analysis/collection.ts';
import type { ApiDefinition } from '../../src/core/definition/api.ts';
import type { HeldExchange } from '../../src/core/definition/hold/held-exchange.ts';
import { holderOf, lookThrough, openDefinition } from '../../src/core/definition/index.ts';
import type { Finding } from '../../src/core/model/finding.ts';
import { Source } from '../../src/core/model/source.ts';
import { filesOf, importFile } from '../../src/interchange/index.ts';
import { mutate, sequence } from '../support/fuzz.ts';
import { har } from '../support/har.ts';
import { scaled, seed } from '../support/scale.ts';

type Next = (limit: number) => number;
type Json = null | boolean | number | string | Json[] | { [name: string]: Json };

const yaml = readFileSync('demo/collection/harbour.openapi.yaml', 'utf8');
const wsdl = readFileSync('demo/collection/office/customs.wsdl', 'utf8');
const nothing = (path: string) => ({ reason: `There is no ${path}` });
/** Looks for all that is only told where somebody asks for it. */
const asked = new Set(['definition-limit', 'definition-no-example']);

const odd: readonly Json[] = [
  ...[null, true, 0, -1, 1e308, '', 'x', '#', '#/', '#/paths', 'http://x.example', '%zz', '{', '{}'],
  ...['__proto__', '../up.yaml', '#/components/schemas/__proto__', '200', [], [[]], {}, { $ref: '#' }],
  ...[{ $ref: '#/%zz' }, { $ref: 3 }, { allOf: [{ $ref: '#' }] }, { pattern: '(a+)+$' }, { type: ['x'] }],
];

/** A document with a few of its values exchanged for others: of its own, or odd ones. */
function rearranged(document: Json, next: Next): Json {
  const copy = structuredClone(document);
  const places: [holder: { [name: string]: Json }, key: string][] = [];
  const visit = (value: Json): void => {
    if (typeof value !== 'object' || value === null) return;
    for (const key of Object.keys(value)) {
      places.push([value as { [name: string]: Json }, key]);
      visit((value as { [name: string]: Json })[key]!);
    }
  };
  visit(copy);
  for (let turns = 1 + next(4); turns > 0; turns--) {
    const [holder, key] = places[next(places.length)]!;
    const [other, from] = places[next(places.length)]!;
    const kind = next(3);
    if (kind === 0) delete holder[key];
    else holder[key] = structuredClone(kind === 1 ? odd[next(odd.length)]! : (other[from] ?? null));
  }
  return copy;
}

function places(findings: readonly Finding[]): void {
  for (const { source, range, message } of findings) {
    assert.ok(range.start >= 0 && range.end >= range.start && range.start <= source.text.length, message);
    assert.doesNotMatch(message, /\[object |undefined is|Cannot read/);
  }
}

const bodies = ['', '{', '{}', '[]', '{"code":1}', '{"id":9007199254740993}', '"x"', 'null', '<a/>', '%zz=%'];
const types = ['application/json', 'text/plain', 'application/xml', 'x', 'application/x-www-form-urlencoded'];

/** An exchange for one of the operations, or for nothing. */
function someExchange({ operations }: ApiDefinition, next: Next): HeldExchange {
  const operation = operations[next(operations.length + 1)];
  const path = (operation?.path ?? '/nowhere').replace(
    /\{[^{}]*\}/g,
    () => ['417', '%zz', '', 'a,b'][next(4)]!,
  );
  const [sent, answer] = [bodies[next(bodies.length)]!, bodies[next(bodies.length)]!];
  const type = types[next(types.length)]!;
  return {
    method: operation?.method ?? 'GET',
    url: `http://127.0.0.1:7070/v1${path}${['', '?', '?a=%zz&b', '?state=free&state=&depth=x'][next(4)]}`,
    sent: {
      headers: [
        ['Content-Type', types[next(types.length)]!],
        ['Cookie', 'a=b; =; c'],
      ],
      hasBody: sent !== '',
      body: sent,
    },
    status: [200, 201, 204, 304, 400, 404, 500][next(7)]!,
    headers: [
      ['Content-Type', type],
      ['Location', ''],
      ['ETag', '"x"'],
    ],
    body: {
      size: answer.length,
      contentType: type,
      json() {
        try {
          return { value: JSON.parse(answer) };
        } catch {
          return { reason: 'no JSON' };
        }
      },
      text: () => answer,
    },
  };
}

/** Everything that is done with a definition. */
async function lookAt(name: string, text: string, next: Next): Promise<boolean> {
  const { api, finding } = openDefinition(new Source(name, text), nothing);
  if (finding) places([finding]);
  if (api) {
    places(await lookThrough(api, asked));
    const holder = await holderOf(api);
    for (let turn = 0; turn < 10; turn++) holder.hold(someExchange(api, next), 'http://127.0.0.1:7070/v1');
  }
  await importAll(name, text);
  return api !== undefined;
}

/** What is imported is a collection that can be read, with the cases that were meant. */
async function importAll(name: string, text: string): Promise<boolean> {
  const imported = await importFile(
    { name, text, readText: nothing },
    { definitionAt: `api/${name}`, settings: [] },
  );
  if (imported.finding) {
    places([imported.finding]);
    return false;
  }
  const { files } = filesOf(imported.collection, { text: () => undefined }, imported.secrets);
  const pages = files.filter(({ path }) => path.endsWith('.md'));
  const { pages: read } = await readCollection({ settings: [], pages });
  const counts = (all: readonly { readonly cases: readonly unknown[] }[]) =>
    all
      .map(({ cases }) => cases.length)
      .filter(count => count > 0)
      .sort();
  assert.deepEqual(counts(read), counts(imported.collection.pages));
  for (const each of files)
    assert.match(each.path, /^(?:samples\/)?[a-z\d-]+(?:\.secret)?\.(?:md|yaml|bin)$/);
  return true;
}

async function fuzzed(
  count: number,
  make: (next: Next) => string,
  look: (text: string, next: Next) => Promise<boolean>,
) {
  const next = sequence(seed);
  let taken = 0;
  for (let turn = 0; turn < count; turn++) {
    const text = make(next);
    try {
      if (await look(text, next)) taken++;
    } catch (error) {
      throw new Error(`${(error as Error).stack}\n\nThe text was:\n${text}`);
    }
  }
  assert.ok(taken > count / 20, `${taken} of ${count} could be used`);
}

test('whatever is done to the text of a definition ends in findings with places', () =>
  fuzzed(
    scaled(2000, 40),
    next => mutate(yaml, next),
    (text, next) => lookAt('harbour.yaml', text, next),
  ));

test('whatever stands in a definition in the place of something else ends in findings with places', () => {
  const document = load(yaml) as Json;
  return fuzzed(
    scaled(3000, 80),
    next => JSON.stringify(rearranged(document, next), undefined, 1),
    (text, next) => lookAt('harbour.json', text, next),
  );
});

test('whatever is done to a definition of a service is imported, or told', () =>
  fuzzed(
    scaled(2000, 60),
    next => mutate(wsdl, next),
    text => importAll('customs.wsdl', text),
  ));

test('whatever stands in a recording is imported, or told', () => {
  const origin = 'http://127.0.0.1:7070';
  const recording = JSON.parse(
    har([
      {
        method: 'POST',
        url: `${origin}/v1/sessions`,
        body: { office: 'x', password: 'spring-tide' },
        answer: { token: 'skerry-123456' },
        status: 201,
        answered: { Location: '/v1/sessions/4711' },
      },
      {
        url: `${origin}/v1/berths/417?state=free`,
        headers: { Authorization: 'Bearer skerry-123456' },
        answer: [{ code: '0417' }],
      },
      {
        method: 'POST',
        url: `${origin}/v1/log`,
        body: 'a=b&c=%zz',
        type: 'application/x-www-form-urlencoded',
        answer: '<input type="hidden" name="csrf" value="gull-123456">',
        answerType: 'text/html',
      },
    ]),
  ) as Json;
  return fuzzed(
    scaled(3000, 150),
    next => JSON.stringify(rearranged(recording, next)),
    text => importAll('monday.har', text),
  );
});
