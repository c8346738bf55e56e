import { Source } from '../model/source.ts';
import type { Effective, EffectiveDraft } from './effective.ts';
import { emptyLevel, type Level } from './level.ts';
import { settings } from './table.ts';
import { defaultTransport } from './transport.ts';

/** What every request says of its sender and of what it understands, unless a level says otherwise. */
const ownHeaders: Effective['headers'] = [
  // Some servers answer nobody without it.
  ['User-Agent', 'mervok'],
  // Of the runtimes that can run Mervok, not all have zstd.
  ['Accept-Encoding', process.versions.zstd === undefined ? 'gzip, deflate, br' : 'gzip, deflate, br, zstd'],
].map(([name, value]) => ({
  header: { name: name!, value: { parts: [value!] }, range: { start: 0, end: 0 } },
  level: emptyLevel('Mervok itself', new Source('', '')),
}));

/** Most cases of a page have no settings of their own and share its levels. */
const merged = new WeakMap<readonly Level[], Effective>();

/** @param levels outermost first */
export function mergeLevels(levels: readonly Level[]): Effective {
  let effective = merged.get(levels);
  if (!effective) {
    effective = merge(levels);
    merged.set(levels, effective);
  }
  return effective;
}

function merge(levels: readonly Level[]): Effective {
  const draft: EffectiveDraft = {
    headers: new Map(ownHeaders.map(each => [each.header.name.toLowerCase(), each])),
    query: new Map(),
    checks: [],
    transport: defaultTransport,
    databases: new Map(),
    namespaces: new Map(),
    tags: [],
    needs: [],
    internal: false,
    alone: false,
    earlyCleanup: false,
  };
  for (const level of levels) for (const setting of settings) setting.merge?.(draft, level);
  const { headers, query, ...rest } = draft;
  return { ...rest, headers: [...headers.values()], query: [...query.values()] } as Effective;
}
