import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import type { TestContext } from 'node:test';

/** A temporary folder with files, removed when the test ends. */
export function folderWith(
  test: Pick<TestContext, 'after'>,
  files: { readonly [path: string]: string | Buffer } = {},
): string {
  const folder = mkdtempSync(join(tmpdir(), 'mervok-test-'));
  test.after(() => rmSync(folder, { recursive: true, force: true }));
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), content);
  }
  return folder;
}
