import assert from 'node:assert/strict';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { openHarbour } from '../../demo/harbour/server.ts';
import { type RanCases, runCases } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { startMock } from '../support/mock.ts';
import { mervok } from '../support/program.ts';

/** Cases that do not pass against examples of themselves, and why. */
const reasons = new Map([
  ['office/sign-in.md#sign-in', 'a stand-in knows no secret, and what it makes up does not begin like one'],
  ['office/ledger.md#the-ledger-for-those-who-show-a-certificate', 'a stand-in looks at no certificate'],
  ['office/ledger.md#an-authority-that-nobody-knows', 'a stand-in has no certificate'],
  ['office/pilots.md#go-on-watch', 'examples have no cookies, and no redirects'],
  ['office/pilots.md#still-on-watch', 'examples have no cookies'],
  ['office/pilots.md#leave-the-watch', 'examples have no cookies'],
  ['quay/reservations.md#the-berth-is-taken-now', 'nothing becomes of a request: the berth is free'],
  ['quay/reservations.md#too-long-a-stay-is-refused', 'nothing becomes of a request: the stay is as it was'],
  ['quay/reservations.md#it-is-gone', 'nothing becomes of a request: the reservation is there'],
  ['quay/entries.md#nothing-was-entered-for-what-was-refused', 'it needs one of those'],
  ['quay/quays.md#the-deepest-berth', 'examples have no redirects'],
  ['quay/quays.md#the-deepest-berth-without-going-there', 'the example above answers the same request'],
  ['sea/weather.md#the-almanac', 'what came is too long for an example'],
  ['sea/weather.md#the-old-address', 'examples have no redirects'],
]);

/** How long an answer may take is none of what is looked at here, and a machine that others use too may stand still. */
const limits = [
  ['mervok.yaml', 'time < 2 s', 'time < 2 min'],
  ['sea/weather.md', 'timeout: { answer: 500 ms, total: 2 s }', 'timeout: { answer: 1 min, total: 2 min }'],
  ['sea/weather.md', 'time between 100 ms and 500 ms', 'time between 100 ms and 1 min'],
] as const;

function makePatient(folder: string): void {
  for (const [file, written, patient] of limits) {
    const text = readFileSync(join(folder, file), 'utf8');
    assert.ok(text.includes(written), written);
    writeFileSync(join(folder, file), text.replace(written, patient));
  }
}

/** The checks that do not hold in some cases, and what they found. */
function brokenIn({ events }: RanCases, addresses: readonly string[]): string[] {
  return events.flatMap(each =>
    each.type === 'check' && each.holds !== 'yes' && addresses.includes(each.case)
      ? [`${each.case}: ${each.text}: ${each.found}`]
      : [],
  );
}

test('the demo collection passes against examples of itself, but for what examples cannot show', async t => {
  const folder = folderWith(t);
  cpSync('demo/collection', folder, { recursive: true, filter: path => !path.includes('.mervok') });
  makePatient(folder);
  const harbour = await openHarbour(0);
  t.after(() => harbour.close());
  const at = (url: string, safeUrl: string) => [
    '--set',
    `harbour=${url}`,
    '--set',
    `safe-harbour=${safeUrl}`,
    '--files-anywhere',
  ];
  const written = await mervok(folder, [
    'run',
    '--commands',
    '--examples',
    'write',
    ...at(harbour.url, harbour.safeUrl),
  ]);
  assert.match(written.out, /^written {2}\d+ examples into quay\/reservations\.md$/m);
  assert.match(written.err, /No example for sea\/weather\.md:\d+: what came is too long for one/);
  const passing = new Set(
    (
      await runCases(folder, ['--commands', '--examples', 'strict', ...at(harbour.url, harbour.safeUrl)])
    ).events.flatMap(each => (each.type === 'case' && each.outcome === 'passed' ? [each.case] : [])),
  );
  // What takes its time is a case of its own.
  const mock = await startMock(t, folder, ['--delay', '100..120 ms', '--quiet']);
  const origin = mock.url.replace(/\/v1$/, '');
  const ran = await runCases(folder, ['--commands', ...at(origin, origin)]);
  const ended = ran.events.flatMap(each =>
    each.type === 'case' && each.outcome !== 'skipped' ? [each] : [],
  );
  const worst = new Map<string, string>();
  for (const { case: address, outcome } of ended)
    if (passing.has(address) && (worst.get(address) ?? 'passed') === 'passed') worst.set(address, outcome);
  const failing = [...worst].filter(([, outcome]) => outcome !== 'passed').map(([address]) => address);
  const expected = [...reasons.keys()].filter(each => passing.has(each)).toSorted();
  assert.deepEqual(failing.toSorted(), expected, brokenIn(ran, failing).join('\n'));
  assert.ok(failing.length <= worst.size * 0.2, `${failing.length} of ${worst.size}`);
  // Everything that passed is looked at.
  assert.equal(worst.size, passing.size);
});
