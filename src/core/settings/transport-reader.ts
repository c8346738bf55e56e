import type { Node, YAMLMap } from 'yaml';
import type { Template } from '../language/templates/template.ts';
import { faultWords } from '../model/http.ts';
import { didYouMean, inWords } from '../text/words.ts';
import { innerKeys } from './keys.ts';
import type { QueryField } from './level.ts';
import {
  type Auth,
  defaultTransport,
  type Limits,
  type OAuthFlow,
  type Retry,
  type Timeout,
  type Tls,
  type Transport,
} from './transport.ts';
import { rangeOf, type YamlReader } from './yaml-reader.ts';

/** What a level says of how requests go out; null takes away what an outer level says. */
export type TransportSettings = { readonly [Key in keyof Transport]?: Transport[Key] | null };

/** Reads the settings of a level that are about sending. Their form is checked already; `null` is a value of its own. */
export function readTransport(reader: YamlReader, root: YAMLMap, ofCase: boolean): TransportSettings {
  const settings: { [key: string]: unknown } = {};
  const read = <Value>(key: keyof Transport, reading: (node: Node) => Value | undefined) => {
    const node = reader.node(root, key);
    if (!node) return;
    const isNull = reader.libraries.isScalar(node) && node.value === null;
    const value = isNull ? null : reading(node);
    if (value !== undefined) settings[key] = value;
  };
  read('timeout', node => readTimeout(reader, node));
  read('redirects', node => Number(reader.text(node)));
  read('cookies', node => reader.text(node) === 'true');
  read('tls', node => readTls(reader, node as YAMLMap));
  read('proxy', node => (reader.text(node) === 'none' ? 'none' : reader.template(node, 'text')));
  read('retry', node =>
    reader.libraries.isMap(node) ? readRetry(reader, node as YAMLMap, ofCase) : ('none' as const),
  );
  read('limits', node => readLimits(reader, node as YAMLMap));
  return settings;
}

function readTimeout(reader: YamlReader, node: Node): Timeout | undefined {
  if (!reader.libraries.isMap(node)) {
    const total = reader.duration(node);
    return total === undefined ? undefined : { total };
  }
  const parts = reader.pairs(node).flatMap(({ key, value }) => {
    const milliseconds = reader.duration(value);
    return milliseconds === undefined ? [] : [[reader.keyText(key), milliseconds] as const];
  });
  return Object.fromEntries(parts);
}

/** Paths are relative to the file that they are written in. */
function readTls(reader: YamlReader, node: YAMLMap): Tls {
  const folder = reader.excerpt.source.file.replace(/[^/]*$/, '');
  const path = (key: 'ca' | 'cert' | 'key') => {
    const text = reader.scalarText(node, key);
    return text === undefined ? {} : { [key]: /^(?:[/\\]|[A-Za-z]:)/.test(text) ? text : folder + text };
  };
  const tls = {
    ...path('ca'),
    ...path('cert'),
    ...path('key'),
    verify: reader.scalarText(node, 'verify') !== 'false',
  };
  if ('cert' in tls !== 'key' in tls)
    reader.add(
      'setting-form',
      rangeOf(node, reader.excerpt),
      "A client certificate and its key come together: 'cert' and 'key'.",
    );
  return tls;
}

function readRetry(reader: YamlReader, node: YAMLMap, anyMethod: boolean): Retry {
  const on = reader.node(node, 'on');
  const items = reader.libraries.isSeq(on) ? (on.items as Node[]) : [];
  for (const item of items) {
    const word = reader.text(item) ?? '';
    if (isRetried(word)) continue;
    reader.add(
      'setting-form',
      rangeOf(item, reader.excerpt),
      `'${word}' is no fault and no status to try again after.`,
      didYouMean(word, faultWords) ?? `There are ${inWords(faultWords)}, and statuses such as 5xx and 429.`,
    );
  }
  return {
    times: Number(reader.scalarText(node, 'times') ?? 2),
    every: reader.duration(reader.node(node, 'every')) ?? 500,
    on: on ? items.map(item => reader.text(item) ?? '') : ['refused', 'timeout', 'reset', '5xx', '429'],
    anyMethod,
  };
}

function isRetried(word: string): boolean {
  return (faultWords as readonly string[]).includes(word) || /^[1-5](?:xx|\d\d)$/.test(word);
}

function readLimits(reader: YamlReader, node: YAMLMap): Limits {
  const limit = (key: keyof Limits) => reader.size(reader.node(node, key)) ?? defaultTransport.limits[key];
  return { body: limit('body'), record: limit('record'), head: limit('head') };
}

/** Reads `query`: names and values, a list for a name that comes several times, null to take an outer one away. */
export function readQuery(reader: YamlReader, root: YAMLMap): Map<string, QueryField> {
  const { isScalar, isSeq } = reader.libraries;
  return new Map(
    reader.pairs(reader.node(root, 'query')).map(({ key, value }) => {
      const isNull = !value || (isScalar(value) && value.value === null);
      const nodes = isSeq(value) ? (value.items as Node[]) : isNull ? [] : [value];
      const values = isNull ? null : nodes.map(node => reader.template(node, 'text'));
      return [reader.keyText(key), { values, range: rangeOf(key, reader.excerpt) }];
    }),
  );
}

/** Reads `auth`, whose form is checked already. */
export function readAuth(reader: YamlReader, root: YAMLMap): Auth | null | undefined {
  const node = reader.node(root, 'auth');
  if (!node) return undefined;
  if (!reader.libraries.isMap(node)) return reader.text(node) === 'none' ? { kind: 'none' } : null;
  const [only, ...more] = reader.pairs(node);
  if (!only || more.length > 0) {
    reader.add(
      'setting-form',
      rangeOf(node, reader.excerpt),
      'One kind of authorization at a time.',
      `There are ${inWords(innerKeys.auth!, 'or')}; 'none' switches it off.`,
    );
    return undefined;
  }
  const inner = only.value as YAMLMap;
  const field = (key: string): Template => reader.template(reader.node(inner, key) ?? inner, 'text');
  switch (reader.keyText(only.key)) {
    case 'bearer':
      return { kind: 'bearer', token: reader.template(only.value!, 'text') };
    case 'basic':
      return { kind: 'basic', user: field('user'), password: field('password') };
    case 'digest':
      return { kind: 'digest', user: field('user'), password: field('password') };
    case 'api-key':
      return {
        kind: 'api-key',
        name: field('name'),
        value: field('value'),
        in: (reader.scalarText(inner, 'in') ?? 'header') as 'header',
      };
    case 'oauth2':
      return readOAuth(reader, inner);
    default:
      return undefined;
  }
}

/** What each flow cannot do without, besides what the schema asks for. */
const neededByFlow: { readonly [flow in OAuthFlow]: readonly string[] } = {
  'client-credentials': [],
  password: ['user', 'password'],
  'refresh-token': ['refresh-token'],
};

function readOAuth(reader: YamlReader, node: YAMLMap): Auth | undefined {
  const flow = reader.scalarText(node, 'flow') as OAuthFlow;
  const fields = new Map(
    reader
      .pairs(node)
      .filter(({ key }) => reader.keyText(key) !== 'flow')
      .map(({ key, value }) => [reader.keyText(key), reader.template(value!, 'text')]),
  );
  const missing = neededByFlow[flow].filter(key => !fields.has(key));
  if (missing.length === 0) return { kind: 'oauth2', flow, fields };
  reader.add(
    'setting-form',
    rangeOf(node, reader.excerpt),
    `The flow '${flow}' needs ${inWords(missing.map(key => `'${key}'`))}.`,
  );
  return undefined;
}
