import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseStatements, type StatementSyntax } from '../../src/core/language/parser.ts';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { readStatements } from '../../src/core/pages/statements.ts';
import { mutate, sequence } from '../support/fuzz.ts';
import { table } from '../support/inputs.ts';
import { read } from '../support/language.ts';

test('every statement of the grammar is read', () => {
  for (const [text = '', type] of table('statements')[0]!.rows) {
    const { statements } = read(text);
    assert.deepEqual(
      statements.map(statement => statement.type),
      [type],
      text,
    );
  }
});

test('a statement goes on over indented lines and open brackets; comments end it nowhere', () => {
  const text = `# first of all
status = 200   # the status
$.state in
  "free",      # one
  "taken"
$.list = [
1,
2 # two
]

keep $.id
  as berth
"a # is no comment": $.a = "#"
`;
  const { statements, errors } = read(text);
  assert.deepEqual(errors, []);
  assert.deepEqual(
    statements.map(statement => statement.type),
    ['check', 'check', 'check', 'keep', 'check'],
  );
});

test('what follows a type after or belongs to it only where nothing else can be meant', () => {
  const count = (text: string) => {
    const [statement] = read(text).statements;
    return statement?.type === 'check' ? statement.condition.type : undefined;
  };
  assert.equal(count('$.a is text or null'), 'comparison');
  assert.equal(count('$.a is text or null = $.b'), 'or');
  assert.equal(count('$.a is text or date($.b) = $.c or $.d = 1'), 'or');
  assert.equal(count('$.a is text or $.b = 1'), 'or');
  assert.equal(count('$.a between 1 and 2 and $.b = 3'), 'and');
});

/** Statements, and what is said of each: its code, its place, and parts of the message and the remedy. */
const [errors] = table('statement-errors');

test('an error tells what, where and how to mend it', () => {
  for (const [text = '', code, at, ...says] of errors!.rows) {
    const [error, ...others] = read(text).errors;
    assert.ok(error, `${text} should be an error`);
    assert.deepEqual([error.code, error.at], [code, at], `${text}: ${error.message}`);
    const said = `${error.message} ${error.remedy}`;
    for (const part of says) assert.ok(said.includes(part), `${text}: ${said}`);
    assert.deepEqual(others, [], text);
  }
});

test('one wrong line hides no other', () => {
  const { statements, errors: found } = read(
    'status = = 200\n$.a = 1\n$.b contians 3\n  and more\n$.c = 2\n',
  );
  assert.deepEqual(
    found.map(error => error.at),
    ['1:10', '3:5'],
  );
  assert.equal(statements.length, 2);
});

test('no text makes the parser throw or hang, and every error has its place', () => {
  const seeds = errors!.rows
    .map(([text]) => text!)
    .concat(['each $.a[?@.b == "c"] is text or null # x', 'let x = {"a": [1, {y}]}']);
  const next = sequence(7);
  for (let turn = 0; turn < 4000; turn++) {
    const text = mutate(seeds[next(seeds.length)]!, next);
    for (const error of read(text, true).errors)
      assert.match(error.at, /^[1-9]\d*:[1-9]\d*$/, JSON.stringify(text));
  }
});

test('the words that are suggested are those of the statements that may stand there, whatever kinds there are', () => {
  const excerptOf = (text: string) => new Excerpt(new Source('berths.md', text), text, 1);
  const demand: StatementSyntax = {
    word: 'demand',
    parse: (parser, start) => {
      const value = parser.value();
      return { type: 'demand', parts: [value], range: parser.lexer.since(start) };
    },
  };
  const remedyOf = (text: string, kinds: readonly StatementSyntax[]) =>
    parseStatements(excerptOf(text), kinds).errors.map(({ code, remedy }) => [code, remedy]);
  assert.deepEqual(remedyOf('demnd $.x', [demand]), [['word-unknown', "Did you mean 'demand'?"]]);
  const [[, remedy] = []] = remedyOf('kep $.x as y', [demand]);
  assert.match(remedy!, /^A text stands in double quotes/);
  for (const [text, word] of [
    ['kep $.x as y', 'keep'],
    ['wat 1 s', 'wait'],
    ['lett x = 1', 'let'],
    ['skp when $.x = 1', 'skip'],
    ['repeet every 1 s for 2 s until $.x = 1', 'repeat'],
    ['clenup', 'cleanup'],
  ])
    assert.equal(readStatements(excerptOf(text!)).errors[0]?.remedy, `Did you mean '${word}'?`, text);
});
