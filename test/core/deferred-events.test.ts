import assert from 'node:assert/strict';
import { test } from 'node:test';
import { setImmediate as turn } from 'node:timers/promises';
import { DeferredEvents } from '../../src/core/runner/deferred-events.ts';

/** A moment later: the turn of the event loop behind the next one. */
async function moment(): Promise<void> {
  for (let left = 3; left > 0; left--) await turn();
}

test('what happened is told a moment later, in its order, and nothing of it is lost', async () => {
  const heard: number[] = [];
  const telling = new DeferredEvents<number>(
    event => heard.push(event),
    () => assert.fail('nothing throws'),
  );
  for (let event = 0; event < 3; event++) telling.add(event);
  assert.deepEqual(heard, []);
  await moment();
  assert.deepEqual(heard, [0, 1, 2]);
  // Where nothing gives way in between, it does not pile up.
  for (let event = 3; event < 1000; event++) telling.add(event);
  assert.ok(heard.length > 700);
  telling.finish();
  assert.deepEqual(
    heard,
    Array.from({ length: 1000 }, (_, at) => at),
  );
});

test('who throws while it hears ends the telling, and the run learns of it', async () => {
  const heard: number[] = [];
  let failures = 0;
  const telling = new DeferredEvents<number>(
    event => {
      if (event === 2) throw new Error('the ear is full');
      heard.push(event);
    },
    () => failures++,
  );
  for (let event = 1; event < 4; event++) telling.add(event);
  await moment();
  telling.add(4);
  assert.throws(() => telling.finish(), /the ear is full/);
  assert.deepEqual([heard, failures], [[1], 1]);
});
