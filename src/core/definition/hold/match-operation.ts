import { withoutOrigin } from '../../text/hosts.ts';
import { percentDecoded } from '../../text/percent.ts';
import type { ApiDefinition, Operation } from '../api.ts';

/** An operation that a request is for, and what its path says. */
export interface MatchedOperation {
  readonly operation: Operation;
  /** Still percent-encoded. */
  readonly pathValues: ReadonlyMap<string, string>;
}

interface Route {
  readonly operation: Operation;
  readonly segments: readonly Segment[];
}

/** A fixed text, or a pattern with the names of its groups. */
type Segment = string | { readonly pattern: RegExp; readonly names: readonly string[] };

/** Finds the operation that a request is for. */
export class OperationMatcher {
  readonly #routes = new Map<string, Route[]>();
  /** The paths of the servers, without a slash at the end; the longest first. */
  readonly #serverPaths: readonly string[];

  constructor({ operations, servers }: Pick<ApiDefinition, 'operations' | 'servers'>) {
    for (const operation of operations) {
      const segments = operation.path.split('/').slice(1).map(readSegment);
      const key = keyOf(operation.method, segments.length);
      const routes = this.#routes.get(key) ?? [];
      routes.push({ operation, segments });
      this.#routes.set(key, routes);
    }
    // What is fixed goes before what is not (OpenAPI, Path Templating Matching).
    for (const routes of this.#routes.values()) routes.sort(byExactness);
    const paths = servers.map(({ url }) => pathOf(url)).filter(path => path !== '');
    this.#serverPaths = [...new Set(paths)].sort((a, b) => b.length - a.length);
  }

  /**
   * @param path of the request, without its query
   * @param at the path that paths of the definition count from; it may end with that of a server or not
   */
  find(method: string, path: string, at: string): MatchedOperation | undefined {
    const rest = this.restOf(path, at);
    if (rest === undefined) return undefined;
    const whole = this.#match(method, rest);
    if (whole) return whole;
    for (const server of this.#serverPaths) {
      const inner = withoutBegin(rest, server);
      const found = inner === undefined ? undefined : this.#match(method, inner);
      if (found) return found;
    }
    return undefined;
  }

  /** What of a path stands behind where the definition begins; nothing where it is outside of that. */
  restOf(path: string, at: string): string | undefined {
    return withoutBegin(path, at);
  }

  #match(method: string, path: string): MatchedOperation | undefined {
    const segments = path.split('/').slice(1);
    for (const { operation, segments: wanted } of this.#routes.get(keyOf(method, segments.length)) ?? []) {
      const pathValues = valuesIn(segments, wanted);
      if (pathValues) return { operation, pathValues };
    }
    return undefined;
  }

  /** The methods that are described for a path. */
  methodsFor(path: string, at: string): string[] {
    const all = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS', 'TRACE'];
    return all.filter(method => this.find(method, path, at));
  }
}

function keyOf(method: string, length: number): string {
  return `${method} ${length}`;
}

function readSegment(text: string): Segment {
  if (!text.includes('{')) return percentDecoded(text);
  const names: string[] = [];
  const pattern = text
    .split(/(\{[^{}]*\})/)
    .map(part => {
      if (!/^\{.*\}$/.test(part)) return part.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
      names.push(part.slice(1, -1));
      return '(.+?)';
    })
    .join('');
  return { pattern: new RegExp(`^${pattern}$`), names };
}

function byExactness(one: Route, other: Route): number {
  for (let index = 0; index < one.segments.length; index++) {
    const [a, b] = [isFixed(one.segments[index]!), isFixed(other.segments[index]!)];
    if (a !== b) return b - a;
  }
  return 0;
}

/** The more of it is fixed, the higher. */
function isFixed(segment: Segment): number {
  if (typeof segment === 'string') return 1000;
  return Math.min(999, segment.pattern.source.length - segment.names.length * 5);
}

function valuesIn(segments: readonly string[], wanted: readonly Segment[]): Map<string, string> | undefined {
  const values = new Map<string, string>();
  for (let index = 0; index < wanted.length; index++) {
    const [segment, pattern] = [segments[index]!, wanted[index]!];
    if (typeof pattern === 'string') {
      if (segment !== pattern && percentDecoded(segment) !== pattern) return undefined;
      continue;
    }
    const match = pattern.pattern.exec(segment);
    if (!match) return undefined;
    for (const [at, name] of pattern.names.entries()) values.set(name, match[at + 1]!);
  }
  return values;
}

function withoutBegin(path: string, begin: string): string | undefined {
  if (begin === '' || begin === '/') return path;
  const start = begin.replace(/\/$/, '');
  if (path === start) return '/';
  return path.startsWith(`${start}/`) ? path.slice(start.length) : undefined;
}

/** The path of an address, or of what stands for one, without a slash at its end. */
export function pathOf(url: string): string {
  const path = withoutOrigin(url).replace(/[?#].*$/, '');
  return path.replace(/\/$/, '');
}
