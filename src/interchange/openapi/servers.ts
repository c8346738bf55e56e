import type { ApiDefinition, Operation } from '../../core/definition/api.ts';
import { isLoopback } from '../../core/text/hosts.ts';
import type { ImportedEnvironment } from '../imported.ts';
import { nameOf, slugOf, UniqueNames } from '../plain-text.ts';

/** Where a service listens on this machine, most likely. */
const usualAddress = 'http://127.0.0.1:8080';

/** The servers of a definition as environments. One is chosen by itself only where it is this machine. */
export function environmentsOf(
  { servers }: Pick<ApiDefinition, 'servers'>,
  variable: string,
): { environments: ImportedEnvironment[]; note?: string } {
  const names = new UniqueNames();
  const absolute = servers.filter(({ url }) => /^https?:\/\/[^/]/i.test(url));
  if (absolute.length === 0) {
    const path = (servers[0]?.url ?? '').replace(/^(?!\/)/, '/').replace(/\/$/, '');
    const variables: [string, string][] = [[variable, usualAddress + path]];
    return {
      environments: [{ name: 'local', about: 'The definition names no host.', variables, isDefault: true }],
      note: `The definition names no host; mervok.yaml says ${usualAddress}${path}, until it is changed there.`,
    };
  }
  let hasDefault = false;
  const environments = absolute.map(({ url, description }): ImportedEnvironment => {
    const isHere = isLoopback(hostOf(url));
    const isDefault = isHere && !hasDefault;
    hasDefault ||= isDefault;
    const name = names.take(environmentName(url, description));
    const about = description !== undefined && slugOf(description, '') !== name ? description : undefined;
    return { name, about, variables: [[variable, url.replace(/\/$/, '')]], isDefault };
  });
  return { environments };
}

/** Servers of single operations, each with a variable that holds where it is. */
export class OtherServers {
  readonly #names = new Map<string, string>();

  constructor(
    { operations, servers }: Pick<ApiDefinition, 'operations' | 'servers'>,
    taken: Iterable<string>,
  ) {
    const names = new UniqueNames(taken);
    const usual = new Set(servers.map(({ url }) => url));
    for (const { servers: [own] = [] } of operations) {
      if (!own || usual.has(own.url) || this.#names.has(own.url)) continue;
      const [word] = hostOf(own.url).split('.');
      this.#names.set(own.url, names.take(nameOf(`${word || own.url} server`, 'server')));
    }
  }

  /** What stands before the target of an operation, where it is not what stands before all others. */
  baseOf({ servers: [own] = [] }: Pick<Operation, 'servers'>): string | undefined {
    const name = own && this.#names.get(own.url);
    return name === undefined ? undefined : `{${name}}`;
  }

  /** An environment with all servers in it. That which is chosen by itself asks no other machine. */
  within(environment: ImportedEnvironment): ImportedEnvironment {
    const [[, server] = ['', usualAddress]] = environment.variables;
    const others = [...this.#names].map(([url, name]): [string, string] => {
      const whole = URL.canParse(url, server) ? new URL(url, server).href.replace(/\/$/, '') : server;
      const isElsewhere = environment.isDefault && !isLoopback(hostOf(whole));
      return [name, isElsewhere ? server : whole];
    });
    return { ...environment, variables: [...environment.variables, ...others] };
  }
}

const words = ['production', 'staging', 'sandbox', 'development', 'testing', 'preview', 'demo', 'local'];
const begins: readonly (readonly [RegExp, string])[] = [
  [/\bpre-?prod/, 'preproduction'],
  [/\bprod/, 'production'],
  [/\bstag|\bstg\b/, 'staging'],
  [/\bsandbox/, 'sandbox'],
  [/\bdev(?:el|\b)/, 'development'],
  [/\btest|\bqa\b|\buat\b/, 'testing'],
  [/\bpreview|\bbeta\b/, 'preview'],
];

/** What an environment is called: by its description, else by its host. */
function environmentName(url: string, description = ''): string {
  if (isLoopback(hostOf(url))) return 'local';
  const short = slugOf(description, '');
  if (words.includes(short)) return short;
  for (const text of [description.toLowerCase(), hostOf(url).toLowerCase()])
    for (const [pattern, name] of begins) if (pattern.test(text)) return name;
  return 'production';
}

function hostOf(url: string): string {
  return /^https?:\/\/(?:[^@/]*@)?(\[[^\]]*\]|[^/:?#]*)/i.exec(url)?.[1]?.replace(/^\[|\]$/g, '') ?? '';
}
