import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import type { TestContext } from 'node:test';

export const program = resolve('dist/mervok.cjs');

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

export interface Ended {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}

/** Runs the built program. */
export function mervok(
  folder: string,
  args: readonly string[],
  environment: { [name: string]: string } = {},
  whileRunning?: (child: ReturnType<typeof spawn>) => void,
  /** In milliseconds: a program that does not end is a failure of its test, not of the machine. */
  most = 90_000,
): Promise<Ended> {
  const child = spawn(process.execPath, [program, ...args], {
    cwd: folder,
    env: { ...process.env, ...environment },
  });
  let [out, err] = ['', ''];
  child.stdout.on('data', chunk => (out += chunk));
  child.stderr.on('data', chunk => (err += chunk));
  whileRunning?.(child);
  const watchdog = setTimeout(() => child.kill('SIGKILL'), most);
  return new Promise(ended =>
    child.on('close', code => {
      clearTimeout(watchdog);
      ended({ code, out, err });
    }),
  );
}
