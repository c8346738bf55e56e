// Measures Mervok against the bare runtime and bare packages, in the same run. Prints a table of ratios, in Markdown: of
// the time of the processor, where nothing else is said.
//   node bench/run.mjs [--short] [PART…]   PART: a word of what is measured; --short: fewer turns, smaller inputs
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import * as databases from './databases.mjs';
import * as definitions from './definitions.mjs';
import * as inputs from './inputs.mjs';
import * as loads from './load.mjs';
import { end, folder, inTurn, mervok, origin, outputOf, peakMemory, run, script, work } from './measure.mjs';
import * as standIns from './stand-in.mjs';

const words = process.argv.slice(2);
const short = words.includes('--short');
const parts = words.filter(word => !word.startsWith('--'));
const turns = count => (short ? Math.min(3, count) : count);
/** Left out where there is little time: they hold by far, or have a test. */
const long = ['checks', 'list', 'jobs', 'tables', 'report', 'queries'];
const most = (full, bounded) => (short ? bounded : full);
const timed = args => run([mervok, ...args]);
const worked = args => work([mervok, ...args]);
const loop = (count, users = 1) => [script('bare-loop.mjs'), origin, String(count), String(users)];
const thousands = count => count.toLocaleString('en');

/** A measurement gives rows: what, the ratio, and the goal where there is one. */
const measurements = {
  start() {
    const [single, settled] = [inputs.single(), inputs.settled()];
    // What was compiled is kept by the first start.
    for (const first of [single, settled]) timed(first);
    const [bare, version, one, set, uncached] = inTurn(turns(21), [
      () => work(['-e', '0']),
      () => worked(['--version']),
      () => worked(single),
      () => worked(settled),
      () => withoutCache(single),
    ]);
    return [
      ['`--version` / bare runtime', version / bare, 1.15],
      ['one request, a page alone / bare runtime', one / bare, 1.6],
      ['one request, with a settings file / bare runtime', set / bare, 1.75],
      ['one request, where nothing compiled can be kept / bare runtime', uncached / bare, 2.05],
    ];
  },

  sequential() {
    return [4000, ...(short ? [] : [20_000])].flatMap(count => {
      const rounds = inputs.rounds(count);
      const what = `${thousands(count)} requests with five checks / bare \`Pool.request\` loop`;
      return both(what, loop(count), rounds, 1.1);
    });
  },

  checks() {
    const { fiveChecks, held } = JSON.parse(outputOf(process.execPath, [script('checks.mjs')]));
    const [whole] = inTurn(3, [() => timed(inputs.rounds(4000))]);
    const exchange = (whole / 4000) * 1000;
    return [
      ['five checks of a response / the whole of its exchange', fiveChecks / exchange, 0.25],
      ['holding it to its definition / the whole of its exchange', held / exchange, 0.25],
    ];
  },

  users() {
    const each = most(1000, 200);
    const input = inputs.users(32, each);
    const rows = both(`32 users, ${thousands(32 * each)} requests / bare pool`, loop(each, 32), input, 1.5);
    const program = timed(input);
    const rate = rateOfGenerator();
    if (rate !== undefined)
      rows.push(['the same, a request / load generator in C (wrk)', (program / (32 * each)) * (rate / 1000)]);
    return rows;
  },

  truth() {
    const excess = (users, each, goals) => {
      const turns = Array.from({ length: short ? 1 : 5 }, () => {
        ownTimes();
        timed(inputs.late(users, each));
        const [server, told] = [ownTimes(), toldTimes('late.ndjson')];
        return told.map((time, at) => time - server[at]);
      });
      return [50, 90, 99].map((percent, at) => [
        `ms that ${users} users are told beyond the server's own 50 ms, ${percent} of 100`,
        turns.map(turn => turn[at]).toSorted((a, b) => a - b)[turns.length >> 1],
        goals[at],
      ]);
    };
    const firsts = Array.from({ length: turns(9) }, () => {
      timed(inputs.late(1, 2));
      const [first, second] = exchangesOf('late.ndjson').map(({ times }) => times.total);
      return first - second;
    });
    return [
      ...excess(32, most(40, 20), [2, 5, 15]),
      ...excess(256, most(15, 8), [5, 20, 60]),
      [
        'ms that the first request is told beyond the second',
        firsts.toSorted((a, b) => a - b)[firsts.length >> 1],
        3,
      ],
    ];
  },

  secrets() {
    const each = most(20, 8);
    const medians = secret => {
      timed(inputs.tokens(secret, 100, each));
      return toldTimes(`tokens-${secret}.md.ndjson`)[0];
    };
    const [plain, secret] = inTurn(turns(5), [() => medians(false), () => medians(true)]);
    const [time, masked] = inTurn(turns(5), [
      () => timed(inputs.tokens(false, 100, each)),
      () => timed(inputs.tokens(true, 100, each)),
    ]);
    return [
      ['median told of 100 users that keep tokens as secrets / keep them', secret / plain, 1.2],
      ['the same, whole runs', masked / time, 1.5],
    ];
  },

  scripts() {
    const [without, behind, before] = inTurn(
      turns(21),
      ['nowhere', 'behind', 'before'].map(at => () => timed(inputs.scripted(at))),
    );
    const [few, many] = most([1000, 4000], [500, 1500]);
    const [short, long] = inTurn(turns(5), [
      () => timed([...inputs.scripted('alone'), '--rounds', String(few)]),
      () => timed([...inputs.scripted('alone'), '--rounds', String(many)]),
    ]);
    return [
      ['ms that the first script adds to a run, behind a request', behind - without, 60],
      ['ms that the first script adds to a run, before a request', before - without, 120],
      ['ms that a script of ten lines takes, once it is warm', (long - short) / (many - few), 1],
    ];
  },

  async queries() {
    const count = 4000;
    const rows = [];
    for (const [name, open] of Object.entries(databases)) {
      const database = await open();
      if (!database) continue;
      const { settings, bare } = database;
      const loop = [script('bare-queries.mjs'), String(count), ...bare];
      const asked = inputs.queries(settings, count);
      rows.push(
        ...both(`${thousands(count)} queries of ${name} with five checks / bare driver`, loop, asked, 1.3),
      );
      const [few, many, more] = inTurn(
        3,
        [1000, 100_000, 400_000].map(size => () => peakMemory(inputs.askedRows(settings, size))),
      );
      rows.push(
        [`peak memory, 100,000 rows asked of ${name} / 1,000`, many / few, 1.5],
        [`peak memory, 400,000 rows asked of ${name} / 100,000`, more / many, 1.15],
      );
    }
    return rows;
  },

  async 'stand-in'() {
    const count = most(20_000, 4000);
    const counts = [10, 1000, 10, 1000];
    const servers = [
      await standIns.bare(10),
      await standIns.bare(1000),
      await standIns.standIn(standIns.collection(folder, 10)),
      await standIns.standIn(standIns.collection(folder, 1000)),
    ];
    // What is compiled on the way is not what is asked about.
    for (const [index, each] of servers.entries()) await standIns.workFor(each, 6000, counts[index]);
    const turns = [];
    for (let turn = 0; turn < most(7, 3); turn++) {
      const works = [];
      for (const [index, each] of servers.entries())
        works.push(await standIns.workFor(each, count, counts[index]));
      turns.push(works);
    }
    const middle = values => values.sort((x, y) => x - y)[turns.length >> 1];
    const ratio = (a, b) => middle(turns.map(each => each[a] / each[b]));
    return [
      ['a stand-in with 10 patterns / a bare server with 10 answers of the same bytes', ratio(2, 0), 2],
      ['the same with 1,000', ratio(3, 1), 2],
      [
        '1,000 patterns / 10, beside the same of the bare server',
        middle(turns.map(([a, b, c, d]) => d / c / (b / a))),
        1.05,
      ],
      ['a bare server with 1,000 answers / 10', ratio(1, 0)],
    ];
  },

  definitions() {
    const { yaml, json } = definitions.large(folder);
    const imported = file => ['import', file, '--list'];
    return Object.entries({ YAML: yaml, JSON: json }).flatMap(([notation, file]) => {
      const [alone, lint, all] = inTurn(turns(5), [
        () => work([script('parse-definition.mjs'), file]),
        () => worked(['lint', '--quiet', file]),
        () => worked(imported(file)),
      ]);
      const goal = notation === 'YAML' ? 5 : 2;
      const what = `of 1,000 operations in 5 MB of ${notation}`;
      return [
        [`\`lint\` ${what} / reading it by the package alone`, lint / alone],
        [`seconds that \`lint\` takes ${what}`, lint / 1000, goal],
        [`seconds that \`import\` takes ${what}`, all / 1000, goal],
        [`hundreds of MB, peak memory, \`lint\` ${what}`, peakMemory(['lint', '--quiet', file]) / 1e5, 5],
        [`hundreds of MB, peak memory, \`import\` ${what}`, peakMemory(imported(file)) / 1e5, 5],
      ];
    });
  },

  async load() {
    return [
      ...loads.truth(turns(5)),
      ...(await loads.limits()),
      ...loads.arrivals(),
      ...loads.threads(turns(5), short),
      ...loads.memory(short),
    ];
  },

  async trust() {
    const demo = inputs.demoRecord();
    const args = ['--expose-gc', '--interrupt-budget=1000000', script('doubt.mjs'), demo.root, demo.record];
    const { first, rate, grown } = JSON.parse(outputOf(process.execPath, args));
    const { records, page } = await inputs.largeAnswers();
    const [suggested] = inTurn(turns(5), [() => worked(['suggest', page, '--from', ...records])]);
    const { lint, contract } = inputs.manyCases(10_000);
    const [looked, relied] = inTurn(turns(5), [() => worked(lint), () => worked(contract)]);
    return [
      ["5,000 changes / those of the demo's answers that `doubt` makes in a second", 5000 / rate, 1],
      ['the same, the first time: statements and schemas are made ready', 5000 / first, undefined],
      ['memory after `doubt` ran eight times / after it ran twice', grown, 1.1],
      ['seconds that `suggest` takes for two answers of 1 MB', suggested / 1000, 1],
      ['`contract` of 10,000 cases / `lint` of them', relied / looked, 1.5],
    ];
  },

  lint() {
    const { page, lint } = inputs.manyCases(10_000);
    const [tokens, whole] = inTurn(turns(9), [
      () => work([script('tokenizer.mjs'), page]),
      () => worked(lint),
    ]);
    return [['`lint` of 10,000 cases / the Markdown tokenizer alone', whole / tokens, 4.5]];
  },

  list() {
    const list = inputs.manyPages(500);
    const [bare, whole] = inTurn(turns(5), [() => work(['-e', '0']), () => worked(list)]);
    return [['`list` of 10,000 cases in 500 pages / bare runtime', whole / bare, 30]];
  },

  docs() {
    const { lint, docs } = inputs.site(500);
    const [looked, written] = inTurn(turns(7), [() => worked(lint), () => worked(docs)]);
    return [['`docs` of 10,000 cases in 500 pages / `lint` of them', written / looked, 3]];
  },

  jobs() {
    const slow = inputs.slowPages();
    const [one, four] = inTurn(3, [() => timed(slow), () => timed([...slow, '--jobs', '4'])]);
    return [['four pages that wait, `--jobs 4` / one after the other', four / one, 0.35]];
  },

  memory() {
    const counts = [1000, 10_000, ...(short ? [] : [100_000])];
    const peaks = inTurn(
      short ? 1 : 3,
      counts.map(count => () => peakMemory(inputs.rounds(count))),
    );
    const rows = counts
      .map((count, at) => [`peak memory, ${thousands(count)} requests / 1,000`, peaks[at] / peaks[0], 1.15])
      .slice(1);
    if (short) return rows;
    const [few, many] = inTurn(3, [
      () => peakMemory(inputs.rows(1000)),
      () => peakMemory(inputs.rows(20_000)),
    ]);
    const [part, whole] = inTurn(3, [() => peakMemory(download(200)), () => peakMemory(download(1000))]);
    return [
      ...rows,
      ['peak memory, 20,000 rows / 1,000', many / few, 1.5],
      ['peak memory, download of 1,000 MB / of 200 MB', whole / part, 1.3],
    ];
  },

  tables() {
    const { table, firstRow } = inputs.largeTable(1_000_000);
    const [alone, read] = inTurn(3, [
      () => work([script('csv-alone.mjs'), table]),
      () => work([mervok, ...firstRow], { mayFail: true }),
    ]);
    return [
      [
        'a million rows looked through, and the first one run / the records read by the package alone',
        read / alone,
        1.5,
      ],
    ];
  },

  report() {
    const count = 100_000;
    const [little, much] = [recordOf(count / 10), recordOf(count)];
    const [parsed, rendered] = inTurn(3, [
      () => work([script('parse-record.mjs'), much]),
      () => worked(asPage(much)),
    ]);
    const [small, large] = inTurn(3, [() => peakMemory(asPage(little)), () => peakMemory(asPage(much))]);
    const [lowBook, highBook] = inTurn(3, [
      () => peakMemory(asWorkbook(little)),
      () => peakMemory(asWorkbook(much)),
    ]);
    return [
      [
        `peak memory, XLSX of ${thousands(count)} exchanges / of ${thousands(count / 10)}`,
        highBook / lowBook,
        1.5,
      ],
      [`HTML of ${thousands(count)} exchanges / parsing the lines of the record`, rendered / parsed, 3],
      [
        `peak memory, HTML of ${thousands(count)} exchanges / of ${thousands(count / 10)}`,
        large / small,
        1.5,
      ],
    ];
  },

  growth() {
    return [
      ...grown('name that nothing gives, of', [500, 2000, most(6000, 4000)], inputs.unknownNames, true),
      ...grown(
        'variable that refers twice to the next, of',
        [500, 2000, most(8000, 4000)],
        inputs.variablesInEachOther,
      ),
      ...grown('item that is to be unique, of', [240, 2400, most(19_200, 9600)], inputs.uniqueItems),
      ...grown('page, of', [20, 200, most(2000, 500)], inputs.pages),
      ...grown('check, of', [100, most(1000, 500), most(3000, 1000)], inputs.checksEach),
      ...grown('kilobyte of a response, of', [10, 100, most(1000, 300)], inputs.kilobytes),
    ];
  },
};

/** A program against a bare one, by the time of the processor and by the time that passes. */
function both(what, bare, args, goal) {
  const [bareWork, programWork] = inTurn(turns(9), [() => work(bare), () => worked(args)]);
  const [bareTime, programTime] = inTurn(turns(5), [() => run(bare), () => timed(args)]);
  return [
    [what, programWork / bareWork, goal],
    [`${what}, time that passes`, programTime / bareTime, goal],
  ];
}

/** The processor time of a start that finds nothing compiled and can keep nothing. */
function withoutCache(args) {
  process.env.NODE_DISABLE_COMPILE_CACHE = '1';
  try {
    return worked(args);
  } finally {
    delete process.env.NODE_DISABLE_COMPILE_CACHE;
  }
}

const download = megabytes => ['send', `${origin}/large/${megabytes}`, '-o', join(folder, 'large.bin')];
const asWorkbook = file => ['report', file, '-o', join(folder, 'report.xlsx')];
const asPage = file => ['report', file, '-o', join(folder, 'report.html')];

/** The record of so many requests. */
function recordOf(count) {
  const file = join(folder, `record-${count}.ndjson`);
  timed([...inputs.rounds(count), '-o', file]);
  return file;
}

/** What one more costs where there are many, against where there are few: 1 is linear, less is better. */
function grown(what, [few, some, many], input, findsFault = false) {
  const commands = [few, some, many].map(input);
  const [little, middle, much] = inTurn(
    turns(5),
    commands.map(args => () => work([mervok, ...args], { mayFail: findsFault })),
  );
  const slope = (middle - little) / (some - few);
  return [
    [
      `one more ${what} ${thousands(many)} / of ${thousands(some)} (linear: 1)`,
      (much - middle) / (many - some) / slope,
      1.25,
    ],
  ];
}

/** What the server itself took since it was last asked: 50, 90 and 99 of 100, in milliseconds. */
function ownTimes() {
  const ask = `fetch('${origin}/times').then(r => r.text()).then(text => process.stdout.write(text))`;
  return JSON.parse(outputOf(process.execPath, ['-e', ask]));
}

function exchangesOf(file) {
  return readFileSync(join(folder, file), 'utf8')
    .split('\n')
    .filter(line => line.startsWith('{"type":"exchange"'))
    .map(line => JSON.parse(line));
}

function toldTimes(file) {
  const times = exchangesOf(file)
    .map(({ times: { total } }) => total)
    .sort((a, b) => a - b);
  return [50, 90, 99].map(percent => times[Math.ceil((times.length * percent) / 100) - 1]);
}

/** Requests in a second of a load generator in C with as many connections, where Debian's package is installed. */
function rateOfGenerator() {
  const { status, stdout } = spawnSync('wrk', ['-t1', '-c32', `-d${most(5, 2)}s`, `${origin}/berths/417`], {
    encoding: 'utf8',
  });
  return status === 0 ? Number(/Requests\/sec:\s*([\d.]+)/.exec(stdout)?.[1]) : undefined;
}

try {
  console.log('| what | ratio | goal | met |\n|---|---|---|---|');
  for (const [name, measure] of Object.entries(measurements)) {
    const isWanted =
      parts.length > 0 ? parts.some(part => name.includes(part)) : !(short && long.includes(name));
    if (!isWanted) continue;
    for (const [what, ratio, goal] of await measure())
      console.log(
        `| ${what} | ${ratio.toFixed(2)} | ${goal === undefined ? '' : `≤ ${goal}`} | ${goal === undefined ? '' : ratio <= goal ? 'yes' : 'no'} |`,
      );
  }
} finally {
  await end();
}
