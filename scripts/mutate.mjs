// A campaign of small mistakes: puts them into the code of a folder one at a time, and looks whether the tests of its
// layer notice.
//   npm run mutate -- FOLDER… [--count 200] [--seed NUMBER] [--jobs 2]
// FOLDER: below src, such as src/core/values. Which mistakes there are is said by a package, and by `mistakes.mjs`; which
// of them are tried, by chance that begins with a seed.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { mistakesIn } from './mistakes.mjs';
import { bundleOf, bundleTests, testFiles } from './test-bundles.mjs';

const folder = 'build/mutate';
/** In milliseconds: a mistake that makes a test last so much longer than it did is noticed, too. */
const patience = usual => 3000 + 4 * usual;
/** Where less of them die, the tests are too weak. */
const least = 0.9;

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    count: { type: 'string', default: '200' },
    seed: { type: 'string', default: String(Date.now() % 1_000_000) },
    jobs: { type: 'string', default: String(availableParallelism()) },
  },
});
const folders = positionals.map(each => each.replace(/\/+$/, ''));
if (folders.length === 0 || folders.some(each => !/^src\/\w+/.test(each)))
  stop('Which folder? For example: npm run mutate -- src/core/values');
for (const each of folders) if (!existsSync(each)) stop(`There is no ${each}.`);

function stop(message) {
  console.error(message);
  process.exit(2);
}

/** Numbers between 0 and 1 that are the same for the same seed. */
function chanceFrom(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** So many of a list, by chance. */
function some(list, count, chance) {
  const left = [...list];
  return Array.from({ length: Math.min(count, left.length) }, () => {
    const [taken] = left.splice(Math.floor(chance() * left.length), 1);
    return taken;
  });
}

function sourcesIn(where) {
  const entries = where.endsWith('.ts')
    ? ['']
    : readdirSync(where, { recursive: true }).map(each => `/${each}`);
  const sources = entries.filter(each => !each.includes('.') || /(?<!\.d)\.ts$/.test(each));
  return sources.map(each => where + each).filter(each => each.endsWith('.ts'));
}

/** The tests of a layer lie in a folder of its name. */
const testsOf = where => testFiles().filter(file => file.startsWith(`test/${where.split('/')[1]}/`));

/**
 * Runs tests of a file.
 * @param environment by which a mistake is made, or noted
 * @param names of the tests; all of them, where there are none
 * @param limit in milliseconds
 * @returns whether they pass
 */
function runTests(file, environment, { names = [], limit } = {}) {
  const patterns = names.map(name => `--test-name-pattern=^${name.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')}$`);
  const noting = ['--import', resolve('scripts/mistake-reached.mjs')];
  const child = spawn(process.execPath, [...patterns, ...noting, bundleOf(file, join(folder, 'tests'))], {
    stdio: 'ignore',
    detached: true,
    env: { ...process.env, NODE_DISABLE_COMPILE_CACHE: '1', ...environment },
  });
  // What a test has started goes with it.
  const timer = limit && setTimeout(() => process.kill(-child.pid, 'SIGKILL'), limit);
  return new Promise(settle =>
    child.on('close', code => {
      clearTimeout(timer);
      settle(code === 0);
    }),
  );
}

/**
 * Which tests of a file come by which mistakes.
 * @returns by the number of a mistake the tests: `names`, none where all of them do, and the `time` that they take
 */
async function reachedBy(file) {
  const notes = join(folder, 'reached', file.replaceAll('/', '-'));
  if (!(await runTests(file, { MERVOK_REACHED: notes }))) stop(`${file} fails as it is.`);
  const [loading, ...each] = JSON.parse(readFileSync(notes, 'utf8'));
  const whole = each.reduce((sum, { time }) => sum + time, loading.time);
  const found = new Map();
  for (const { name, time, reached } of each)
    for (const id of reached) {
      const before = found.get(id) ?? { names: [], time: loading.time };
      found.set(id, { file, names: [...before.names, name], time: before.time + time });
    }
  for (const id of loading.reached) found.set(id, { file, names: [], time: whole });
  return found;
}

/** Does something with each of a list, several at a time. */
async function each(list, jobs, task) {
  const left = [...list];
  const worker = async () => {
    for (let next = left.shift(); next !== undefined; next = left.shift()) await task(next);
  };
  await Promise.all(Array.from({ length: jobs }, worker));
}

/** @param notes whether test files tell which mistakes they came by */
function bundle(notes) {
  const texts = sources(notes);
  const mistaken = {
    name: 'mistaken',
    setup(build) {
      build.onLoad({ filter: /\.ts$/ }, ({ path }) => {
        const contents = texts.get(path);
        return contents === undefined ? undefined : { contents, loader: 'ts' };
      });
    },
  };
  return bundleTests(tests, join(folder, 'tests'), { plugins: [mistaken], sourcemap: false });
}

const jobs = Number(values.jobs);
const seed = Number(values.seed);
const files = folders.flatMap(sourcesIn);
const tests = [...new Set(folders.flatMap(testsOf))];
if (tests.length === 0) stop(`There are no tests of ${folders.join(', ')} alone.`);

const { mistakes, sources } = await mistakesIn(files);
mkdirSync(join(folder, 'reached'), { recursive: true });
await bundle(true);
const reached = [];
await each(tests, jobs, async file => reached.push(await reachedBy(file)));
await bundle(false);
const chosen = some(mistakes, Number(values.count), chanceFrom(seed));
console.log(
  `${mistakes.length} mistakes are possible in ${files.length} files; ${chosen.length} are tried (seed ${seed}).`,
);

const survivors = [];
let done = 0;
await each(chosen, jobs, async mistake => {
  const reaching = reached.flatMap(found => found.get(mistake.id) ?? []).sort((a, b) => a.time - b.time);
  let survives = true;
  for (const { file, names, time } of reaching) {
    survives = await runTests(file, { MERVOK_MISTAKE: mistake.id }, { names, limit: patience(time) });
    if (!survives) break;
  }
  done++;
  if (survives) survivors.push({ ...mistake, isReached: reaching.length > 0 });
  if (process.stderr.isTTY)
    process.stderr.write(`\r${done} of ${chosen.length}, ${survivors.length} survive `);
  else if (done % 50 === 0) console.error(`${done} of ${chosen.length}, ${survivors.length} survive`);
});
if (process.stderr.isTTY) process.stderr.write('\r\x1b[K');

survivors.sort((a, b) => a.file.localeCompare(b.file) || a.line - b.line);
for (const { file, line, column, before, after, isReached } of survivors)
  console.log(
    `${file}:${line}:${column}${isReached ? '' : '  (no test comes by)'}\n  - ${before}\n  + ${after}`,
  );
const died = chosen.length - survivors.length;
console.log(
  `${died} of ${chosen.length} die (${((100 * died) / chosen.length).toFixed(1)} %), ${survivors.length} survive.`,
);
process.exitCode = died >= least * chosen.length ? 0 : 1;
