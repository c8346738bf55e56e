import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { test } from 'node:test';
import { runCases } from '../support/cases.ts';
import { folderWith } from '../support/folder.ts';
import { serve } from '../support/server.ts';

const [, chapter = ''] = /^## Other steps$([\s\S]*?)^## Grammar$/m.exec(
  readFileSync('docs/language.md', 'utf8'),
)!;

test('every example of another step in the reference runs, and passes', async t => {
  const pages = [...chapter.matchAll(/^````markdown\n([\s\S]*?)^````$/gm)].map(([, page]) => page!);
  assert.ok(pages.length >= 4, `there are ${pages.length}`);
  const berths = [
    { code: '0417', depth: 4.5 },
    { code: '0733', depth: 7.5 },
  ];
  const base = await serve(t, (_request, response) =>
    response
      .writeHead(200, { 'Content-Type': 'application/json' })
      .end(JSON.stringify({ count: berths.length, berths })),
  );
  const files = Object.fromEntries(pages.map((page, at) => [`page-${at}.md`, page]));
  const folder = folderWith(t, { 'mervok.yaml': `base: ${base}`, ...files });
  const { code, out, err, events } = await runCases(folder, ['--commands']);
  assert.equal(code, 0, out + err);
  assert.ok(events.filter(({ type }) => type === 'case').length >= pages.length);
  assert.ok(events.some(event => event.type === 'check' && event.label === 'every berth is counted'));
});
