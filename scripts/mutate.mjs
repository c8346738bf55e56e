// A campaign of small mistakes: puts them into the code of a folder one at a time, and looks whether the tests of its
// layer notice.
//   npm run mutate -- FOLDER… [--count 200] [--seed NUMBER] [--jobs 2]
// FOLDER: below src, such as src/core/values. Which mistakes there are is said by a package, and by `mistakes.mjs`; which
// of them are tried, by chance that begins with a seed.
import { spawn } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { mistakesIn } from './mistakes.mjs';
import { bundleOf, bundleTests, testFiles } from './test-bundles.mjs';

const folder = 'build/mutate';
/** No mistake has this number. */
const none = { id: -1 };
/** In milliseconds: a mistake that makes a test last so much longer than it did is noticed, too. */
const patience = usual => 5000 + 4 * usual;
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
 * Runs a test file with one of the mistakes, or with none.
 * @returns whether it passes, after how many milliseconds, and which mistakes it came by
 */
function runTests(file, { mistake, limit } = {}) {
  const reached = join(folder, 'reached', file.replaceAll('/', '-'));
  const begin = performance.now();
  return new Promise(settle => {
    const child = spawn(
      process.execPath,
      ['--import', resolve('scripts/mistake-reached.mjs'), bundleOf(file, join(folder, 'tests'))],
      {
        stdio: 'ignore',
        detached: true,
        env: {
          ...process.env,
          NODE_DISABLE_COMPILE_CACHE: '1',
          ...(mistake === undefined ? { MERVOK_REACHED: reached } : { MERVOK_MISTAKE: mistake.id }),
        },
      },
    );
    // What a test has started goes with it.
    const timer = limit && setTimeout(() => process.kill(-child.pid, 'SIGKILL'), limit);
    child.on('close', code => {
      clearTimeout(timer);
      settle({
        passes: code === 0,
        time: performance.now() - begin,
        reached:
          mistake === undefined && code === 0
            ? new Set(JSON.parse(readFileSync(reached, 'utf8')))
            : undefined,
      });
    });
  });
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
const usual = new Map();
await each(tests, jobs, async file => {
  const { passes, time, reached } = await runTests(file);
  if (!passes) stop(`${file} fails as it is.`);
  usual.set(file, { time, reached });
});
await bundle(false);
await each(tests, jobs, async file => {
  usual.get(file).time = (await runTests(file, { mistake: none, limit: 600_000 })).time;
});
const chosen = some(mistakes, Number(values.count), chanceFrom(seed));
console.log(
  `${mistakes.length} mistakes are possible in ${files.length} files; ${chosen.length} are tried (seed ${seed}).`,
);

const survivors = [];
let done = 0;
await each(chosen, jobs, async mistake => {
  const reaching = tests
    .filter(file => usual.get(file).reached.has(mistake.id))
    .sort((a, b) => usual.get(a).time - usual.get(b).time);
  let isNoticed = false;
  for (const file of reaching) {
    const { passes } = await runTests(file, { mistake, limit: patience(usual.get(file).time) });
    if (passes) continue;
    isNoticed = true;
    break;
  }
  done++;
  if (!isNoticed) survivors.push({ ...mistake, isReached: reaching.length > 0 });
  if (process.stderr.isTTY)
    process.stderr.write(`\r${done} of ${chosen.length}, ${survivors.length} survive `);
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
