import { readFileSync } from 'node:fs';
import { UsageError } from '../core/model/usage-error.ts';

/** What the program has open besides connections: its own files, pipes, records, reports. */
const own = 64;

/**
 * Each user needs a connection of its own. Throws UsageError where the system lets too few be opened.
 * @param what needs them, in words: `--users 5000 needs`
 */
export function refuseTooManyUsers(users: number, what: string): void {
  const most = openFilesAllowed();
  if (most === undefined || users + own <= most) return;
  throw new UsageError(
    `${what} more connections than this machine lets the program open: ${most} files and connections, some of which it needs itself. 'ulimit -n' tells and sets the limit.`,
  );
}

/** For how many users there are connections; nothing where that is not known. */
export function mostUsersAllowed(): number | undefined {
  const most = openFilesAllowed();
  return most === undefined ? undefined : Math.max(1, most - own);
}

/** Known where the system tells it as a file. */
function openFilesAllowed(): number | undefined {
  try {
    const [, soft] = /^Max open files\s+(\d+)/m.exec(readFileSync('/proc/self/limits', 'utf8')) ?? [];
    return soft === undefined ? undefined : Number(soft);
  } catch {
    return undefined;
  }
}
