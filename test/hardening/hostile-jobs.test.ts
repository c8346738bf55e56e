import assert from 'node:assert/strict';
import {
  existsSync,
  lstatSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { hashOf, packCollection, RefusedBundle, unpackCollection } from '../../src/platform/queue/bundle.ts';
import {
  JobGate,
  type JobTerms,
  makeSigningKeys,
  RefusedJob,
  readSigningKey,
  readTrustedKey,
  signJob,
} from '../../src/platform/queue/job-keys.ts';
import { KeyAgreement, SealingKey } from '../../src/platform/queue/seal.ts';
import { folderWith } from '../support/folder.ts';

function emptyFolder(t: Pick<TestContext, 'after'>): string {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-hostile-'));
  t.after(() => rmSync(folder, { recursive: true, force: true }));
  return folder;
}

/** A bundle of whatever files, as nobody would pack it. */
function bundleOf(files: readonly (readonly [path: string, content: string])[], list?: unknown): Buffer {
  const told = list ?? files.map(([path, content]) => ({ path, size: Buffer.byteLength(content) }));
  return Buffer.from(`${JSON.stringify(told)}\n${files.map(([, content]) => content).join('')}`);
}

test('a collection comes out of its bundle as it went in; links, dots and packages stay at home', t => {
  const root = folderWith(t, {
    'mervok.yaml': 'title: Skerry\n',
    'mervok.secret.yaml': 'variables: { word: spring-tide }\n',
    'quay/berths.md': '# Berths\n',
    'quay/ünïcode ☂.csv': 'a\n1\n',
    '.mervok/runs/x.ndjson': '{}',
    '.env': 'A=1',
    'node_modules/x/index.js': '1',
    'left/out.txt': 'x',
    'empty.txt': '',
  });
  writeFileSync(join(root, 'bytes.bin'), Buffer.from([0, 255, 10, 13, 0]));
  symlinkSync('/etc/passwd', join(root, 'link.txt'));
  symlinkSync('/etc', join(root, 'folder'));
  const bundle = packCollection({ root, goes: path => !path.startsWith('left/') });
  const folder = emptyFolder(t);
  unpackCollection(bundle, folder);
  const all = readdirSync(folder, { recursive: true })
    .map(String)
    .filter(path => statSync(join(folder, path)).isFile())
    .sort();
  assert.deepEqual(all, [
    'bytes.bin',
    'empty.txt',
    'mervok.secret.yaml',
    'mervok.yaml',
    'quay/berths.md',
    'quay/ünïcode ☂.csv',
  ]);
  for (const path of all) {
    assert.deepEqual(readFileSync(join(folder, path)), readFileSync(join(root, path)), path);
    assert.equal(lstatSync(join(folder, path)).mode & 0o077, 0, path);
  }
  assert.equal(hashOf(bundle), hashOf(packCollection({ root, goes: path => !path.startsWith('left/') })));
  assert.throws(() => packCollection({ root }, { bytes: 20, files: 100 }), /too large to be sent/);
  assert.throws(() => packCollection({ root }, { bytes: 1e6, files: 2 }), /too large to be sent/);
});

test('a bundle that leads out of its folder, or is not what it says, writes nothing', t => {
  const outside = [
    '../x',
    '/tmp/mervok-x',
    'a/../../x',
    'a//x',
    './x',
    'a/./x',
    '.hidden',
    'a/.git/config',
    'a\\..\\x',
    'C:/x',
    'c:x',
    'a\u0000b',
    'x/',
    '',
    'nul',
    'a/COM1.txt',
    'x.',
    'x ',
    'a:b',
    'x'.repeat(1001),
  ];
  for (const path of outside) {
    const folder = emptyFolder(t);
    assert.throws(
      () =>
        unpackCollection(
          bundleOf([
            ['good.md', '# Good'],
            [path, 'bad'],
          ]),
          folder,
        ),
      RefusedBundle,
      JSON.stringify(path),
    );
    assert.deepEqual(readdirSync(folder), [], JSON.stringify(path));
  }
  const rows: [bundle: Buffer, why: RegExp][] = [
    [Buffer.from(''), /which files/],
    [Buffer.from('nothing'), /which files/],
    [Buffer.from('{}\n'), /which files/],
    [Buffer.from('[{"path":"a"}]\n'), /which files/],
    [Buffer.from('[null]\n'), /which files/],
    [bundleOf([['a', 'x']], [{ path: 'a', size: -1 }]), /which files/],
    [bundleOf([['a', 'x']], [{ path: 'a', size: 1.5 }]), /which files/],
    [bundleOf([['a', 'x']], [{ path: 'a', size: 2 }]), /not as large/],
    [bundleOf([['a', 'xyz']], [{ path: 'a', size: 2 }]), /not as large/],
    [bundleOf([['a', 'x']], [{ path: 'a', size: 1e15 }]), /more than/],
    [
      bundleOf(
        [],
        Array.from({ length: 20_001 }, (_, at) => ({ path: `f${at}`, size: 0 })),
      ),
      /more than 20000 files/,
    ],
  ];
  for (const [bundle, why] of rows) {
    const folder = emptyFolder(t);
    assert.throws(() => unpackCollection(bundle, folder), why);
    assert.deepEqual(readdirSync(folder), []);
  }
  assert.throws(
    () =>
      unpackCollection(
        bundleOf([
          ['a', 'x'],
          ['a', 'y'],
        ]),
        emptyFolder(t),
      ),
    /'a' twice/,
  );
  assert.throws(
    () =>
      unpackCollection(
        bundleOf([
          ['a', 'x'],
          ['a/b', 'y'],
        ]),
        emptyFolder(t),
      ),
    RefusedBundle,
  );
  // A link that stands there already leads nowhere either.
  const folder = emptyFolder(t);
  const target = emptyFolder(t);
  symlinkSync(join(target, 'made'), join(folder, 'a'));
  assert.throws(() => unpackCollection(bundleOf([['a', 'x']]), folder), RefusedBundle);
  assert.equal(existsSync(join(target, 'made')), false);
});

test('a job is carried out once, in its time, and only if the key that is trusted has signed all of it', t => {
  const [trusted, other] = [makeSigningKeys(), makeSigningKeys()];
  const folder = folderWith(t, {
    'jobs.key': trusted.privateKey,
    'jobs.pub': trusted.publicKey,
    'other.key': other.privateKey,
    'no.key': 'nothing',
  });
  const [key, foreign] = [
    readSigningKey(join(folder, 'jobs.key')),
    readSigningKey(join(folder, 'other.key')),
  ];
  let now = 1_000_000;
  const gate = new JobGate(readTrustedKey(join(folder, 'jobs.pub')), () => now);
  const terms = (nonce: string, more: object = {}): JobTerms => ({
    run: 'r1',
    nonce,
    expires: now + 60_000,
    ...more,
  });
  const signed = signJob(terms('a'), key);
  assert.equal(gate.open(signed).nonce, 'a');
  assert.throws(() => gate.open(signed), /come before/);
  const changed = { ...signJob(terms('b'), key) };
  const rows: [job: Parameters<JobGate['open']>[0], why: RegExp][] = [
    [signJob(terms('c'), foreign), /not signed by the key/],
    [{ ...changed, job: changed.job.replace('"r1"', '"r2"') }, /not signed/],
    [{ ...changed, job: `${changed.job} ` }, /not signed/],
    [{ ...changed, signature: '' }, /not signed/],
    [{ ...changed, signature: Buffer.alloc(64).toString('base64') }, /not signed/],
    [signJob(terms('d', { expires: now }), key), /expired/],
    [signJob(terms('e', { expires: now + 48 * 3_600_000 }), key), /more than a day/],
    [signJob({ run: 'r1' } as JobTerms, key), /does not say/],
    [signJob({ run: 'r1', nonce: 5, expires: now + 1 } as unknown as JobTerms, key), /does not say/],
  ];
  for (const [job, why] of rows) {
    assert.throws(() => gate.open(job), RefusedJob);
    assert.throws(() => gate.open(job), why);
  }
  now += 61_000;
  assert.throws(() => gate.open(signed), /expired/);
  assert.throws(
    () => readSigningKey(join(folder, 'no.key')),
    /holds no private key in PEM\. It is made by: openssl/,
  );
  assert.throws(
    () => readTrustedKey(join(folder, 'jobs.key')),
    /holds a private key\. A worker is given the public one/,
  );
  assert.throws(() => readSigningKey(join(folder, 'jobs.pub')), /holds no private key/);
  assert.throws(() => readSigningKey(join(folder, 'nowhere.key')), /cannot be read/);
});

test('what is sealed opens for whom it is meant, whole, and for nothing else', () => {
  const [one, two, third] = [new KeyAgreement(), new KeyAgreement(), new KeyAgreement()];
  const [a, b] = [one.agree(two.offer, 'job r1'), two.agree(one.offer, 'job r1')];
  assert.equal(a.base64, b.base64);
  const sealed = a.seal(Buffer.from('the pass word: spring-tide'), 'r1 w1 1');
  assert.ok(!sealed.includes('spring'));
  assert.equal(b.open(sealed, 'r1 w1 1').toString(), 'the pass word: spring-tide');
  assert.notDeepEqual(a.seal(Buffer.from('x'), ''), a.seal(Buffer.from('x'), ''));
  const closed: [name: string, open: () => unknown][] = [
    ['for another place', () => b.open(sealed, 'r1 w1 2')],
    ['by another key', () => third.agree(one.offer, 'job r1').open(sealed, 'r1 w1 1')],
    ['for another purpose', () => two.agree(one.offer, 'job r2').open(sealed, 'r1 w1 1')],
    ['derived', () => b.derive('events').open(sealed, 'r1 w1 1')],
    ['random', () => SealingKey.random().open(sealed, 'r1 w1 1')],
    ['cut', () => b.open(sealed.subarray(0, -1), 'r1 w1 1')],
    ['nothing', () => b.open(Buffer.alloc(0), 'r1 w1 1')],
    ['no offer', () => one.agree('AAAA', 'x')],
  ];
  for (const [name, open] of closed) assert.throws(open, Error, name);
  for (let at = 0; at < sealed.length; at++) {
    const changed = Buffer.from(sealed);
    changed[at]! ^= 1;
    assert.throws(() => b.open(changed, 'r1 w1 1'), Error, String(at));
  }
  assert.equal(SealingKey.from(a.base64).derive('x').base64, b.derive('x').base64);
});
