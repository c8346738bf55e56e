import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseStatements, type StatementSyntax } from '../../src/core/language/parser.ts';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { readStatements } from '../../src/core/pages/statements.ts';
import { mutate, sequence } from '../support/fuzz.ts';
import { read } from '../support/language.ts';

test('every statement of the grammar is read', () => {
  const rows: [text: string, type: string][] = [
    ['status = 200', 'check'],
    ['"a label": status = 200', 'check'],
    ['"text" = $.a', 'check'],
    ['keep $.id as berth', 'keep'],
    ['keep $.id as secret berth', 'keep'],
    ['keep $.id as secret', 'keep'],
    ['keep $.id as secret or 3', 'keep'],
    ['keep first $.a[*] as berth or "none"', 'keep'],
    ['let arrival = today() + 2 days', 'let'],
    ['wait 2 s', 'wait'],
    ['wait {pause}', 'wait'],
    ['repeat every 500 ms for 10 s until $.state = "moored"', 'repeat'],
    ['skip when {tide} = "low"', 'skip'],
    ['each row of vessels.csv', 'each-row'],
    ['each row of "my vessels.csv"', 'each-row'],
    ['each {berths} as berth', 'each-value'],
    ['each {berths} is text', 'check'],
    ['cleanup', 'cleanup'],
    ['$ includes {"vessel": {vessel}, "nights": number or null, "list": [text, 3]}', 'check'],
    ['$ fits berth-schema', 'check'],
    ['body fits "schemas/berth.json"', 'check'],
    ['xml/tides/tide[@no="1"]/height > 2', 'check'],
    ['xml("//tide [1]") exists', 'check'],
    ['html("main > h1") contains "Quay"', 'check'],
    ['header set-cookie /sid=(\\w+)/ = "a"', 'check'],
    ['body /no (\\d+)/ > 3', 'check'],
    ['sent header content-type = "text/plain"', 'check'],
    ['sent $.a = $.a', 'check'],
    ['cookie sid exists', 'check'],
    ['link next ends with "page=2"', 'check'],
    ['location starts with "https://"', 'check'],
    ['fault = "refused"', 'check'],
    ['random $.a[*] = 3', 'check'],
    ['$.a is number or date', 'check'],
    ['$.a is number or text($.b) = "3"', 'check'],
    ['$.a is number or null = $.b', 'check'],
  ];
  for (const [text, type] of rows) {
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

/** Text, code and place of the error, a part of what is said, a part of the remedy. */
const errors: readonly (readonly [text: string, code: string, at: string, says: string, remedy?: string])[] =
  [
    ['statsu = 200', 'word-unknown', '1:1', "'statsu' is not known here", "'status'"],
    ['nonsense = 200', 'word-unknown', '1:1', 'not known here', '{nonsense}'],
    ['kep $.id as x', 'word-unknown', '1:1', 'not known', "'keep'"],
    ['status == 200', 'syntax', '1:8', "'==' is written '='"],
    ['status <> 200', 'syntax', '1:8', "'<>' is written '!='"],
    ['status = 200 && $.a = 1', 'syntax', '1:14', "'&&' is written 'and'"],
    ['status = 200 || $.a = 1', 'syntax', '1:14', "'||' is written 'or'"],
    ['! $.a = 1', 'syntax', '1:1', "written 'not'"],
    ["$.a = 'x'", 'syntax', '1:7', 'double quotes', '"x"'],
    ['$.a = "x', 'syntax', '1:7', 'not closed'],
    ['$.a = "\\q"', 'syntax', '1:8', 'no escape'],
    ['$.a is string', 'word-unknown', '1:8', 'no type here', 'is text'],
    ['$.a is txet', 'word-unknown', '1:8', 'A type should follow', "'text'"],
    ['$.a is 200', 'syntax', '1:8', 'A type should follow', "'='"],
    ['$.a contians "x"', 'word-unknown', '1:5', "'contians' is no predicate", "'contains'"],
    ['$.a not', 'syntax', '1:8', "A predicate should follow 'not'"],
    ['$.a not absent', 'syntax', '1:5', "written 'exists'"],
    ['$.a', 'syntax', '1:4', 'a comparison is missing'],
    ['$.a = ', 'syntax', '1:7', 'A value should stand here'],
    ['$.a = 007', 'syntax', '1:7', 'no leading zeros'],
    ['time < 300 mss', 'syntax', '1:12', 'does not belong here'],
    ['time < 300mss', 'word-unknown', '1:11', "'mss' is no unit", "'ms'"],
    ['keep $.a', 'syntax', '1:9', "'as' should follow"],
    ['keep $.a as 7', 'syntax', '1:13', 'A name should stand here'],
    ['let x', 'syntax', '1:6', "'=' should follow 'let x'"],
    ['repeat 2 s', 'syntax', '1:8', "'every' should follow"],
    ['skip $.a = 1', 'syntax', '1:6', "'when' should follow"],
    ['$.a between 1', 'syntax', '1:14', "'and' and an upper limit"],
    ['$.a starts "x"', 'syntax', '1:12', "'with' should follow"],
    ['(status = 200', 'syntax', '1:14', "')' should follow"],
    ['[1, 2 = $.a', 'syntax', '1:7', "']' should follow"],
    ['{"a" 1} = $.a', 'syntax', '1:6', "':' should follow"],
    ['{ vessel } = $.a', 'syntax', '1:3', 'member name in double quotes', '{name}'],
    ['nth x $.a[*] = 1', 'syntax', '1:1', 'whole number from 1'],
    ['each = 3', 'syntax', '1:6', "should follow 'each'"],
    ['lenght($.a) = 1', 'function-unknown', '1:1', "no function 'lenght'", "'length'"],
    ['length() = 1', 'function-arguments', '1:1', 'takes a value'],
    ['uuid(1) = "x"', 'function-arguments', '1:1', 'takes nothing'],
    ['$.line-2 = 3', 'path-form', '1:1', "'-' cannot stand", "$['line-2']"],
    ['$.a[b] = 3', 'path-form', '1:5', 'should stand here', "['b']"],
    ['$.a[?@.b = 1].c exists', 'path-form', '1:10', "written '=='"],
    ['$.a[?@[*] == 1] exists', 'path-form', '1:6', 'cannot be compared', 'count'],
    ['$.a[01] = 1', 'path-form', '1:5', 'no index'],
    ['$.a[0 = 1', 'path-form', '1:7', "',' or ']'"],
    ['$. = 1', 'path-form', '1:2', 'member name'],
    ['$.a[*] = 1', 'many-values', '1:1', 'several values', 'each, some or no'],
    ['keep $..id as id', 'many-values', '1:6', 'several values'],
    ['time < 300', 'never-equal', '1:1', 'can never be compared', '300 ms'],
    ['size < 300', 'never-equal', '1:1', 'can never be compared', '300 B'],
    ['status = "200"', 'never-equal', '1:1', 'can never be compared', '200 without quotes'],
    ['reason = 200', 'never-equal', '1:1', 'can never be compared', 'status = 200'],
    ['body = 5', 'never-equal', '1:1', 'can never be compared', '"5"'],
    ['status between 200 and "299"', 'never-equal', '1:1', 'can never be compared'],
    ['status in 200, "201"', 'never-equal', '1:1', 'can never be compared'],
    ['status < true', 'never-equal', '1:1', 'no order'],
    ['$.a is 2xx', 'never-equal', '1:5', 'about the status'],
    ['$.a matches /(/', 'pattern-form', '1:13', 'no pattern'],
    ['$.a matches //', 'syntax', '1:13', 'may not be empty'],
    ['$.a matches /x', 'syntax', '1:13', 'not closed'],
    ['$.a matches /x/g', 'syntax', '1:16', 'no flag'],
    ['sent link next exists', 'syntax', '1:1', 'A request has no link'],
    ['fault = "refusd"', 'never-equal', '1:9', "no fault 'refusd'"],
    ['fault in "none", "sunk"', 'never-equal', '1:18', "no fault 'sunk'"],
    ['fault = 200', 'never-equal', '1:1', 'can never be compared'],
  ];

test('an error tells what, where and how to mend it', () => {
  for (const [text, code, at, says, remedy = ''] of errors) {
    const [error, ...others] = read(text).errors;
    assert.ok(error, `${text} should be an error`);
    assert.deepEqual([error.code, error.at], [code, at], `${text}: ${error.message}`);
    assert.ok(error.message.includes(says), `${text}: ${error.message}`);
    assert.ok(error.remedy.includes(remedy), `${text}: ${error.remedy}`);
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
  const seeds = errors
    .map(([text]) => text)
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
