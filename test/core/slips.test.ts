import assert from 'node:assert/strict';
import { test } from 'node:test';
import { shownOf } from '../../src/core/secrecy/shown-finding.ts';
import { settings } from '../../src/core/settings/table.ts';
import { caseOf, caseText, everySideOf, fence, planOf } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';
import { inputs } from '../support/inputs.ts';
import { read } from '../support/language.ts';
import { hearWhole } from '../support/whole.ts';

// What is said of a text that is nearly right: it is cut, or lacks a character. What comes of each
// is held by a digest (test/words/wholes.txt).

function* slipsOf(text: string): Generator<string> {
  for (let at = 0; at < text.length; at++) {
    yield text.slice(0, at);
    yield text.slice(0, at) + text.slice(at + 1);
  }
  yield text;
}

const statements = inputs('statements');

test('a statement that is cut, or lacks a character', () => {
  for (const statement of statements) {
    const told = [...slipsOf(statement)].map(text => read(text, true).errors);
    hearWhole('slips', statement, told);
  }
  assert.deepEqual(read('cleanup').errors, []);
});

const requests = inputs('requests');
const bodies = inputs('fences').map(line => line.split('  ->  '));

/** What the slips of a page come to, one after the other. */
async function toldOfEach(texts: Iterable<string>): Promise<unknown[]> {
  const told: unknown[] = [];
  for (const text of texts) told.push(await everySideOf({ 'mervok.yaml': root, 'a.md': text }));
  return told;
}

const root = `base: http://skerry.example
variables: { code: "0417", harbour: "http://h.example", a: x, b: [1, y], c: { d: z }, d: 4.2, t: tern-and-gull }
`;

test('a page whose fences are cut, or lack a character', async () => {
  const within = (info: string, content: string) =>
    caseOf('A', ['http', 'POST /a'], [info, content], ['mervok', 'status = 200']);
  for (const request of requests) {
    const pages = [...slipsOf(request)].map(text => caseText('A', text, 'status = 200'));
    hearWhole('slips', request, await toldOfEach(pages));
  }
  for (const [info = '', content = ''] of bodies) {
    const infos = [...slipsOf(info)].map(each => within(each, content));
    hearWhole('slips', info, await toldOfEach(infos));
    const contents = [...slipsOf(content)].map(each => within(info, each));
    hearWhole('slips', `in ${info}`, await toldOfEach(contents));
  }
  const page = `---\ntitle: A\ntags: [b]\n---\n\n# Title\n\nProse.\n\n## Case [1](#tag)\n\n${fence('http', 'GET /')}<!-- note -->\n\n- ${fence('mervok', 'status = 200').replaceAll('\n', '\n  ')}\n### Below\n\n> quoted\n`;
  hearWhole('slips', 'page', await toldOfEach(slipsOf(page)));
});

test('each name with each value, wherever a secret may be written', async () => {
  const names = inputs('names-of-secrets');
  const written = inputs('values-of-secrets');
  const places: readonly ((name: string, value: string) => { [path: string]: string })[] = [
    (name, value) => ({ 'mervok.yaml': `variables: { a: b }\nheaders:\n  ${name}: ${value}\n` }),
    (name, value) => ({ 'mervok.yaml': `variables:\n  a: b\n  ${name.replaceAll('_', '-')}: ${value}\n` }),
    (name, value) => ({ 'mervok.yaml': `auth: { ${name}: ${value} }\n` }),
    (name, value) => ({ 'mervok.secret.yaml': `${name}: ${value}\n` }),
    (name, value) => ({
      'a.md': caseText('A', `POST /a?${name}=${value}\n${name}: ${value}\n\n${name}=${value}`, 'x'),
    }),
    (name, value) => ({
      'a.md': caseText('A', `POST /a\n\n{ "${name}": "${value}", "b": 1 }`, 'status = 200'),
    }),
    (name, value) => ({
      'a.md': caseText('A', `POST /a\n\n{\n  "${name}": ${value},\n  "b": 1\n}`, 'status = 200'),
    }),
    (name, value) => ({
      'a.md': caseText('A', 'GET /a', `$.${name} = "${value}"\nheader "${name}" == ${value}`),
    }),
  ];
  for (const [at, place] of places.entries())
    for (const name of names) {
      const told = [];
      for (const value of written) {
        const { findings } = await planOf(place(name, value), {}, true);
        told.push(findings.map(each => [each.code, shownOf(each)]));
      }
      hearWhole('written', `${name}, ${at}`, told);
    }
});

const values = inputs('setting-values');

test('each setting with each value, at each level', async () => {
  const base = { 'b.md': caseText('B', 'GET /b', 'status = 200') };
  const levels: { readonly [level: string]: (line: string) => { [path: string]: string } } = {
    root: line => ({ 'mervok.yaml': `base: http://skerry.example\n${line}\n`, 'a.md': plain }),
    folder: line => ({ 'mervok.yaml': root, 'sea/mervok.yaml': `${line}\n`, 'sea/a.md': plain }),
    page: line => ({ 'mervok.yaml': root, 'a.md': `---\n${line}\n---\n${plain}` }),
    secrets: line => ({ 'mervok.yaml': root, 'mervok.secret.yaml': `${line}\n`, 'a.md': plain }),
    case: line => ({
      'mervok.yaml': root,
      'a.md': caseOf(
        'A',
        ['yaml settings', line],
        ['http', 'POST /a?x=1\nX-A: {+a}\n\n{}'],
        ['mervok', 'status = 200'],
      ),
    }),
  };
  const plain = caseText('A', 'POST /a\nX-B: {+a}\n\n{}', 'status = 200');
  // What is said of a value is hardly another one at another level.
  const few = values.filter((_, at) => at % 8 === 0);
  for (const { key } of settings) {
    const told: unknown[] = [];
    for (const [level, texts] of Object.entries(levels))
      for (const value of level === 'page' ? values : few) {
        if (key === 'base' && level === 'root') continue;
        try {
          const { sent, outcomes, events } = await runTexts(
            { ...base, ...texts(`${key}: ${value}`) },
            () => ({ status: 200 }),
            { os: { B: 'os' }, files: { 'b.txt': 'file' }, byChance: true },
          );
          told.push([
            level,
            value,
            outcomes,
            sent.map(({ jar: _jar, secrecy: _secrecy, ...request }) => request),
            events.filter(({ type }) => type === 'run' || type === 'page' || type === 'case'),
          ]);
        } catch (error) {
          told.push([level, value, (error as Error).message]);
        }
      }
    hearWhole('setting', key, told);
  }
});
