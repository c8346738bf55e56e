import assert from 'node:assert/strict';
import { test } from 'node:test';
import { buildPlan } from '../../src/core/analysis/build-plan.ts';
import { readCollection } from '../../src/core/analysis/collection.ts';
import { examineExamples } from '../../src/core/examples/examine-examples.ts';
import { proposeExamples } from '../../src/core/examples/propose-example.ts';
import { putExample } from '../../src/core/examples/put-example.ts';
import type { CheckEvent, ExchangeEvent } from '../../src/core/model/events.ts';
import { Source } from '../../src/core/model/source.ts';
import { readPage } from '../../src/core/pages/read-page.ts';
import { filesOf, givenBySet, type Texts } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';
import { table } from '../support/inputs.ts';
import { Words } from '../support/words.ts';

const settings = `base: "{harbour}/v1"
variables: { nights: 3, vessel: Grey Petrel, chance: { let: uuid() }, key: { secret: spring-tide } }
environments: { local: { harbour: "http://skerry.example", chosen: taken } }
environment: local
`;

const words = new Words('examples');

/** What is said of examples of a collection; fences are written with ~~~. */
async function examined(texts: Texts): Promise<string[]> {
  const collection = await readCollection(filesOf({ 'mervok.yaml': settings, ...texts }));
  const given = givenBySet([['watch', 'night']]);
  const { plan, flow } = await buildPlan(collection, { paths: [], given });
  const findings = await examineExamples(plan, flow);
  return findings.map(({ code, source, range, message, remedy }) => {
    const { line } = source.position(range.start);
    words.hear(code, source.lineText(line), message, remedy);
    return `${line} ${code} ${message}`;
  });
}

const http = (text: string) => `~~~~http\n${text}\n~~~~\n\n`;
const statements = (text: string) => `~~~~mervok\n${text}\n~~~~\n\n`;
/** A case before keeps `depth` and `kept`; nothing shows what they are. */
const page = (example: string, checks: string, request = 'GET /berths') =>
  `## Before\n\n${http('GET /')}${statements('keep $.depth as depth\nkeep $.kept as kept')}## Case\n\n${http(request)}${http(example)}${statements(checks)}`;
const responseOf = (example: string) =>
  example.startsWith('HTTP/') ? example : `HTTP/1.1 200 OK\nContent-Type: application/json\n\n${example}`;

const [certain, open, beside] = table('examples') as [Section, Section, Section];
type Section = ReturnType<typeof table>[number];

test('a check that an example contradicts for certain is a finding', async () => {
  for (const [check, example, finding] of certain.rows as [string, string, string][]) {
    const found = await examined({ 'a.md': page(responseOf(example), check) });
    if (finding === 'fine') assert.deepEqual(found, [], `${check} ${example}`);
    else {
      assert.equal(found.length, 1, `${check} ${example}: ${found.join(' ')}`);
      assert.ok(found[0]!.startsWith('19 example-contradicts '), found[0]);
      assert.ok(found[0]!.includes(finding), `${found[0]}: ${finding}`);
    }
  }
});

test('a check that meets what an example cannot show is not judged', async () => {
  for (const [check, example] of open.rows as [string, string][])
    assert.deepEqual(await examined({ 'a.md': page(responseOf(example), check) }), [], `${check} ${example}`);
});

test('values go on from one example to the next, and to other pages', async () => {
  const texts = {
    'a.md': `## A\n\n${http('POST /berths')}${http(responseOf('{ "id": 7, "key": "x" }'))}${statements('let twice = $.id * 2\nkeep $.id as berth\nkeep $.key as key')}`,
    'b.md': `## B\n\n${http('GET /berths/{berth}')}${http(responseOf('{ "id": 8, "key": "y" }'))}${statements('$.id = {berth}\n$.id = {berth} + 1\n$.key = {key}')}`,
  };
  assert.deepEqual(await examined(texts), [
    '8 example-contradicts This example contradicts `$.id = {berth}` (b.md:15): expected 7, found 8 at $.id.',
  ]);
});

test('several examples are successive answers: the last one is held to the checks', async () => {
  const repeated = (first: string, last: string) =>
    `## A\n\n${statements('repeat every 1 s for 5 s until $.state = "moored"')}${http('GET /moorings/1')}${http(first)}${http(last)}${statements('status = 200')}`;
  const [waiting, moored] = [
    'HTTP/1.1 202 Accepted\n\n{ "state": "waiting" }',
    responseOf('{ "state": "moored" }'),
  ];
  assert.deepEqual(await examined({ 'a.md': repeated(waiting, moored) }), []);
  assert.deepEqual(await examined({ 'a.md': repeated('HTTP/1.1 202 Accepted', moored) }), []);
  assert.match(
    (await examined({ 'a.md': repeated(moored, moored) })).join(),
    /^12 .*Nothing is sent again after/,
  );
  const ended = await examined({ 'a.md': repeated(waiting, waiting) });
  assert.deepEqual(
    ended.map(each => each.replace(/ \(a.*/, '')),
    [
      '18 example-contradicts This example contradicts `until $.state = "moored"`',
      '18 example-contradicts This example contradicts `status = 200`',
    ].map(each =>
      ended[0]!.includes('`until') ? each : each.replace('`until', '`repeat every 1 s for 5 s until'),
    ),
  );
});

test('an example may stand below the checks, have a body of its own, and be of a step that is repeated by rows', async () => {
  const rows = '~~~csv rows fleet\nname,length\nCurlew,9\n~~~\n\n';
  const texts = {
    'a.md': `# A\n\n${rows}## B\n\n${statements('each row of fleet')}${http('GET /vessels')}${statements('status = 200\n$.name = {name}\n$.length > 10')}Prose.\n\n${http('HTTP/1.1 200 OK')}~~~json body\n{ "name": "Dunlin", "length": 9 }\n~~~\n`,
  };
  assert.match((await examined(texts)).join('; '), /^27 example-contradicts .*`\$\.length > 10`[^;]*$/);
});

test('what cannot be read as an example is told, and runs all the same', async () => {
  const of = (example: string, more = '') =>
    `## A\n\n${http('GET /')}${http(example)}${more}${statements('status = 200')}`;
  const rows: [string, RegExp, string?][] = [
    ['HTTP/1.1 OK', /^8 example-form An example response begins with its status line/],
    ['HTTP/1.1 20 OK', /^8 example-form 20 is no status/],
    ['HTTP/1.1 101 Switching', /^8 example-form 101 is no status/],
    ['HTTP/1.1 200 OK\nno header', /^9 example-form This line of the example is no header/],
    ['HTTP/1.1 200 OK\n\n{ "a": , }', /^10 example-form The body of this example is no JSON/],
    ['HTTP/1.1 200 OK\nContent-Type: text/xml\n\n<a>', /^11 example-form The body of this example is no XML/],
    ['HTTP/1.1 200 OK', /^12 example-form The body of this example is no JSON/, '~~~json body\n{\n~~~\n\n'],
    ['HTTP/1.1 200 OK\n\n{ "a": {nigths} }', /^10 example-name Nothing gives the name 'nigths'/],
  ];
  for (const [example, told, more] of rows) {
    const texts = { 'mervok.yaml': settings, 'a.md': of(example, more) };
    const collection = await readCollection(filesOf(texts));
    const { plan, flow, findings } = await buildPlan(collection, { paths: [], given: new Map() });
    const all = [...findings, ...(await examineExamples(plan, flow))].map(each => {
      words.hear(
        each.code,
        each.source.text.slice(each.range.start, each.range.end),
        each.message,
        each.remedy,
      );
      return `${each.source.position(each.range.start).line} ${each.code} ${each.message}`;
    });
    assert.equal(all.length, 1, all.join('\n'));
    assert.match(all[0]!, told);
    const { events } = await runTexts(texts, () => ({ body: {} }), { byChance: true });
    assert.equal(events.find(each => each.type === 'end')!.totals.cases.passed, 1);
  }
});

test('a response is set beside the examples of its status', async () => {
  for (const [example, body, wanted] of beside.rows as [string, string, string][]) {
    const texts = {
      'mervok.yaml': settings,
      'a.md': page(responseOf(example), 'status = 200').replace(/## Before.*?(?=## Case)/s, ''),
    };
    const answer = () => ({ body });
    const { events } = await runTexts(texts, answer, { run: { examples: 'strict' }, byChance: true });
    const { example: outdated } = events.find((each): each is ExchangeEvent => each.type === 'exchange')!;
    const told = outdated?.differences
      .map(({ at, expected, found }) => `${at}: ${expected}, ${found}`)
      .join('; ');
    assert.equal(told ?? 'fine', wanted, `${example} ${body}`);
    const check = events.find(
      (each): each is CheckEvent => each.type === 'check' && each.text === 'as its example shows',
    )!;
    assert.equal(check.holds, wanted === 'fine' ? 'yes' : 'no');
    words.hear('beside', example, body, check.expected, check.found, check.at);
    const quiet = await runTexts(texts, answer, { run: { examples: 'told' }, byChance: true });
    const end = quiet.events.find(each => each.type === 'end')!;
    assert.deepEqual(end.totals.outdated, wanted === 'fine' ? undefined : { count: 1, places: ['a.md:8'] });
    assert.equal(end.totals.cases.passed, 1);
    const none = await runTexts(texts, answer, { byChance: true });
    assert.equal(none.events.find(each => each.type === 'end')!.totals.outdated, undefined);
  }
});

test('any of several examples of one status may fit, and the media type counts', async () => {
  const run = async (examples: readonly string[], answer: Parameters<typeof runTexts>[1]) => {
    const texts = {
      'mervok.yaml': settings,
      'a.md': `## A\n\n${http('GET /')}${examples.map(http).join('')}${statements('status > 1')}`,
    };
    const { events } = await runTexts(texts, answer, { run: { examples: 'strict' }, byChance: true });
    return events.flatMap(each =>
      each.type === 'check' && each.text === 'as its example shows'
        ? [`${each.holds} ${each.at ?? ''} ${each.found ?? ''}`.trim()]
        : [],
    );
  };
  const two = [responseOf('{ "a": 1 }'), responseOf('{ "b": "x" }')];
  assert.deepEqual(await run(two, () => ({ body: { b: 'y' } })), ['yes']);
  assert.deepEqual(await run(two, () => ({ body: { b: 1 } })), ['no $.b a number']);
  assert.deepEqual(await run(two, () => ({ body: { b: 1 }, status: 201 })), []);
  const text = ['HTTP/1.1 200 OK\nContent-Type: text/plain; charset=utf-8\n\nx'];
  assert.deepEqual(await run(text, () => ({ body: 'y', headers: [['content-type', 'TEXT/plain']] })), [
    'yes',
  ]);
  assert.deepEqual(await run(text, () => ({ body: 'y', headers: [] })), [
    'no header content-type nothing: the header is not there',
  ]);
});

/** The page with the examples that a run would write, and what is refused. */
async function written(
  text: string,
  answer: Parameters<typeof runTexts>[1],
  more: Texts = {},
): Promise<string> {
  const proposals: Awaited<ReturnType<typeof proposeExamples>> = [];
  const onAnswers = async (passed: Parameters<typeof proposeExamples>[0]) =>
    void proposals.push(...(await proposeExamples(passed, () => false)));
  await runTexts({ 'mervok.yaml': settings, 'a.md': text, ...more }, answer, {
    run: { onAnswers },
    byChance: true,
  });
  let result = text;
  for (const { edit, refusal } of proposals.toReversed()) {
    if (!edit) return refusal;
    const put = putExample('a.md', result, edit);
    if (put === undefined) return 'refused';
    result = put;
  }
  return result;
}

const added = async (
  answer: Parameters<typeof runTexts>[1],
  checks = 'status < 600',
  request = 'GET /berths',
) => {
  const before = `## A\n\n${http(request)}${statements(checks)}`;
  const after = await written(before, answer);
  const at = after.indexOf('```');
  return at < 0 ? after : after.slice(at, after.indexOf('~~~~mervok')).trim();
};

test('what came is written as an example, known values by their names', async () => {
  const body = {
    id: 17,
    nights: 3,
    vessel: 'Grey Petrel',
    self: 'http://skerry.example/v1/berths/17',
    note: '{nights} \\{vessel}',
    key: 'spring-tide',
    inside: 'at spring-tide',
    other: 'Grey Petrel',
    three: 3,
  };
  const headers: [string, string][] = [
    ['Content-Type', 'application/json'],
    ['Date', 'Mon, 30 Nov 2026 06:00:00 GMT'],
    ['Set-Cookie', 'watch=1'],
    ['Content-Length', '17'],
    ['Location', '/v1/vessels/Grey'],
    ['X-Key', 'spring-tide'],
  ];
  assert.equal(
    await added(
      () => ({ status: 201, body, headers }),
      'status = 201\n$.nights = {nights}',
      'POST /vessels/{vessel}?key={key}',
    ),
    `\`\`\`http
HTTP/1.1 201 Created
Content-Type: application/json
Location: /v1/vessels/Grey
X-Key: {key}

{
  "id": 17,
  "nights": {nights},
  "vessel": "{vessel}",
  "self": "{harbour}/v1/berths/17",
  "note": "\\{nights} \\\\\\{vessel}",
  "key": "{key}",
  "inside": "at {key}",
  "other": "{vessel}",
  "three": 3
}
\`\`\``,
  );
});

test('lists are cut where all checks hold without the rest, and show every kind of item', async () => {
  const berths = Array.from({ length: 20 }, (_, code) => ({
    code,
    state: 'free',
    deposit: code === 9 ? null : 2,
  }));
  const cut = await added(() => ({ body: { berths } }), 'each $.berths[*].state = "free"');
  assert.deepEqual(
    [...cut.matchAll(/"code": (\d+)/g)].map(([, code]) => code),
    ['0', '1', '2', '9'],
  );
  for (const checks of [
    'count $.berths[*] = 20',
    '$.berths[19].code = 19',
    'keep $.berths[5].code as berth',
    'size > 200 B',
  ])
    assert.equal((await added(() => ({ body: { berths } }), checks)).match(/"code"/g)!.length, 20, checks);
});

test('an example is written where there is none or none fits, and other examples stay', async () => {
  const texts = (...examples: string[]) =>
    `## A\n\n${http('GET /')}${statements('status < 400')}${examples.map(http).join('')}End.\n`;
  const answer = () => ({ body: { a: 1 } });
  const fresh = '```http\nHTTP/1.1 200 OK\nContent-Type: application/json\n\n{\n  "a": 1\n}\n```\n';
  const old = responseOf('{ "a": "x" }');
  assert.equal(
    await written(texts(), answer),
    texts().replace('~~~~\n\n~~~~mervok', `~~~~\n\n${fresh}\n~~~~mervok`),
  );
  assert.equal(await written(texts(responseOf('{ "a": 2 }')), answer), texts(responseOf('{ "a": 2 }')));
  assert.equal(await written(texts(old), answer), texts(old).replace(http(old), `${fresh}\n`));
  assert.equal(await written(texts('HTTP/1.1 202 Accepted'), answer), texts('HTTP/1.1 202 Accepted'));
  const both = texts('HTTP/1.1 202 Accepted', old);
  assert.equal(await written(both, answer), both.replace(http(old), `${fresh}\n`));
  const apart = texts('HTTP/1.1 200 OK').replace('End.', '~~~json body\n{ "a": "x" }\n~~~\n\nEnd.');
  assert.equal(await written(apart, answer), apart.replace(/~~~~http\nHTTP.*~~~\n(?=\nEnd)/s, fresh));
  // What fails gives no example.
  assert.equal(await written(texts(), () => ({ status: 500 })), texts());
});

/** Bodies that would do something if they were no example. */
const hostile = [
  '```\n## Stolen\n```http\nDELETE /berths\n```\n',
  '~~~\n\n~~~http\nDELETE /berths\n~~~\n\n~~~mervok\nstatus = 200\n~~~',
  '`````````\nHTTP/1.1 200 OK\n`````````',
  '---\nbase: http://elsewhere.example\n---\n# Title',
  '<!--\n<script>\n{key} \\{key} {+key} {{key}}',
  '\n\nTwo empty lines before, and one behind\n\n',
  'HTTP/1.1 500 No\n\nGET /berths',
  '\tindented\n    more\n',
  'line one\r\nline two\rline three',
  '> quote\n- list\n1. more\n\n\n| a | b |',
  '{vessel}{nights}{key}\\\\{key}\\{',
];

test('what a server answers never becomes a step, whatever it is', async () => {
  const pages = [
    `## A\n\n${http('GET /berths')}${statements('status = 200')}`,
    `- In a list:\n\n  ~~~http\n  GET /berths\n  ~~~\n\n  ~~~mervok\n  status = 200\n  ~~~\n`,
    `> In a quote:\n>\n> ~~~http\n> GET /berths\n> ~~~\n>\n> ~~~mervok\n> status = 200\n> ~~~\n`,
    `1. First\n\n   - Second\n\n     ~~~http\n     GET /berths\n     ~~~\n\n     ~~~mervok\n     status = 200\n     ~~~`,
  ];
  for (const text of pages.flatMap(each => [each, `\uFEFF${each.replaceAll('\n', '\r\n')}`]))
    for (const body of hostile)
      for (const type of ['text/plain', 'text/html', 'application/json', 'application/xml']) {
        const after = await written(text, () => ({
          body: type.includes('json') ? { body } : body,
          headers: [['Content-Type', type]],
        }));
        if (after === 'refused') continue;
        const [before, page] = [text, after].map(each => readPage(new Source('a.md', each))) as [Page, Page];
        assert.deepEqual(shortOf(page), shortOf(before), after);
        assert.equal(page.cases[0]!.steps[0]!.examples?.length, 1);
        assert.equal(after.includes('\r\n'), text.includes('\r\n'));
      }
});

type Page = ReturnType<typeof readPage>;
const shortOf = ({ cases }: Page) =>
  cases.map(({ address, steps }) => [
    address,
    ...steps.map(each => [
      each.type,
      (each as { written?: string }).written,
      (each as { targetText?: string }).targetText,
    ]),
  ]);

test('few of these are refused, and what is written says what came', async () => {
  const text = `## A\n\n${http('GET /berths')}${statements('status = 200')}`;
  let refused = 0;
  for (const body of hostile) {
    const after = await written(text, () => ({ body, headers: [['Content-Type', 'text/plain']] }));
    if (after === 'refused') {
      refused++;
      continue;
    }
    // What it says is what comes: set beside it, nothing differs, and its text is that of the body.
    const { events } = await runTexts(
      { 'mervok.yaml': settings, 'a.md': after },
      () => ({ body, headers: [['Content-Type', 'text/plain']] }),
      { run: { examples: 'strict' }, byChance: true },
    );
    assert.ok(
      events.some(
        each => each.type === 'check' && each.text === 'as its example shows' && each.holds === 'yes',
      ),
    );
  }
  assert.ok(refused <= 1, String(refused));
});

test('a long or secret answer is no example', async () => {
  assert.equal(
    await added(() => ({ body: 'x'.repeat(9000), headers: [['Content-Type', 'text/plain']] })),
    'what came is too long for one (9 kB)',
  );
  assert.match(
    await added(
      () => ({
        body: Buffer.from('spring-tide').toString('base64'),
        headers: [['Content-Type', 'text/plain']],
      }),
      'status = 200',
      'GET /?key={key}',
    ),
    /\[secret\]/,
  );
});
