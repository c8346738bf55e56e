import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { test } from 'node:test';
import { compileCondition } from '../../src/core/language/compile-condition.ts';
import { compileExpression } from '../../src/core/language/compile-expression.ts';
import { explain } from '../../src/core/language/explain.ts';
import { Source } from '../../src/core/model/source.ts';
import { Missing, type Value } from '../../src/core/model/value.ts';
import { readBlocks } from '../../src/core/pages/markdown-blocks.ts';
import type { Statement } from '../../src/core/pages/statements.ts';
import { planOf } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';
import { contextOf, type Given, read } from '../support/language.ts';

const reference = readFileSync('docs/language.md', 'utf8');
const blocks = readBlocks(new Source('language.md', reference)).blocks.filter(
  block => block.kind === 'fence',
);

/** What every response of the reference has, besides its body. */
const response: Given = {
  headers: [
    ['Content-Type', 'application/json'],
    ['Cache-Control', 'max-age=60'],
    ['Location', '/berths/0417'],
    ['Link', '</v1/berths?page=2>; rel="next"'],
    ['Set-Cookie', 'sid=1'],
    ['Set-Cookie', 'lang=en'],
  ],
  setCookies: ['sid=1', 'lang=en'],
  sent: { headers: [['Accept', 'application/json']] },
};
const typeOf: { [info: string]: string } = {
  json: 'application/json',
  xml: 'application/xml',
  html: 'text/html',
};

function given(info: string, body: string): Given {
  const headers = response.headers!.map(([name, value]): [string, string] => [
    name,
    name === 'Content-Type' ? typeOf[info]! : value,
  ]);
  return { ...response, headers, body };
}

test('every example of a statement in the reference holds on the response above it', () => {
  let now: Given = response;
  const names: { [name: string]: Value } = {};
  let [held, others] = [0, 0];
  for (const { info, content } of blocks) {
    if (Object.hasOwn(typeOf, info)) now = given(info, content.text);
    if (info !== 'mervok') continue;
    const { statements, errors } = read(content.text);
    assert.deepEqual(errors, [], content.text);
    for (const statement of statements) {
      if (executeRun(statement, { ...now, names })) held++;
      else others++;
    }
  }
  assert.ok(held > 120, `${held} checks`);
  assert.ok(others > 0);

  /** Whether it is a check; what others make is there for those below. */
  function executeRun(statement: Statement, about: Given): boolean {
    // What needs no response stands in the chapter about faults.
    const isFault = statement.written.startsWith('fault = "refused"');
    const context = contextOf(isFault ? { fault: 'refused' } : about);
    if (statement.type === 'check') {
      const { condition, written } = statement;
      const holds = compileCondition(condition)(context);
      const why = holds === true ? undefined : explain(condition, context.notes, written, context);
      assert.equal(holds, true, `${written}\n${JSON.stringify(why)}`);
      return true;
    }
    if (statement.type === 'keep' || statement.type === 'let') {
      let value = compileExpression(statement.value)(context);
      if (value instanceof Missing && statement.type === 'keep' && statement.otherwise)
        value = compileExpression(statement.otherwise)(context);
      assert.ok(!(value instanceof Missing), statement.written);
      names[statement.name] = value;
    }
    return false;
  }
});

const pages = blocks.filter(({ info }) => info === 'markdown').map(({ content }) => content.text);
const settings = `base: http://skerry.example
environments: { local: { token: a } }
environment: local
variables: { berth: "0417", vessel: Grey Petrel, nights: 2, tariff: 118.25, mooring: 7, depth: 4, reservation: 7, codes: ["0417"] }`;
const schema = '{ "type": "object" }';

test('every page of the reference is sound', async () => {
  assert.ok(pages.length >= 7);
  for (const page of pages) {
    const text = page.includes('\n## ') || page.startsWith('---') ? page : `## A case\n\n${page}`;
    const { findings } = await planOf(
      { 'mervok.yaml': settings, 'page.md': text },
      { readFile: path => (path === 'schemas/berth.json' ? schema : new Missing(`There is no '${path}'`)) },
    );
    const errors = findings.filter(each => each.severity === 'error');
    assert.deepEqual(errors, [], `${text}\n${errors.map(each => each.message).join('\n')}`);
  }
});

test('the first page of the reference runs as it stands', async () => {
  const stored = { id: 7, vessel: 'Grey Petrel', nights: 2, paid: false, fee: 236.5, arrival: '2026-11-25' };
  const ran = await runTexts({ 'mervok.yaml': settings, 'page.md': pages[0]! }, request =>
    request.method === 'POST'
      ? { status: 201, body: stored, headers: [['Location', '/reservations/7']] }
      : { body: stored },
  );
  assert.deepEqual(ran.outcomes, ['Reserve a berth: passed', 'Read it back: passed']);
  assert.equal(ran.checks.length, 7);
});

test('the productions of the grammar are those that the parser reads', () => {
  const grammar = blocks.find(({ content }) => content.text.startsWith('line '))!.content.text;
  const productions = [...grammar.matchAll(/^([a-z]+) +=/gm)].map(([, name]) => name!);
  const parser = ['src/core/language', 'src/core/steps', 'src/core/pages']
    .flatMap(folder => readdirSync(folder, { recursive: true }).map(file => `${folder}/${file}`))
    .filter(file => file.endsWith('.ts'))
    .map(file => readFileSync(file, 'utf8'))
    .join('\n');
  const read = new Set(
    [...parser.matchAll(/\/\/ .*?([a-z]+) ::|([a-z]+) ::/g)].map(found => found[1] ?? found[2]!),
  );
  // These are read where other productions are, and have no function of their own.
  const inside = ['statement', 'conjunct', 'predicate', 'term', 'literal', 'html', 'reference'];
  assert.deepEqual(
    productions.filter(name => !read.has(name) && !inside.includes(name)),
    [],
  );
});
