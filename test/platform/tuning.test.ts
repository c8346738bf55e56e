import assert from 'node:assert/strict';
import { test } from 'node:test';
import { cachedDataVersionTag } from 'node:v8';
import { leaveTuning, setFlags, tuneProgram, tuneRequests } from '../../src/platform/tuning.ts';

// The tag hangs on the flags: what was compiled under another one V8 does not take.
test('a thread starts under the flags that the runtime was compiled with, which are then set again', () => {
  const untuned = cachedDataVersionTag();
  tuneProgram('sends');
  const tuned = cachedDataVersionTag();
  assert.notEqual(tuned, untuned);
  const flags = leaveTuning();
  assert.equal(cachedDataVersionTag(), untuned);
  // Who sends a request meanwhile does not set them too early.
  tuneRequests();
  assert.equal(cachedDataVersionTag(), untuned);
  setFlags(flags);
  assert.equal(cachedDataVersionTag(), tuned);
});
