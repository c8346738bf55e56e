// What five checks of a response cost, in microseconds: rounds of a page with five and of one with one, without a network.
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import * as esbuild from 'esbuild';

// The runner alone, bundled from its sources as the program is.
const project = fileURLToPath(new URL('..', import.meta.url));
const outfile = join(project, 'build/bench/core.mjs');
await esbuild.build({
  stdin: {
    resolveDir: project,
    contents: `export { buildPlan } from './src/core/analysis/build-plan.ts';
      export { readCollection } from './src/core/analysis/collection.ts';
      export { run } from './src/core/runner/run.ts';`,
  },
  outfile,
  bundle: true,
  minify: true,
  platform: 'node',
  format: 'esm',
  target: 'node20.18',
  packages: 'external',
  logLevel: 'warning',
});
const { buildPlan, readCollection, run } = await import(pathToFileURL(outfile).href);

const [rounds = '20000'] = process.argv.slice(2);
const head = '# A berth\n\n```http\nGET http://skerry.example/berths/417\n```\n\n';
const five =
  'status = 200\nheader content-type contains "json"\n$.id = 417\n$.berths[2].code = "0419"\ntime < 2 s';
const berths = Array.from({ length: 8 }, (_, index) => ({
  code: `04${17 + index}`,
  depth: 4.2,
  state: 'free',
}));
const body = Buffer.from(JSON.stringify({ id: 417, berths }));
const response = {
  url: 'http://skerry.example/berths/417',
  status: 200,
  reason: 'OK',
  version: 'HTTP/1.1',
  headers: [['Content-Type', 'application/json']],
  body,
  size: body.length,
  time: 1,
};
const ports = {
  operations: {
    http: {
      send: async request => ({
        exchanges: [{ request, response, times: { total: 1 }, received: body.length }],
      }),
      openPage: () => ({ isEmpty: true }),
    },
  },
  now: Date.now,
  elapsed: () => performance.now(),
  uuid: () => crypto.randomUUID(),
  random: Math.random,
  sleep: async () => undefined,
  clockAndRandomFor: () => ports,
  external: { variable: () => undefined, file: () => '' },
};

async function planFor(checks) {
  const text = `${head}\`\`\`mervok\n${checks}\n\`\`\`\n`;
  const collection = await readCollection({ settings: [], pages: [{ path: 'berth.md', text }] });
  const { plan } = await buildPlan(collection, { paths: [], given: new Map() });
  return plan;
}

async function timeOf(plan) {
  const begin = performance.now();
  const options = {
    tool: 'bench',
    rounds: Number(rounds),
    bodies: false,
    signal: new AbortController().signal,
  };
  let held = 0;
  await run(plan, ports, options, event => {
    if (event.type === 'check' && event.holds === 'yes') held++;
  });
  if (held !== plan.checks * Number(rounds)) throw new Error('A check does not hold.');
  return performance.now() - begin;
}

const plans = [await planFor('status = 200'), await planFor(five)];
for (const plan of plans) await timeOf(plan);
const [one, all] = [[], []];
for (let turn = 0; turn < 5; turn++) {
  one.push(await timeOf(plans[0]));
  all.push(await timeOf(plans[1]));
}
const median = values => values.toSorted((a, b) => a - b)[values.length >> 1];
console.log(
  `${(((median(all) - median(one)) / Number(rounds)) * 1000 * (5 / 4)).toFixed(1)} µs for five checks`,
);
