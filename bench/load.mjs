// Load, against servers that tell their own times: whether figures are true, whether Mervok says where it was itself the
// limit, and what it takes of the processor and of memory. The static server is Debian's, where it is there.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import {
  folder,
  inTurn,
  later,
  mervok,
  origin,
  outputOf,
  peakMemory,
  run,
  script,
  work,
} from './measure.mjs';

const base = join(folder, 'load');
const checks =
  'status = 200\nheader content-type contains "json"\n$.id = 417\n$.berths[2].code = "0419"\ntime < 2 s';
const fence = (language, text) => `\`\`\`${language}\n${text}\n\`\`\`\n`;

function page(name, target, statements = checks) {
  mkdirSync(base, { recursive: true });
  const file = join(base, name);
  writeFileSync(file, `# A berth\n\n${fence('http', `GET ${target}`)}\n${fence('mervok', statements)}`);
  return file;
}

const loadOf = (file, text, ...more) => ['run', '--quiet', file, '--load', text, ...more];

/** The last record of the folder, line by line, and gone. */
function takeRecord() {
  const runs = join(base, '.mervok/runs');
  const [name] = readdirSync(runs).sort().slice(-1);
  const lines = readFileSync(join(runs, name), 'utf8').trimEnd().split('\n');
  rmSync(runs, { recursive: true });
  return lines.map(line => JSON.parse(line));
}

/** Of a record: the cells of all answers, from short to long. */
function cellsOf(events, read) {
  const all = new Map();
  for (const event of events)
    if (event.type === 'figures' && event.phase > 0)
      for (const { cells } of read(event))
        for (let at = 0; at < cells.length; at += 2)
          all.set(cells[at], (all.get(cells[at]) ?? 0) + cells[at + 1]);
  return [...all].sort(([a], [b]) => a - b);
}

/** In milliseconds. */
function percentile(cells, percent) {
  const count = cells.reduce((sum, [, each]) => sum + each, 0);
  let seen = 0;
  for (const [time, each] of cells) {
    seen += each;
    if (seen >= (percent / 100) * count) return time / 1000;
  }
  return Number.NaN;
}

const median = values => values.toSorted((a, b) => a - b)[values.length >> 1];
const ownTimes = () => JSON.parse(outputOf('curl', ['-s', `${origin}/times`]));
const sent = event => event.requests.map(each => each.sent ?? each.times);

/** What is told beyond the server's own times, as shares of them, of 50 and of 99 of 100. */
export function truth(turns) {
  const rows = [
    ['20 ms, 100 rounds/s', 20, 'warm up with 100 rounds/s for 2 s; stay at 100 rounds/s for 5 s'],
    ['20 ms, 20 users', 20, 'warm up with 20 users for 2 s; stay at 20 users for 5 s'],
    ['100 ms, 200 users', 100, 'warm up with 200 users for 2 s; stay at 200 users for 5 s'],
  ];
  return rows.flatMap(([what, takes, load]) => {
    const file = page('slow.md', `${origin}/slow/${takes}`);
    const excess = Array.from({ length: turns }, () => {
      ownTimes();
      run([mervok, ...loadOf(file, load, '--threads', '1')]);
      const cells = cellsOf(takeRecord(), sent);
      const [half, , most] = ownTimes();
      return [percentile(cells, 50) / half - 1, percentile(cells, 99) / most - 1];
    });
    return [
      [
        `what is told beyond the server's own, ${what}, of 50 of 100`,
        median(excess.map(([half]) => half)),
        0.05,
      ],
      [`the same, of 99 of 100`, median(excess.map(([, most]) => most)), 0.1],
    ];
  });
}

/** Whether the verdict says that Mervok was the limit: where a core is taken away, and where it is a third busy. */
export function limits() {
  const file = page('limit.md', `${origin}/slow/20`);
  const says = (text, hinder) => {
    const child = spawn(process.execPath, [mervok, ...loadOf(file, text, '--threads', '1')], { cwd: base });
    const stop = hinder?.(child.pid);
    return new Promise(resolve => {
      let out = '';
      child.stdout.on('data', chunk => (out += chunk));
      child.on('close', () => {
        stop?.();
        resolve(/Mervok\s+itself\s+was\s+the\s+limit/.test(out) ? 1 : 0);
      });
    });
  };
  /** Lets a program run for a part of the time alone. */
  const takeAway = pid => {
    let isStopped = false;
    const timer = setInterval(() => {
      isStopped = !isStopped;
      try {
        process.kill(pid, isStopped ? 'SIGSTOP' : 'SIGCONT');
      } catch {}
    }, 40);
    return () => clearInterval(timer);
  };
  return Promise.all([says('stay at 40 rounds/s for 5 s'), undefined])
    .then(async ([calm]) => [calm, await says('stay at 40 rounds/s for 5 s', takeAway)])
    .then(([calm, taken]) => [
      ['verdicts that say it, with little to do (of one)', calm, 0],
      ['verdicts that do not, with half of the processor taken away (of one)', 1 - taken, 0],
    ]);
}

/** How late rounds begin that are due, in milliseconds, 99 of 100. */
export function arrivals() {
  const file = page('due.md', `${origin}/slow/20`, 'status = 200');
  run([mervok, ...loadOf(file, 'stay at 500 rounds/s for 8 s')]);
  const late = percentile(
    cellsOf(takeRecord(), event => (event.rounds.lateness ? [event.rounds.lateness] : [])),
    99,
  );
  return [['ms within which 99 of 100 rounds begin that are due, 500 a second, 20 ms each', late, 5]];
}

/** A server of its own processes, that answers a kilobyte of JSON; nothing where it is not there. */
function staticServer() {
  if (spawnSync('nginx', ['-v']).error) return undefined;
  const root = join(folder, 'static');
  mkdirSync(root, { recursive: true });
  const berths = Array.from({ length: 9 }, (_, at) => ({
    code: String(417 + at).padStart(4, '0'),
    quay: 'North Quay',
    depth: 4.2,
    deposit: 100,
  }));
  writeFileSync(
    join(root, 'berths.json'),
    JSON.stringify({ number: 1, id: 417, name: 'North Quay', open: true, berths }),
  );
  const port = 8200 + (process.pid % 700);
  const cores = availableParallelism();
  const pinned = cores > 2 ? `worker_cpu_affinity ${'1'.padEnd(cores, '0')};` : '';
  writeFileSync(
    join(root, 'nginx.conf'),
    `worker_processes 1; ${pinned} pid ${root}/pid; error_log ${root}/error.log; events { worker_connections 8192; }
http { access_log off; keepalive_requests 100000000; default_type application/json;
server { listen 127.0.0.1:${port}; root ${root}; location / { rewrite ^ /berths.json break; } } }`,
  );
  spawnSync('chmod', ['-R', 'a+rX', folder]);
  if (spawnSync('nginx', ['-c', join(root, 'nginx.conf')]).status !== 0) return undefined;
  later(() => spawnSync('nginx', ['-c', join(root, 'nginx.conf'), '-s', 'stop']));
  return `http://127.0.0.1:${port}`;
}

/** One thread beside a bare pool, and two threads beside one. */
export function threads(turns, short) {
  const target = staticServer();
  if (target === undefined) return [['there is no server of Debian to measure threads with', Number.NaN]];
  const file = page('static.md', `${target}/berths/417`);
  const seconds = short ? 3 : 8;
  const load = `stay at 32 users for ${seconds} s`;
  const requestsIn = () => takeRecord().at(-1).totals.requests;
  const perRequest = count =>
    work([mervok, ...loadOf(file, load, '--threads', String(count))]) / requestsIn();
  // As many as it is beside: the more there are, the less the start of either weighs.
  run([mervok, ...loadOf(file, load, '--threads', '1')]);
  const rounds = Math.ceil(requestsIn() / 32);
  const bare = () => work([script('bare-loop.mjs'), target, String(rounds), '32']) / (rounds * 32);
  const [pool, one] = inTurn(turns, [bare, () => perRequest(1)]);
  const rate = count => {
    run([mervok, ...loadOf(file, load, '--threads', String(count))]);
    return requestsIn();
  };
  const [alone, both] = inTurn(turns, [() => rate(1), () => rate(2)]);
  return [
    ['a request of 32 users on one thread / bare pool, processor time', one / pool, 1.5],
    ['requests a second on one thread / on two', alone / both, 1 / 1.5],
  ];
}

/** What memory grows by. */
export function memory(short) {
  const target = staticServer() ?? origin;
  const file = page('memory.md', `${target}/berths/417`, 'status = 200');
  const of = (text, ...more) => {
    const peak = peakMemory(loadOf(file, text, '--threads', '1', '--sample', '0', ...more));
    return { peak, requests: takeRecord().at(-1).totals.requests };
  };
  const few = of('stay at 16 users for 10 s');
  const many = of(`stay at 16 users for ${short ? 30 : 240} s`);
  const slow = page('many.md', `${origin}/slow/500`, 'status = 200');
  const users = count => {
    const peak = peakMemory(
      loadOf(slow, `stay at ${count} users for 5 s`, '--threads', '1', '--sample', '0'),
    );
    takeRecord();
    return peak;
  };
  const [hundred, thousands] = [users(100), users(short ? 1000 : 5000)];
  return [
    [
      `peak memory, ${many.requests.toLocaleString('en')} requests of a load / ${few.requests.toLocaleString('en')}`,
      many.peak / few.peak,
      1.15,
    ],
    [
      'kB of memory for each user more, up to 5,000 / 100 kB',
      (thousands - hundred) / (short ? 900 : 4900) / 100,
      1,
    ],
  ];
}
