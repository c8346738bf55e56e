import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseBody, type TemplateForm } from '../../src/core/language/templates/body-template.ts';
import { render, TemplateError } from '../../src/core/language/templates/render.ts';
import { parseTarget, renderTarget } from '../../src/core/language/templates/target.ts';
import { parseTemplateText } from '../../src/core/language/templates/template.ts';
import { SourceError } from '../../src/core/model/finding.ts';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { CalendarDate, Plain, type Value } from '../../src/core/model/value.ts';
import { readJson } from '../../src/core/values/json-document.ts';
import { loadXml } from '../../src/core/values/xml.ts';
import { table } from '../support/inputs.ts';
import { contextOf } from '../support/language.ts';

await loadXml();

const place = (start: number, end: number) => ({ start, end });

function expand(target: string, names: { [name: string]: Value }): string {
  return renderTarget(parseTarget(target, place), contextOf({ names }));
}

// RFC 6570, 3.2: the variables and the tables of its examples. Underscores and digits in names are written as letters
// where Mervok's names do not allow them.
const variables: { [name: string]: Value } = {
  count: ['one', 'two', 'three'],
  dom: ['example', 'com'],
  dub: 'me/too',
  hello: 'Hello World!',
  half: '50%',
  var: 'value',
  who: 'fred',
  base: 'http://example.com/home/',
  path: '/foo/bar',
  list: ['red', 'green', 'blue'],
  keys: { semi: ';', dot: '.', comma: ',' },
  v: 6,
  x: 1024,
  y: 768,
  none: null,
  noKeys: {},
};

for (const { title, rows } of table('uri-templates')) {
  test(`RFC 6570, ${title}`, () => {
    for (const [template = '', expansion] of rows) {
      if (expansion === 'refused') assert.throws(() => expand(template, variables), TemplateError, template);
      else assert.equal(expand(template, variables), expansion, template);
    }
  });
}

test('what is written literally in a target goes out as it is written', () => {
  assert.equal(expand('/a%2Fb//c/[x]?q=%20&q=a+b', {}), '/a%2Fb//c/[x]?q=%20&q=a+b');
  assert.equal(expand('/\\{x}/{not a reference}', {}), '/%7Bx}/{not%20a%20reference}');
  assert.equal(expand('/ähre', {}), '/%C3%A4hre');
});

test('a reference at the beginning of a target is inserted as it is', () => {
  assert.equal(
    expand('{harbour}/berths', { harbour: 'http://127.0.0.1:7070' }),
    'http://127.0.0.1:7070/berths',
  );
});

test('an empty value in a path is refused, one in a query is not', () => {
  for (const empty of ['', null, new Plain('')]) {
    assert.throws(
      () => expand('/berths/{berth}', { berth: empty }),
      (error: Error) =>
        error instanceof TemplateError &&
        error.message.includes('{berth} is empty') &&
        error.message.includes('from the test'),
    );
  }
  assert.equal(expand('/berths?state={state}', { state: '' }), '/berths?state=');
  assert.throws(() => expand('/berths/{berth}', {}), /'berth' has no value here/);
  assert.throws(() => expand('/berths/{berth.code}', { berth: { id: 1 } }), /there has no 'code'/);
});

function fillBody(form: TemplateForm, text: string, names: { [name: string]: Value }): string {
  const source = new Source('a.md', text);
  return render(parseBody(new Excerpt(source, text, 1), 0, form), contextOf({ names }));
}

test('a value is escaped for the place where it lands', () => {
  const nasty = 'a"b\\c\n<d>&\'{e}';
  assert.equal(
    fillBody('json', '{ "in": "x{v}y", "as": {v}, "n": {n}, "o": {o}, "brace": "\\{v}" }', {
      v: nasty,
      n: 7,
      o: { a: [1, null] },
    }),
    `{ "in": "xa\\"b\\\\c\\n<d>&'{e}y", "as": "a\\"b\\\\c\\n<d>&'{e}", "n": 7, "o": { "a": [1, null] }, "brace": "{v}" }`,
  );
  assert.equal(
    fillBody('xml', '<a b="{v}">{v}</a>', { v: `<"&'>` }),
    '<a b="&lt;&quot;&amp;&apos;&gt;">&lt;&quot;&amp;&apos;&gt;</a>',
  );
  assert.equal(fillBody('form', 'q={v}&r=1', { v: 'a b&c=ü~*' }), 'q=a+b%26c%3D%C3%BC%7E*&r=1');
  assert.equal(fillBody('text', 'Dear {v}, \\{v} { v }', { v: nasty }), `Dear ${nasty}, {v} { v }`);
  assert.equal(fillBody('json', '"{+v}"', { v: '\\u00e9' }), '"\\u00e9"');
});

test('a plain value in the place of a JSON value becomes a number where it is written as one', () => {
  const names = {
    a: new Plain('3'),
    b: new Plain('0417'),
    c: new Plain('true'),
    d: new CalendarDate(Date.UTC(2026, 10, 25)),
  };
  assert.equal(
    fillBody('json', '[{a}, {b}, {c}, {d}, "{d}"]', names),
    '[3, "0417", true, "2026-11-25", "2026-11-25"]',
  );
});

test('a 64-bit id goes into the next request with all its digits', () => {
  const { id } = readJson('{"id": 9007199254740993}') as { [name: string]: Value };
  assert.equal(
    fillBody('json', '{ "id": {id}, "text": "{id}" }', { id: id! }),
    '{ "id": 9007199254740993, "text": "9007199254740993" }',
  );
  assert.equal(expand('/vessels/{id}', { id: id! }), '/vessels/9007199254740993');
});

test('a value that cannot stand in its place is named with its origin', () => {
  const header = (text: string, names: { [name: string]: Value }) =>
    render(parseTemplateText(text, 'header', { start: 0, end: 0 }), contextOf({ names }));
  assert.equal(header('Bearer {token}', { token: 'abc' }), 'Bearer abc');
  for (const bad of ['a\r\nX: y', 'a\nb', 'a\0'])
    assert.throws(() => header('{token}', { token: bad }), /\{token\} holds a line end.*from the test/);
  assert.throws(
    () => header('{token}', { token: { a: 1 } }),
    /\{token\} is an object, which cannot stand in a header/,
  );
  assert.throws(() => fillBody('text', '{list}', { list: [1] }), /is a list, which cannot stand in a text/);
  assert.throws(
    () => fillBody('json', '"{list}"', { list: [1] }),
    /is a list, which cannot stand in a JSON string/,
  );
});

test('a body that should be JSON and is none is an error at its place', () => {
  const rows: [body: string, offset: number, says: string][] = [
    ['{ "a": nonsense }', 7, "not 'nonsense'"],
    ['{ "a": 1, }', 10, "no comma may stand before '}'"],
    ["{ 'a': 1 }", 2, 'double quotes'],
    ['{ "a" 1 }', 6, "a ':' should stand here"],
    ['{ "a": 01 }', 7, 'no JSON number'],
    ['[1 2]', 3, "a ',' or ']'"],
    ['{ "a": "x }', 7, 'not closed'],
    ['{ "a": "\\q" }', 8, 'no escape'],
    ['{ "a": 1', 8, "a ',' or '}'"],
    ['{} {}', 3, 'behind the end'],
    ['{ {name}: 1 }', 2, 'member name'],
    ['{ "a": {b c} }', 8, 'member name'],
  ];
  for (const [body, offset, says] of rows) {
    assert.throws(
      () => fillBody('json', body, {}),
      (error: Error) => {
        assert.ok(error instanceof SourceError, body);
        assert.equal(error.range.start, offset, `${body}: ${error.message}`);
        assert.ok(error.message.includes(says), error.message);
        return true;
      },
    );
  }
});
