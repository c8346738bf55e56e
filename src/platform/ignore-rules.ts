import { existsSync } from 'node:fs';
import { appendFile, readFile } from 'node:fs/promises';

/** What of a collection belongs into no commit. */
const ignored = ['.mervok/', 'mervok.secret.yaml'];

/** The rules that a `.gitignore` lacks. */
export async function missingRules(path: string): Promise<string[]> {
  const before = existsSync(path) ? (await readFile(path, 'utf8')).split(/\r?\n/) : [];
  return ignored.filter(rule => !before.includes(rule));
}

/** Puts rules behind those that are there. */
export async function addRules(path: string, rules: readonly string[]): Promise<void> {
  const before = existsSync(path) ? await readFile(path, 'utf8') : '';
  await appendFile(path, `${before === '' || before.endsWith('\n') ? '' : '\n'}${rules.join('\n')}\n`);
}
