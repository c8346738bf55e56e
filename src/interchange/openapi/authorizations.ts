import type {
  ApiDefinition,
  Operation,
  SecurityRequirement,
  SecurityScheme,
} from '../../core/definition/api.ts';
import { isJsonObject, member, members, textOf } from '../../core/definition/document/json.ts';
import { securityOf } from '../../core/definition/security.ts';
import type { ImportedAuth, ImportedSecret } from '../imported.ts';
import { nameOf } from '../plain-text.ts';

/** How operations sign in, in words of the settings; their secrets are names. */
export class Authorizations {
  readonly secrets = new Map<string, ImportedSecret>();
  /** Names of tokens that are nothing but that. */
  readonly tokens = new Set<string>();
  readonly #known = new Map<string, ImportedAuth>();

  constructor(readonly api: ApiDefinition) {}

  /** Of an operation; nothing where it wants nothing. */
  of(operation: Operation): ImportedAuth | undefined {
    const wanted = securityOf(this.api, operation);
    // Where it may be used without, nobody has to sign in.
    const requirement = wanted.some(({ size }) => size === 0) ? undefined : this.#best(wanted);
    const [name] = requirement?.keys() ?? [];
    const scheme = name === undefined ? undefined : this.api.securitySchemes.get(name);
    return scheme && this.#auth(scheme, requirement?.get(scheme.name) ?? []);
  }

  /** The first one that one authorization can fulfil. */
  #best(wanted: readonly SecurityRequirement[]): SecurityRequirement | undefined {
    const isUsable = (each: SecurityRequirement) =>
      [...each.keys()].every(name => {
        const kind = this.api.securitySchemes.get(name)?.kind;
        return kind !== undefined && kind !== 'other' && kind !== 'certificate';
      });
    return wanted.find(each => each.size === 1 && isUsable(each)) ?? wanted.find(isUsable);
  }

  #auth(scheme: SecurityScheme, scopes: readonly string[]): ImportedAuth | undefined {
    const key = `${scheme.name} ${scopes.join(' ')}`;
    const known = this.#known.get(key) ?? this.#make(scheme, scopes);
    if (known) this.#known.set(key, known);
    return known;
  }

  #make({ name, kind, key, located }: SecurityScheme, scopes: readonly string[]): ImportedAuth | undefined {
    const base = nameOf(name, 'secret');
    if (kind === 'api-key' && key) {
      const value = this.#secret(base, `The key that '${key.name}' carries.`);
      return {
        kind,
        fields: [
          ['name', key.name],
          ['value', value],
          ['in', key.in],
        ],
      };
    }
    if (kind === 'basic' || kind === 'digest')
      return {
        kind,
        fields: this.#account(name, base),
      };
    if (kind === 'oauth2') return this.#oauth(name, base, located.value.flows ?? located.value, scopes);
    return kind === 'bearer' || kind === 'openid' ? this.#bearer(name, base) : undefined;
  }

  #bearer(name: string, base: string): ImportedAuth {
    this.tokens.add(base);
    return { kind: 'bearer', value: this.#secret(base, `The token of '${name}'.`) };
  }

  /** Tokens that a program can fetch by itself are fetched; others have to be given. */
  #oauth(name: string, base: string, flows: unknown, scopes: readonly string[]): ImportedAuth {
    const own = (written: string, older: string) =>
      isJsonObject(flows)
        ? (member(flows, written) ?? (flows.flow === older ? flows : undefined))
        : undefined;
    const [client, password] = [own('clientCredentials', 'application'), own('password', 'password')];
    const flow = client ?? password;
    const url = this.#tokenUrl(textOf(member(flow, 'tokenUrl')));
    if (url === undefined) return this.#bearer(name, base);
    const known = members(member(flow, 'scopes')).map(([scope]) => scope);
    const scope = (scopes.length > 0 ? scopes : known).join(' ');
    return {
      kind: 'oauth2',
      fields: [
        ['flow', client === undefined ? 'password' : 'client-credentials'],
        ['token-url', url],
        ['client-id', this.#secret(`${base}-client`, `The client of '${name}'.`)],
        ...(client === undefined
          ? [['client-auth', 'none'] as const, ...this.#account(name, base)]
          : [['client-secret', this.#secret(`${base}-secret`, 'The secret that goes with it.')] as const]),
        ...(scope === '' ? [] : [['scope', scope.replaceAll('{', '\\{')] as const]),
      ],
    };
  }

  /** As the settings have it; nothing where a case of the definition gives the token, or where nobody knows where it is. */
  #tokenUrl(url: string | undefined): string | undefined {
    if (url === undefined) return undefined;
    const written = url.replaceAll('{', '\\{');
    if (/^https?:\/\//i.test(url)) return written;
    const path = `/${url.replace(/^\.?\//, '')}`;
    const isCase = this.api.operations.some(each => each.method === 'POST' && each.path === path);
    const isBelow = this.api.servers.every(each => /^(?:https?:\/\/[^/]*)?\/?$/i.test(each.url));
    return isCase || !isBelow ? undefined : `{server}/${written.replace(/^\.?\//, '')}`;
  }

  #account(name: string, base: string): [string, string][] {
    return [
      ['user', this.#secret(`${base}-user`, `Who signs in by '${name}'.`)],
      ['password', this.#secret(`${base}-password`, 'The password that goes with it.')],
    ];
  }

  /** A word that signs in, in the body of a request. */
  passwordIn(operation: Operation, member: string): string {
    return this.#secret(nameOf(member), `What '${member}' of ${operation.method} ${operation.path} is.`);
  }

  /** A token that a case gives need not be filled in. */
  given(name: string): void {
    this.secrets.delete(name);
  }

  #secret(name: string, about: string): string {
    if (!this.secrets.has(name)) this.secrets.set(name, { name, about: about.replace(/\s+/g, ' ') });
    return `{${name}}`;
  }
}
