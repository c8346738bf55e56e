import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { pathToFileURL } from 'node:url';
import type { Page } from 'playwright-core';
import { openInBrowser, skip, weakTexts } from '../support/browser.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const settings = `title: Skerry <b>Harbour</b>
base: "http://127.0.0.1:9"
variables:
  nights: 3
  quay: north
  key: { secret: "quay-key-1742" }
environments:
  staging: { quay: staging-quay-7 }
`;

const berths = `# Berths

A berth is taken for \`nights\`. See [tides](sea/tides.md), [its second](sea/tides.md#high-water-1), [here](#take) and
[the plan](plan%20of%20berths.txt). <b>Bold</b><br>and ![a picture](http://127.0.0.1:9/x.png) of {pass}.

<!--
## Old

\`\`\`http
GET /old
\`\`\`
-->

## Take

\`\`\`http
POST /berths/{nights}?quay={quay}
Authorization: Bearer {key}
\`\`\`
\`\`\`json body
{"vessel": "Maren", "nights": {nights}, "note": "<script>document.title='taken over'</script>"}
\`\`\`
\`\`\`http
HTTP/1.1 201 Created
Content-Type: application/json

{"id": "b-7"}
\`\`\`
\`\`\`mervok
status = 201
keep $.id as berth
let half = {nights} / 2
\`\`\`

${caseText('Helper', 'GET /helper', '').replace('## Helper\n', '## Helper\n\n```yaml settings\ninternal: true\n```\n')}
## Leave

\`\`\`mervok
cleanup
\`\`\`
\`\`\`http
DELETE /berths/{berth}
\`\`\`
`;

const collection = {
  'mervok.yaml': settings,
  'mervok.secret.yaml': 'variables:\n  pass: "gull-and-tern-77"\n',
  'plan of berths.txt': 'north, south',
  'berths.md': berths,
  'office/keys.md': `---\ninternal: true\n---\n# Keys of the office\n\n${caseText('Hand out', 'GET /keys', '')}`,
  'sea/tides.md': `# Tides\n\n[Back](../berths.md#take)\n\n${caseText('High water', 'GET /tides/{berth}', 'status = 200')}${caseText('High water', 'GET /tides', 'status = 200')}`,
};

interface Site {
  readonly folder: string;
  readonly out: string;
  readonly err: string;
  readonly code: number | null;
  text(path: string): string;
  url(path: string): string;
}

async function siteOf(
  t: TestContext,
  files: { readonly [path: string]: string } = collection,
  args: readonly string[] = [],
): Promise<Site> {
  const folder = folderWith(t, files);
  const ended = await mervok(folder, ['docs', '-o', 'site', ...args]);
  return {
    folder,
    ...ended,
    text: path => readFileSync(join(folder, 'site', path), 'utf8'),
    url: path => pathToFileURL(join(folder, 'site', path)).href,
  };
}

function open(t: TestContext, { url }: Pick<Site, 'url'>, path: string, options = {}) {
  return openInBrowser(t, url(path), options, asked => asked.startsWith(url('')));
}

const filesIn = (folder: string) =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter(each => each.isFile())
    .map(each => join(each.parentPath, each.name).slice(folder.length + 1))
    .sort();

test('pages of prose alone are a part of the site, where they are asked for', async t => {
  const files = {
    'mervok.yaml': settings,
    'README.md': '# Harbour office\n\nSee [tides](sea/tides.md#spring) and [the keys](office.md).\n',
    'office.md': '---\ninternal: true\n---\n# Office\n\nWhere the keys hang.\n',
    'sea/tides.md': '# Tides\n\n## Spring\n\nBack to [the office](../README.md#harbour-office).\n',
    'sea/waves.md': caseText('Waves', 'GET /waves', 'status = 200'),
  };
  const whole = await siteOf(t, files);
  assert.match(whole.out, /index\.html, 3 pages\n$/);
  assert.match(whole.err, /README\.md:3:49 {2}warning link-nowhere\n {2}'office\.md' leads nowhere/);
  assert.match(whole.err, /\n1 warning\n$/);
  assert.match(whole.text('README.html'), /<a href="sea\/tides\.html#spring">/);
  assert.match(whole.text('search.js'), /\["Tides","","sea\/tides\.html","sea\/tides\.md"\]/);
  assert.match(whole.text('index.html'), /<p>3 pages, 1 case\.<\/p>/);
  assert.match(whole.text('index.html'), /<a href="sea\/tides\.html">Tides<\/a> <\/li>/);
  assert.match((await siteOf(t, files, ['sea'])).out, /index\.html, 2 pages\n$/);
  const one = await siteOf(t, { 'office.md': '# Office\n\nThe keys.\n', 'sea.md': '# Sea\n' }, ['office.md']);
  assert.match(one.out, /index\.html, 1 page\n$/);
  assert.match(one.text('index.html'), /<h1>Office<\/h1>\n<p>1 page\.<\/p>/);
});

test('a site has a page for each page, and shows no secret, environment, comment, helper or clean-up', async t => {
  const site = await siteOf(t);
  assert.deepEqual(
    [site.code, site.err, site.out],
    [0, '', `written  ${join('site', 'index.html')}, 2 pages\n`],
  );
  const files = filesIn(join(site.folder, 'site'));
  assert.deepEqual(files, [
    '.mervok-docs',
    'berths.html',
    'graph.svg',
    'index.html',
    'plan of berths.txt',
    'sea/tides.html',
    'search.js',
    'site.css',
    'site.js',
  ]);
  const all = files.map(site.text).join('\n');
  assert.match(all, /High water/);
  for (const hidden of [
    'quay-key-1742',
    'gull-and-tern',
    'staging',
    'GET /old',
    '/helper',
    'Helper',
    'Keys',
    'DELETE',
  ])
    assert.ok(!all.includes(hidden), hidden);
});

test('a secret that is written into a page is not in its site', async t => {
  const site = await siteOf(t, {
    ...collection,
    'keys.md':
      '# Keys\n\nThe pass gull-and-tern-77 opens all.\n\n```http\nGET /keys?key=quay-key-1742\nAuthorization: Bearer 7f3a:99c1-d0\nCookie: gate=opensesame9\n```\n```mervok\n$.pass = "gull-and-tern-77"\n```\n',
  });
  const text = site.text('keys.html');
  for (const secret of ['gull-and-tern', 'quay-key', '7f3a', '99c1', 'opensesame'])
    assert.ok(!text.includes(secret), secret);
  assert.match(text, /Authorization:<\/span> \[secret\]/);
  assert.match(text, /The pass \[secret\] opens all/);
});

test('every link of the site leads somewhere, and none of it leaves the folder', { skip }, async t => {
  const site = await siteOf(t);
  for (const file of filesIn(join(site.folder, 'site')).filter(each => each.endsWith('.html'))) {
    const { page, seen } = await open(t, site, file);
    for (const href of await page
      .locator('a[href]')
      .evaluateAll(all => all.map(each => (each as HTMLAnchorElement).href))) {
      const { pathname, hash } = new URL(href);
      const path = decodeURIComponent(pathname);
      assert.ok(href.startsWith(site.url('')) && existsSync(path), href);
      if (hash !== '')
        assert.ok(readFileSync(path, 'utf8').includes(` id="${decodeURIComponent(hash.slice(1))}"`), href);
    }
    const ids = await page.locator('[id]').evaluateAll(all => all.map(each => each.id));
    assert.equal(new Set(ids).size, ids.length, 'ids are unique');
    assert.equal(await page.locator('h1').count(), 1, file);
    assert.deepEqual(seen, [], file);
  }
});

test('a case says what it sends, checks, takes and gives', { skip }, async t => {
  const { page, seen } = await open(t, await siteOf(t), 'berths.html');
  const article = page.locator('article');
  assert.deepEqual(await article.locator('.statements li').allInnerTexts(), [
    'The status is 201.',
    '$.id is kept as berth.',
    'half is {nights} / 2.',
  ]);
  assert.match(await article.locator('dl.flow').innerText(), /Gives\s+berth to High water$/);
  assert.deepEqual(await article.locator('figcaption').allInnerTexts(), ['request', 'json body', 'example']);
  assert.match(await article.locator('.request').innerText(), /POST \/berths\/\{nights\}\?quay=\{quay\}/);
  assert.match(await article.locator('.json').innerText(), /<script>document\.title/);
  await article.getByRole('link', { name: '{nights}' }).first().click();
  await page.waitForURL(/index\.html#value-nights$/);
  assert.match(await page.locator('tr:target').innerText(), /nights\s+3\s+mervok\.yaml/);
  assert.deepEqual(await page.locator('tbody th').allInnerTexts(), ['key', 'nights', 'quay']);
  await page.goBack();
  await article.getByRole('link', { name: 'High water' }).click();
  await page.waitForURL(/sea\/tides\.html#high-water$/);
  assert.match(await page.locator('dl.flow').innerText(), /Takes\s+berth from Take$/);
  assert.equal(await page.title(), 'Tides – Skerry <b>Harbour</b>');
  assert.deepEqual(seen, []);
});

const foundBy = (page: Page) => page.getByRole('option').allInnerTexts();

test('a search from the file system, with the keyboard alone', { skip }, async t => {
  const { page, seen } = await open(t, await siteOf(t), 'sea/tides.html');
  await page.keyboard.press('/');
  await page.keyboard.type('take');
  assert.deepEqual(await foundBy(page), ['Take Berths']);
  for (const _ of 'take') await page.keyboard.press('Backspace');
  await page.keyboard.type('BERTHS nights');
  assert.deepEqual(await foundBy(page), ['Take Berths'], 'words of requests are found');
  await page.keyboard.type(' zzz');
  assert.deepEqual(await foundBy(page), []);
  assert.match(await page.locator('.found').innerText(), /Nothing is called so/);
  for (const key of ['ArrowDown', 'ArrowUp', 'Enter']) await page.keyboard.press(key);
  assert.match(page.url(), /tides\.html$/, 'nothing can be chosen');
  await page.keyboard.press('Escape');
  assert.ok(!(await page.locator('.found').isVisible()));
  await page.locator('input[type=search]').fill('water');
  assert.deepEqual(await foundBy(page), ['High water Tides', 'High water Tides']);
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await page.waitForURL(/sea\/tides\.html#high-water-1$/);
  assert.ok(!(await page.locator('.found').isVisible()), 'the list closes where the page stays');
  await page.locator('input[type=search]').fill('take');
  await page.keyboard.press('Enter');
  await page.waitForURL(/berths\.html#take$/);
  assert.deepEqual(seen, []);
});

test('all of it can be reached by Tab, and the first way leads to the text', { skip }, async t => {
  const { page } = await open(t, await siteOf(t), 'berths.html');
  await page.keyboard.press('Tab');
  assert.equal(await page.evaluate(() => document.activeElement?.textContent), 'To the text');
  await page.keyboard.press('Enter');
  assert.equal(await page.evaluate(() => document.activeElement?.tagName), 'MAIN');
  await page.keyboard.press('Tab');
  assert.equal(await page.evaluate(() => document.activeElement?.textContent), 'tides');
});

test('on a phone nothing is wider than the page; AA contrast, light and dark', { skip }, async t => {
  const site = await siteOf(t, {
    ...collection,
    'berths.md': `${berths}\n| a | b | c |\n|--:|---|---|\n| ${'long '.repeat(20)} | ${'word'.repeat(40)} | x |\n\n\`\`\`xml\n<a b="c"><!-- d --></a>\n\`\`\`\n\n${'wordwithoutend'.repeat(20)}\n`,
  });
  for (const colorScheme of ['light', 'dark'] as const)
    for (const file of ['index.html', 'berths.html', 'sea/tides.html']) {
      const { page, seen } = await open(t, site, file, {
        colorScheme,
        viewport: { width: 390, height: 740 },
      });
      await page.locator('input[type=search]').fill('berths');
      assert.deepEqual(await page.evaluate(weakTexts), [], `${colorScheme} ${file}`);
      await page.keyboard.press('Escape');
      assert.ok((await page.evaluate(() => document.documentElement.scrollWidth)) <= 390, file);
      assert.ok(!(await page.locator('.contents nav').isVisible()), 'the text comes first');
      await page.locator('summary', { hasText: 'Pages' }).click();
      assert.ok(await page.locator('.contents nav').isVisible());
      assert.deepEqual(seen, []);
    }
});

test('in print there is the text alone; without scripts all but the search', { skip }, async t => {
  const site = await siteOf(t);
  const { page } = await open(t, site, 'berths.html');
  await page.emulateMedia({ media: 'print' });
  assert.deepEqual(
    await Promise.all(
      ['article', '.contents', 'form.search', '.around'].map(each => page.locator(each).isVisible()),
    ),
    [true, false, false, false],
  );
  const { page: still } = await open(t, site, 'berths.html', { javaScriptEnabled: false });
  assert.ok(!(await still.locator('form.search').isVisible()), 'nothing is offered that would not work');
  assert.ok(await still.locator('.contents a', { hasText: 'Tides' }).isVisible());
  assert.equal(await still.locator('article .statements li').count(), 3);
});

test('links that lead nowhere are told with their place, and stay text', async t => {
  const lines = [
    '[gone](gone.md)',
    '[low](sea/tides.md#low)',
    '[out](../out.txt)',
    '[secrets](mervok.secret.yaml)',
    '[settings](mervok.yaml)',
    '[helper](#helper)',
    '[keys](office/keys.md)',
    '[root](/berths.md)',
    '[folder](sea)',
    '![picture](gone.png)',
  ];
  const site = await siteOf(t, {
    ...collection,
    'links.md': `# Links\n\n${lines.join('\n')}\n\n${caseText('One', 'GET /', '')}${caseText('Helper', 'GET /', '').replace('## Helper\n', '## Helper\n\n```yaml settings\ninternal: true\n```\n')}`,
  });
  assert.equal(site.code, 0);
  const told = [...site.err.matchAll(/^links\.md:(\d+):(\d+) +warning link-nowhere$/gm)].map(
    ([, line, column]) => [Number(line), Number(column)],
  );
  assert.deepEqual(
    told,
    lines.map((line, index) => [3 + index, line.indexOf('(') + 2]),
  );
  const text = site.text('links.html');
  assert.equal(text.match(/<span class="nowhere">/g)?.length, 9);
  assert.ok(!text.includes('<img') && !text.includes('href="gone') && text.includes('picture'));
  assert.ok(!existsSync(join(site.folder, 'site', 'mervok.secret.yaml')));
});

test('hostile prose, titles and names stay text', { skip }, async t => {
  const evil = '<script>document.title="taken over"</script><img src=x onerror=alert(1)>';
  const site = await siteOf(t, {
    'mervok.yaml': `title: '${evil}'\nbase: http://127.0.0.1:9\nvariables:\n  note: '${evil}'\n`,
    'a&b "c".md': `# ${evil}\n\n[x](javascript:alert(1)) [y](data:text/html,x) [z](vbscript:x) <iframe src="http://127.0.0.1:9/">\n\n<script>\ndocument.title="taken over"\n</script>\n\n## </script> ${evil}\n\n\`\`\`http\nPOST /x?note={note}\n\`\`\`\n\`\`\`text body\n${evil}\n\`\`\`\n\`\`\`http\nHTTP/1.1 200 OK\nContent-Type: text/plain\n\n${evil}\n\`\`\`\n\`\`\`mervok\nbody contains "</script> 'onerror'"\n\`\`\`\n`,
  });
  assert.equal(site.code, 0, site.err);
  for (const file of ['index.html', 'a&b "c".html']) {
    const { page, seen } = await openInBrowser(
      t,
      pathToFileURL(join(site.folder, 'site', file)).href,
      {},
      asked => asked.startsWith(site.url('')),
    );
    assert.ok((await page.title()).includes(evil), file);
    await page.locator('input[type=search]').fill('taken');
    assert.equal((await foundBy(page)).length, 2);
    assert.equal(
      await page.locator('article iframe, article script, article img:not([src="graph.svg"])').count(),
      0,
    );
    assert.deepEqual(seen, [], file);
  }
});

test('the outcome of a run, and what came where a page has no example', { skip }, async t => {
  const origin = await serve(t, (request, response) => {
    const isTide = request.url!.startsWith('/tides');
    response.writeHead(isTide ? 500 : 201, { 'Content-Type': 'application/json', 'X-Pilot': 'none' });
    response.end(JSON.stringify(isTide ? { fault: 'ebb <b>', pass: 'gull-and-tern-77' } : { id: 'b-8' }));
  });
  const folder = folderWith(t, {
    ...collection,
    'mervok.yaml': settings.replace('http://127.0.0.1:9', origin),
  });
  assert.equal((await mervok(folder, ['run'])).code, 1);
  assert.equal((await mervok(folder, ['docs', '-o', 'site', '--run', 'last'])).code, 0);
  const url = (path: string) => pathToFileURL(join(folder, 'site', path)).href;
  const { page, seen } = await open(t, { url }, 'sea/tides.html');
  assert.match(await page.locator('dl.flow').first().innerText(), /In the run\s+failed/);
  const came = await page.locator('.example').first().innerText();
  assert.match(
    came,
    /as it came in the run\s+HTTP\/1\.1 500 Internal Server Error\s+content-type: application\/json/i,
  );
  assert.match(came, /"fault": ?"ebb <b>"/);
  assert.match(came, /\[secret\]/);
  await page.goto(url('berths.html'));
  assert.match(await page.locator('dl.flow').innerText(), /In the run\s+passed/);
  assert.deepEqual(
    await page.locator('.example figcaption').allInnerTexts(),
    ['example'],
    'what is written stays',
  );
  await page.goto(url('index.html'));
  assert.deepEqual(
    (await page.locator('ul.pages li').allInnerTexts()).map(each => each.replace(/\s+/g, ' ')),
    ['Berths 1 case, 1 passed', 'Tides 2 cases, 2 failed'],
  );
  assert.match(await page.locator('article p').first().innerText(), /The outcomes are those of the run /);
  assert.deepEqual(seen, []);
  const unknown = await mervok(folder, ['docs', '-o', 'site', '--run', 'nothing']);
  assert.deepEqual([unknown.code, unknown.out], [2, '']);
});

test('a folder that holds something else is left alone; what an earlier site had besides is taken away', async t => {
  const { folder } = await siteOf(t);
  writeFileSync(join(folder, 'site', 'own.txt'), 'mine');
  writeFileSync(join(folder, 'sea', 'tides.md'), '# Tides\n\nNone.\n');
  mkdirSync(join(folder, 'full'));
  writeFileSync(join(folder, 'full', 'x.txt'), '');
  writeFileSync(join(folder, 'file'), '');
  const refused = async (...args: string[]) => {
    const { code, out, err } = await mervok(folder, ['docs', ...args]);
    assert.deepEqual([code, out], [2, '']);
    return err;
  };
  assert.match(await refused('-o', 'full'), /'full' holds other files; nothing was written/);
  assert.match(await refused('-o', 'file'), /'file' is no folder/);
  assert.match(await refused('-o', '.'), /holds other files/);
  assert.match(await refused(), /-o DIR/);
  // Where nothing can be made, the runtime would try for ever.
  assert.match(await refused('-o', '/proc/skerry/site'), /'\/proc\/skerry\/site' cannot be written/);
  assert.deepEqual(filesIn(join(folder, 'full')), ['x.txt']);
  assert.equal((await mervok(folder, ['docs', 'berths.md', '-o', 'site'])).code, 0);
  assert.deepEqual(filesIn(join(folder, 'site')), [
    '.mervok-docs',
    'berths.html',
    'graph.svg',
    'index.html',
    'own.txt',
    'plan of berths.txt',
    'search.js',
    'site.css',
    'site.js',
  ]);
  writeFileSync(
    join(folder, 'berths.md'),
    '# Berths\n\n## Broken\n\n```http\nGET /{\n```\n```mervok\nstatus =\n```\n',
  );
  const broken = await mervok(folder, ['docs', '-o', 'site']);
  assert.deepEqual([broken.code, broken.out], [2, '']);
});

test('a list of files that somebody has changed deletes nothing outside of its folder', async t => {
  const { folder } = await siteOf(t);
  writeFileSync(
    join(folder, 'site', '.mervok-docs'),
    ['../plan of berths.txt', join(folder, 'berths.md'), '', '.', 'gone.html'].join('\n'),
  );
  const { code, err } = await mervok(folder, ['docs', '-o', 'site']);
  assert.deepEqual([code, err], [0, '']);
  for (const file of ['plan of berths.txt', 'berths.md', 'site/index.html'])
    assert.ok(existsSync(join(folder, file)), file);
});

test('a page that is called index has its place, and titles come from where they are', async t => {
  const site = await siteOf(t, {
    'mervok.yaml': 'base: http://127.0.0.1:9\n',
    'index.md': `# Beginning\n\n[Quay](quay.md)\n\n${caseText('One', 'GET /', '')}`,
    'quay.md': '```http\nGET /quay\n```\n\n## Quay\n\n```http\nGET /quay/2\n```\n\n## Main\n\nProse.\n',
    'front.md': `---\ntitle: From the front\n---\n\n${caseText('Two', 'GET /', '')}`,
  });
  assert.equal(site.out, `written  ${join('site', 'contents.html')}, 3 pages\n`);
  assert.match(site.text('index.html'), /<h1 id="beginning">/);
  assert.match(site.text('contents.html'), /3 pages, 4 cases/);
  assert.match(site.text('quay.html'), /<h1 id="quay">quay<\/h1>[\s\S]*<h2 id="quay-1">/);
  assert.match(site.text('front.html'), /<h1>From the front<\/h1>/);
});

test('whatever pages are called, the list of them has a place of its own, and so has each', async t => {
  const page = (title: string) => `# ${title}\n\nProse.\n`;
  const one = await siteOf(t, { 'contents.md': page('Crates') });
  assert.equal(one.out, `written  ${join('site', 'index.html')}, 1 page\n`);
  const site = await siteOf(t, {
    'contents.md': page('Crates'),
    'Index.md': page('Index'),
    'tide.MD': page('Upper case'),
    'tide.md': page('Lower case'),
  });
  assert.equal(site.out, `written  ${join('site', 'contents-2.html')}, 4 pages\n`);
  for (const [path, title] of [
    ['contents.html', 'Crates'],
    ['Index.html', 'Index'],
    ['tide.MD.html', 'Upper case'],
    ['tide.html', 'Lower case'],
  ] as const)
    assert.match(site.text(path), new RegExp(`<h1 id="[a-z-]+">.*${title}`));
  assert.match(site.text('contents-2.html'), /<a href="tide\.MD\.html">Upper case<\/a>/);
});

test('of very many pages each is listed with what is near, so that a site grows with their number', {
  skip,
}, async t => {
  const pages = Object.fromEntries(
    Array.from({ length: 2000 }, (_, at) => [
      `quay-${at % 3}/page-${String(at).padStart(4, '0')}.md`,
      `# Page ${at}\n\n${caseText('One', `GET /berths/${at}`, 'status = 200')}`,
    ]),
  );
  const site = await siteOf(t, { 'mervok.yaml': 'base: http://127.0.0.1:9\n', ...pages });
  assert.deepEqual(
    [site.code, site.err, site.out],
    [0, '', `written  ${join('site', 'index.html')}, 2,000 pages\n`],
  );
  assert.ok(site.text('quay-1/page-1000.html').length < 15_000);
  const { page, seen } = await open(t, site, 'quay-1/page-1000.html');
  assert.equal(await page.locator('nav[aria-label=Pages] [aria-current=page]').innerText(), 'Page 1000');
  await page.getByRole('link', { name: 'quay-2' }).click();
  await page.waitForURL(/index\.html#folder%3Aquay-2$/);
  await page.locator('section:target li').first().waitFor();
  assert.equal(await page.locator('section:target a').count(), 666);
  await page.getByRole('link', { name: 'Page 1997', exact: true }).click();
  await page.locator('nav[aria-label=Pages]').getByRole('link', { name: 'One' }).click();
  await page.waitForURL(/quay-2\/page-1997\.html#one$/); // a request is two links from the first page
  await page.keyboard.press('/');
  await page.keyboard.type('berths/1234');
  await page.keyboard.press('Enter');
  await page.waitForURL(/quay-1\/page-1234\.html#one$/);
  assert.deepEqual(seen, []);
});
