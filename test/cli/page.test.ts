import assert from 'node:assert/strict';
import { join } from 'node:path';
import { type TestContext, test } from 'node:test';
import { pathToFileURL } from 'node:url';
import type { Page } from 'playwright-core';
import { openInBrowser, skip, weakTexts } from '../support/browser.ts';
import { caseText } from '../support/collection.ts';
import { folderWith } from '../support/folder.ts';
import { mervok } from '../support/program.ts';
import { serve } from '../support/server.ts';

const hostile = [
  '<script>document.title = "taken over"</script>',
  '</script><script>document.title = "taken over"</script>',
  '<img src="http://127.0.0.1:9/pixel" onerror="document.title = \'taken over\'">',
  '<!-- <style>body { display: none }</style> </style></pre></template>',
  '&lt;b&gt; \u202e \u0000 javascript:alert(1)',
];

const settings = (origin: string) => `title: Skerry <b>Harbour</b>\nbase: "${origin}"\n`;
const pages = {
  'berths.md':
    '---\ntags: [quay]\n---\n# Berths\n\nProse with <script>document.title = "taken over"</script>, a [link](javascript:alert(1)) and ![a picture](http://127.0.0.1:9/x.png).\n\n' +
    caseText('List', 'GET /good', 'status = 200') +
    `# Take\n\nTaken <img src=x onerror=alert(1)> or [not](javascript:alert(1)).\n\n\`\`\`http\nPOST /bad\nContent-Type: text/plain\n\n${hostile[0]}\n\`\`\`\n\`\`\`mervok\nstatus = 200\nkeep $.id as berth\n\`\`\`\n` +
    caseText('Leave', 'GET /{berth}', 'status = 200'),
  'tides.md': `---\ntags: [sea, slow]\n---\n${caseText('High water', 'GET /good', 'status = 200')}`,
};

async function reportOf(
  t: TestContext,
  args: readonly string[] = [],
  more: { [file: string]: string } = {},
): Promise<string> {
  const origin = await serve(t, ({ url }, response) => {
    const isGood = url?.startsWith('/good');
    response.writeHead(isGood ? 200 : 500, { 'Content-Type': 'application/json', 'X-Note': hostile[2]! });
    response.end(JSON.stringify({ notes: hostile }));
  });
  const folder = folderWith(t, { 'mervok.yaml': settings(origin), ...pages, ...more });
  await mervok(folder, ['run', ...args, '-o', 'run.html']);
  return pathToFileURL(join(folder, 'run.html')).href;
}

const shownCases = (page: Page) => page.locator('li.case:visible .name').allInnerTexts();

test('nothing leaves the page, nothing of a response runs in it, all of it stays text', { skip }, async t => {
  const { page, seen } = await openInBrowser(t, await reportOf(t));
  assert.equal(
    await page.title(),
    'Skerry <b>Harbour</b> – Failed: 1 case of 4, 1 blocked by it; 2 of 4 checks hold.',
  );
  const failure = page.locator('article.entry').first();
  const body = await failure.locator('.message').nth(1).locator('pre').innerText();
  for (const note of hostile.slice(0, 4)) assert.ok(body.includes(JSON.stringify(note).slice(1, -1)), note);
  await failure.locator('.headers summary').nth(1).click();
  assert.ok((await failure.locator('.headers').nth(1).innerText()).includes(hostile[2]!));
  assert.equal(await failure.locator('.message').first().locator('pre').innerText(), hostile[0]);
  assert.match(
    await failure.locator('.prose').innerText(),
    /^Taken <img src=x onerror=alert\(1\)> or \[?not/,
  );
  assert.equal(await page.locator('img, iframe, link, .prose a').count(), 0);
  // Its own script, and data.
  assert.equal(await page.locator('script').count(), 2);
  await page.emulateMedia({ media: 'print' });
  assert.ok(await failure.isVisible());
  assert.deepEqual(seen, []);
});

test('the policy of the page would stop a script that got into it', { skip }, async t => {
  const { page, seen } = await openInBrowser(t, await reportOf(t));
  await page.evaluate(() => {
    const script = document.createElement('script');
    script.textContent = 'document.title = "taken over"';
    document.body.append(script);
    const image = document.createElement('img');
    image.src = 'http://127.0.0.1:9/pixel.png';
    document.body.append(image);
  });
  await page.waitForTimeout(100);
  assert.notEqual(await page.title(), 'taken over');
  assert.ok(
    seen.some(each => each.includes('Content Security Policy')),
    seen.join('\n'),
  );
});

test('cases are filtered by outcome, tag and text, with the keyboard alone', { skip }, async t => {
  const { page, seen } = await openInBrowser(t, await reportOf(t));
  assert.deepEqual(await shownCases(page), ['List', 'Take', 'Leave', 'High water']);
  const focused = () => page.evaluate(() => (document.activeElement as HTMLSelectElement | null)?.name ?? '');
  for (let presses = 0; (await focused()) !== 'outcome'; presses++) {
    assert.ok(presses < 40, 'the filter can be reached by Tab');
    await page.keyboard.press('Tab');
  }
  await page.keyboard.type('failed');
  assert.deepEqual(await shownCases(page), ['Take']);
  assert.equal(await page.locator('#filter output').innerText(), '1 of 4 cases');
  await page.keyboard.press('Home');
  await page.keyboard.press('Tab');
  assert.equal(await focused(), 'tag');
  await page.keyboard.type('slow');
  assert.deepEqual(await shownCases(page), ['High water']);
  assert.ok(
    !(await page.getByRole('heading', { name: 'Berths' }).isVisible()),
    'a page without cases is gone',
  );
  await page.keyboard.press('Home');
  await page.keyboard.press('Tab');
  assert.equal(await focused(), 'text');
  await page.keyboard.type('BERTHS.md#t');
  assert.deepEqual(await shownCases(page), ['Take']);
  await page.keyboard.type(' nothing');
  assert.deepEqual(await shownCases(page), []);
  assert.ok(await page.locator('#none').isVisible());
  for (const _ of ' nothing') await page.keyboard.press('Backspace');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  const why = page.getByRole('link', { name: 'Why it did not pass' });
  assert.ok(await why.isVisible(), 'Enter opens a case');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await page.waitForURL(/#failure-1$/);
  assert.deepEqual(seen, []);
});

test('each of many runs of a case is listed in parts, filtered too, rows by what they give', {
  skip,
}, async t => {
  const rows = Array.from({ length: 250 }, (_, at) => `V${at},${at % 50 === 49 ? 'bad' : 'good'}`).join('\n');
  const { page, seen } = await openInBrowser(
    t,
    await reportOf(t, ['rows.md'], {
      'vessels.csv': `vessel,way\n${rows}\n`,
      'rows.md':
        '# Rows\n\nOf each vessel.\n\n## Each\n\n```mervok\neach row of "vessels.csv"\n```\n```http\nGET /{way}?vessel={vessel}\n```\n```mervok\nstatus = 200\n```\n',
    }),
  );
  assert.match(
    (await page.locator('li.case .name').textContent()) ?? '',
    /^Each 250 times: 5 failed and 245 passed$/,
  );
  await page.locator('li.case summary').first().click();
  const lines = page.locator('.occurrences tbody tr');
  assert.equal(await lines.count(), 100);
  await page.getByRole('button', { name: 'Show 100 more of 150' }).click();
  assert.equal(await lines.count(), 200);
  await page.getByRole('button', { name: 'Show 50 more of 50' }).click();
  assert.equal(await lines.count(), 250);
  await page.locator('select[name=outcome]').selectOption('failed');
  assert.equal(await lines.count(), 5);
  await page.locator('select[name=outcome]').selectOption('');
  await page.locator('input[name=text]').fill('V249');
  assert.deepEqual(
    (await lines.allInnerTexts()).map(line => line.split('\t')[1]),
    ['vessel V249, way bad'],
  );
  assert.equal(await page.locator('article.entry').count(), 3, 'the same failure is told three times');
  assert.equal(await page.locator('svg.chart').count(), 5);
  assert.deepEqual(seen, []);
});

test('of very many cases a part is laid out; more on demand, and what is looked for', { skip }, async t => {
  const page = (name: string) =>
    Array.from({ length: 300 }, (_, at) =>
      caseText(`${name} ${at}`, at === 250 ? 'GET /bad' : 'GET /good', 'status = 200'),
    ).join('');
  const more = { 'a.md': page('Anchor'), 'b.md': page('Buoy'), 'c.md': page('Chain') };
  const { page: shown, seen } = await openInBrowser(t, await reportOf(t, Object.keys(more), more));
  const items = shown.locator('li.case');
  const count = shown.locator('#filter output');
  assert.equal(await items.count(), 600, 'whole pages, as far as there is room');
  assert.equal(await count.innerText(), '900 cases');
  await shown.getByRole('button', { name: 'Show more: 300 of 900 cases are not listed yet' }).click();
  assert.equal(await items.count(), 900);
  await shown.reload();
  await shown.locator('input[name=text]').fill('chain 25');
  assert.deepEqual(await shown.locator('li.case:visible .name').allTextContents(), [
    'Chain 25',
    ...Array.from({ length: 10 }, (_, at) => `Chain ${250 + at}`),
  ]);
  await shown.locator('select[name=outcome]').selectOption('failed');
  assert.deepEqual(await shown.locator('li.case:visible .name').allTextContents(), ['Chain 250']);
  await shown.locator('li.case:visible summary').click();
  assert.ok(await shown.locator('li.case:visible a[href="#failure-3"]').isVisible());
  await shown.locator('input[name=text]').fill('');
  assert.deepEqual(await shown.locator('li.case:visible .name').allTextContents(), [
    'Anchor 250',
    'Buoy 250',
    'Chain 250',
  ]);
  assert.deepEqual(seen, []);
});

test('without scripts the page still tells what failed, all cases and the figures', { skip }, async t => {
  const { page } = await openInBrowser(t, await reportOf(t, ['--rounds', '8']), { javaScriptEnabled: false });
  assert.equal(await page.locator('article.entry').count(), 3);
  assert.equal(await page.locator('li.case:visible').count(), 4);
  assert.ok(!(await page.locator('#filter').isVisible()), 'there is no filter that would not work');
  assert.equal(await page.locator('svg.chart:visible').count(), 5);
});

test('text can be read against its ground, light and dark (WCAG AA); nothing is wider than a phone', {
  skip,
}, async t => {
  const url = await reportOf(t, ['--rounds', '2']);
  for (const colorScheme of ['light', 'dark'] as const) {
    const { page, seen } = await openInBrowser(t, url, {
      colorScheme,
      viewport: { width: 360, height: 740 },
    });
    const weak = await page.evaluate(weakTexts);
    assert.deepEqual(weak, [], colorScheme);
    assert.ok((await page.evaluate(() => document.documentElement.scrollWidth)) <= 360);
    assert.deepEqual(seen, []);
  }
});
