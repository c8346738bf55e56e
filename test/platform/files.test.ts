import assert from 'node:assert/strict';
import {
  appendFileSync,
  mkdirSync,
  renameSync,
  symlinkSync,
  unlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { Missing, Plain } from '../../src/core/model/value.ts';
import { defaultTransport } from '../../src/core/settings/transport.ts';
import { collectionAround } from '../../src/platform/collection-folder.ts';
import { clockAndRandomFrom, openExternalSources } from '../../src/platform/external-sources.ts';
import { fileAccess, locateInside, openUnchanging } from '../../src/platform/files.ts';
import { findCollection, readText } from '../../src/platform/find-collection.ts';
import { openPorts } from '../../src/platform/ports.ts';
import { readVariableFile } from '../../src/platform/variable-files.ts';
import { errorOf } from '../support/errors.ts';
import { folderWith } from '../support/folder.ts';
import { serve } from '../support/server.ts';

test('a collection is what lies around the paths that are asked for', async t => {
  const root = folderWith(t, {
    'harbour/mervok.yaml': 'title: Skerry\n',
    'harbour/mervok.secret.yaml': 'tide: 1\n',
    'harbour/berths.md': '# Berths',
    'harbour/sea/mervok.yaml': '',
    'harbour/sea/tides.MD': '# Tides',
    'harbour/sea/notes.txt': 'no page',
    'harbour/sea/customs.md.old': 'no page',
    'harbour/sea/deep/moor.md': '',
    'harbour/.hidden/a.md': '',
    'harbour/node_modules/a.md': '',
    'harbour/own/.git/x': '',
    'harbour/own/page.md': '',
    'harbour/own/mervok.yaml': '',
    'alone/a.md': 'a',
    'alone/b.md': 'b',
    'alone/c.txt': '',
  });
  const [harbour, alone] = [join(root, 'harbour'), join(root, 'alone')] as const;
  mkdirSync(join(harbour, 'folder.md'));
  const found = async (asked: string[], at: string) => {
    const { root: where, files, paths } = await findCollection(asked, at);
    const secrets = files.secrets ? [files.secrets.path] : [];
    return [
      where.slice(root.length + 1),
      paths,
      [...files.settings, ...files.pages].map(({ path }) => path),
      secrets,
    ];
  };
  const all = [
    'mervok.yaml',
    'own/mervok.yaml',
    'sea/mervok.yaml',
    'berths.md',
    'own/page.md',
    'sea/deep/moor.md',
    'sea/tides.MD',
  ];
  const rows: [asked: string[], at: string, paths: string[]][] = [
    [[], harbour, []],
    [[], join(harbour, 'sea'), []],
    [['.'], harbour, []],
    [['.'], join(harbour, 'sea'), ['sea']],
    [['sea'], harbour, ['sea']],
    [['sea/'], harbour, ['sea']],
    [['berths.md'], harbour, ['berths.md']],
    [['../berths.md#a-berth', 'deep'], join(harbour, 'sea'), ['berths.md#a-berth', 'sea/deep']],
    [['berths.md', '.'], harbour, []],
    [[join(harbour, 'sea/tides.MD')], root, ['sea/tides.MD']],
  ];
  for (const [asked, at, paths] of rows) {
    const [where, given, files, secrets] = await found(asked, at);
    assert.deepEqual([where, given, secrets], ['harbour', paths, ['mervok.secret.yaml']], asked.join());
    assert.deepEqual([...(files as string[])].sort(), [...all].sort());
  }
  assert.deepEqual((await found(['own/page.md'], harbour))[0], 'harbour/own');
  // A page outside of any is one of its own; a folder is all that lies in it.
  assert.deepEqual(await found(['a.md'], alone), ['alone', ['a.md'], ['a.md'], []]);
  assert.deepEqual(await found(['a.md#x', 'a.md#y'], alone), ['alone', ['a.md#x', 'a.md#y'], ['a.md'], []]);
  assert.deepEqual(await found(['.'], alone), ['alone', [], ['a.md', 'b.md'], []]);
  const wrong: [asked: string[], at: string, message: RegExp][] = [
    [
      ['berths.md', '../alone/a.md'],
      harbour,
      /The paths belong to different collections: .*harbour and .*alone\. Run one/,
    ],
    [['c.txt'], alone, /'c\.txt' is no page: pages are Markdown files that end in \.md\.$/],
    [['berths'], harbour, /There is no 'berths'\. Did you mean 'berths\.md'\?$/],
    [['brths.md'], harbour, /There is no 'brths\.md'\. Did you mean 'berths\.md'\?$/],
    [['see'], harbour, /There is no 'see'\. Did you mean 'sea'\?$/],
    [['moor'], harbour, /There is no 'moor'\. Did you mean 'sea\/deep\/moor\.md'\?$/],
    [
      ['tidse.MD'],
      join(harbour, 'sea', 'deep'),
      /There is no 'tidse\.MD'\. Did you mean '\.\.\/tides\.MD'\?$/,
    ],
    [['deep/berths.md#x'], harbour, /There is no 'deep\/berths\.md'\. Did you mean 'berths\.md'\?$/],
    [['customs'], alone, /There is no 'customs'\. An environment is written @customs/],
    [['customs'], harbour, /There is no 'customs'\. An environment is written @customs/],
  ];
  for (const [asked, at, message] of wrong)
    await assert.rejects(findCollection(asked, at), message, asked.join());
  assert.equal(collectionAround(join(harbour, 'sea', 'deep')), harbour);
  assert.equal(collectionAround(alone), undefined);
});

test('without settings, the pages right in a folder are a collection', async t => {
  const root = folderWith(t, {
    'sketches/b.md': 'b',
    'sketches/a.md': 'a',
    'sketches/.hidden.md': '',
    'sketches/draft.md': '',
    'sketches/.git/info/exclude': '',
    'sketches/.gitignore': 'draft.md\nbuilt/\n',
    'sketches/notes.txt': '',
    'sketches/sea/tides.md': '',
    'sketches/built/page.md': '',
    'sketches/node_modules/x/page.md': '',
    'above/sea/tides.md': '',
    'other/mervok.yml': '',
    'other/a.md': '',
    'harbour/mervok.yaml': '',
    'harbour/sea/mervok.yml': '',
    'empty/x.txt': '',
  });
  const at = (name: string) => join(root, name);
  const found = async (asked: string[], folder: string) => {
    const { root: where, files, paths, withoutSettings } = await findCollection(asked, at(folder));
    return [
      where.slice(root.length + 1),
      files.pages.map(({ path }) => path),
      paths,
      withoutSettings === true,
    ];
  };
  assert.deepEqual(await found([], 'sketches'), ['sketches', ['a.md', 'b.md'], [], true]);
  assert.deepEqual(await found(['sea'], 'sketches'), ['sketches/sea', ['tides.md'], [], true]);
  assert.deepEqual(await found(['b.md'], 'sketches'), ['sketches', ['b.md'], ['b.md'], false]);
  assert.deepEqual(await found(['draft.md'], 'sketches'), ['sketches', ['draft.md'], ['draft.md'], false]);
  assert.deepEqual(await found(['b.md#x', 'sea'], 'sketches'), [
    'sketches',
    ['b.md', 'sea/tides.md'],
    ['b.md#x', 'sea'],
    true,
  ]);
  const wrong: [asked: string[], at: string, message: RegExp][] = [
    [
      [],
      'empty',
      /There is no collection here: no mervok\.yaml in .*empty or above it, and no page\. 'mervok init'/,
    ],
    [[], 'above', /no page\. Pages of a folder below run by its name: mervok run sea\. 'mervok init'/],
    [[], 'other', /mervok\.yml' is not read: settings stand in a file of the name mervok\.yaml\.$/],
    [[], 'harbour', /sea\/mervok\.yml' is not read/],
  ];
  for (const [asked, folder, message] of wrong)
    await assert.rejects(findCollection(asked, at(folder)), message, folder);
});

test('a page that is named without its ending is meant, whatever else is near', async t => {
  const root = folderWith(t, { 'mervok.yaml': '', 'tide.md': '# A\n', 'tides/a.md': '# B\n' });
  await assert.rejects(findCollection(['tide'], root), /Did you mean 'tide\.md'\?$/);
});

test('a page that cannot be read keeps no other from being used', async t => {
  const root = folderWith(t, {
    'mervok.yaml': '',
    'fine.md': '\uFEFFé',
    'bytes.md': Buffer.from([0x61, 0xff]),
    'esc\u001b[31m.md': 'red',
    'turned\u202e.md': '',
  });
  const pages = (await findCollection([], root)).files.pages.map(page => [
    page.path,
    page.text,
    page.unreadable,
  ]);
  assert.deepEqual(
    pages.sort(([a], [b]) => (a! < b! ? -1 : 1)),
    [
      ['bytes.md', '', `'${join(root, 'bytes.md')}' is no text in UTF-8.`],
      ['esc\\u001b[31m.md', '', 'Its name holds control characters.'],
      ['fine.md', 'é', undefined],
      ['turned\\u202e.md', '', 'Its name holds control characters.'],
    ],
  );
});

test('a file of a collection lies inside of it, links followed', async t => {
  const root = folderWith(t, {
    'in/a.json': '1',
    'in/..b/c': '2',
    'out.json': '3',
    'in/odd.bin': Buffer.from([0xff]),
  });
  const inside = join(root, 'in');
  symlinkSync(join(root, 'out.json'), join(inside, 'link.json'));
  symlinkSync(inside, join(root, 'also'));
  const outside = (path: string) =>
    `The file '${path}' lies outside of the collection, which only --files-anywhere allows`;
  const rows: [path: string, refused: string | undefined, anywhere: string | undefined][] = [
    ['a.json', undefined, undefined],
    ['..b/c', undefined, undefined],
    [join(inside, 'a.json'), undefined, undefined],
    ['../out.json', outside('../out.json'), undefined],
    ['link.json', outside('link.json'), undefined],
    [join(root, 'out.json'), outside(join(root, 'out.json')), undefined],
    ['..b', "'..b' is no file", "'..b' is no file"],
    ['none', "The file 'none' is not in the collection", "The file 'none' is not in the collection"],
    [
      'a\0.json',
      "The file 'a\0.json' is not in the collection",
      "The file 'a\0.json' is not in the collection",
    ],
  ];
  for (const [path, refused, refusedAnywhere] of rows)
    for (const [anywhere, message] of [
      [false, refused],
      [true, refusedAnywhere],
    ] as const) {
      const { refusesFile, readFile, openFile } = fileAccess({ root: inside, anywhere });
      assert.equal(refusesFile(path)?.replace(/\.$/, ''), message, `${path} ${anywhere}`);
      for (const use of [readFile(path), openFile(path)])
        assert.equal(use instanceof Missing ? use.reason : undefined, message, `${path} ${anywhere}`);
    }
  assert.equal(locateInside(join(root, 'also'), 'a.json', false), join(root, 'also', 'a.json'));
  const { hasFile, readFile } = fileAccess({ root: inside, anywhere: false });
  assert.deepEqual(['a.json', '../out.json', 'none'].map(hasFile), [true, true, false]);
  assert.equal(readFile('a.json'), '1');
  assert.equal((readFile('odd.bin') as Missing).reason, `'${join(inside, 'odd.bin')}' is no text in UTF-8`);
  assert.equal(
    errorOf(() => readText(join(inside, 'b.json'))),
    `There is no file '${join(inside, 'b.json')}'. Did you mean 'a.json'?`,
  );
  const external = openExternalSources({ root: inside });
  assert.equal(external.file('../out.json'), '3');
  writeFileSync(join(root, 'out.json'), '4');
  assert.equal(external.file('../out.json'), '3');
  process.env.SKERRY_QUAY = 'North';
  assert.deepEqual(
    [external.variable('SKERRY_QUAY'), external.variable('SKERRY_NONE')],
    ['North', undefined],
  );
});

test('a file that is read again and again has to stay as it is', async t => {
  const root = folderWith(t, { 'rows.csv': 'code\n0417\n', 'folder/x': '' });
  const folder = openUnchanging(join(root, 'folder'))()[Symbol.asyncIterator]();
  await assert.rejects(folder.next(), /^Error: it cannot be read \(EISDIR\)$/);
  const path = join(root, 'rows.csv');
  utimesSync(path, 1000, 1000);
  const read = async (chunks: ReturnType<typeof openUnchanging>) => {
    let text = '';
    for await (const chunk of chunks()) text += Buffer.from(chunk).toString();
    return text;
  };
  const changes: [name: string, change: () => void][] = [
    ['longer', () => appendFileSync(path, '0418\n')],
    ['touched', () => utimesSync(path, 2000, 2000)],
    [
      'longer, and as old',
      () => {
        appendFileSync(path, '0420\n');
        utimesSync(path, 2000, 2000);
      },
    ],
    [
      'another one',
      () => {
        writeFileSync(join(root, 'new.csv'), 'code\n0419\n0418\n');
        utimesSync(join(root, 'new.csv'), 2000, 2000);
        renameSync(join(root, 'new.csv'), path);
      },
    ],
    ['gone', () => unlinkSync(path)],
  ];
  for (const [name, change] of changes) {
    const chunks = openUnchanging(path);
    assert.match(await read(chunks), /^code\n/, name);
    chunks.check?.();
    change();
    await assert.rejects(read(chunks), { message: 'it has changed since the run began' }, name);
    assert.throws(() => chunks.check?.(), { message: 'it has changed since the run began' }, name);
  }
});

test('files of variables: their kinds, what their values are, what is wrong with them', async t => {
  const plain = (text: string) => new Plain(text);
  const rows: [file: string, text: string, found: object | RegExp][] = [
    ['.env', 'QUAY=North\nDEPTH="4.2"\n', { QUAY: plain('North'), DEPTH: plain('4.2') }],
    ['.env.local', 'QUAY=North', { QUAY: plain('North') }],
    ['Local.ENV', 'QUAY=North', { QUAY: plain('North') }],
    [
      'a.properties',
      'quay.name=North\nquay.depth: 4.2\nopen=true',
      { quay: { name: plain('North'), depth: plain('4.2') }, open: plain('true') },
    ],
    [
      'b.properties',
      'quay=1\nquay.name=North',
      /^'.*b\.properties': 'quay\.name' stands below a key that has a value of its own\.$/,
    ],
    [
      'c.properties',
      'quay.name=North\nquay=1',
      /^'.*c\.properties': 'quay' has a value of its own, and keys below it\.$/,
    ],
    ['a.json', '\uFEFF{"depth":4.2,"list":[1]}', { depth: 4.2, list: [1] }],
    ['b.json', '{\n"depth":,\n}', /b\.json:2 is no JSON: .*\.$/],
    ['c.json', '[1]', /^'.*c\.json' holds a list; names and their values are wanted\.$/],
    ['d.json', '"tide"', /^'.*d\.json' holds a text; names and their values are wanted\.$/],
    ['e.json', '{"1st":1}', /^'.*e\.json': '1st' cannot name a variable\. Names have letters/],
    ['f.json', '{"a b":1}', /'a b' cannot name a variable/],
    [
      'a.yaml',
      'depth: 4.20\nopen: yes\nname: "04"\nnone: null\nempty:\nlist: [1, "2"]\n3: x'.replace('\n3: x', ''),
      {
        depth: plain('4.20'),
        open: plain('yes'),
        name: '04',
        none: null,
        empty: null,
        list: [plain('1'), '2'],
      },
    ],
    ['b.YML', 'quay: { depth: 4 }', { quay: { depth: plain('4') } }],
    ['c.yaml', 'a: 1\nb: [', /c\.yaml:2 is no YAML: .*[^.]\.$/],
    ['d.yaml', 'a: 1\na: 2', /d\.yaml:2 is no YAML: Map keys must be unique\.$/],
    ['e.yaml', '', /holds null/],
    [
      'a.txt',
      'QUAY=North',
      /^'.*a\.txt' is no file of variables: there are \.env, \.properties, \.json, \.yaml and \.yml\.$/,
    ],
    ['d.yml', '\n\na: [', /d\.yml:3 is no YAML/],
    ['g.json', '\n\n{', /g\.json:3 is no JSON/],
    ['a.env', 'QUAY=North', { QUAY: plain('North') }],
    ['.envelope', 'QUAY=North', /is no file of variables/],
    ['my.env.txt', 'QUAY=North', /is no file of variables/],
    ['environment', 'QUAY=North', /is no file of variables/],
    ['my.environment', 'QUAY=North', /is no file of variables/],
    ['dotenv', 'QUAY=North', /is no file of variables/],
    ['a.jsonx', '{}', /is no file of variables/],
  ];
  const root = folderWith(t, Object.fromEntries(rows.map(([file, text]) => [file, text])));
  for (const [file, , found] of rows) {
    const read = readVariableFile(join(root, file)).then(Object.fromEntries, (error: Error) => error.message);
    if (found instanceof RegExp) assert.match(await read, found, file);
    else assert.deepEqual(await read, found, file);
  }
});

test('chance with a seed takes the same turns, its own for each page of each round', () => {
  const turn = (seed: string, ...where: [number, number, number, string]) =>
    clockAndRandomFrom(seed)(...where);
  const { random, uuid } = turn('ebb', 1, 1, 0, 'berths.md');
  assert.deepEqual([random(), random()], [0.6750164290424436, 0.8383958786725998]);
  assert.equal(uuid(), 'c2846e0b-8eac-4b73-8a7b-f35b6e78631a');
  const variants = new Set(Array.from({ length: 40 }, () => uuid()[19]));
  assert.deepEqual([...variants].sort(), ['8', '9', 'a', 'b']);
  const begins = (...where: Parameters<typeof turn>) => turn(...where).random();
  assert.equal(begins('ebb', 1, 1, 0, 'berths.md'), 0.6750164290424436);
  const others = [
    ...[begins('flood', 1, 1, 0, 'berths.md'), begins('ebb', 2, 1, 0, 'berths.md')],
    ...[begins('ebb', 1, 2, 0, 'berths.md'), begins('ebb', 1, 1, 1, 'berths.md')],
    begins('ebb', 1, 1, 0, 'tides.md'),
  ];
  assert.equal(new Set([...others, 0.6750164290424436]).size, 6);
  const unseeded = clockAndRandomFrom(undefined)(1, 1, 0, 'berths.md');
  assert.notEqual(unseeded.uuid(), unseeded.uuid());
});

test('what reaches out is real: a proxy of the process, waiting before another try', async t => {
  let asked = 0;
  const proxy = await serve(t, (_request, response) => response.writeHead(asked++ === 0 ? 503 : 200).end());
  process.env.HTTP_PROXY = proxy;
  t.after(() => delete process.env.HTTP_PROXY);
  const ports = await openPorts({ root: folderWith(t), anywhere: false }, new Set());
  t.after(() => ports.close());
  const { timeout, redirects, tls, limits } = defaultTransport;
  const request = {
    method: 'GET',
    url: 'http://skerry.example/',
    headers: [],
    credentials: new Set<string>(),
  };
  const retry = { times: 1, every: 30, on: ['5xx'], anyMethod: false };
  const { exchanges } = await ports.operations.http.send(
    { ...request, timeout, redirects, tls, limits, retry },
    new AbortController().signal,
  );
  assert.deepEqual(
    exchanges.map(({ response }) => response?.status),
    [503, 200],
  );
  assert.ok(exchanges[1]!.at! - exchanges[0]!.at! >= 29);
});

test('waiting ends when its time is over, or when it is interrupted', async t => {
  const ports = await openPorts({ root: folderWith(t), anywhere: false }, new Set());
  t.after(() => ports.close());
  const begin = ports.elapsed();
  await ports.sleep(20, new AbortController().signal);
  assert.ok(ports.elapsed() - begin >= 19);
  const interrupt = new AbortController();
  setTimeout(() => interrupt.abort(), 5);
  // Longer than a timer of the system can be set to.
  await ports.sleep(2 ** 40, interrupt.signal);
  await ports.sleep(1e9, interrupt.signal);
  await ports.sleep(0, new AbortController().signal);
  await ports.sleep(-1, new AbortController().signal);
});
