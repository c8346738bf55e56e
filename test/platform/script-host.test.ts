import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { OutgoingScript } from '../../src/core/steps/script/script-port.ts';
import { ScriptHost } from '../../src/platform/script/script-host.ts';

const script = {
  ...{
    file: 'quays/a.md',
    text: '',
    modules: new Map(),
    values: { json: '{}', marked: false },
    exchange: {},
  },
  ...{ functions: [], packages: [], now: 0, chance: 0.25, limits: { time: 1000, memory: 2 ** 26 } },
} as OutgoingScript;

test('the time of a script is what it spends, not what passes while its thread has no processor', () => {
  const rows: [moments: number[], isOver: boolean][] = [
    [[0, 1, 2], false],
    [Array.from({ length: 1001 }, (_, at) => at), false],
    [Array.from({ length: 1002 }, (_, at) => at), true],
    // The machine stood still.
    [[0, 1, 5000, 5001], false],
    [[0, 3000, 6000, 9000], false],
    [Array.from({ length: 12 }, (_, at) => at * 3000), true],
    [[0, 5000, ...Array.from({ length: 1000 }, (_, at) => 5001 + at)], true],
  ];
  for (const [[begin = 0, ...moments], isOver] of rows) {
    let now = begin;
    const host = new ScriptHost(script, () => now);
    for (const moment of moments) {
      now = moment;
      host.isOver();
    }
    assert.equal(host.fault?.kind, isOver ? 'timeout' : undefined, String(moments.slice(0, 5)));
  }
});
