import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Masker } from '../../src/core/secrecy/masker.ts';
import { forgetReader, openSecretMemory, SecretRing } from '../../src/platform/threads/secret-ring.ts';

function heardBy(ring: SecretRing): { added: string[]; retired: string[] } {
  const heard = { added: [] as string[], retired: [] as string[] };
  ring.take(
    secret => heard.added.push(secret),
    secrets => heard.retired.push(...secrets),
  );
  return heard;
}

test('what one thread adds all others hear, once and in order, and it does not hear itself', () => {
  const memory = openSecretMemory(3);
  const [a, b, c] = [0, 1, 2].map(thread => new SecretRing(memory, thread)) as [
    SecretRing,
    SecretRing,
    SecretRing,
  ];
  a.add('spring-tide');
  a.add('Hærfugl ☂ "x"');
  b.add('neap');
  a.retire(['spring-tide', 'a,b']);
  assert.deepEqual(heardBy(c), {
    added: ['spring-tide', 'Hærfugl ☂ "x"', 'neap'],
    retired: ['spring-tide', 'a,b'],
  });
  assert.deepEqual(heardBy(c), { added: [], retired: [] });
  assert.deepEqual(heardBy(a), { added: ['neap'], retired: [] });
  assert.deepEqual(heardBy(b).added, ['spring-tide', 'Hærfugl ☂ "x"']);
});

test('the ring goes round: what all have read gives room, and a thread that has died keeps nobody waiting', () => {
  const memory = openSecretMemory(3);
  const [a, b] = [new SecretRing(memory, 0), new SecretRing(memory, 1)];
  forgetReader(memory, 2);
  const long = 'tide'.repeat(250_000);
  for (let round = 0; round < 100; round++) {
    a.add(`${round} ${long}`);
    // A ring of 32 MB holds some thirty of them.
    if (round % 20 === 19) {
      const { added } = heardBy(b);
      assert.deepEqual(
        added.map(each => Number.parseInt(each, 10)),
        Array.from({ length: 20 }, (_, at) => round - 19 + at),
      );
      heardBy(a);
    }
  }
  assert.throws(() => a.add('x'.repeat(1 << 25)), /too long/);
});

test('a masker masks what others have come by, until the rounds that ran beside them have ended', () => {
  const memory = openSecretMemory(2);
  const [here, there] = [
    new Masker(undefined, new SecretRing(memory, 0)),
    new Masker(undefined, new SecretRing(memory, 1)),
  ];
  const [mine, theirs] = [here.forIteration(), there.forIteration()];
  assert.equal(mine.text('a token: spring-tide'), 'a token: spring-tide');
  theirs.addValue('spring-tide', 'passing');
  assert.equal(mine.text('a token: spring-tide'), 'a token: [secret]');
  assert.equal(mine.text(`coded ${Buffer.from('spring-tide').toString('base64')}`), 'coded [secret]=');
  assert.deepEqual(mine.deep({ type: 'x', found: 'spring-tide' }), { type: 'x', found: '[secret]' });
  theirs.end();
  assert.equal(mine.text('still: spring-tide'), 'still: [secret]');
  mine.end();
  assert.equal(here.forIteration().text('later: spring-tide'), 'later: spring-tide');
  there.addValue('neap-tide', 'lasting');
  assert.equal(here.text('neap-tide'), '[secret]');
});
