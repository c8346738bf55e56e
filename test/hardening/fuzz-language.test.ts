import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { test } from 'node:test';
import { compileCondition } from '../../src/core/language/compile-condition.ts';
import { compileExpression } from '../../src/core/language/compile-expression.ts';
import { explain } from '../../src/core/language/explain.ts';
import { type Code, codes } from '../../src/core/model/finding.ts';
import { Missing } from '../../src/core/model/value.ts';
import type { Statement } from '../../src/core/pages/statements.ts';
import { chunksOf } from '../../src/core/values/table-reader.ts';
import { planOf, told } from '../support/collection.ts';
import { mutate, sequence } from '../support/fuzz.ts';
import { contextOf, type Given, read } from '../support/language.ts';
import { scaled, seed } from '../support/scale.ts';

const readDemo = (endings: RegExp) =>
  Object.fromEntries(
    readdirSync('demo/collection', { recursive: true })
      .map(file => String(file).replaceAll('\\', '/'))
      .filter(file => endings.test(file))
      .map(file => [file, readFileSync(`demo/collection/${file}`, 'utf8')]),
  );
const demo = readDemo(/\.(?:md|yaml)$/);
/** Tables and schemas. */
const others = readDemo(/\.(?:csv|json)$/);

test('whatever is done to the pages and settings of a collection ends in findings with places', async () => {
  const next = sequence(seed);
  const files = [...Object.keys(demo), ...Object.keys(others)];
  assert.ok(files.length > 15);
  for (let turn = 0; turn < scaled(4000, 100); turn++) {
    const file = files[next(files.length)]!;
    const mutated = mutate({ ...demo, ...others }[file]!, next);
    const texts = file in demo ? { ...demo, [file]: mutated } : demo;
    const tables = { ...others, [file]: mutated };
    const textAt = (path: string) => tables[path] ?? new Missing(`There is no ${path}`);
    try {
      const { findings } = await planOf(texts, {
        readFile: textAt,
        openFile: path => {
          const text = textAt(path);
          return text instanceof Missing ? text : chunksOf(text);
        },
      });
      for (const place of told(findings)) assert.match(place, /^[\w./-]+:[1-9]\d*:[1-9]\d* [a-z-]+$/);
      for (const { source, range } of findings)
        assert.ok(range.start >= 0 && range.end >= range.start && range.start <= source.text.length);
    } catch (error) {
      throw new Error(`${(error as Error).stack}\n\n${file} was:\n${mutated}`);
    }
  }
});

/** Every example of a statement in the reference, and what stands in the pages of the demo. */
const statements = [readFileSync('docs/language.md', 'utf8'), ...Object.values(demo)].flatMap(text =>
  [...text.matchAll(/^```mervok\n([\s\S]*?)^```$/gm)].flatMap(([, fence]) => fence!.trim().split('\n')),
);
const responses: readonly Given[] = [
  {
    body: {
      count: 1,
      code: '0417',
      quay: 'North',
      berths: [{ code: '0417', depth: 4.2, deposit: null }],
      codes: ['a'],
    },
  },
  {
    body: '<tides quay="n"><tide no="1"><height>4.2</height></tide></tides>',
    headers: [['Content-Type', 'application/xml']],
  },
  { body: '<main><h1>Quay</h1></main>', headers: [['Content-Type', 'text/html']] },
  { body: '{ "a": ' },
  { fault: 'refused' },
];
const names = { berth: '0417', codes: ['a', 'b'], nights: 2, tariff: 118.25, side: 'North' };
const turns = scaled(200_000, 3000);

test('whatever is done to a statement, it can be told what is wrong with it, or carried out and explained', () => {
  const next = sequence(seed + 1);
  for (let turn = 0; turn < turns; turn++) {
    const text = mutate(statements[next(statements.length)]!, next);
    try {
      const { statements: found, errors } = read(text);
      for (const { at } of errors) assert.match(at, /^[1-9]\d*:[1-9]\d*$/);
      if (errors.some(({ code }) => codes[code as Code] === 'error')) continue;
      for (const statement of found) executeRun(statement, { ...responses[next(responses.length)]!, names });
    } catch (error) {
      throw new Error(`${(error as Error).stack}\n\nThe statement was: ${text}`);
    }
  }
});

function executeRun(statement: Statement, given: Given): void {
  const context = contextOf(given);
  if (statement.type === 'keep' || statement.type === 'let') compileExpression(statement.value)(context);
  if (statement.type !== 'check') return;
  const { condition, written } = statement;
  if (compileCondition(condition)(context) === true) return;
  const { expected, found } = explain(condition, context.notes, written, context);
  assert.ok(expected.length > 0 && found.length > 0);
}
