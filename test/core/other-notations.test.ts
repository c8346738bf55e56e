import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { PlanOptions } from '../../src/core/analysis/analysis.ts';
import type { Finding } from '../../src/core/model/finding.ts';
import { planOf, type Texts } from '../support/collection.ts';
import { table } from '../support/inputs.ts';

const sections = new Map(table('other-notations').map(({ title, rows }) => [title, rows]));
const rowsOf = (title: string) => sections.get(title)!;

const fence = (words: string, text: string) => `~~~${words}\n${text}\n~~~\n\n`;
const base = 'base: "http://skerry.example"\nvariables: { name: x }\n';
const inCase = (...fences: string[]) => `## C\n\n${fences.join('')}`;
const checked = (text: string) => inCase(fence('http', text), fence('mervok', 'status = 200'));

async function findingsOf(texts: Texts, options?: Partial<PlanOptions>): Promise<Finding[]> {
  const { findings } = await planOf(texts, options, true);
  return findings;
}

const said = (each: Finding | undefined) =>
  `${each?.severity} ${each?.code} ${each?.message} ${each?.remedy}`;
const at = ({ source, range }: Finding) => {
  const { line, column } = source.position(range.start);
  return `${line}:${column}`;
};

test('a statement of another notation is answered by how it is said here, and by nothing else', async () => {
  for (const [statement = '', says = ''] of rowsOf('statements')) {
    const page = inCase(fence('http', 'GET /'), fence('mervok', `reason = "OK"\n${statement}`));
    const found = await findingsOf({ 'mervok.yaml': base, 'a.md': page });
    assert.deepEqual([found.length, found[0]?.severity], [1, 'error'], `${statement}: ${found.map(said)}`);
    assert.ok(said(found[0]).includes(says), `${statement}: ${said(found[0])}`);
  }
});

test('a reference of another notation is an error where nothing else can be meant', async () => {
  for (const [statement = '', place, says = ''] of rowsOf('references where nothing else can be meant')) {
    const found = await findingsOf({
      'mervok.yaml': base,
      'a.md': inCase(fence('http', 'GET /'), fence('mervok', statement)),
    });
    assert.deepEqual(
      found.map(each => each.code),
      ['reference-form'],
      statement,
    );
    assert.equal(at(found[0]!), place!.replace('1:', '8:'), statement);
    assert.ok(found[0]!.remedy!.includes(says), said(found[0]));
  }
  const texts = {
    'mervok.yaml': base,
    'a.md': inCase(fence('http', 'GET /'), fence('mervok', '$.a = "{{name}} \\{\\{x}}"\n$.b = "$5 {name}"')),
  };
  assert.deepEqual(
    (await findingsOf(texts)).map(each => `${each.code} ${at(each)}`),
    ['reference-like 8:8'],
  );
});

test('in a request it is an error, or a warning where it may be payload', async () => {
  for (const [request = '', severity, says = ''] of rowsOf('references of requests')) {
    const found = await findingsOf({
      'mervok.yaml': base,
      'a.md': checked(request.replaceAll('\\\\', '\\')),
    });
    assert.deepEqual(
      found.map(each => each.severity),
      severity ? [severity] : [],
      `${request}: ${found.map(said)}`,
    );
    assert.ok(!severity || said(found[0]).includes(says), `${request}: ${said(found[0])}`);
  }
});

test('the same in settings, and where a variable is found', async () => {
  for (const [setting = '', severity, says = ''] of rowsOf('settings')) {
    const own = setting.startsWith('base') ? setting : `base: "http://skerry.example"\n${setting}`;
    const found = await findingsOf({ 'mervok.yaml': `${own}\n`, 'a.md': checked('GET /') });
    assert.deepEqual(
      found.map(each => each.severity),
      severity ? [severity] : [],
      `${setting}: ${found.map(said)}`,
    );
    assert.ok(!severity || said(found[0]).includes(says), `${setting}: ${said(found[0])}`);
  }
});

test('what else stands in the fence of a request is no body of it', async () => {
  for (const [request = '', place, says = ''] of rowsOf('what stands in the fence of a request')) {
    const found = await findingsOf({ 'mervok.yaml': base, 'a.md': checked(request) });
    assert.deepEqual(found.map(at), place ? [place] : [], `${request}: ${found.map(said)}`);
    assert.ok(!place || said(found[0]).includes(says), `${request}: ${said(found[0])}`);
  }
});

test('a fence that is called otherwise elsewhere, and files as other notations name them', async () => {
  for (const [written = '', says] of rowsOf('fences below a request')) {
    const [info = '', ...lines] = written.split('\n');
    const page = inCase(
      fence('http', 'POST /a'),
      fence(info, lines.join('\n')),
      fence('mervok', 'status = 200'),
    );
    const found = await findingsOf({ 'mervok.yaml': base, 'a.md': page });
    assert.deepEqual(
      found.map(each => each.severity),
      says ? ['error'] : [],
      `${written}: ${found.map(said)}`,
    );
    assert.ok(!says || said(found[0]).includes(says), `${written}: ${said(found[0])}`);
  }
});

test('what many places have in common is told once, and lint switches it off, level by level', async () => {
  const odata =
    checked('GET /berths?$filter=a&$top=1') + checked('GET /tides?$filter=b').replace('## C', '## D');
  const texts = { 'mervok.yaml': base, 'a.md': odata };
  const told = (found: Finding[]) => found.map(each => `${each.severity} ${/\$\w+/.exec(each.message)?.[0]}`);
  const found = await findingsOf(texts);
  assert.deepEqual(told(found), ['warning $filter', 'warning $top']);
  assert.match(found[0]!.message, /It stands in one more place\.$/);
  const rows: [root: string, front: string, own: string, told: string[]][] = [
    ['lint: { reference-like: off }', '', '', []],
    ['lint: { reference-like: false }', '', '', []],
    ['lint: { reference-like: error }', '', '', ['error $filter', 'error $top']],
    ['', 'lint: { reference-like: off }', '', []],
    [
      'lint: { reference-like: off }',
      'lint: { reference-like: warning }',
      '',
      ['warning $filter', 'warning $top'],
    ],
    ['', '', 'lint: { reference-like: off }', ['warning $filter']],
  ];
  for (const [root, front, own, wanted] of rows) {
    const page = `${front && `---\n${front}\n---\n`}${own ? odata.replace('## C\n\n', `## C\n\n${fence('yaml settings', own)}`) : odata}`;
    assert.deepEqual(
      told(await findingsOf({ 'mervok.yaml': `${base}${root}\n`, 'a.md': page })),
      wanted,
      `${root} ${front} ${own}`,
    );
  }
  const wrong = {
    'mervok.yaml': `${base}lint: { name-unusd: off, syntax: off }\n`,
    'a.md': checked('GET /'),
  };
  assert.deepEqual(
    (await findingsOf(wrong)).map(each => `${each.code} ${each.message}`),
    [
      "setting-unknown There is no finding 'name-unusd'.",
      "setting-form 'syntax' is an error: what it is about cannot be carried out, so it cannot be switched off.",
    ],
  );
});

test('what only follows from something that cannot be read is not told', async () => {
  const use = `## Use\n\n${fence('http', 'GET /{id}')}${fence('mervok', 'status = 200')}`;
  const make = (http: string, mervok: string, words = ['http', 'mervok']) =>
    `## Make\n\n${fence(words[0]!, http)}${fence(words[1]!, mervok)}`;
  const rows: [page: string, code: string][] = [
    [make('GET /', 'keep id = $.id') + use, 'word-unknown'],
    [make('GET /', 'keep $.id as id', ['http', 'mervk']) + use, 'fence-slip'],
    [make('GET /', 'keep $.id as id', ['htpp', 'mervok']) + use, 'fence-slip'],
    [make('GTE /', 'keep $.id as id\nstatus = 200') + use, 'request-line'],
    [make('GET /', 'status = 200\nkeep $.id as id') + use.replace('GET /{id}', 'GT /{id}'), 'request-line'],
    [make('GET /', 'statsu = 200'), 'word-unknown'],
    [`## A\n\n~~~http\nGET /\n\n${fence('mervok', 'status = 200\nkeep $.id as id')}${use}`, 'fence-open'],
    [
      `## A\n\n${fence('http', 'POST /')}${fence('jsn body', '{}')}${fence('mervok', 'status = 200')}`,
      'fence-slip',
    ],
    [
      `## A\n\n${fence('http', 'POST /')}${fence('graphql', 'query { a }')}${fence('mervok', 'status = 200')}`,
      'fence-slip',
    ],
    [
      `## A\n\n${fence('mervok', 'repeat every 1 s for 2 s until status = 200')}${fence('htpp', 'GET /')}${fence('mervok', 'status = 200')}`,
      'fence-slip',
    ],
    [
      `## A\n\n${fence('htpp', 'POST /')}${fence('json body', '{}')}${fence('mervok', 'status = 200')}`,
      'fence-slip',
    ],
    [`## A\n\n${fence('http', 'GET /')}${fence('mervok', 'status = 200\n  reason = "OK"')}`, 'syntax'],
  ];
  for (const [page, code] of rows) {
    const found = await findingsOf({ 'mervok.yaml': base, 'a.md': page });
    assert.deepEqual(
      found.map(each => each.code),
      [code],
      `${page}\n${found.map(said).join('\n')}`,
    );
  }
  // A fence of prose is one all the same where no request stands right above it.
  for (const page of [
    `## A\n\n${fence('graphql', 'query { a }')}${fence('http', 'GET /')}${fence('mervok', 'status = 200')}`,
    `## A\n\n${fence('http', 'POST /')}${fence('graphql prose', 'query { a }')}${fence('mervok', 'status = 200')}`,
    `## A\n\n${fence('http', 'POST /\n\n{}')}${fence('graphql', 'query { a }')}${fence('mervok', 'status = 200')}`,
  ])
    assert.deepEqual(await findingsOf({ 'mervok.yaml': base, 'a.md': page }), []);
});

test('an indented line that is no part of the one above is told to be indented', async () => {
  const page = inCase(fence('http', 'GET /'), fence('mervok', 'status = 200\n  reason = "OK"\n  $.a = 1'));
  const [found, ...more] = await findingsOf({ 'mervok.yaml': base, 'a.md': page });
  assert.deepEqual([at(found!), more.length], ['9:3', 0]);
  assert.match(said(found), /indented, so it goes on from the one above, .*left edge/);
});

test('what is not set, what no environment gives, and what an environment cannot hold is told before anything is sent', async () => {
  const external = { variable: (name: string) => (name === 'SET' ? 'x' : undefined) };
  const page = checked('GET /{a}');
  const settings = (text: string) => `base: "{harbour}"\n${text}\n`;
  const rows: [settings: string, environment: string | undefined, told: string[]][] = [
    ['variables: { harbour: "http://x.example", a: { os: SET } }', undefined, []],
    ['variables: { harbour: "http://x.example", a: { os: UNSET } }', undefined, ['os-unset UNSET']],
    [
      'variables: { harbour: "http://{b}", a: 1, b: { os: UNSET, secret: true } }',
      undefined,
      ['os-unset UNSET'],
    ],
    ['variables: { harbour: "http://x.example", a: 1, unused: { os: UNSET } }', undefined, []],
    [
      'environments: { local: { harbour: "http://x.example" }, quay: { harbour: "http://y" } }\nvariables: { a: 1 }',
      undefined,
      ['environment-unchosen It is given by local and quay: --env local'],
    ],
    [
      'environments: { local: { harbour: "http://x.example" }, quay: { a: 2 } }\nvariables: { a: 1 }',
      'quay',
      ["name-unknown The environment quay gives 'harbour' no value. It is given by local: --env local"],
    ],
    [
      'environments: { local: { harbour: "http://x.example", base: "http://y" } }\nenvironment: local\nvariables: { a: 1 }',
      undefined,
      ["environment-setting called 'base'"],
    ],
    [
      'environments: { local: { harbour: "http://x.example", variables: { b: 1 } } }\nenvironment: local\nvariables: { a: 1 }',
      undefined,
      ['environment-setting right below its name'],
    ],
    [
      'environments: { local: { harbour: "{title}", title: "http://x" } }\nenvironment: local\nvariables: { a: 1 }',
      undefined,
      [],
    ],
  ];
  for (const [text, environment, wanted] of rows) {
    const found = await findingsOf(
      { 'mervok.yaml': settings(text), 'a.md': page },
      { external, ...(environment && { environment }) },
    );
    assert.equal(found.length, wanted.length, `${text}: ${found.map(said)}`);
    for (const [index, each] of wanted.entries()) {
      const [code, ...says] = each.split(' ');
      assert.equal(found[index]!.code, code);
      assert.ok(said(found[index]).includes(says.join(' ')), said(found[index]));
    }
  }
  const secrets = {
    'mervok.yaml': base,
    'mervok.secret.yaml': 'variables: { a: gull-and-anchor }\n',
    'a.md': page,
  };
  const exposed = async (isIgnored: PlanOptions['isIgnored']) =>
    (await findingsOf(secrets, { isIgnored: isIgnored! })).map(each => each.code);
  assert.deepEqual(await exposed(() => false), ['secret-exposed']);
  assert.deepEqual([...(await exposed(() => true)), ...(await exposed(() => undefined))], []);
});
