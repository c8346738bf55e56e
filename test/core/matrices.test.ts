import assert from 'node:assert/strict';
import { test } from 'node:test';
import { decodeBody } from '../../src/core/language/charset.ts';
import { functions } from '../../src/core/language/functions/table.ts';
import { compileSegments } from '../../src/core/language/jsonpath/evaluate.ts';
import { Match } from '../../src/core/language/jsonpath/match.ts';
import { parsePath } from '../../src/core/language/jsonpath/parse.ts';
import { Search } from '../../src/core/language/jsonpath/search.ts';
import { compilePattern } from '../../src/core/language/patterns.ts';
import { parseBody } from '../../src/core/language/templates/body-template.ts';
import { render } from '../../src/core/language/templates/render.ts';
import { parseTarget, renderBase, renderTarget } from '../../src/core/language/templates/target.ts';
import { parseTemplateText } from '../../src/core/language/templates/template.ts';
import { Excerpt, Source } from '../../src/core/model/source.ts';
import { CalendarDate, Missing, Plain, type Value } from '../../src/core/model/value.ts';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { typeOfFile } from '../../src/core/steps/http/prepare-body.ts';
import { describeExactly } from '../../src/core/values/describe.ts';
import { loadXml } from '../../src/core/values/xml.ts';
import { inputs } from '../support/inputs.ts';
import { contextOf, decide, evaluate, type Given, toldOf } from '../support/language.ts';
import { hearWhole } from '../support/whole.ts';

// Everything with everything: what each comes to is held by a digest (test/words/wholes.txt), one for each row.

await loadXml();

/** What something gives, or what is said where it cannot. */
function tried(compute: () => unknown): unknown {
  try {
    return compute();
  } catch (error) {
    return `refused: ${(error as Error).message}`;
  }
}

const document = {
  ...{ text: 'North Quay', code: '0417', number: 4.2, zero: 0, yes: true, nothing: null, empty: '' },
  ...{
    list: [3, 1, 2],
    sorted: [1, 2, 2],
    words: ['free', 'taken', 'free'],
    none: [],
    mixed: [1, 'a', null],
  },
  object: { a: 1, b: [1, { c: null }] },
  date: '2026-11-23',
  instant: '2026-11-23T12:00:00+02:00',
  berths: [
    { code: '0417', depth: 4.2, state: 'free', deposit: null },
    { code: '0418', depth: 7, state: 'taken', deposit: 250 },
    { code: '0733', depth: 7.8, state: 'free' },
  ],
};
const names: NonNullable<Given['names']> = {
  text: 'North Quay',
  plain: new Plain('4.2'),
  number: 4.2,
  list: [3, 1, 2],
  berth: { code: '0417', depth: 4.2 },
  nothing: null,
};
const given: Given = {
  body: document,
  names,
  headers: [
    ['Content-Type', 'application/json'],
    ['X-Depth', '4.2'],
    ['X-Limit', '5 s'],
    ['Set-Cookie', 'sid=s1'],
    ['Location', '/berths/0417'],
  ],
  setCookies: ['sid=s1; Path=/'],
  sent: { headers: [['X-Key', 'k']], body: '{"nights":3}' },
};

const subjects = inputs('subjects');
const predicates = inputs('predicates');

test('each subject with each predicate', () => {
  for (const subject of subjects) {
    const told = predicates.map(predicate => tried(() => toldOf(`${subject} ${predicate}`, given)));
    hearWhole('subject', subject, told);
  }
  const without = (more: Given) =>
    subjects.map(subject => tried(() => toldOf(`${subject} = 4.2 or not ${subject} exists`, more)));
  hearWhole('subjects', 'without a response', without({ names, fault: 'reset' }));
  hearWhole('subjects', 'no JSON', without({ names, body: 'North Quay' }));
  hearWhole('subjects', 'no body', without({ names, body: '', status: 204, reason: '' }));
  hearWhole('subjects', 'no headers', without({ names, body: document, headers: [], reason: '' }));
  const pairs = ['status = 200', 'status = 404', '$.missing = 1', 'not $.zero = 1', '(time > 0 ms)'];
  const joined = pairs.flatMap(a =>
    pairs.flatMap(b => [`${a} and ${b}`, `${a} or ${b}`, `not (${a} and ${b}) or ${b}`]),
  );
  hearWhole(
    'joined',
    'and, or, not',
    joined.map(condition => tried(() => toldOf(condition, given))),
  );
  assert.ok(subjects.length * predicates.length > 2500);
});

const amounts = inputs('amounts');

test('each function with each amount, alone and in twos and threes; each operator between them', () => {
  const come = (expression: string) =>
    tried(() => {
      const found = evaluate(expression, given, true);
      return found instanceof Missing ? `nothing: ${found.reason}` : describeExactly(found);
    });
  const few = amounts.filter((_, at) => at % 4 === 0);
  for (const name of Object.keys(functions)) {
    hearWhole(
      'function',
      name,
      ['', ...amounts].map(amount => come(`${name}(${amount})`)),
    );
    hearWhole(
      'function',
      `${name}, two`,
      few.flatMap(a => few.map(b => come(`${name}(${a}, ${b})`))),
    );
    hearWhole(
      'function',
      `${name}, three`,
      few.map(a => come(`${name}(${a}, "a", "b")`)),
    );
  }
  for (const operator of ['+', '-', '*', '/'])
    for (const a of amounts)
      hearWhole(
        'operator',
        `${a} ${operator}`,
        amounts.map(b => come(`${a} ${operator} ${b}`)),
      );
});

const near = inputs('texts-of-types');
const literals = inputs('kinds');

test('each type with what is nearly of it; each kind against each other', () => {
  const types = 'text number integer boolean list object null date timestamp uuid url email 2xx 5xx'.split(
    ' ',
  );
  const texts = near.flatMap<[string, Value]>(text => [
    [`"${text}"`, text],
    [text, new Plain(text)],
  ]);
  const others: [string, Value][] = [200, 204, 300, 500, 4.2, -0, true, null, [], {}].map(each => [
    String(each),
    each,
  ]);
  for (const type of types)
    hearWhole(
      'type',
      type,
      [...texts, ...others].map(([name, x]) => [
        name,
        ...[`{x} is ${type}`, `$.x is not ${type}`].map(each =>
          tried(() => decide(each, { names: { x }, body: { x } }, true)),
        ),
      ]),
    );
  for (const a of literals)
    for (const operator of ['=', '<', '>=', '>'])
      hearWhole(
        'kinds',
        `${a} ${operator}`,
        literals.map(b => tried(() => toldOf(`${a} ${operator} ${b}`, given))),
      );
});

const paths = inputs('paths');

test('each path on documents of every kind', () => {
  const documents: readonly unknown[] = [document, [document, [1, [2]], 'a'], 'text', null, [], {}, 4];
  for (const path of paths) {
    const told = documents.map(each =>
      tried(() => {
        const { path: parsed, end } = parsePath(path, 0);
        const search = new Search(each as Value);
        const found = compileSegments(parsed.segments)(new Match(each as Value), search);
        return [end, found.map(match => [match.path, match.value])];
      }),
    );
    hearWhole('path', path, told);
  }
});

const tides = `<?xml version="1.0" encoding="UTF-8"?>
<t:tides xmlns:t="urn:skerry:tides" xmlns="urn:skerry:plain" quay="North Quay"><!-- high -->
  <t:tide no="1"><height unit="m"> 4.2 </height><at>06:10</at></t:tide>
  <t:tide no="2"><height unit="m">0.7</height><at/></t:tide>
</t:tides>`;
const web = `<!doctype html><html lang="en"><head><title>Quay</title></head><body><!-- x --><main id="m"><h1>North
   Quay</h1><ul class="berths list"><li id="a">0417<li class="taken">0418</ul><a href="/b?c=d">More</a></main></body></html>`;

test('each path of XML and each selector of HTML, on what it is for and what not', () => {
  const xml = inputs('document-paths');
  const bodies: [type: string, body: string][] = [
    ['application/xml', tides],
    ['text/html', web],
    ['application/json', '{"a":1}'],
    ['application/xml', '<a>'],
    ['text/xml; charset=iso-8859-1', '<?xml version="1.0" encoding="iso-8859-1"?><a b="1">x</a>'],
    ['text/plain', ''],
    ['', '<p class="a">4.2</p>'],
    ['', 'tide'],
  ];
  const forms = ['% exists', '% = 4.2', 'count % = 2', 'each % contains "4"'];
  for (const path of xml) {
    const told = bodies.flatMap(([type, body]) =>
      forms.map(form =>
        tried(() =>
          toldOf(form.replace('%', path), {
            names,
            body,
            headers: type === '' ? [] : [['Content-Type', type]],
          }),
        ),
      ),
    );
    hearWhole('document', path, told);
  }
});

test('each body with each charset', () => {
  const bodies = [
    ...['North', 'Låring', '\uFEFFNorth'].map(text => Buffer.from(text)),
    Buffer.from('Låring', 'latin1'),
    Buffer.from('\uFEFFNorth', 'utf16le'),
    Buffer.from([0xfe, 0xff, 0, 0x4e]),
    Buffer.from([0xff]),
    Buffer.from(`<?xml version="1.0" encoding='iso-8859-1'?><a>\u00e5</a>`, 'latin1'),
    Buffer.from('<?xml version="1.0"?><a/>'),
  ];
  const types = [
    ...[
      '',
      'text/plain',
      'text/plain; charset=utf-8',
      'text/plain;charset="ISO-8859-1"',
      'text/plain; charset=utf-16le',
    ],
    ...[
      'application/xml',
      'image/svg+xml',
      'application/json; charset=latin1',
      'text/plain; charset=nope',
      'text/xmlx',
    ],
  ];
  for (const type of types) {
    const told = bodies.map(body => {
      const text = decodeBody(body, type === '' ? undefined : type);
      return text instanceof Missing ? text.reason : text;
    });
    hearWhole('charset', type, told);
  }
});

test('each ending of a file stands for a type, each type for a form', () => {
  const endings =
    'csv gif gz html jpeg jpg json pdf png svg txt xml yaml zip bin CSV a.json b.tar.gz none .json json. constructor'.split(
      ' ',
    );
  hearWhole(
    'types',
    'of files',
    endings.map(ending => [ending, typeOfFile(`a.${ending}`), typeOfFile(ending)]),
  );
});

const values: { readonly [name: string]: Value } = {
  ...{ text: 'North Quay & Co', path: 'a/b?c#d', dots: '..', dot: '.', empty: '', number: 4.2, whole: 7 },
  ...{ plain: new Plain('0417'), yes: true, nothing: null, unicode: 'Låring 🚢', quotes: `"it's" \\ {x}` },
  ...{
    lines: 'a\nb\r\nc',
    list: [3, '1 a', null],
    none: [],
    nested: [[1], { a: 2 }],
    date: new CalendarDate(20_780),
  },
  ...{
    object: { a: 1, 'b c': 'x=y', n: null },
    bare: {},
    markup: '<a b="c">&amp;</a>',
    cdata: 'a]]>b--c',
    big: 1e21,
    host: 'skerry.example',
  },
};

test('each form of a target, a header and a body with each value', () => {
  const targets = inputs('targets');
  const place = (start: number, end: number) => ({ start, end });
  const forms = ['json', 'xml', 'form', 'text', 'yaml'] as const;
  const bodies = inputs('bodies');
  for (const [name, value] of Object.entries(values)) {
    const context = contextOf({ names: { x: value, y: 'z' } });
    hearWhole(
      'targets',
      name,
      targets.map(target => tried(() => renderTarget(parseTarget(target, place), context))),
    );
    hearWhole(
      'bases',
      name,
      inputs('bases').map(base =>
        tried(() => renderBase(parseTemplateText(base, 'text', place(0, base.length)), context)),
      ),
    );
    hearWhole(
      'bodies',
      name,
      forms.flatMap(form =>
        bodies.map(body =>
          tried(() => {
            const source = new Source('a.md', body);
            return render(parseBody(new Excerpt(source, body, 1), 0, form), context);
          }),
        ),
      ),
    );
  }
});

test('each pattern on each text', () => {
  const patterns = inputs('patterns');
  const texts = inputs('texts');
  for (const pattern of patterns) {
    const told = ['', 'i', 's', 'm', 'x', 'ii', 'im'].map(flags =>
      tried(() => {
        const compiled = compilePattern(pattern, flags);
        return texts.map(text =>
          tried(() => [compiled.test(text), compiled.matches(text, 2), compiled.replace(text, '<$0$1$$>')]),
        );
      }),
    );
    hearWhole('pattern', pattern, told);
  }
});

test('each secret in each text, and what is left around it', () => {
  const secrets = ['plain-0417-word', 'tide/+&ü "x"', '🚢-a-secret', 'short'];
  const around = [
    '%',
    'a%',
    ' % ',
    'aa%aa',
    '"%"',
    '\\%\\',
    'x=%&y',
    '%%',
    '\u0000%\u007f',
    '\\u0041%\\u0042',
    '%2525',
    '&#65;%&#x41;',
    'ü%🚢',
  ];
  const writings: ((text: string) => string)[] = [
    text => text,
    text => JSON.stringify(text).slice(1, -1),
    text =>
      [...text]
        .map(char =>
          [
            ...Buffer.from(char, 'utf16le')
              .toString('hex')
              .matchAll(/(..)(..)/g),
          ]
            .map(([, low, high]) => `\\u${high}${low}`)
            .join(''),
        )
        .join(''),
    encodeURIComponent,
    text => [...Buffer.from(text)].map(byte => `%${byte.toString(16).padStart(2, '0')}`).join(''),
    text => text.replaceAll('&', '&amp;').replaceAll('"', '&quot;'),
    text => [...text].map(char => `&#${char.codePointAt(0)};`).join(''),
    text => Buffer.from(text).toString('hex'),
    text => Buffer.from(text).toString('base64'),
    text => Buffer.from(`x${text}`).toString('base64url'),
    text => text.toUpperCase(),
    text => text.slice(0, -1),
    text => text.slice(1),
    text => [...text].join(' '),
  ];
  for (const secret of secrets) {
    const masker = new Masker();
    masker.addValue(secret, 'lasting');
    for (const [at, write] of writings.entries()) {
      const told = around.flatMap(each => {
        const text = each.replace('%', () => write(secret));
        return [masker.text(text), masker.deep({ text, list: [text], [text]: 1, cut: true })];
      });
      hearWhole('masked', `${secret}, ${at}`, told);
    }
  }
});
