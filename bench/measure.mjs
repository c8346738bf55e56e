// How everything here is measured: whole programs, the variants in turn, medians.
import { fork, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
export const mervok = join(here, '..', 'dist', 'mervok.cjs');
export const script = name => join(here, name);
export const folder = mkdtempSync(join(tmpdir(), 'mervok-bench-'));

const server = fork(script('server.mjs'));
const { port } = await new Promise(ready => server.once('message', ready));
export const origin = `http://127.0.0.1:${port}`;

const ends = [];

/** What has to be done at the end; the last one first. */
export const later = ending => ends.push(ending);

export async function end() {
  for (const ending of ends.reverse()) await ending();
  server.kill();
  rmSync(folder, { recursive: true, force: true });
}

/** What a program says, which has to succeed. */
function ended(command, args, { mayFail = false, ...options } = {}) {
  const { status, stderr, stdout } = spawnSync(command, args, {
    cwd: folder,
    encoding: 'utf8',
    maxBuffer: 1e9,
    ...options,
  });
  if (status !== 0 && !mayFail)
    throw new Error(`${args.join(' ')} ended with ${status}: ${stderr}${stdout.slice(0, 1000)}`);
  return { stdout, stderr };
}

export const outputOf = (...given) => ended(...given).stdout;

/** How long a program takes, in milliseconds. */
export function run(args, options) {
  const begin = process.hrtime.bigint();
  outputOf(process.execPath, args, options);
  return Number(process.hrtime.bigint() - begin) / 1e6;
}

/** What a shell tells of a command behind all that the command says itself: its time in the program and in the system. */
const timed = 'TIMEFORMAT="%U %S"; time "$@"';

/** The time of the processor that a program takes, in milliseconds: other programs hardly change it. */
export function work(args, options) {
  const { stderr } = ended('bash', ['-c', timed, 'bash', process.execPath, ...args], options);
  const [user, system] = stderr.trim().split('\n').at(-1).split(' ').map(Number);
  return (user + system) * 1000;
}

const median = values => values.toSorted((a, b) => a - b)[values.length >> 1];

/**
 * What variants give that take turns: the first one its median, each other one the median of how it stands to the first
 * of its own turn. So a machine that is slow for a while spoils no ratio.
 */
export function inTurn(times, variants) {
  const turns = Array.from({ length: times }, () => variants.map(variant => variant()));
  const first = median(turns.map(([each]) => each));
  return variants.map((_, index) => first * median(turns.map(turn => turn[index] / turn[0])));
}

/** Of a command of the program, in kilobytes. */
export function peakMemory(args) {
  const file = join(folder, 'memory');
  run(['--import', script('memory.mjs'), mervok, ...args], {
    env: { ...process.env, MERVOK_BENCH_MEMORY: file },
  });
  return Number(readFileSync(file, 'utf8'));
}
