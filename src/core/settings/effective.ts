import type { Authorization } from '../auth/authorization.ts';
import type { Check } from '../language/ast.ts';
import type { Template } from '../language/templates/template.ts';
import type { DatabaseSetting } from './database.ts';
import type { DefinitionSetting, Level, LevelHeader, Written } from './level.ts';
import type { Transport } from './transport.ts';

/** A database, and the level that names it. */
export interface EffectiveDatabase {
  readonly database: DatabaseSetting;
  readonly level: Level;
}

/** What holds for a case once all its levels are laid over each other, the nearer over the outer. */
export interface Effective {
  readonly base?: { readonly template: Template; readonly level: Level };
  readonly headers: readonly { readonly header: LevelHeader & { value: Template }; readonly level: Level }[];
  readonly query: readonly {
    readonly name: string;
    readonly values: readonly Template[];
    readonly level: Level;
  }[];
  readonly auth?: { readonly auth: Authorization; readonly level: Level };
  readonly definition?: { readonly definition: DefinitionSetting; readonly level: Level };
  /** Outermost first. */
  readonly checks: readonly { readonly check: Check; readonly level: Level }[];
  readonly transport: Transport;
  /** By their names. */
  readonly databases: ReadonlyMap<string, EffectiveDatabase>;
  readonly namespaces: ReadonlyMap<string, string>;
  readonly tags: readonly string[];
  /** Cases and pages that have to pass before, whatever the flow of names says. */
  readonly needs: readonly { readonly needed: Written; readonly level: Level }[];
  readonly internal: boolean;
  readonly alone: boolean;
  readonly earlyCleanup: boolean;
  readonly rows?: { readonly table: Written; readonly level: Level };
  /** Where the proxy and what secures connections come from, for what they refer to. */
  readonly proxyLevel?: Level;
  readonly tlsLevel?: Level;
}

/** What holds, while one level after the other is laid over it. */
export interface EffectiveDraft {
  base?: Effective['base'];
  headers: Map<string, Effective['headers'][number]>;
  query: Map<string, Effective['query'][number]>;
  auth?: Effective['auth'];
  definition?: Effective['definition'];
  checks: Effective['checks'];
  transport: Transport;
  readonly databases: Map<string, EffectiveDatabase>;
  readonly namespaces: Map<string, string>;
  tags: readonly string[];
  needs: Effective['needs'];
  internal: boolean;
  alone: boolean;
  earlyCleanup: boolean;
  rows?: Effective['rows'];
  proxyLevel?: Level;
  tlsLevel?: Level;
}
