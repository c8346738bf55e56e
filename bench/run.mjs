// Measures Mervok against the bare runtime, both in the same run, the variants in turn. Prints ratios of medians.
import { fork, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
const mervok = join(here, '..', 'dist', 'mervok.cjs');
const folder = mkdtempSync(join(tmpdir(), 'mervok-bench-'));

const server = fork(join(here, 'server.mjs'));
const { port } = await new Promise(ready => server.once('message', ready));
const origin = `http://127.0.0.1:${port}`;

const page = target => `# A berth

\`\`\`http
GET ${target}
\`\`\`

\`\`\`mervok
status = 200
header content-type contains "json"
$.id = 417
$.berths[2].code = "0419"
time < 2 s
\`\`\`
`;
writeFileSync(join(folder, 'berth.md'), page(`${origin}/berths/417`));
mkdirSync(join(folder, 'collection'));
writeFileSync(join(folder, 'collection', 'mervok.yaml'), `title: Skerry Harbour\nbase: ${origin}\n`);
writeFileSync(join(folder, 'collection', 'berth.md'), page('/berths/417'));

function run(args, options = {}) {
  const begin = process.hrtime.bigint();
  const { status, stderr, stdout } = spawnSync(process.execPath, args, {
    cwd: folder,
    encoding: 'utf8',
    maxBuffer: 1e9,
    ...options,
  });
  const milliseconds = Number(process.hrtime.bigint() - begin) / 1e6;
  if (status !== 0)
    throw new Error(`${args.join(' ')} ended with ${status}: ${stderr}${stdout.slice(0, 1000)}`);
  return milliseconds;
}

/** A page with so many cases, each with prose, a request with a body and three checks, each using what the last one kept. */
function manyCases(count) {
  const cases = Array.from({ length: count }, (_, index) => {
    const before = index === 0 ? '417' : `{berth${index - 1}}`;
    const request = `POST /berths/${before}/reservations\nContent-Type: application/json\n\n{ "vessel": "Curlew", "nights": ${index} }`;
    const statements = `status = 201\n$.nights = ${index}\ntime < 300 ms\nkeep $.id as berth${index}`;
    return `## Case ${index}\n\nSome prose about it.\n\n\`\`\`http\n${request}\n\`\`\`\n\n\`\`\`mervok\n${statements}\n\`\`\`\n`;
  });
  return `# Many cases\n\n${cases.join('\n')}`;
}
mkdirSync(join(folder, 'many'));
writeFileSync(join(folder, 'many', 'mervok.yaml'), `base: ${origin}\n`);
writeFileSync(join(folder, 'many', 'many.md'), manyCases(10_000));

/** Five hundred pages of twenty cases; every page takes a name from the one before it. */
function writePages(folder) {
  for (let at = 0; at < 500; at++) {
    const cases = Array.from({ length: 20 }, (_, index) => {
      const before = index > 0 ? `{berth-${at}-${index - 1}}` : at > 0 ? `{berth-${at - 1}-19}` : '417';
      return `## Case ${index}\n\n\`\`\`http\nGET /berths/${before}\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\nkeep $.id as berth-${at}-${index}\n\`\`\`\n`;
    });
    const quay = join(folder, `quay-${at % 20}`);
    mkdirSync(quay, { recursive: true });
    writeFileSync(
      join(quay, `page-${at}.md`),
      `---\ntags: [quay-${at % 20}]\n---\n# Page ${at}\n\n${cases.join('\n')}`,
    );
  }
}
mkdirSync(join(folder, 'pages'));
writeFileSync(join(folder, 'pages', 'mervok.yaml'), `base: ${origin}\n`);
writePages(join(folder, 'pages'));

mkdirSync(join(folder, 'slow'));
const slowly = Array.from(
  { length: 5 },
  (_, at) =>
    `## Case ${at}\n\n\`\`\`http\nGET ${origin}/slow/150\n\`\`\`\n\n\`\`\`mervok\nstatus = 200\n\`\`\`\n`,
);
for (const name of ['a', 'b', 'c', 'd']) writeFileSync(join(folder, 'slow', `${name}.md`), slowly.join('\n'));

const rowsFile = count => {
  const file = join(folder, `rows-${count}.csv`);
  const lines = Array.from({ length: count }, (_, at) => `${String(at).padStart(6, '0')},North Quay`);
  writeFileSync(file, `code,quay\n${lines.join('\n')}\n`);
  return ['run', '--quiet', '--rows', file, 'berth.md'];
};

/** What five checks cost, in microseconds, as the script for that measures it. */
function costOfChecks() {
  const { stdout, status, stderr } = spawnSync(process.execPath, [join(here, 'checks.mjs')], {
    encoding: 'utf8',
    maxBuffer: 1e9,
  });
  if (status !== 0) throw new Error(stderr);
  return Number.parseFloat(stdout);
}

const median = values => values.toSorted((a, b) => a - b)[values.length >> 1];

/** The median times of variants that take turns. */
function inTurn(times, variants) {
  const taken = variants.map(() => []);
  for (let turn = 0; turn < times; turn++)
    for (const [index, variant] of variants.entries()) taken[index].push(variant());
  return taken.map(median);
}

/** In kilobytes, of a command of the program. */
function peakMemory(args) {
  const file = join(folder, 'memory');
  run(['--import', join(here, 'memory.mjs'), mervok, ...args], {
    env: { ...process.env, MERVOK_BENCH_MEMORY: file },
  });
  return Number(readFileSync(file, 'utf8'));
}

const rounds = count => ['run', '--quiet', '--rounds', String(count), 'berth.md'];
const download = megabytes => ['send', `${origin}/large/${megabytes}`, '-o', join(folder, 'large.bin')];

/** The record of so many requests. */
function recordOf(count) {
  const file = join(folder, `record-${count}.ndjson`);
  run([mervok, ...rounds(count), '-o', file]);
  return file;
}
const asPage = file => ['report', file, '-o', join(folder, 'report.html')];

const rows = [];
const row = (what, ratio, goal) =>
  rows.push({ what, ratio: ratio.toFixed(2), goal: `≤ ${goal}`, met: ratio <= goal ? 'yes' : 'no' });

try {
  const [bare, version, single, settled] = inTurn(21, [
    () => run(['-e', '0']),
    () => run([mervok, '--version']),
    () => run([mervok, 'run', '--quiet', 'berth.md']),
    () => run([mervok, 'run', '--quiet', 'collection']),
  ]);
  row('--version / bare runtime', version / bare, 1.3);
  row('run of one request, a page alone / bare runtime', single / bare, 2);
  row('run of one request, with a settings file / bare runtime', settled / bare, 2);
  const [loop, sequential] = inTurn(7, [
    () => run([join(here, 'bare-loop.mjs'), origin, '4000']),
    () => run([mervok, 'run', '--quiet', '--rounds', '4000', 'berth.md']),
  ]);
  row('4,000 requests with five checks / bare Pool.request loop', sequential / loop, 1.3);
  row(
    'five checks of a response / the whole of its exchange',
    costOfChecks() / ((sequential / 4000) * 1000),
    0.25,
  );
  const [tokens, lint] = inTurn(7, [
    () => run([join(here, 'tokenizer.mjs'), join(folder, 'many', 'many.md')]),
    () => run([mervok, 'lint', '--quiet', 'many']),
  ]);
  row('lint of 10,000 cases / the Markdown tokenizer alone', lint / tokens, 6);
  const [small, large] = inTurn(3, [() => peakMemory(rounds(1000)), () => peakMemory(rounds(20_000))]);
  row('peak memory, 20,000 requests / 1,000 requests', large / small, 1.3);
  const [few, many] = inTurn(3, [() => peakMemory(rowsFile(1000)), () => peakMemory(rowsFile(20_000))]);
  row('peak memory, 20,000 rows / 1,000 rows', many / few, 1.5);
  const [one, four] = inTurn(3, [
    () => run([mervok, 'run', '--quiet', 'slow']),
    () => run([mervok, 'run', '--quiet', '--jobs', '4', 'slow']),
  ]);
  row('four pages that wait, --jobs 4 / one after the other', four / one, 0.35);
  const [list] = inTurn(5, [() => run([mervok, 'list', 'pages'])]);
  row('list of 10,000 cases in 500 pages / bare runtime', list / bare, 30);
  const [part, whole] = inTurn(3, [() => peakMemory(download(200)), () => peakMemory(download(1000))]);
  row('peak memory, download of 1,000 MB / 200 MB into a file', whole / part, 1.3);
  const [short, long] = [recordOf(2000), recordOf(20_000)];
  const [parsed, rendered] = inTurn(5, [
    () => run([join(here, 'parse-record.mjs'), long]),
    () => run([mervok, ...asPage(long)]),
  ]);
  row('page of a record of 20,000 requests / parsing its lines', rendered / parsed, 3);
  const [little, much] = inTurn(3, [() => peakMemory(asPage(short)), () => peakMemory(asPage(long))]);
  row('peak memory, page of 20,000 requests / of 2,000', much / little, 1.5);
  console.table(rows);
  console.log(
    `bare runtime ${bare.toFixed(0)} ms, loop ${((loop / 4000) * 1000).toFixed(0)} µs a request, memory ${(small / 1024).toFixed(0)} MB`,
  );
} finally {
  server.kill();
  rmSync(folder, { recursive: true, force: true });
}
