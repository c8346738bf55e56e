import { existsSync, readFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';

/** Whether Git leaves a file or folder out, by its absolute path. */
export type GitIgnore = (path: string, kind: 'file' | 'folder') => boolean;

/**
 * What the rules of the repository around a folder leave out: every `.gitignore` on the way to a path, and the repository's
 * own `info/exclude`. Nothing where there is no repository.
 */
export async function gitIgnoreAround(folder: string): Promise<GitIgnore | undefined> {
  const root = repositoryAround(folder);
  if (root === undefined) return undefined;
  const { default: ignore } = await import('ignore');
  const rulesOf = new Map<string, ReturnType<typeof ignore>>();
  const rulesIn = (at: string) => {
    let rules = rulesOf.get(at);
    if (!rules) {
      rules = ignore();
      if (at === root) rules.add(textOf(join(root, '.git', 'info', 'exclude')));
      rules.add(textOf(join(at, '.gitignore')));
      rulesOf.set(at, rules);
    }
    return rules;
  };
  /** The nearest file of rules that says something decides. */
  const isNamed = (path: string, kind: 'file' | 'folder') => {
    for (let at = dirname(path); ; at = dirname(at)) {
      const way = relative(at, path).split(sep).join('/');
      const { ignored, unignored } = rulesIn(at).test(kind === 'folder' ? `${way}/` : way);
      if (ignored || unignored) return ignored;
      if (at === root) return false;
    }
  };
  return function isIgnored(path, kind): boolean {
    if (path === root || !path.startsWith(root + sep)) return false;
    // Below a folder that is left out, nothing is let in again.
    return isIgnored(dirname(path), 'folder') || isNamed(path, kind);
  };
}

function repositoryAround(folder: string): string | undefined {
  for (let at = folder; ; at = dirname(at)) {
    if (existsSync(join(at, '.git'))) return at;
    if (dirname(at) === at) return undefined;
  }
}

function textOf(path: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return '';
  }
}
