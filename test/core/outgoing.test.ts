import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Missing } from '../../src/core/model/value.ts';
import { caseOf, planOf, type Texts } from '../support/collection.ts';
import { runTexts } from '../support/engine.ts';
import { inputs } from '../support/inputs.ts';

// What goes out, in every form that a page can say it in: the requests stand in test/words/events.txt.

const root = `base: http://harbour.skerry.example/v1
variables:
  code: "0417"
  quay: North Quay & Co
  sea: "a/b?c#d"
  depth: 4.2
  list: [3, "1 a", null]
  berth: { code: "0733", "line 2": "x=y" }
  empty: ""
  nothing: null
  dots: ".."
  host: skerry.example
  bad-host: "a b"
  semi: "a;b"
  secret-key: { secret: spring-tide }
`;

test('requests of every form go out as they always did', async () => {
  // Fences, each by what it is and what it holds.
  const page = inputs('outgoing').map((line, index) => {
    const parts = line.split('  ->  ');
    const infos = parts.filter((_, at) => at % 2 === 0);
    const fences = infos.map((info, at): [string, string] => [info, parts[2 * at + 1]!]);
    return caseOf(`Form ${index}`, ...fences, ['mervok', 'status = 200']);
  });
  const files = new Set(['a.csv', 'b.bin', '0417.json']);
  const texts: Texts = { 'mervok.yaml': root, 'a.md': page.join('\n') };
  const plan = {
    hasFile: (path: string) => files.has(path),
    refusesFile: (path: string) => (files.has(path) ? undefined : `There is no file '${path}'.`),
    readFile: (path: string) => (files.has(path) ? 'a' : new Missing(`there is no ${path}`)),
  };
  const { findings } = await planOf(texts, plan);
  const broken = new Set(
    findings
      .filter(each => each.severity === 'error')
      .map(({ source, range }) => source.position(range.start).line),
  );
  const errors = [...broken].map(line => {
    const before = texts['a.md']!.split('\n').slice(0, line);
    return before.findLast(each => each.startsWith('## Form'))!.slice(8);
  });
  const sound = page.filter((_, index) => !errors.includes(String(index)));
  const ran = await runTexts({ ...texts, 'a.md': sound.join('\n') }, () => ({}), { plan });
  assert.equal(ran.cases.length, sound.length);
  assert.ok(sound.length > 75, `${sound.length}`);
});
