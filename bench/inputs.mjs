// The pages and tables that are measured with. Every function gives the words of the command that runs what it wrote.
import { spawn } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { join } from 'node:path';
import { folder, mervok, origin, run } from './measure.mjs';

const fence = (language, text) => `\`\`\`${language}\n${text}\n\`\`\`\n`;
const quick = (...words) => ['run', '--quiet', ...words];

function write(path, text) {
  const file = join(folder, path);
  mkdirSync(join(file, '..'), { recursive: true });
  writeFileSync(file, text);
}

const checks = [
  'status = 200',
  'header content-type contains "json"',
  '$.id = 417',
  '$.berths[2].code = "0419"',
  'time < 2 s',
].join('\n');
const page = target => `# A berth\n\n${fence('http', `GET ${target}`)}\n${fence('mervok', checks)}`;

/** One request with five checks, as a page alone. */
export function single() {
  write('berth.md', page(`${origin}/berths/417`));
  return quick('berth.md');
}

/** The same with a settings file beside it. */
export function settled() {
  write('collection/mervok.yaml', `title: Skerry Harbour\nbase: ${origin}\n`);
  write('collection/berth.md', page('/berths/417'));
  return quick('collection');
}

export const rounds = count => [...single(), '--rounds', String(count)];
export const users = (count, each) => [...rounds(each), '--users', String(count)];

export function rows(count) {
  const lines = Array.from({ length: count }, (_, at) => `${String(at).padStart(6, '0')},North Quay`);
  write(`rows-${count}.csv`, `code,quay\n${lines.join('\n')}\n`);
  return [...single(), '--rows', join(folder, `rows-${count}.csv`)];
}

/** A case for each row of a large table, whose first one fails, and ends the run. */
export function largeTable(count) {
  const lines = Array.from(
    { length: count },
    (_, at) => `${String(at).padStart(7, '0')},North Quay,4.2,free`,
  );
  write('large/berths.csv', `code,quay,depth,state\n${lines.join('\n')}\n`);
  const each = fence('mervok', 'each row of "berths.csv"');
  write(
    'large/berths.md',
    `# Berths\n\n${each}\n${fence('http', `GET ${origin}/berths/{code}`)}\n${fence('mervok', 'status = 500')}`,
  );
  return { table: join(folder, 'large/berths.csv'), firstRow: quick('large', '--fail-fast') };
}

/** A page with so many cases, each with prose, a request with a body and three checks, each using what the last one kept. */
export function manyCases(count) {
  const cases = Array.from({ length: count }, (_, index) => {
    const before = index === 0 ? '417' : `{berth${index - 1}}`;
    const request = `POST /berths/${before}/reservations\nContent-Type: application/json\n\n{ "vessel": "Curlew", "nights": ${index} }`;
    const statements = `status = 201\n$.nights = ${index}\ntime < 300 ms\nkeep $.id as berth${index}`;
    return `## Case ${index}\n\nSome prose about it.\n\n${fence('http', request)}\n${fence('mervok', statements)}`;
  });
  const at = `many-${count}`;
  write(`${at}/mervok.yaml`, `base: ${origin}\n`);
  write(`${at}/many.md`, `# Many cases\n\n${cases.join('\n')}`);
  return {
    page: join(folder, at, 'many.md'),
    lint: ['lint', '--quiet', at],
    contract: ['contract', at, '--json'],
  };
}

/** The demo collection, and the record of a run of it. */
export function demoRecord() {
  const root = join(folder, 'demo');
  run([mervok, 'demo', '--copy', root]);
  const record = join(folder, 'demo.ndjson');
  run([mervok, 'demo', '--quiet', '-o', record]);
  return { root, record };
}

/** Two answers of 1 MB to the same request, on record: lists of berths, whose states differ. */
export async function largeAnswers() {
  const berths = turn =>
    Array.from({ length: 6500 }, (_, index) => ({
      code: String(1000 + index),
      quay: ['North Quay', 'Fish Steps', 'Salt Pier'][index % 3],
      depth: 2 + (index % 70) / 10,
      state: ['free', 'taken', 'closed'][(index + turn) % 3],
      tariff: 2000 + ((index * 37 + turn) % 7000) / 100,
      deposit: index % 4 ? 100 + (index % 50) : null,
      lines: ['head line', 'stern line'],
      since: '2026-11-25T10:00:00Z',
    }));
  let turn = 0;
  const server = createServer((_, response) => {
    const all = berths(turn++);
    response.setHeader('Content-Type', 'application/json');
    response.end(JSON.stringify({ count: all.length, berths: all }));
  });
  await new Promise(open => server.listen(0, '127.0.0.1', open));
  const { port } = server.address();
  const target = `http://127.0.0.1:${port}/berths`;
  write(
    'large.md',
    `---\nlimits: { record: 4 MiB }\n---\n# All of them\n\n${fence('http', `GET ${target}`)}\n${fence('mervok', 'status = 200')}`,
  );
  const records = [1, 2].map(number => join(folder, `large-${number}.ndjson`));
  for (const record of records)
    await new Promise((done, failed) => {
      const child = spawn(process.execPath, [mervok, 'run', 'large.md', '--quiet', '-o', record], {
        cwd: folder,
      });
      child.on('close', code =>
        code === 0 ? done() : failed(new Error(`The large answer came to ${code}.`)),
      );
    });
  server.close();
  return { page: join(folder, 'large.md'), records };
}

/** So many pages of twenty cases in twenty folders; every page takes a name from the one before it. */
export function manyPages(count) {
  for (let at = 0; at < count; at++) {
    const cases = Array.from({ length: 20 }, (_, index) => {
      const before = index > 0 ? `{berth-${at}-${index - 1}}` : at > 0 ? `{berth-${at - 1}-19}` : '417';
      return `## Case ${index}\n\n${fence('http', `GET /berths/${before}`)}\n${fence('mervok', `status = 200\nkeep $.id as berth-${at}-${index}`)}`;
    });
    const quay = `quay-${at % 20}`;
    write(`pages/${quay}/page-${at}.md`, `---\ntags: [${quay}]\n---\n# Page ${at}\n\n${cases.join('\n')}`);
  }
  write('pages/mervok.yaml', `base: ${origin}\n`);
  return ['list', 'pages'];
}

/** The pages of `manyPages` looked at, and written as a site. */
export function site(pages) {
  manyPages(pages);
  return { lint: ['lint', '--quiet', 'pages'], docs: ['docs', 'pages', '-o', join(folder, 'site')] };
}

/** Four pages with five requests each that are answered late. */
export function slowPages() {
  const request = `${fence('http', `GET ${origin}/slow/150`)}\n${fence('mervok', 'status = 200')}`;
  const cases = Array.from({ length: 5 }, (_, at) => `## Case ${at}\n\n${request}`);
  for (const name of ['a', 'b', 'c', 'd']) write(`slow/${name}.md`, cases.join('\n'));
  return quick('slow');
}

/** Requests that are answered after 50 ms, with five checks each. */
export function late(count, each) {
  write('late.md', page(`${origin}/slow/50`));
  return [
    ...quick('late.md'),
    '--users',
    String(count),
    '--rounds',
    String(each),
    '-o',
    join(folder, 'late.ndjson'),
  ];
}

/** A token of its own that each user keeps in each round, as a secret or not, and sends on. */
export function tokens(secret, count, each) {
  const kept = `${checks}\nkeep $.number as ${secret ? 'secret ' : ''}number\nlet token = "token-of-the-day-{number}"`;
  const first = `## Sign in\n\n${fence('http', `GET ${origin}/slow/20`)}\n${fence('mervok', kept)}`;
  const second = `## Use\n\n${fence('http', `GET ${origin}/slow/20\nX-Token: {token}`)}\n${fence('mervok', checks)}`;
  const name = `tokens-${secret}.md`;
  write(name, `${first}\n${second}`);
  return [
    ...quick(name),
    '--users',
    String(count),
    '--rounds',
    String(each),
    '-o',
    join(folder, `${name}.ndjson`),
  ];
}

/** A case with a request, and maybe a script of ten lines. @param at `before` or `behind` the request, `alone` or nowhere */
export function scripted(at) {
  const lets = fence('mervok', 'let nights = 3\nlet tariff = 12.5');
  const request = `${fence('http', `GET ${origin}/berths/417`)}\n${fence('mervok', 'status = 200')}`;
  const lines = [
    "import { nights, tariff } from 'mervok:values'",
    "import { equals, holds } from 'mervok:checks'",
    "import { sha256 } from 'mervok:functions'",
    '',
    "const stay = { quay: 'North Quay', nights, tariff }",
    'const seal = sha256(JSON.stringify(stay))',
    'export const fee = nights * tariff',
    "equals('the fee follows the nights', fee, 37.5)",
    "holds('the seal is whole', seal.length === 64)",
    "holds('the stay is short', nights < 10)",
  ];
  const script = fence('js step', lines.join('\n'));
  const steps = { before: [script, request], behind: [request, script], alone: [script], nowhere: [request] };
  write(`script-${at}.md`, `# A stay\n\n${[lets, ...steps[at]].join('\n')}`);
  return quick(`script-${at}.md`);
}

/** So many queries for one row, with five checks each. @param settings of the database */
export function queries(settings, count) {
  write('queries/mervok.yaml', `databases: { ledger: ${settings} }\n`);
  const query = fence('sql step ledger', 'select quay, depth, state from berths where id = {id}');
  const statements = [
    ...['count $ = 1', '$[0].quay = "North Quay"', '$[0].depth = 4.2', '$[0].state = 1', 'time < 2 s'],
  ].join('\n');
  write(
    'queries/berth.md',
    `# A berth\n\n${fence('mervok', 'let id = 417')}\n${query}\n${fence('mervok', statements)}`,
  );
  return [...quick('queries/berth.md'), '--rounds', String(count)];
}

/** A case for each of so many rows that are asked for; all but the first skip themselves. */
export function askedRows(settings, count) {
  write('queries/mervok.yaml', `databases: { ledger: ${settings} }\n`);
  const rows = fence(
    'sql rows berths ledger (id, quay)',
    `select id, quay from berths order by id limit ${count}`,
  );
  const each = fence('mervok', 'each row of berths\nskip when {id} > 1');
  write(
    `queries/rows-${count}.md`,
    `# Berths\n\n${rows}\n${each}\n${fence('http', `GET ${origin}/berths/{id}`)}\n${fence('mervok', 'status = 200')}`,
  );
  return quick(`queries/rows-${count}.md`);
}

// What grows

/** `lint` of so many names that nothing gives. */
export function unknownNames(count) {
  const cases = Array.from(
    { length: count },
    (_, at) => `## C${at}\n\n${fence('http', `GET ${origin}/{nothing-${at}}`)}`,
  );
  write(`unknown-${count}.md`, cases.join('\n'));
  return ['lint', '--json', `unknown-${count}.md`];
}

/** `lint` of so many variables, each of which refers twice to the next one, in chains of a hundred. */
export function variablesInEachOther(count) {
  const numbers = Array.from({ length: count }, (_, at) => at);
  const lines = numbers.map(at => `  v${at}: ${at % 100 === 99 ? 'x' : `"{v${at + 1}}{v${at + 1}}"`}`);
  const cases = numbers
    .filter(at => at % 100 === 0)
    .map(at => `## A${at}\n\n${fence('http', `GET /{v${at}}`)}\n${fence('mervok', 'status = 200')}`);
  write(`chain-${count}/mervok.yaml`, `base: ${origin}\nvariables:\n${lines.join('\n')}\n`);
  write(`chain-${count}/a.md`, cases.join('\n'));
  return ['lint', `chain-${count}`];
}

/** Twenty responses of so many items, which are to be unique and the same in any order. */
export function uniqueItems(count) {
  const statements =
    '$.berths = $.berths in any order\nunique($.berths) = unique($.berths)\ncount $.berths[*] > 5';
  write(
    `unique-${count}.md`,
    `# U\n\n${fence('http', `GET ${origin}/sized/${Math.round(count / 12)}`)}\n${fence('mervok', statements)}`,
  );
  return [...quick(`unique-${count}.md`), '--rounds', '20'];
}

/** So many pages with one request and five checks each. */
export function pages(count) {
  for (let at = 0; at < count; at++) write(`grow-pages-${count}/page-${at}.md`, page(`${origin}/berths/417`));
  return quick(`grow-pages-${count}`);
}

/** Two hundred requests with so many checks each. */
export function checksEach(count) {
  const statements = Array.from({ length: count }, (_, at) => `$.berths[${at % 9}].code != "${at}"`);
  write(
    `checks-${count}.md`,
    `# Checks\n\n${fence('http', `GET ${origin}/berths/417`)}\n${fence('mervok', statements.join('\n'))}`,
  );
  return [...quick(`checks-${count}.md`), '--rounds', '200'];
}

/** A hundred responses of so many kilobytes of JSON, three checks each. */
export function kilobytes(count) {
  const statements = 'status = 200\n$.number > 0\ncount $.berths[*] > 5';
  write(
    `size-${count}.md`,
    `# Size\n\n${fence('http', `GET ${origin}/sized/${count}`)}\n${fence('mervok', statements)}`,
  );
  return [...quick(`size-${count}.md`), '--rounds', '100'];
}
