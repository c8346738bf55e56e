import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const begin = 'mervok-job-';

/** A folder for the collection of a job, which nobody else can look into; it bears the number of its process. */
export function makeJobFolder(): string {
  return mkdtempSync(join(tmpdir(), `${begin}${process.pid}-`));
}

/** Removes folders of workers that were killed: what others have sent must not stay. */
export function removeLeftFolders(): void {
  for (const name of readdirSync(tmpdir())) {
    const [, process] = name.startsWith(begin) ? (/^(\d+)-/.exec(name.slice(begin.length)) ?? []) : [];
    if (process === undefined || isAlive(Number(process))) continue;
    try {
      rmSync(join(tmpdir(), name), { recursive: true, force: true });
    } catch {
      // It is another user's.
    }
  }
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
