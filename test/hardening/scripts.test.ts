import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { EndedScript, OutgoingScript } from '../../src/core/steps/script/script-port.ts';
import { globals } from '../../src/core/steps/script/undeclared.ts';
import { ScriptThreads } from '../../src/platform/script/script-threads.ts';

// Scripts that mean harm: each ends by itself or is ended, within its limit; the next one runs.

// A limit that only what never ends reaches, however busy the machine is.
const limits = { time: 30_000, memory: 64 * 1024 * 1024 };

function scriptOf(text: string, more: Partial<OutgoingScript> = {}): OutgoingScript {
  const none = { json: '{}', marked: false };
  const answer = {
    words: { json: '{"status":200}', marked: false },
    fields: [['a', 'b']] as const,
    content: Buffer.from('{}'),
  };
  return {
    ...{ file: 'quays/a.md', text, modules: new Map(), values: none, exchange: { answer } },
    ...{
      functions: ['sha256', 'find'],
      packages: ['patterns'],
      now: 1_795_000_000_000,
      chance: 0.25,
      limits,
    },
    ...more,
  };
}

/** What comes of it: a kind of fault, or what it gives; and whatever is asked of it besides. */
type Outcome = string | ((ended: EndedScript) => boolean);

const given = (wanted: unknown) => (ended: EndedScript) => {
  const { a } = JSON.parse(ended.exports ?? '{}') as { a: unknown };
  return JSON.stringify(a) === JSON.stringify(wanted);
};
const checksThat =
  (...holds: string[]) =>
  ({ checks }: EndedScript) =>
    checks.map(each => each.holds).join() === holds.join();

const exchange = "import { answer } from 'mervok:exchange';";
const functions = "import { sha256, find } from 'mervok:functions';";
const checks = "import { holds, equals } from 'mervok:checks';";

const hostile: readonly (readonly [text: string, outcome: Outcome])[] = [
  // What stands around it.
  [
    'export const a = [typeof require, typeof process, typeof module, typeof fetch, typeof setTimeout, typeof WebAssembly, typeof Atomics, typeof Buffer, typeof performance, typeof navigator, typeof importScripts, typeof postMessage].join()',
    given(Array(12).fill('undefined').join()),
  ],
  [
    "export const a = console.log.constructor('return typeof process + typeof require + typeof globalThis.__host')()",
    given('undefinedundefinedundefined'),
  ],
  [
    `${exchange} export const a = answer.headers.get.constructor.constructor('return typeof process')()`,
    given('undefined'),
  ],
  [
    `${functions} export const a = Object.getPrototypeOf(sha256).constructor('return this')() === globalThis`,
    given(true),
  ],
  [
    `${exchange} export const a = [answer.__proto__ === undefined, answer.constructor === undefined, answer.headers.__proto__ === Object.prototype]`,
    given([true, true, true]),
  ],
  [
    'export const a = Object.getOwnPropertyNames(globalThis).filter(name => /host|ask|mervok/i.test(name)).length',
    given(0),
  ],
  [
    "export const a = Object.getOwnPropertySymbols(globalThis).filter(each => String(each) !== 'Symbol(Symbol.toStringTag)').length",
    given(0),
  ],
  ["await import('node:fs')", 'exception'],
  ["await import('mervok:inner')", 'exception'],
  ['await eval(\'import("mervok:inner")\')', 'exception'],
  ['await new Function(\'return import("mervok:values")\')()', 'exception'],
  ['await (async () => {}).constructor(\'return import("mervok:inner")\')()', 'exception'],
  ["import { ask } from 'mervok:inner'", 'exception'],
  ["import { carryOut } from 'mervok:run'", 'exception'],
  ["import 'node:child_process'", 'exception'],
  ["import '../../../etc/passwd.js'", 'exception'],
  ["import './a.md'; export const a = 1", given(1)],
  ["import fs from '/etc/passwd'", 'exception'],
  ['export const a = typeof import.meta.url', given('undefined')],
  // What does not end.
  ['for (;;);', 'timeout'],
  ['for (;;) try { for (;;); } catch {}', 'timeout'],
  ['try { for (;;); } finally { for (;;); }', 'timeout'],
  ['const f = async () => { for (;;) await 0; }; await f()', 'timeout'],
  // Every promise of it waits for the next: on a fast machine its memory comes to an end before its time.
  [
    'const again = () => Promise.resolve().then(again); await again()',
    ended => ended.fault?.kind === 'timeout' || ended.fault?.kind === 'limit',
  ],
  ['await new Promise(() => {})', 'pending'],
  ['await { then() {} }', 'pending'],
  ['export const a = { then(go) { go(1); } }', 'export'],
  ['new Array(2 ** 31).indexOf(5)', 'timeout'],
  ['new Array(2 ** 28).join("x")', 'timeout'],
  ['new Array(2 ** 31).reverse()', 'timeout'],
  ["/^(a+)+$/.test('a'.repeat(60) + 'b')", 'timeout'],
  [
    `${functions} export const a = find('a'.repeat(60) + 'b', '^(?=(a+)+$)')`,
    ended => ended.fault !== undefined,
  ],
  ['throw { get message() { for (;;); }, get stack() { for (;;); } }', ended => ended.fault !== undefined],
  [
    "const e = new Error('x'); Object.defineProperty(e, 'message', { get() { for (;;); } }); throw e",
    'timeout',
  ],
  ['throw { toString() { for (;;); } }', ended => ended.fault !== undefined],
  ['export const a = new Proxy({}, { ownKeys() { for (;;); } })', 'timeout'],
  ['export const a = { get b() { for (;;); } }', 'timeout'],
  ['console.log({ toJSON() { for (;;); } })', 'timeout'],
  [`${checks} holds({ toString() { for (;;); } }, true)`, checksThat('unknown')],
  // What is too much.
  ['const a = []; for (;;) a.push(new Array(1000).fill(1))', 'limit'],
  [
    'const a = []; for (;;) try { a.push(new Array(1000).fill(1)); } catch {}',
    ended => ended.fault !== undefined,
  ],
  ["export const a = 'x'.repeat(200_000_000)", 'limit'],
  ["let a = 'x'; for (;;) a += a", ended => ended.fault !== undefined],
  ['new Uint8Array(1e9)', 'limit'],
  ['new ArrayBuffer(2 ** 40)', 'exception'],
  ['new SharedArrayBuffer(2 ** 31)', 'exception'],
  ['(10n ** 3_000_000n).toString()', ended => ended.fault !== undefined],
  ['2n ** (2n ** 40n)', 'exception'],
  ['(function f() { f(); })()', 'exception'],
  ['const f = () => [1].map(f); f()', 'exception'],
  ['class A { get x() { return this.x; } } new A().x', 'exception'],
  ["JSON.parse('['.repeat(1e6))", 'exception'],
  [
    'let a = []; for (let n = 0; n < 1e5; n++) a = [a]; JSON.stringify(a)',
    ended => ended.fault !== undefined,
  ],
  ['let b = []; for (let n = 0; n < 1e5; n++) b = [b]; export const a = b', 'export'],
  ['let b = {}; for (let n = 0; n < 5000; n++) b = { b }; throw b', 'exception'],
  ["console.log('x'.repeat(1_000_000))", ({ console }) => console.length <= 20_001],
  ["for (let n = 0; n < 1e4; n++) console.log('line ' + n)", ({ console }) => console.length <= 20_001],
  [
    `${checks} for (;;) holds('x', true)`,
    ({ fault, checks: made }) => fault!.kind === 'limit' && made.length <= 10_000,
  ],
  [`${checks} equals('x', new Array(1e5).fill(1), new Array(1e5).fill(2))`, checksThat('no')],
  // What is changed around it: nothing of it reaches what comes after.
  [
    'Object.prototype.a = 1; Array.prototype.map = null; JSON.stringify = () => "{}"; Object.keys = () => []; export const a = [1]',
    given([1]),
  ],
  [
    "String.prototype.startsWith = () => true; Array.isArray = () => true; export const a = { b: 'c' }",
    given({ b: 'c' }),
  ],
  [`${checks} Error.prototype.name = 'x'; Error = null; holds('x', false)`, checksThat('no')],
  ['globalThis.left = 1; Object.prototype.left = 2; export const a = 1', given(1)],
  ['export const a = typeof left + typeof {}.left', given('undefinedundefined')],
  [
    'export const a = [Object.keys(globalThis).includes("left"), [1].map(n => n + 1)[0], JSON.stringify([1])]',
    given([false, 2, '[1]']),
  ],
  // What is no value, and what only looks like something else.
  ['export const a = undefined', 'export'],
  ['export const a = Symbol("x")', 'export'],
  ['export const a = -Infinity', 'export'],
  ['export const a = new Map([[1, 2]])', 'export'],
  ['export const a = [,1]', 'export'],
  ['export const a = new (class Berth {})()', 'export'],
  [
    'export const a = JSON.parse(\'{"__proto__":{"b":1}}\')',
    ended => ended.exports === '{"a":{"__proto__":{"b":1}}}',
  ],
  ["export const a = '\\u0001n5'", ended => ended.exports === '{"a":"\\u0001\\u0001n5"}'],
  ["export const a = '!no'", given('!no')],
  [`${checks} holds('!label', true); holds('x', '!no')`, checksThat('unknown', 'unknown')],
  ["export const a = '\\ud800'", ended => ended.exports !== undefined],
  ["throw new Error('\\u001b[31m' + 'x'.repeat(1e6))", ({ fault }) => fault!.message.length < 3000],
];

test('what is there is what a script may name without a finding', async t => {
  const threads = new ScriptThreads();
  t.after(() => threads.close());
  const script = scriptOf('export const a = Object.getOwnPropertyNames(globalThis)');
  const { exports } = await threads.run(script, new AbortController().signal);
  const { a } = JSON.parse(exports!) as { a: string[] };
  assert.deepEqual(a.toSorted(), globals.toSorted());
});

test('hostile scripts end within their limit, and the next one runs', async t => {
  const threads = new ScriptThreads();
  t.after(() => threads.close());
  const { signal } = new AbortController();
  // The first thread has to start, which is no part of anybody's time.
  await threads.run(scriptOf(''), signal);
  const astray: string[] = [];
  for (const [text, outcome] of hostile) {
    const time = outcome === 'timeout' ? 500 : limits.time;
    const begin = performance.now();
    const ended = await threads.run({ ...scriptOf(text), limits: { ...limits, time } }, signal);
    const took = performance.now() - begin;
    const isRight = typeof outcome === 'string' ? ended.fault?.kind === outcome : outcome(ended);
    if (!isRight)
      astray.push(`${text}: ${JSON.stringify({ ...ended, console: ended.console.length }).slice(0, 300)}`);
    // A machine that is busy with other tests may take its time; that something does not end is another matter.
    if (took > time + 20_000) astray.push(`${text}: ${took} ms`);
    const { exports } = await threads.run(scriptOf('export const a = [1].map(n => n + 1)'), signal);
    if (exports !== '{"a":[2]}') astray.push(`behind ${text}: ${exports}`);
  }
  assert.deepEqual(astray, []);
});

test('memory that hostile scripts have taken comes back', async t => {
  const threads = new ScriptThreads();
  t.after(() => threads.close());
  const { signal } = new AbortController();
  const fill = scriptOf('export const a = new Uint8Array(50_000_000).fill(1).length');
  const bomb = scriptOf('const a = []; for (;;) a.push(new Uint8Array(100_000).fill(1))');
  for (let turn = 0; turn < 5; turn++) await threads.run(turn % 2 === 0 ? fill : bomb, signal);
  const before = process.memoryUsage().rss;
  for (let turn = 0; turn < 20; turn++) {
    const ended = await threads.run(turn % 2 === 0 ? fill : bomb, signal);
    assert.equal(ended.fault?.kind, turn % 2 === 0 ? undefined : 'limit', ended.fault?.message);
  }
  const grown = process.memoryUsage().rss - before;
  assert.ok(grown < 150 * 1024 * 1024, `${Math.round(grown / 1e6)} MB more`);
});

test('an interrupt ends a script at once, and those that wait for a thread run on another', async t => {
  const threads = new ScriptThreads();
  t.after(() => threads.close());
  const interrupt = new AbortController();
  const running = Array.from({ length: 6 }, () => threads.run(scriptOf('for (;;);'), interrupt.signal));
  const begin = performance.now();
  setTimeout(() => interrupt.abort(), 100);
  const ended = await Promise.all(running);
  assert.ok(ended.every(({ fault }) => fault?.kind === 'interrupted'));
  assert.ok(performance.now() - begin < limits.time);
  const { exports } = await threads.run(scriptOf('export const a = 1'), new AbortController().signal);
  assert.equal(exports, '{"a":1}');
});
