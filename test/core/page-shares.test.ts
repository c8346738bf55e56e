import assert from 'node:assert/strict';
import { test } from 'node:test';
import { pageShares } from '../../src/core/analysis/page-shares.ts';
import { caseText, planOf, type Texts } from '../support/collection.ts';

const look = (title: string, statements = 'status = 200', target = '/') =>
  caseText(title, `GET http://skerry.example${target}`, statements);
const page = (text: string, front = '') => `${front === '' ? '' : `---\n${front}\n---\n`}# Page\n\n${text}`;

async function sharesOf(texts: Texts, most: number, durations?: ReadonlyMap<string, number>) {
  const { plan } = await planOf(texts, {}, true);
  return pageShares(plan, most, durations).map(
    ({ pages, alone }) => `${pages.join(' ')}${alone ? ' alone' : ''}`,
  );
}

test('pages that hang together by names, needs or cleaning up are one share', async () => {
  const texts = {
    'a.md': page(look('A', 'status = 200\nkeep $.id as berth')),
    'b.md': page(look('B', 'status = 200\nkeep $.id as slip', '/{berth}')),
    'c.md': page(look('C', 'status = 200', '/{slip}')),
    'd.md': page(look('D')),
    'e.md': page(look('E'), 'needs: ["d.md#d"]'),
    'f.md': page(look('F')),
  };
  assert.deepEqual((await sharesOf(texts, 8)).sort(), ['a.md b.md c.md', 'd.md e.md', 'f.md']);
  assert.deepEqual(await sharesOf(texts, 1), ['a.md b.md c.md d.md e.md f.md']);
});

test('the heaviest share comes first; those that run alone come last, each by itself', async () => {
  const texts = {
    'a.md': page(look('A')),
    'b.md': page([1, 2, 3].map(each => look(`B ${each}`)).join('\n\n')),
    'c.md': page(look('C')),
    'd.md': page(look('D'), 'alone: true'),
    'e.md': page(look('E'), 'alone: true'),
  };
  assert.deepEqual(await sharesOf(texts, 8), ['b.md', 'a.md', 'c.md', 'd.md alone', 'e.md alone']);
  // By what they took, once that is known of all.
  const known = new Map([
    ['a.md#a', 900],
    ...[1, 2, 3].map(each => [`b.md#b-${each}`, 10] as const),
    ['c.md#c', 20],
    ['d.md#d', 1],
    ['e.md#e', 1],
  ] as [string, number][]);
  assert.deepEqual(await sharesOf(texts, 8, known), ['a.md', 'b.md', 'c.md', 'd.md alone', 'e.md alone']);
  known.delete('c.md#c');
  assert.equal((await sharesOf(texts, 8, known))[0], 'b.md');
  // Few shares are filled evenly.
  assert.deepEqual(await sharesOf(texts, 2), ['b.md', 'a.md c.md', 'd.md alone', 'e.md alone']);
});

test('every page is in one share, whatever hangs together', async () => {
  let state = 417;
  const random = (below: number) => {
    state = (state * 1103515245 + 12345) % 2 ** 31;
    return state % below;
  };
  for (let round = 0; round < 200; round++) {
    const count = 1 + random(12);
    const pages = Array.from({ length: count }, (_, index) => ({
      file: `${index}.md`,
      title: '',
      sources: Array.from({ length: random(3) }, () => `${random(count)}.md`),
      ...(random(6) === 0 && { alone: true as const }),
      variables: { near: new Map(), outer: new Map() },
      cases: [],
    }));
    const shares = pageShares({ pages }, 1 + random(6));
    const place = new Map(shares.flatMap(({ pages: own }, share) => own.map(file => [file, share] as const)));
    assert.equal(shares.flatMap(({ pages: own }) => own).length, count);
    assert.equal(place.size, count);
    for (const { file, sources, alone } of pages) {
      for (const source of sources) assert.equal(place.get(source), place.get(file));
      if (alone) assert.ok(shares[place.get(file)!]!.alone);
    }
  }
});
