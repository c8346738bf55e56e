import { existsSync, mkdirSync, statSync } from 'node:fs';
import { dirname, resolve } from 'node:path';

/**
 * Makes a folder and all above it that are not there. The runtime's own way does not end where the system says that what is
 * to be made is not there, as below `/proc`.
 * @param mode of folders that are made
 * Throws what the system says.
 */
export function makeFolder(path: string, mode = 0o777): void {
  const missing: string[] = [];
  for (let folder = resolve(path); !existsSync(folder); folder = dirname(folder)) missing.push(folder);
  if (missing.length === 0 && !statSync(path).isDirectory()) missing.push(path);
  for (const folder of missing.reverse())
    try {
      mkdirSync(folder, { mode });
    } catch (error) {
      // Somebody else may have made it meanwhile.
      if (!statSync(folder, { throwIfNoEntry: false })?.isDirectory()) throw error;
    }
}
