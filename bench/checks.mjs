// What five checks of a response cost, and what holding it to a definition does, in microseconds: rounds of a page with
// five and of one with one, held and not, without a network.
import { loadCore } from './core.mjs';
import { berths as definition } from './definitions.mjs';

const { buildPlan, readCollection, run } = await loadCore('checks', {
  buildPlan: 'analysis/build-plan.ts',
  readCollection: 'analysis/collection.ts',
  run: 'runner/run.ts',
});

const [rounds = '20000'] = process.argv.slice(2);
const head = '# A berth\n\n```http\nGET http://skerry.example/berths/417\n```\n\n';
const five =
  'status = 200\nheader content-type contains "json"\n$.id = 417\n$.berths[2].code = "0419"\ntime < 2 s';
const berths = Array.from({ length: 8 }, (_, index) => ({
  code: `04${17 + index}`,
  quay: 'North Quay',
  depth: 4.2,
  state: 'free',
  deposit: 100,
}));
const answer = { number: 1, id: 417, name: 'North Quay', open: true, depth: 4.2, berths };
const body = Buffer.from(JSON.stringify(answer));
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

async function planFor(checks, settings = '') {
  const text = `${settings}${head}\`\`\`mervok\n${checks}\n\`\`\`\n`;
  const collection = await readCollection({ settings: [], pages: [{ path: 'berth.md', text }] });
  const readFile = () => JSON.stringify(definition);
  const { plan } = await buildPlan(collection, { paths: [], given: new Map(), readFile });
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

const plans = [
  await planFor('status = 200'),
  await planFor(five),
  await planFor(five, '---\ndefinition: harbour.json\n---\n'),
];
for (const plan of plans) await timeOf(plan);
const times = plans.map(() => []);
for (let turn = 0; turn < 5; turn++)
  for (const [at, plan] of plans.entries()) times[at].push(await timeOf(plan));
const median = values => values.toSorted((a, b) => a - b)[values.length >> 1];
const [one, all, held] = times.map(each => (median(each) / Number(rounds)) * 1000);
console.log(JSON.stringify({ fiveChecks: ((all - one) * 5) / 4, held: held - all }));
