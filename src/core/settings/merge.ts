import type { Check } from '../language/ast.ts';
import type { Template } from '../template/template.ts';
import { Source } from '../text/source.ts';
import { emptyLevel, type Level, type LevelHeader, type Timeout } from './level.ts';

/** What holds for a case once all its levels are laid over each other, the nearer over the outer. */
export interface Effective {
  readonly base?: { readonly template: Template; readonly level: Level };
  readonly headers: readonly { readonly header: LevelHeader & { value: Template }; readonly level: Level }[];
  /** Outermost first. */
  readonly checks: readonly { readonly check: Check; readonly level: Level }[];
  readonly timeout: Timeout;
}

/** What every request says of its sender, unless a level says otherwise; some servers answer nobody without it. */
const userAgent = {
  header: { name: 'User-Agent', value: { parts: ['mervok'] }, range: { start: 0, end: 0 } },
  level: emptyLevel('Mervok itself', new Source('', '')),
};

/** @param levels outermost first */
export function mergeLevels(levels: readonly Level[]): Effective {
  let base: Effective['base'];
  let timeout: Timeout = {};
  let checks: { check: Check; level: Level }[] = [];
  const headers = new Map<string, { header: LevelHeader; level: Level }>([['user-agent', userAgent]]);
  for (const level of levels) {
    if (level.base !== undefined) base = level.base === null ? undefined : { template: level.base, level };
    if (level.timeout !== undefined) timeout = level.timeout ?? {};
    checks = level.checks === null ? [] : [...checks, ...level.checks.map(check => ({ check, level }))];
    for (const [key, header] of level.headers) {
      if (header.value === null) headers.delete(key);
      else headers.set(key, { header, level });
    }
  }
  return {
    ...(base && { base }),
    headers: [...headers.values()] as { header: LevelHeader & { value: Template }; level: Level }[],
    checks,
    timeout,
  };
}
