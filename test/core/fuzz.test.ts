import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { test } from 'node:test';
import { planOf, told } from '../support/collection.ts';
import { mutate, sequence } from '../support/fuzz.ts';

const demo = Object.fromEntries(
  readdirSync('demo/collection')
    .filter(file => /\.(?:md|yaml)$/.test(file))
    .map(file => [file, readFileSync(`demo/collection/${file}`, 'utf8')]),
);
test('whatever is done to the pages and settings of a collection ends in findings with places', async () => {
  const next = sequence(20261123);
  const files = Object.keys(demo);
  for (let turn = 0; turn < 600; turn++) {
    const file = files[next(files.length)]!;
    const texts = { ...demo, [file]: mutate(demo[file]!, next) };
    try {
      const { findings } = await planOf(texts);
      for (const place of told(findings)) assert.match(place, /^[\w./-]+:[1-9]\d*:[1-9]\d* [a-z-]+$/);
      for (const { source, range } of findings)
        assert.ok(range.start >= 0 && range.end >= range.start && range.start <= source.text.length);
    } catch (error) {
      throw new Error(`${(error as Error).stack}\n\n${file} was:\n${texts[file]}`);
    }
  }
});
