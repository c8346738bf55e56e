import type { Value } from '../model/value.ts';
import { partPath } from '../replay/changes/json-changes.ts';
import type { Effective } from '../settings/effective.ts';
import type { WrittenRequest } from '../steps/http/request.ts';
import { percentDecoded } from '../text/percent.ts';
import { DocumentPart } from '../values/document-parts.ts';

/** What a request sends, by names alone. */
export interface SentParts {
  readonly query: readonly string[];
  /** In lower case. */
  readonly headers: readonly string[];
  /** Members of a JSON body, as paths. */
  readonly body: readonly string[];
}

/** What every client sends, whatever it relies on. */
const usual = new Set([
  'user-agent',
  'accept',
  'accept-encoding',
  'content-type',
  'content-length',
  'host',
  'expect',
  'transfer-encoding',
]);

export function sentBy(request: WrittenRequest, { query, headers }: Effective): SentParts {
  const fields =
    request.query?.text.split('\n').flatMap(line => /^\s*([^=\s]+)\s*=/.exec(line)?.[1] ?? []) ?? [];
  const names = [...request.headers, ...headers.map(({ header }) => header)].map(({ name }) =>
    name.toLowerCase(),
  );
  return {
    query: sorted([...queryOf(request), ...fields, ...query.map(({ name }) => name)]),
    headers: sorted(names.filter(name => !usual.has(name))),
    body: bodyOf(request),
  };
}

function sorted(names: readonly string[]): string[] {
  return [...new Set(names)].sort();
}

function queryOf({ target: { parts } }: WrittenRequest): string[] {
  const names: string[] = [];
  let text = '';
  for (const part of parts) {
    if (typeof part === 'string') text += part;
    else if (part.operator === '?' || part.operator === '&')
      names.push(...part.variables.map(({ reference }) => reference.path.at(-1) ?? reference.name));
    else text += 'x';
  }
  const [, query = ''] = /\?([^#]*)/.exec(text) ?? [];
  for (const pair of query.split('&')) if (pair !== '') names.push(percentDecoded(pair.split('=')[0]!));
  return names;
}

/** References stand for values; one in a text changes nothing of what the members are called. */
const textOrReference = /"(?:[^"\\]|\\.)*"|\{\+?[A-Za-z][\w-]*(?:\.[\w-]+)*\}/g;

function bodyOf({ body }: WrittenRequest): string[] {
  if (!body || (body.fence && body.fence.form !== 'json')) return [];
  const text = body.excerpt.text
    .slice(body.start)
    .replace(textOrReference, each => (each.startsWith('"') ? each : 'null'));
  let document: Value;
  try {
    document = JSON.parse(text) as Value;
  } catch {
    return [];
  }
  const parts = [...DocumentPart.of([document]).all()];
  return parts
    .filter(({ members, items, name }) => name !== undefined && members.size === 0 && !items)
    .map(({ way }) => partPath(way))
    .sort();
}
