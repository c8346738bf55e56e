// Loaded before a test file by `mutate.mjs`: notes which of the possible mistakes each test came by, and how long it took.
import { writeFileSync } from 'node:fs';
import { beforeEach } from 'node:test';

const { MERVOK_REACHED: file } = process.env;
if (file) {
  const all = new Uint8Array(1e6);
  globalThis.mervokReached = all;
  const tests = [];
  let [name, begin] = [undefined, performance.now()];
  /** What was noted since the last time belongs to the test that was under way; to none, before the first. */
  const note = next => {
    const reached = [...all.keys()].filter(id => all[id] === 1);
    tests.push({ name, time: performance.now() - begin, reached });
    all.fill(0);
    [name, begin] = [next, performance.now()];
  };
  beforeEach(context => note(context.name));
  process.on('exit', () => {
    note();
    writeFileSync(file, JSON.stringify(tests));
  });
}
