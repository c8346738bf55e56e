import assert from 'node:assert/strict';
import type { ChildProcess } from 'node:child_process';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import type { RunEvent } from '../../src/core/model/events.ts';
import { caseText, cleaning } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { harbour } from '../support/harbour.ts';
import { mervok } from '../support/program.ts';
import { endOf, figuresIn, recordIn, sumOf } from '../support/records.ts';
import { serve } from '../support/server.ts';

const look = caseText('Look', 'GET /berths', 'status = 200');
const load = `load: |
  warm up for 500 ms
  stay at 3 users for 1 s
  "storm": stay at 40 rounds/s for 1 s   # one more each 25 ms
  fall to 0 in 500 ms
bounds: |
  p95 time in phase "storm" < 5 s
`;

test('the load of the settings is described by them, and carried out by --load alone', async t => {
  const { origin, seen } = await harbour(t, () => ({ takes: 10 }));
  const folder = folderWith(t, {
    'mervok.yaml': `title: Skerry Harbour\nbase: ${origin}\n${load}`,
    'berths.md': `# Berths\n\n${look}`,
  });
  assert.equal((await mervok(folder, ['lint'])).code, 0);
  const once = await mervok(folder, ['run', '-q']);
  assert.deepEqual([once.code, seen.length], [0, 1]);
  assert.equal(endOf(recordIn(folder)).bounds, undefined);
  const { code, out, err } = await mervok(folder, ['run', '--load']);
  assert.equal(code, 0, out + err);
  assert.match(out, /^Skerry Harbour, a load of 3 phases and a warm-up in 3 s, on \d+ threads\n/);
  assert.match(out, /\n2 {2}"storm": stay at 40 rounds\/s .* +40 of 40 +/);
  assert.match(out, /\nPassed: .* cases; all .* checks hold; the bound is kept\./);
  const events = recordIn(folder);
  const [run] = events;
  assert.ok(run?.type === 'run' && run.load && run.rounds === 0);
  assert.deepEqual(
    run.load.phases.map(({ number, label }) => [number, label]),
    [
      [0, undefined],
      [1, undefined],
      [2, 'storm'],
      [3, undefined],
    ],
  );
  const figures = figuresIn(events);
  const counted = figures.filter(({ phase }) => phase > 0);
  const { totals } = endOf(events);
  assert.equal(
    totals.requests,
    sumOf(counted, each => each.requests[0]?.count),
  );
  assert.equal(totals.checks, totals.requests);
  // What the warm-up has sent is on record, and counts for nothing.
  assert.equal(
    sumOf(figures, each => each.requests[0]?.count),
    seen.length - 1,
  );
  assert.ok(totals.requests < seen.length - 1);
  assert.deepEqual(totals.load?.rounds.due, 50);
  // Every report can be made of it.
  for (const name of ['r.html', 'r.md', 'r.json', 'r.xml', 'r.csv', 'r.har', 'r.tap', 'r.xlsx', 'r.pdf']) {
    const report = await mervok(folder, ['report', '-o', name]);
    assert.equal(report.code, 0, `${name}: ${report.err}`);
  }
  const { load: told } = JSON.parse(readFileSync(join(folder, 'r.json'), 'utf8'));
  assert.deepEqual(
    told.phases.map((each: { label?: string; rounds: { due: number } }) => [each.label, each.rounds.due]),
    [
      [undefined, 0],
      ['storm', 40],
      [undefined, 10],
    ],
  );
  assert.equal(told.requests[0].requests, totals.requests);
  assert.ok(told.requests[0].milliseconds.p95 >= told.requests[0].milliseconds.p50);
  const again = await mervok(folder, ['compare']);
  assert.equal(again.code, 0, again.err);
});

test('a load may be written on the command line, or in a file; --rate is one of one phase', async t => {
  const { origin, seen } = await harbour(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'quay/berths.md': `# Berths\n\n${look}`,
    'sea/tides.md': `# Tides\n\n${caseText('Today', 'GET /tides', 'status = 200')}`,
    'loads/calm.txt': 'stay at 10 rounds/s for 500 ms\n# nothing else\n',
  });
  const rows: [args: string[], sent: number, urls: RegExp][] = [
    [['--load', 'stay at 10 rounds/s for 500 ms', 'quay'], 5, /berths/],
    [['quay', '--load', 'loads/calm.txt'], 5, /berths/],
    [['sea/tides.md#today', '--rate', '20', '--for', '500ms', '--threads', '1'], 10, /tides/],
    [['sea', '--rate', '240/min', '--for', '1s', '--threads', '2'], 4, /tides/],
  ];
  for (const [args, sent, urls] of rows) {
    seen.length = 0;
    const { code, out, err } = await mervok(folder, ['run', '-q', ...args]);
    assert.equal(code, 0, `${args}: ${out}${err}`);
    assert.equal(seen.length, sent, args.join(' '));
    assert.ok(
      seen.every(({ what }) => urls.test(what)),
      args.join(' '),
    );
  }
});

test('what does not go together, or cannot be read, is told in one message, and nothing is sent', async t => {
  const { origin, seen } = await harbour(t);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': `# Berths\n\n${look}`,
    'pilots.csv': 'pilot\nMorven\n',
  });
  const five = 'stay at 5 users for 1 s';
  const rows: [args: string[], message: RegExp][] = [
    [['--load'], /mervok\.yaml says nothing of a load\. Write it there behind load: \||--load 'rise to/],
    [['berths.md', '--load'], /says nothing of a load/],
    [['--load', 'berths.md'], /says nothing of a load/],
    [['--load', 'strom.txt'], /There is no file 'strom\.txt'/],
    [['--load', five, '--users', '3'], /--load and --users do not go together: .*stay at 50 users/],
    [['--load', five, '--rounds', '3'], /--load and --rounds do not go together/],
    [['--load', five, '--for', '3s'], /--load and --for do not go together/],
    [['--load', five, '--rate', '3', '--for', '3s'], /--load and --rate do not go together/],
    [
      ['--load', five, '--rows', 'pilots.csv'],
      /--load and --rows do not go together: .*each user takes row of/,
    ],
    [['--load', five, '--jobs', '2'], /--load and --jobs do not go together/],
    [['--load', five, '--watch'], /--load and --watch do not go together/],
    [['--load', five, '--examples', 'strict'], /--examples strict and --load do not go together/],
    [['--rate', '3'], /--rate 3 needs to know for how long: --for 1min/],
    [['--rate', 'many', '--for', '1s'], /--rate takes a number of rounds a second, not 'many'/],
    [['--rate', '3', '--for', '1'], /--for takes a number and its unit/],
    [['--rate', '3', '--for', '1s', '--users', '2'], /--rate and --users do not go together/],
    [['--sample', '3%'], /--sample is for a run with load/],
    [['--most-users', '3'], /--most-users is for a run with load/],
    [['--load', five, '--sample', '3'], /--sample takes a share from 0% to 100%, not '3'/],
    [['--load', five, '--sample', '103%'], /--sample takes a share/],
    [['--load', five, '--threads', '0'], /--threads takes a whole number from 1/],
    [['--load', five, '--threads', '900'], /--threads takes 64 at the most/],
    [['--threads', '2'], /--threads share users between them: add --users N, or --load/],
    [['--threads', '2', '--users', '4', '--jobs', '2'], /--threads and --jobs do not go together/],
    [['--pause', '3s..1s'], /--pause takes a time, or a range of times from short to long, not '3s\.\.1s'/],
    [
      ['--load', 'stay at 5 usres for 1 s'],
      /--load:1:11 +error load-form\n +'usres' is not known here\. Did you mean 'users'\?\n.*\n +\^{5}\n/,
    ],
    [
      ['--load', 'stay at 5 users for 1 s; each user takes row of "pilots.csv"'],
      /Each user takes a row of pilots\.csv of its own: 5 users need as many rows, and it has 1\./,
    ],
    [
      ['--load', 'stay at 1 user for 1 s; each user takes row of "captains.csv"'],
      /There is no file 'captains\.csv', which each user is to take a row of\./,
    ],
    [['--load', 'stay at 9000000 users for 1 s'], /A load of 9000000 users needs more connections/],
  ];
  for (const [args, message] of rows) {
    const { code, out, err } = await mervok(folder, ['run', ...args]);
    assert.equal(code, 2, `${args}: ${out}${err}`);
    assert.match(err, message, args.join(' '));
    assert.doesNotMatch(err, /\n +at /, args.join(' '));
  }
  assert.equal(seen.length, 0);
  writeFileSync(
    join(folder, 'mervok.yaml'),
    `base: ${origin}\nload: |\n  rise to 5 users in 1 s\n  "calm": fall to 9 in 1 s\n  each user takes row of "captains.csv"\nbounds: |\n  p95 time in phase "clam" < 1 s\n`,
  );
  // What is wrong with the load of the settings is told where it is to be carried out, too.
  const asked = await mervok(folder, ['run', '--load']);
  assert.deepEqual([asked.code, seen.length], [2, 0]);
  assert.match(asked.err, /mervok\.yaml:4:11 +error load-form\n +That does not fall/);
  const lint = await mervok(folder, ['lint']);
  assert.equal(lint.code, 2);
  assert.match(
    lint.err + lint.out,
    /mervok\.yaml:4:11 +error load-form\n +That does not fall: it begins at 5 users\. Write: rise to 9 users in …/,
  );
  writeFileSync(
    join(folder, 'mervok.yaml'),
    `base: ${origin}\nload: |\n  "calm": rise to 5 users in 1 s\n  each user takes row of "captains.csv"\nbounds: |\n  p95 time in phase "clam" < 1 s\n`,
  );
  const more = await mervok(folder, ['lint']);
  assert.match(
    more.err + more.out,
    /error bound-unknown\n +The load has no phase 'clam'\. Did you mean 'calm'\?/,
  );
  assert.match(
    more.err + more.out,
    /error file-missing\n +There is no file 'captains\.csv', which each user is to take a row of\./,
  );
});

test('how large a record becomes is told beforehand, where it is large', async t => {
  const { origin } = await harbour(t);
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'berths.md': `# Berths\n\n${look}` });
  const rows: [load: string, more: string[], said: RegExp | undefined][] = [
    ['stay at 5 rounds/s for 10 min', [], undefined],
    [
      'stay at 5 rounds/s for 10 h',
      ['--sample', '100%'],
      /The record of this load will take about 600 MB\. A smaller sample keeps less: --sample 10%/,
    ],
    [
      'stay at 1 user for 200 h',
      ['--sample', '0'],
      /will take about 400 MB\. Most of it are the figures of 200 h, second by second\./,
    ],
  ];
  for (const [load, more, said] of rows) {
    const { err } = await mervok(folder, [
      'run',
      '--load',
      load,
      '--timeout',
      '300ms',
      '--threads',
      '1',
      '-q',
      ...more,
    ]);
    if (said) assert.match(err, said, load);
    else assert.equal(err, '', load);
  }
});

test('each user has a row of its own, which nobody else has at the same time, on however many threads', async t => {
  const busy = new Map<string, number>();
  const seen = new Set<string>();
  let worst = 0;
  const origin = await serve(t, (request, response) => {
    const pilot = request.url!;
    seen.add(pilot);
    busy.set(pilot, (busy.get(pilot) ?? 0) + 1);
    worst = Math.max(worst, busy.get(pilot)!);
    setTimeout(() => {
      busy.set(pilot, busy.get(pilot)! - 1);
      response.writeHead(200).end('{}');
    }, 20);
  });
  const names = Array.from({ length: 12 }, (_, index) => `pilot-${index + 1}`);
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\nvariables: { pilot: nobody }\nload: |\n  stay at 4 users for 500 ms\n  stay at 100 rounds/s for 500 ms\n  each user takes row of "office/pilots.csv"\n`,
    'office/pilots.csv': `pilot\n${names.join('\n')}\n`,
    'pilots.md': `# Pilots\n\n${caseText('Look', 'GET /pilots/{pilot}', 'status = 200')}`,
  });
  const once = await mervok(folder, ['run', '-q']);
  assert.deepEqual([once.code, [...seen]], [0, ['/pilots/nobody']], once.err);
  for (const more of [
    ['--threads', '1'],
    ['--threads', '2'],
    ['--threads', '3', '--most-users', '8'],
  ]) {
    seen.clear();
    worst = 0;
    const { code, out, err } = await mervok(folder, ['run', '--load', '-q', ...more]);
    assert.equal(code, 0, out + err);
    assert.equal(worst, 1, more.join(' '));
    assert.ok(!seen.has('/pilots/nobody') && seen.size >= 4, more.join(' '));
  }
  writeFileSync(join(folder, 'mervok.yaml'), `base: ${origin}\nvariables: { pilot: nobody }\n`);
  const picked = async (seed: string) => {
    seen.clear();
    const text = 'stay at 3 users for 1 s; each user takes random row of "office/pilots.csv"';
    const { code, out } = await mervok(folder, [
      'run',
      '--load',
      text,
      '--seed',
      seed,
      '--threads',
      '2',
      '-q',
    ]);
    assert.equal(code, 0, out);
    return [...seen].sort();
  };
  const [one, same, other] = [await picked('a'), await picked('a'), await picked('b')];
  assert.equal(one.length, 3);
  assert.deepEqual(one, same);
  assert.notDeepEqual(one, other);
});

test('users over threads: cookies, rounds, clean-up, figures as with one', async t => {
  const held = new Map<string, string>();
  let [next, wrong] = [0, 0];
  const deleted: string[] = [];
  const origin = await serve(t, (request, response) => {
    const sid = /sid=(\w+)/.exec(request.headers.cookie ?? '')?.[1];
    if (request.url === '/sign-in') {
      response.writeHead(200, { 'Set-Cookie': `sid=s${++next}; Path=/` }).end('{}');
      return;
    }
    if (sid === undefined) wrong++;
    if (request.method === 'POST') {
      const id = `r${++next}`;
      held.set(id, sid!);
      response.writeHead(201, { 'Content-Type': 'application/json' }).end(JSON.stringify({ id }));
      return;
    }
    const id = request.url!.split('/').at(-1)!;
    if (held.get(id) !== sid) wrong++;
    if (request.method === 'DELETE') {
      deleted.push(id);
      held.delete(id);
    }
    response.writeHead(200).end('{}');
  });
  const page =
    caseText('Sign in', 'GET /sign-in', 'status = 200') +
    caseText('Reserve', 'POST /reservations', 'status = 201\nkeep $.id as reservation') +
    caseText('Read', 'GET /reservations/{reservation}', 'status = 200') +
    cleaning(caseText('Cancel', 'DELETE /reservations/{reservation}', 'status = 200'));
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'office.md': `# Office\n\n${page}` });
  for (const [args, rounds] of [
    [['--users', '6', '--rounds', '5', '--threads', '3'], 30],
    [['--users', '5', '--rounds', '4', '--threads', '2'], 20],
    [['--users', '5', '--rounds', '4'], 20],
  ] as const) {
    deleted.length = 0;
    const { code, out, err } = await mervok(folder, ['run', ...args]);
    assert.equal(code, 0, out + err);
    assert.equal(deleted.length, rounds);
    assert.match(
      out,
      new RegExp(`Passed: ${rounds * 4} cases; all ${rounds * 4} checks hold\\.`),
      args.join(' '),
    );
    const events = recordIn(folder);
    assert.equal(events.filter(({ type }) => type === 'exchange').length, rounds * 4);
    assert.equal(figuresIn(events).length, 0);
    assert.equal((await mervok(folder, ['report', 'last', '-o', 'r.json'])).code, 0);
    const { out: json } = await mervok(folder, ['run', ...args, '--json']);
    const types = new Set(
      json
        .trimEnd()
        .split('\n')
        .map(line => JSON.parse(line).type),
    );
    assert.deepEqual([...types].sort(), ['case', 'check', 'end', 'exchange', 'page', 'run']);
  }
  deleted.length = 0;
  const { code } = await mervok(folder, ['run', '--load', 'stay at 4 users for 1 s', '-q', '--threads', '2']);
  assert.equal(code, 0);
  assert.ok(deleted.length > 4);
  assert.deepEqual([wrong, held.size], [0, 0]);
});

test('a page that runs alone does, whichever thread its user is on', async t => {
  let [under, worst] = [0, 0];
  const origin = await serve(t, (request, response) => {
    under++;
    if (request.url === '/alone') worst = Math.max(worst, under);
    setTimeout(() => {
      if (request.url === '/alone') worst = Math.max(worst, under);
      under--;
      response.writeHead(200).end('{}');
    }, 15);
  });
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': `---\nalone: true\n---\n\n# Alone\n\n${caseText('One', 'GET /alone', 'status = 200')}`,
    'b.md': `# Together\n\n${look}`,
  });
  const { code, out } = await mervok(folder, [
    'run',
    '--load',
    'stay at 6 users for 1 s',
    '--threads',
    '3',
    '-q',
  ]);
  assert.equal(code, 0, out);
  assert.equal(worst, 1);
});

test('what one thread has come by as a secret is masked in the lines of all', async t => {
  const tokens: string[] = [];
  /** Of those who wait for an answer, and so have kept theirs. */
  const waiting = new Set<string>();
  const origin = await serve(t, (request, response) => {
    const own = request.headers['x-pass'] as string | undefined;
    if (own !== undefined) waiting.add(own);
    setTimeout(() => {
      const token = `tide-${Math.random().toString(36).slice(2)}${tokens.length}`;
      if (own === undefined) tokens.push(token);
      const others = [...waiting].filter(each => each !== own);
      const coded = Buffer.from(others[0] ?? '').toString('base64');
      waiting.delete(own ?? '');
      response.writeHead(200, { 'Content-Type': 'application/json' });
      response.end(JSON.stringify(own === undefined ? { token } : { lately: others, coded }));
    }, 5);
  });
  const page =
    caseText('Sign in', 'GET /sign-in', 'status = 200\nkeep $.token as secret token') +
    caseText('Gossip', 'GET /gossip\nX-Pass: {token}', 'count $.lately[*] = 99\n$.mine = {token}');
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'office.md': `# Office\n\n${page}` });
  for (const args of [
    ['--load', 'stay at 8 users for 1500 ms', '--threads', '2', '--sample', '100%'],
    ['--users', '8', '--rounds', '20', '--threads', '4'],
  ]) {
    tokens.length = 0;
    const { code, out, err } = await mervok(folder, ['run', ...args, '-o', 'r.html']);
    assert.equal(code, 1);
    const record = recordIn(folder).map(event => JSON.stringify(event));
    assert.ok(record.filter(line => line.includes('/gossip')).length > 20);
    const written = [out, err, readFileSync(join(folder, 'r.html'), 'utf8'), ...record].join('\n');
    const open = tokens.filter(
      token => written.includes(token) || written.includes(Buffer.from(token).toString('base64')),
    );
    assert.deepEqual(open, [], `${args}: ${open.length} of ${tokens.length}`);
    assert.ok(written.includes('[secret]'));
  }
});

test('a thread that dies is told; the rest end well, and what it did up to there counts', async t => {
  const { origin } = await harbour(t, () => ({ takes: 5 }));
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'berths.md': `# Berths\n\n${look}`,
    'dies.cjs': `const { isMainThread, workerData } = require('node:worker_threads');
if (!isMainThread && workerData?.work?.thread === 1) setTimeout(() => process.exit(9), 4000);`,
  });
  const { code, out, err } = await mervok(
    folder,
    ['run', '--load', 'stay at 6 users for 7 s', '--threads', '3'],
    { NODE_OPTIONS: `--require ${join(folder, 'dies.cjs')}` },
  );
  assert.equal(code, 3, out + err);
  assert.match(
    out.replace(/\s+/g, ' '),
    /Not finished: .* Thread 2 of 3 ended before its time \(exit code 9\), and its users are missing from then on\./,
  );
  const events = recordIn(folder);
  const figures = figuresIn(events);
  const usersAt = (second: number) =>
    sumOf(
      figures.filter(({ from }) => from === second * 1000),
      each => each.mostUsers,
    );
  assert.deepEqual([usersAt(0), usersAt(6)], [6, 4]);
  assert.equal(endOf(events).missing?.length, 1);
  const report = await mervok(folder, ['report', '-o', 'r.md']);
  assert.equal(report.code, 0);
  assert.match(readFileSync(join(folder, 'r.md'), 'utf8'), /Thread 2 of 3 ended before its time/);
});

test('an interrupt, a failure or a limit ends all threads, and everything is cleaned up', async t => {
  let [made, taken] = [0, 0];
  const origin = await serve(t, (request, response) => {
    if (request.method === 'POST') made++;
    if (request.method === 'DELETE') taken++;
    const fails = request.url === '/fails' && made > 60;
    setTimeout(() => response.writeHead(fails ? 500 : 200).end('{}'), 20);
  });
  const page = (target: string) =>
    `# Office\n\n${caseText('Reserve', `POST ${target}`, 'status = 200')}${cleaning(caseText('Cancel', 'DELETE /reservations', 'status = 200'))}`;
  const folder = folderWith(t, {
    'mervok.yaml': `base: ${origin}\n`,
    'a.md': page('/reservations'),
    'b.md': page('/fails'),
  });
  const rows: [args: string[], code: number, verdict: RegExp, interrupt?: number][] = [
    [['a.md', '--load', 'stay at 6 users for 60 s'], 130, /The run was interrupted\./, 3500],
    [
      ['a.md', '--load', 'warm up for 60 s; stay at 6 users for 60 s'],
      130,
      /The run was interrupted\./,
      3500,
    ],
    [['a.md', '--load', 'stay at 60 rounds/s for 60 s'], 130, /The run was interrupted\./, 3500],
    [['a.md', '--users', '6', '--for', '60s'], 130, /The run was interrupted\./, 3500],
    [
      ['b.md', '--load', 'stay at 6 users for 60 s', '--fail-fast'],
      1,
      /The run ended with the first failure\./,
    ],
    [
      ['b.md', '--load', 'stay at 6 users for 60 s; stop when failed > 10 % for 2 s'],
      1,
      /The run was ended as its load says: failed > 10 % for 2 s, found /,
    ],
    [['a.md', '--load', 'stay at 6 users for 60 s', '--timeout', '2s'], 3, /The time for the run was over/],
  ];
  for (const [args, wanted, verdict, interrupt] of rows) {
    // What the one before has sent last may come a moment later.
    await new Promise(resume => setTimeout(resume, 200));
    [made, taken] = [0, 0];
    const { code, out, err } = await mervok(folder, ['run', ...args, '--threads', '3', '-q'], {}, child => {
      if (interrupt !== undefined) setTimeout(() => child.kill('SIGINT'), interrupt);
    });
    assert.equal(code, wanted, `${args}: ${out}${err}`);
    assert.match(out.replace(/\s+/g, ' '), verdict, args.join(' '));
    assert.ok(made > 10, args.join(' '));
    // What was interrupted before it went out is cleaned up as well.
    assert.ok(taken >= made && taken - made <= 6, `${args}: ${taken} of ${made}`);
  }
});

test('a service that stops answering, refuses half of what comes, or gets slower is told as it is', async t => {
  const begin = { at: 0 };
  const since = () => Date.now() - begin.at;
  const rows: [
    name: string,
    answer: Parameters<typeof harbour>[1],
    timeout: string,
    check: (events: RunEvent[], out: string) => void,
  ][] = [
    [
      'stops answering',
      () => (since() > 1500 ? { takes: 60_000 } : { takes: 5 }),
      '1 s',
      (events, out) => {
        const { cases, load } = endOf(events).totals;
        assert.ok(cases.error > 10, out);
        assert.equal(load?.rounds.due, 60);
        assert.equal((load?.rounds.begun ?? 0) + (load?.rounds.dropped ?? 0), 60);
      },
    ],
    [
      'refuses half',
      (_, count) => (count % 2 === 0 ? undefined : { takes: 5 }),
      '1 s',
      (events, out) => {
        const { cases, requests } = endOf(events).totals;
        // Three are told, and how many are not.
        const [, more] = /\n(\d+) more cases did not pass; a report tells some of each/.exec(out) ?? [];
        assert.equal(Number(more), cases.error - 3, out);
        assert.ok(cases.error >= 20 && cases.passed >= 20, JSON.stringify(cases));
        assert.ok(requests >= 60);
        const answers = figuresIn(events).flatMap(each => Object.keys(each.requests[0]?.answers ?? {}));
        assert.ok(answers.includes('reset') && answers.includes('200'), answers.join());
      },
    ],
    [
      'slower and slower',
      (_, count) => ({ takes: 5 + count * 12 }),
      '10 s',
      events => {
        const { load } = endOf(events).totals;
        assert.ok((load?.rounds.late ?? 0) > 5, JSON.stringify(load?.rounds));
        // What waited for a user is told as waiting, and what was due and never began is counted.
        const figures = figuresIn(events).flatMap(each => each.requests);
        assert.ok(figures.some(each => (each.sent?.max ?? 0) < each.times.max - 100));
      },
    ],
  ];
  for (const [name, answer, timeout, check] of rows) {
    const { origin } = await harbour(t, answer);
    const folder = folderWith(t, {
      'mervok.yaml': `base: ${origin}\ntimeout: ${timeout}\nretry: none\n`,
      'berths.md': `# Berths\n\n${look}`,
    });
    begin.at = Date.now();
    const { code, out, err } = await mervok(folder, [
      'run',
      '--rate',
      '20',
      '--for',
      '3s',
      '--most-users',
      '8',
      '--threads',
      '2',
    ]);
    assert.ok(code === 0 || code === 1, `${name}: ${out}${err}`);
    check(recordIn(folder), out);
  }
});

test('the record of a load that was killed is readable, and so are the lines of its threads', async t => {
  const { origin } = await harbour(t, (_, count) => ({ takes: 5, status: count % 10 === 0 ? 500 : 200 }));
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'berths.md': `# Berths\n\n${look}` });
  await mervok(folder, ['run', '--load', 'stay at 4 users for 60 s', '--threads', '2', '-q'], {}, child => {
    setTimeout(() => child.kill('SIGKILL'), 3500);
  });
  assert.ok(readdirSync(join(folder, '.mervok/runs')).some(name => name.includes('.part-')));
  const report = await mervok(folder, ['report', 'last', '-o', 'r.json']);
  assert.equal(report.code, 0, report.err);
  const told = readFileSync(join(folder, 'r.json'), 'utf8');
  assert.match(told, /The record breaks off before the end of the run/);
  assert.match(told, /expected/);
  const { code, out } = await mervok(folder, ['runs']);
  assert.equal(code, 0);
  assert.match(out, /cut off/);
});

test('where Mervok itself was the limit the verdict says so', async t => {
  const { origin } = await harbour(t, () => ({ takes: 20 }));
  const folder = folderWith(t, { 'mervok.yaml': `base: ${origin}\n`, 'berths.md': `# Berths\n\n${look}` });
  const loads = {
    rounds: ['--load', 'stay at 40 rounds/s for 3 s', '--threads', '1'],
    users: ['--load', 'stay at 8 users for 3 s', '--threads', '1'],
  };
  /** Lets the program have the processor for half of the time alone. */
  const takeAway = (child: ChildProcess) => {
    let isStopped = false;
    const timer = setInterval(() => {
      isStopped = !isStopped;
      child.kill(isStopped ? 'SIGSTOP' : 'SIGCONT');
    }, 40);
    child.on('exit', () => clearInterval(timer));
  };
  const says = async (args: readonly string[], hinder?: (child: ChildProcess) => void) => {
    const { code, out, err } = await mervok(folder, ['run', '-q', ...args], {}, hinder);
    assert.equal(code, 0, out + err);
    const told =
      /Mervok itself was the limit: (?:half of the|95 of 100) answers are told as ([\d.]+) ms or less, and without its own delays it would be ([\d.]+) ms\./.exec(
        out.replace(/\s+/g, ' '),
      );
    return told && { told: Number(told[1]), without: Number(told[2]) };
  };
  for (const [what, args] of Object.entries(loads)) {
    // Whoever takes the processor away may lack it too: it is not taken away evenly each time.
    let limit = await says(args, takeAway);
    for (let again = 0; !limit && again < 5; again++) limit = await says(args, takeAway);
    assert.ok(limit && limit.told > limit.without, what);
  }
});
