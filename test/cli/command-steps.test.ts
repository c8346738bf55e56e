import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readFileSync, realpathSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { setTimeout as delay } from 'node:timers/promises';
import { fence, pageOf, runCases, within } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';

const sh = (text: string, more = '') => fence(`sh step${more}`, text);
const checks = (...lines: string[]) => fence('mervok', lines.join('\n'));

/** Not so where only its entry is left, which nobody has asked for yet. */
function isRunning(pid: number): boolean {
  return /^[^Z]/.test(
    spawnSync('ps', ['-o', 'stat=', '-p', String(pid)], { encoding: 'utf8' }).stdout.trim(),
  );
}

const settings = `title: Skerry Harbour
variables:
  light: North
  light-list: [1, { "a": "b c" }]
  quoted: "it's $HOME \`id\` \\"x\\""
  nights: 3
  key: { secret: gull-and-anchor-0417 }
timeout: 60 s
limits: { output: 20 kB }
`;

test('commands: what they are given, what comes of them, and how they end', async t => {
  const rows: [title: string, fences: string, told: string | RegExp][] = [
    ['Exits with 0', sh('true') + checks('exit = 0', 'output is empty', 'fault = "none"'), 'passed'],
    ['Exits with 3', sh('exit 3') + checks('exit = 3'), 'passed'],
    [
      'Exits with 1',
      sh('echo no such berth >&2; exit 1') + checks('output = ""'),
      /^error: `sh echo no such berth >&2; exit 1` ended with exit code 1: no such berth\. Where that is to be so, a check says it: exit = 1$/,
    ],
    ['Says fault alone', sh('exit 2') + checks('fault = "none"'), /^error: .* ended with exit code 2/],
    ['Wrong exit', sh('echo aground >&2; exit 4') + checks('exit = 0'), 'failed: exit = 0: 4'],
    [
      'Values',
      sh(
        'printf "%s|%s|%s|%s" "$light" "$light_list" "$quoted" "$nights"',
        ' with light, light-list, quoted, nights',
      ) + checks('output = "North|[1, { \\"a\\": \\"b c\\" }]|it\'s $HOME `id` \\"x\\"|3"'),
      'passed',
    ],
    [
      'Nothing else',
      sh('env | cut -d= -f1 | sort | tr "\\n" " "') +
        checks('output not contains "SECRET_OF_TEST"', 'output contains "PATH"'),
      'passed',
    ],
    ['JSON', sh('echo \'{"a": [1, 2]}\'') + checks('$.a[1] = 2', 'count $.a[*] = 2'), 'passed'],
    [
      'No JSON',
      sh('echo high water') + checks('$.a exists'),
      /^failed: \$\.a exists: cannot be decided: the output is no JSON/,
    ],
    ['No output', sh('true') + checks('count $[*] = 0'), /^failed: .*the command has no output/],
    [
      'Lines',
      sh('printf "a\\r\\nb\\n\\nc\\n"', ' lines') + checks('count $[*] = 4', '$[1] = "b"', '$[2] = ""'),
      'passed',
    ],
    ['No lines', sh('true', ' lines') + checks('count $[*] = 0'), 'passed'],
    ['NDJSON', sh('echo \'{"a":1}\'; echo \'{"a":2}\'') + checks('lines $[1].a = 2'), 'passed'],
    ['CSV', sh('printf "code,depth\\n0417,4.2\\n"') + checks('csv $[0].depth > 4'), 'passed'],
    [
      'Pattern',
      sh('echo light 12 is out') + checks('output /light (\\d+)/ = 12', 'errors is empty'),
      'passed',
    ],
    [
      'Bytes',
      sh('printf "\\377"') + checks('output = "x"'),
      /^failed: output = "x": cannot be decided: 'output' is no text in UTF-8/,
    ],
    ['Standard input', sh('cat') + checks('output is empty'), 'passed'],
    ['Folder', sh('cat note.txt') + checks('output = "slack water"'), 'passed'],
    ['Begins with a dash', sh('-e 2>/dev/null || echo none') + checks('output = "none"'), 'passed'],
    [
      'Slow',
      within('900 ms') + sh('sleep 90') + checks('exit = 0'),
      /^error: The command had not ended within 900 ms\. The limit is the setting 'timeout'\.$/,
    ],
    ['Slow on purpose', within('3 s') + sh('echo begun; sleep 90') + checks('fault = "timeout"'), 'passed'],
    [
      'Refuses to end',
      within('900 ms') + sh('trap "" TERM; while :; do sleep 1; done') + checks('fault = "timeout"'),
      'passed',
    ],
    [
      'Endless output',
      sh('yes') + checks('exit = 0'),
      /^error: What the command has put out is more than 20 kB\./,
    ],
    ['Endless errors', sh('yes >&2') + checks('fault = "limit"'), 'passed'],
    [
      'Killed',
      sh('kill -9 $$') + checks('exit = 0'),
      /^error: The command was ended by the signal SIGKILL\.$/,
    ],
    ['Leaves a child', sh('sleep 30 & echo $! > child.pid; echo done') + checks('output = "done"'), 'passed'],
    ['Not there', sh('castoff-now') + checks('exit = 127', 'errors contains "not found"'), 'passed'],
    [
      'Secret',
      sh('echo "the key is $key"', ' with key') + checks('output contains {key}', 'keep output as said'),
      'passed',
    ],
    ['Keeps', sh('date +%Y') + checks('keep output as year', 'length({year}) = 4'), 'passed'],
    [
      'Repeats',
      checks('repeat every 20 ms for 60 s until output = "3"') +
        sh('echo x >> count.txt; wc -l < count.txt | tr -d " "') +
        checks('time < 60 s'),
      'passed',
    ],
    [
      'Repeats in vain',
      checks('repeat every 20 ms for 100 ms until exit = 0') + sh('exit 1'),
      'failed: repeat every 20 ms for 100 ms until exit = 0: 1',
    ],
  ];
  const folder = folderWith(t, {
    'mervok.yaml': settings,
    'quays/a.md': pageOf(rows),
    'quays/note.txt': 'slack water\n',
  });
  const ran = await runCases(folder, ['--commands'], { SECRET_OF_TEST: 'x' });
  assert.equal(ran.code, 1, ran.out + ran.err);
  const astray = rows.flatMap(([title, , told]) => {
    const found = ran.of(title).told;
    return (typeof told === 'string' ? found === told : told.test(found)) ? [] : [`${title}: ${found}`];
  });
  assert.deepEqual(astray, []);
  const pid = Number(readFileSync(join(folder, 'quays/child.pid'), 'utf8'));
  assert.ok(!isRunning(pid), 'what a command has left behind is ended');
  const [leftBehind] = ran.of('Leaves a child').operations;
  assert.ok(leftBehind!.times.total < 25_000, 'nobody waits for it');
  assert.ok(!JSON.stringify(ran.events).includes('gull-and-anchor'), 'no secret is on record');
  const [failed] = ran.of('Wrong exit').operations;
  assert.deepEqual(
    [failed!.kind, failed!.asked, failed!.answer, failed!.texts],
    [
      'command',
      { verb: 'sh', target: 'echo aground >&2; exit 4', fields: [] },
      { code: 'exit 4', words: '', bad: true, fields: [], body: { size: 0, text: '' } },
      [{ name: 'errors', body: { size: 8, text: 'aground\n' } }],
    ],
  );
  assert.equal(
    ran.of('Slow on purpose').operations[0]!.texts![0]!.body.text,
    'begun\n',
    'what came before is told',
  );
  assert.match(ran.out, /^ {11}errors {5}aground$/m);
  assert.doesNotMatch(ran.out, /output {5}aground/);
});

test('a command that is interrupted is ended with all that it started', async t => {
  const folder = folderWith(t, {
    'a.md': pageOf([['Waits', sh('sleep 60 & echo $! > child.pid; wait') + checks('exit = 0')]]),
    'mervok.yaml': 'title: Skerry',
  });
  const { code, out } = await mervok(folder, ['run', '--commands'], {}, async child => {
    while (!existsSync(join(folder, 'child.pid'))) await delay(20);
    await delay(100);
    child.kill('SIGINT');
  });
  assert.equal(code, 130, out);
  const pid = Number(readFileSync(join(folder, 'child.pid'), 'utf8'));
  assert.ok(!isRunning(pid));
});

test('a command runs only where the person at the keyboard has allowed it', async t => {
  const page = pageOf([
    ['Light', sh('touch ran') + checks('exit = 0')],
    ['Log', fence('js step', "import { holds } from 'mervok:checks'\nholds('fine', true)")],
  ]);
  const folder = folderWith(t, { 'mervok.yaml': 'title: Skerry', 'a.md': page, 'bin/x': '' });
  const home = folderWith(t);
  const config = join(home, 'mervok/config.yaml');
  const run = (...args: string[]) => mervok(folder, args, { XDG_CONFIG_HOME: home, HOME: home });
  const write = (text: string, mode = 0o600) => {
    mkdirSync(join(home, 'mervok'), { recursive: true, mode: 0o700 });
    writeFileSync(config, text);
    chmodSync(config, mode);
  };
  const refused = await run('run');
  assert.equal(refused.code, 2);
  assert.match(
    refused.err.replace(/\s+/g, ' '),
    /a\.md:4:1 error step-refused `sh touch ran` runs programs, or reaches files of a machine, which nobody has allowed\. Allow it for this run by --commands, or for good by a line of .*config\.yaml: commands: \[".*"\]\. Or leave it out: --without a\.md#light/,
  );
  assert.match(refused.err, /Nothing was sent/);
  for (const command of [['lint'], ['list'], ['show', 'a.md#light'], ['vars', 'a.md#light'], ['graph']])
    assert.equal((await run(...command)).code, 0, command.join(' '));
  assert.match((await run('show', 'a.md#light')).out, /^sh touch ran$/m);
  assert.equal((await run('send', 'a.md#light')).code, 2);
  assert.equal((await run('run', '--without', 'a.md#light')).code, 0, 'another case does not mind');
  assert.ok(!existsSync(join(folder, 'ran')));

  const real = realpathSync(folder);
  const rows: [text: string, code: number, says?: RegExp][] = [
    [`commands: ["${real}"]`, 0],
    [`commands:\n  - ${real}/\n  - /none`, 0],
    ['commands: []', 2],
    [`commands: ["${real}/bin"]`, 2],
    ['title: Skerry', 2],
    ['commands: yes', 2, /cannot be read: it holds a list of collections/],
    ['commands: [', 2, /is no YAML/],
  ];
  for (const [text, code, says = /./] of rows) {
    write(text);
    const ended = await run('run');
    assert.equal(ended.code, code, text + ended.err);
    assert.match(ended.out + ended.err, says);
  }
  write(`commands: ["${real}"]`, 0o622);
  const others = await run('run');
  assert.equal(others.code, 2);
  assert.match(others.err.replace(/\s+/g, ' '), /does not count, since others may write it/);
  const inside = await mervok(folder, ['run'], { XDG_CONFIG_HOME: folder, HOME: home });
  assert.equal(inside.code, 2);
  mkdirSync(join(folder, 'mervok'));
  writeFileSync(join(folder, 'mervok/config.yaml'), `commands: ["${real}"]`);
  const own = await mervok(folder, ['run'], { XDG_CONFIG_HOME: folder, HOME: home });
  assert.match(own.err.replace(/\s+/g, ' '), /does not count, since it lies in the collection/);
});

test('what is wrong with a command is found before anything runs, and told at its place', async t => {
  const long = 'x'.repeat(100_001);
  const rows: [info: string, text: string, told: string[]][] = [
    ['sh step', '', ['1:4 command-form']],
    ['sh step', '# only a remark', []],
    ['sh step with', 'true', ['1:12 command-form']],
    ['sh step wit light', 'true', ['1:12 command-form']],
    ['sh step with light,', 'true', ['1:23 command-form']],
    ['sh step with light light', 'true', ['1:17 command-form']],
    ['sh step with light, light', 'true', ['1:24 command-form']],
    ['sh step with a-b, a_b', 'true', ['1:22 command-form']],
    ['sh step with PATH', 'true', ['1:17 command-form']],
    ['sh step lines with NODE-OPTIONS', 'true', ['1:23 command-form']],
    ['sh step with LD_PRELOAD, IFS', 'true', ['1:17 command-form', '1:29 command-form']],
    ['sh step', long, ['1:4 command-form']],
    ['sh step with lihgt', 'true', ['1:17 name-unknown']],
    ['sh step', 'echo {light}', ['2:6 reference-like']],
    ['sh step with light', 'echo "{light}"', ['2:7 reference-like']],
    ['sh step', 'awk \'{print}\' "${light}"', []],
    ['sh steps', 'true', ['1:4 fence-slip']],
    ['step sh', 'true', ['1:4 fence-slip']],
  ];
  const astray: string[] = [];
  for (const [info, text, told] of rows) {
    const folder = folderWith(t, { 'mervok.yaml': 'variables: { light: North }', 'a.md': fence(info, text) });
    const { out } = await mervok(folder, ['lint', '--json']);
    const { findings } = JSON.parse(out) as { findings: { line: number; column: number; code: string }[] };
    const found = findings.map(({ line, column, code }) => `${line}:${column} ${code}`);
    if (JSON.stringify(found) !== JSON.stringify(told)) astray.push(`${info}: ${found}`);
  }
  assert.deepEqual(astray, []);
});

test('below a command stands what a command gives', async t => {
  const page = pageOf([
    ['A', `${sh('true')}${checks('status = 200')}`],
    ['B', `${sh('true')}${checks('sent $.a = 1')}`],
    ['C', checks('exit = 0')],
    ['D', `${fence('http', 'GET http://harbour.example/')}${checks('output = ""')}`],
  ]);
  const folder = folderWith(t, { 'a.md': page, 'mervok.yaml': 'title: Skerry' });
  const { err } = await mervok(folder, ['run', '--commands']);
  const told = err.replace(/\s+/g, ' ');
  assert.match(
    told,
    /'status' is nothing that sh true gives\. It gives \$, exit, output, errors, time and fault\./,
  );
  assert.match(told, /'sent' is nothing that sh true gives\./);
  assert.match(
    told,
    /No command stands above this in its case, so there is nothing to look at\. It stands in a fence ```sh step\./,
  );
  assert.match(told, /'output' is nothing that GET http:\/\/harbour\.example\/ gives\./);
});

test('a command is brought by the case below it, and its page runs alone', async t => {
  const page = pageOf([
    ['Clear', sh('echo cleared >> log') + checks('exit = 0')],
    ['Look', sh('cat log') + checks('output = "cleared"')],
  ]);
  const folder = folderWith(t, { 'a.md': page, 'mervok.yaml': 'title: Skerry' });
  const { code, out, err } = await mervok(folder, ['run', 'a.md#look', '--commands']);
  assert.equal(code, 0, out + err);
  assert.match(out, /its command may change something/);
});
