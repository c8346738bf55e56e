import type { Check } from '../language/ast.ts';
import type { Template } from '../language/templates/template.ts';
import { Source } from '../model/source.ts';
import { emptyLevel, type Level, type LevelHeader, type QueryField, type Written } from './level.ts';
import { type Auth, defaultTransport, type Transport } from './transport.ts';

/** What holds for a case once all its levels are laid over each other, the nearer over the outer. */
export interface Effective {
  readonly base?: { readonly template: Template; readonly level: Level };
  readonly headers: readonly { readonly header: LevelHeader & { value: Template }; readonly level: Level }[];
  readonly query: readonly {
    readonly name: string;
    readonly values: readonly Template[];
    readonly level: Level;
  }[];
  readonly auth?: { readonly auth: Auth; readonly level: Level };
  /** Outermost first. */
  readonly checks: readonly { readonly check: Check; readonly level: Level }[];
  readonly transport: Transport;
  readonly namespaces: ReadonlyMap<string, string>;
  readonly tags: readonly string[];
  /** Cases and pages that have to pass before, whatever the flow of names says. */
  readonly needs: readonly { readonly needed: Written; readonly level: Level }[];
  readonly internal: boolean;
  readonly rows?: { readonly table: Written; readonly level: Level };
  /** Where the proxy comes from, for what it refers to. */
  readonly proxyLevel?: Level;
}

/** What every request says of its sender and of what it understands, unless a level says otherwise. */
const ownHeaders: readonly { header: LevelHeader; level: Level }[] = [
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
  let base: Effective['base'];
  let auth: Effective['auth'];
  let checks: { check: Check; level: Level }[] = [];
  let transport: Transport = defaultTransport;
  let proxyLevel: Level | undefined;
  const namespaces = new Map<string, string>();
  let tags: readonly string[] = [];
  let needs: Effective['needs'] = [];
  let internal = false;
  let rows: Effective['rows'];
  const headers = new Map(ownHeaders.map(each => [each.header.name.toLowerCase(), each]));
  const query = new Map<string, { name: string; field: QueryField; level: Level }>();
  for (const level of levels) {
    if (level.base !== undefined) base = level.base === null ? undefined : { template: level.base, level };
    if (level.auth !== undefined) {
      auth = level.auth === null ? undefined : { auth: level.auth, level };
      // Whoever says how a level signs in, or that it does not, means the header of an outer level too.
      if (usesAuthorization(level.auth)) headers.delete('authorization');
    }
    checks = level.checks === null ? [] : [...checks, ...level.checks.map(check => ({ check, level }))];
    for (const [key, header] of level.headers) {
      if (key === 'authorization' && usesAuthorization(auth?.auth ?? null)) auth = undefined;
      if (header.value === null) headers.delete(key);
      else headers.set(key, { header, level });
    }
    for (const [name, field] of level.query) {
      if (field.values === null) query.delete(name);
      else query.set(name, { name, field, level });
    }
    for (const [prefix, name] of level.namespaces) {
      if (name === null) namespaces.delete(prefix);
      else namespaces.set(prefix, name);
    }
    tags = level.tags === null ? [] : [...new Set([...tags, ...level.tags])];
    needs = level.needs === null ? [] : [...needs, ...level.needs.map(needed => ({ needed, level }))];
    if (level.internal !== undefined) internal = level.internal === true;
    if (level.rows !== undefined) rows = level.rows === null ? undefined : { table: level.rows, level };
    if (level.transport.proxy !== undefined) proxyLevel = level;
    transport = overlay(transport, level.transport);
  }
  return {
    ...(base && { base }),
    headers: [...headers.values()] as { header: LevelHeader & { value: Template }; level: Level }[],
    query: [...query.values()].map(({ name, field, level }) => ({ name, values: field.values!, level })),
    ...(auth && { auth }),
    checks,
    transport,
    namespaces,
    tags,
    needs,
    internal,
    ...(rows && { rows }),
    ...(proxyLevel && { proxyLevel }),
  };
}

function usesAuthorization(auth: Auth | null): boolean {
  return auth !== null && auth.kind !== 'api-key';
}

/** Null takes a setting back to what holds where nobody says anything. */
function overlay(outer: Transport, settings: Level['transport']): Transport {
  const keys = Object.keys(settings) as (keyof Transport)[];
  if (keys.length === 0) return outer;
  const result: { [key: string]: unknown } = { ...outer };
  for (const key of keys) {
    const value = settings[key] ?? defaultTransport[key];
    if (value === undefined) delete result[key];
    else result[key] = value;
  }
  return result as unknown as Transport;
}
