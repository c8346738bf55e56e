import type { ImportedAuth } from './imported.ts';

/** Nobody signs in. */
export const noAuth: ImportedAuth = { kind: 'none' };

/** Whether two levels sign in the same way. */
export function sameAuth(a: ImportedAuth | undefined, b: ImportedAuth | undefined): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

/** The most usual one; none where most of them want nothing. */
export function mostUsual(all: readonly (ImportedAuth | undefined)[]): ImportedAuth | undefined {
  const counts = new Map<string, { auth: ImportedAuth | undefined; count: number }>();
  for (const auth of all) {
    const key = JSON.stringify(auth) ?? '';
    const known = counts.get(key) ?? { auth, count: 0 };
    known.count++;
    counts.set(key, known);
  }
  return [...counts.values()].sort((a, b) => b.count - a.count)[0]?.auth;
}
