// How many changes of the demo's answers are looked at in a second, by all that doubting takes: mining, changing, judging.
// The first time makes statements and schemas ready; what stays in memory is looked at between the second and the last time.
//   node --expose-gc bench/doubt.mjs COLLECTION RECORD
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { loadCore } from './core.mjs';

const { buildPlan, readCollection, doubt } = await loadCore('doubt', {
  buildPlan: 'analysis/build-plan.ts',
  readCollection: 'analysis/collection.ts',
  doubt: 'doubt/doubt.ts',
});

const [root, record, times = '8'] = process.argv.slice(2);
const files = readdirSync(root, { recursive: true }).map(String);
const textsOf = ending =>
  files
    .filter(path => path.endsWith(ending))
    .map(path => ({ path, text: readFileSync(join(root, path), 'utf8') }));
const collection = await readCollection({ settings: textsOf('mervok.yaml'), pages: textsOf('.md') });
const readFile = path => readFileSync(join(root, path), 'utf8');
const bytes = path => readFileSync(join(root, path));
const { plan, flow } = await buildPlan(collection, {
  paths: [],
  given: new Map(),
  readFile,
  hasFile: path => files.includes(path),
  openTable: () => undefined,
});
const events = readFileSync(record, 'utf8').trimEnd().split('\n');
async function* recorded() {
  for (const line of events) yield JSON.parse(line);
}
const chance = { now: Date.now, random: () => 0.5, uuid: () => '2b1a1f0e-6a55-4c6f-9d5a-0f3f8f1f0a11' };

function used() {
  globalThis.gc();
  return process.memoryUsage().heapUsed;
}

const rates = [];
let [tried, early] = [0, 0];
for (let time = 0; time < Number(times); time++) {
  const begin = process.cpuUsage();
  const { cases } = await doubt(plan, flow, recorded(), {
    seed: undefined,
    chanceFor: () => chance,
    file: bytes,
  });
  const { user, system } = process.cpuUsage(begin);
  tried = cases.flatMap(({ requests }) => requests).reduce((sum, each) => sum + each.tried, 0);
  rates.push((tried / (user + system)) * 1e6);
  // Collecting takes compiled code with it: only where memory is looked at.
  if (time === 1) early = used();
}
const median = values => values.toSorted((a, b) => a - b)[values.length >> 1];
const grown = used() / early;
console.log(JSON.stringify({ tried, first: rates[0], rate: median(rates.slice(1)), grown }));
