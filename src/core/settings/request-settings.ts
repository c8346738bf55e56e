import type { Node, YAMLMap } from 'yaml';
import type { AuthKind, Authorization } from '../auth/authorization.ts';
import { noAuthorization } from '../auth/authorization.ts';
import { authKinds } from '../auth/kinds.ts';
import { inWords } from '../text/words.ts';
import { rangeOf } from '../yaml/yaml-reader.ts';
import { framingValueOf, isAboutConnection } from './framing-headers.ts';
import type { LevelHeader } from './level.ts';
import type { Setting, SettingReader } from './setting.ts';

// Settings that every request of a level takes in.

const base: Setting = {
  key: 'base',
  reach: 'every',
  schema: ({ z }) => z.string(),
  hint: 'In YAML a text that begins with a brace stands in quotes: base: "{harbour}/v1"',
  docs: 'put before a target that begins with `/`',
  read: (node, reader) => ({
    base: reader.isNull(node) ? null : reader.template(node, 'address'),
    baseRange: rangeOf(node, reader.excerpt),
  }),
  merge(effective, level) {
    if (level.base === null) delete effective.base;
    else if (level.base !== undefined) effective.base = { template: level.base, level };
  },
};

const headers: Setting = {
  key: 'headers',
  reach: 'every',
  schema: ({ z, scalar }) => z.record(z.string(), z.nullable(scalar)),
  hint: 'Headers are names and values: Accept: application/json',
  innerHint: 'The value of a header is a text.',
  docs: 'added to every request; a header in the fence wins, in any case of letters. `User-Agent: mervok` and `Accept-Encoding` (what the runtime can decode) are there unless they are set or taken away',
  read: (node, reader) => ({ headers: readHeaders(node, reader) }),
  merge(effective, level) {
    for (const [key, header] of level.headers) {
      if (key === 'authorization' && effective.auth?.auth.usesHeader) delete effective.auth;
      if (header.value === null) effective.headers.delete(key);
      else effective.headers.set(key, { header: { ...header, value: header.value }, level });
    }
  },
};

function readHeaders(node: Node, reader: SettingReader): Map<string, LevelHeader> {
  const headers = new Map<string, LevelHeader>();
  for (const { key, value } of reader.pairs(node)) {
    const range = rangeOf(key, reader.excerpt);
    const name = reader.keyText(key);
    if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name))
      reader.add('setting-form', range, `'${name}' is no name of a header.`);
    else if (isAboutConnection(name))
      reader.add('setting-form', range, `'${name}' is about the connection, which Mervok sees to itself.`);
    else if (framingValueOf(name) !== undefined)
      reader.add(
        'setting-form',
        range,
        `'${name}' says how the body of one request goes out.`,
        'Write it in the fence of that request.',
      );
    else
      headers.set(name.toLowerCase(), {
        name,
        value: reader.isNull(value) ? null : reader.template(value!, 'header'),
        range,
      });
  }
  return headers;
}

/** A list for a name that comes several times, null to take an outer one away. */
const query: Setting = {
  key: 'query',
  reach: 'every',
  schema: ({ z, scalar }) => z.record(z.string(), z.nullable(z.union([scalar, z.array(scalar)]))),
  hint: 'The query is names and values: query: { lang: en }',
  docs: 'names and values added to every target that does not have the name itself; a list gives a name several times',
  read: (node, reader) => ({
    query: new Map(
      reader.pairs(node).map(({ key, value }) => {
        const isNull = reader.isNull(value);
        const nodes = reader.libraries.isSeq(value) ? (value.items as Node[]) : isNull ? [] : [value!];
        const values = isNull ? null : nodes.map(each => reader.template(each, 'payload'));
        return [reader.keyText(key), { values, range: rangeOf(key, reader.excerpt) }];
      }),
    ),
  }),
  merge(effective, level) {
    for (const [name, { values }] of level.query) {
      if (values === null) effective.query.delete(name);
      else effective.query.set(name, { name, values, level });
    }
  },
};

const auth: Setting = {
  key: 'auth',
  reach: 'every',
  schema: ({ z }) => z.union([z.literal('none'), z.record(z.string(), z.unknown())]),
  // That one kind is given, and one alone, is seen to where it is read.
  details: forms =>
    forms.z.strictObject(
      Object.fromEntries(authKinds.map(kind => [kind.key, forms.z.optional(kind.schema(forms))])),
    ),
  keys: Object.fromEntries([
    ['auth', authKinds.map(kind => kind.key)],
    ...authKinds.flatMap(({ key, keys }) => (keys ? [[`auth.${key}`, keys]] : [])),
  ]),
  hint: `Authorization is none, or one of ${authKinds.map(({ key }) => `{ ${key}: … }`).join(', ')}.`,
  innerHints: Object.fromEntries(
    authKinds.flatMap(kind =>
      Object.entries(kind.hints ?? {}).map(([key, hint]) => [`auth.${kind.key}.${key}`, hint]),
    ),
  ),
  innerHint: 'It is a text, or an object with these keys.',
  docs: 'how requests are authorized ([below](#authorization)); `none` switches it off',
  read(node, reader) {
    const found = readAuth(node, reader);
    return { ...(found !== undefined && { auth: found }), authRange: rangeOf(node, reader.excerpt) };
  },
  merge(effective, level) {
    if (level.auth === undefined) return;
    if (level.auth === null) delete effective.auth;
    else {
      effective.auth = { auth: level.auth, level };
      // Whoever says how a level signs in, or that it does not, means the header of an outer level too.
      if (level.auth.usesHeader) effective.headers.delete('authorization');
    }
  },
};

function readAuth(node: Node, reader: SettingReader): Authorization | null | undefined {
  if (!reader.libraries.isMap(node)) return reader.text(node) === 'none' ? noAuthorization : null;
  const [only, ...more] = reader.pairs(node);
  if (!only || more.length > 0) {
    reader.add(
      'setting-form',
      rangeOf(node, reader.excerpt),
      'One kind of authorization at a time.',
      `There are ${inWords(
        authKinds.map(kind => kind.key),
        'or',
      )}; 'none' switches it off.`,
    );
    return undefined;
  }
  const kind: AuthKind | undefined = authKinds.find(({ key }) => key === reader.keyText(only.key));
  const inner = only.value as YAMLMap;
  return kind?.read(reader, {
    node: inner,
    whole: () => reader.template(inner, 'credentials'),
    field: key => reader.template(reader.node(inner, key) ?? inner, 'credentials'),
  });
}

const checks: Setting = {
  key: 'checks',
  reach: 'every',
  schema: ({ z }) => z.string(),
  hint: 'Checks are conditions, one a line, behind checks: |',
  docs: 'conditions, one a line, checked after every response of the level, outermost first',
  read(node, reader) {
    if (reader.isNull(node) || !reader.libraries.isScalar(node)) return { checks: null };
    const { checks, errors } = reader.readChecks(reader.lines(node));
    for (const error of errors) reader.addError(error);
    return { checks };
  },
  merge(effective, level) {
    const { checks } = level;
    if (checks === null) effective.checks = [];
    else if (checks.length > 0)
      effective.checks = [...effective.checks, ...checks.map(check => ({ check, level }))];
  },
};

const namespaces: Setting = {
  key: 'namespaces',
  reach: 'every',
  schema: ({ z }) => z.record(z.string(), z.nullable(z.string())),
  hint: 'Prefixes and the namespaces that they stand for: namespaces: { t: "urn:skerry:tides" }',
  docs: 'prefixes that XPath uses, and the namespaces that they stand for: `{ t: "urn:skerry:tides" }` ([XML](#xml))',
  read: (node, reader) => ({
    namespaces: new Map(
      reader
        .pairs(node)
        .map(({ key, value }) => [
          reader.keyText(key),
          reader.libraries.isScalar(value) && value.value !== null ? String(value.value) : null,
        ]),
    ),
  }),
  merge(effective, level) {
    for (const [prefix, name] of level.namespaces) {
      if (name === null) effective.namespaces.delete(prefix);
      else effective.namespaces.set(prefix, name);
    }
  },
};

// How a level signs in comes before its headers, one of which may take its place.
export const requestSettings: readonly Setting[] = [base, auth, headers, query, checks, namespaces];
