import type { Node, YAMLMap } from 'yaml';
import { parseTemplateText } from '../language/templates/template.ts';
import type { Range } from '../model/source.ts';
import { didYouMean } from '../text/words.ts';
import { rangeOf } from '../yaml/yaml-reader.ts';
import type { DatabaseSetting, DatabaseTls, Dialect } from './database.ts';
import { namedPairs } from './named-pairs.ts';
import type { Setting, SettingReader } from './setting.ts';

// Databases, which queries ask by their names.

const keys = ['url', 'user', 'password', 'tls', 'create', 'connections'] as const;
const schemes: ReadonlyMap<string, Dialect> = new Map([
  ['postgres', 'postgres'],
  ['postgresql', 'postgres'],
  ['mysql', 'mariadb'],
  ['mariadb', 'mariadb'],
  ['sqlite', 'sqlite'],
]);
const example =
  'For example: postgres://127.0.0.1:5432/ledger, mariadb://{db-host}/ledger, sqlite:data/logbook.db';

export const databases: Setting = {
  key: 'databases',
  reach: 'every',
  schema: ({ z }) =>
    z.record(
      z.string(),
      z.nullable(
        z.strictObject({
          url: z.string(),
          user: z.optional(z.string()),
          password: z.optional(z.string()),
          tls: z.optional(
            z.union([
              z.literal('none'),
              z.strictObject({
                ca: z.optional(z.string()),
                cert: z.optional(z.string()),
                key: z.optional(z.string()),
              }),
            ]),
          ),
          create: z.optional(z.boolean()),
          connections: z.optional(z.int().check(z.minimum(1), z.maximum(100))),
        }),
      ),
    ),
  hint: `A database has a name and these keys: ledger: { url: "postgres://127.0.0.1/ledger", user: clerk, password: "{db-password}" }`,
  innerHint: `It has ${keys.join(', ')}; the password is best a name that is secret: password: "{db-password}"`,
  docs: 'the databases that [queries](#queries) ask, by their names: `{ url, user, password, tls, create, connections }`; `null` takes one away',
  read(node, reader) {
    const found = new Map<string, DatabaseSetting | null>();
    for (const { name, value, range } of namedPairs(node, reader, 'database')) {
      const read = reader.libraries.isMap(value) ? readDatabase(name, value, range, reader) : null;
      if (read !== undefined) found.set(name, read);
    }
    return { databases: found };
  },
  merge(effective, level) {
    for (const [name, database] of level.databases)
      if (database) effective.databases.set(name, { database, level });
      else effective.databases.delete(name);
  },
};

function readDatabase(
  name: string,
  node: YAMLMap,
  range: Range,
  reader: SettingReader,
): DatabaseSetting | undefined {
  const url = reader.node(node, 'url')!;
  const address = readAddress(reader.text(url) ?? '', url, reader);
  if (!address) return undefined;
  const template = (key: string) => {
    const value = reader.node(node, key);
    return value && reader.template(value, 'credentials');
  };
  const [user, password] = [template('user'), template('password')];
  if (address.dialect === 'sqlite' && (user || password))
    reader.add(
      'setting-form',
      rangeOf(node, reader.excerpt),
      'A database of SQLite is a file, which nobody signs in to.',
    );
  return {
    name,
    ...address,
    ...(user && { user }),
    ...(password && { password }),
    tls: readTls(reader.node(node, 'tls'), reader),
    create: reader.scalarText(node, 'create') === 'true',
    connections: Number(reader.scalarText(node, 'connections') ?? 10),
    range,
    pathBeside: path => reader.pathBeside(path),
  };
}

/** Only scheme, host, port and database: options of a URL could read files, or lower what is safe. */
function readAddress(
  text: string,
  node: Node,
  reader: SettingReader,
): Pick<DatabaseSetting, 'dialect' | 'authority' | 'database'> | undefined {
  const range = rangeOf(node, reader.excerpt);
  const fail = (message: string, remedy = example): undefined => {
    reader.add('setting-form', range, message, remedy);
  };
  const [, scheme = '', rest = ''] = /^([A-Za-z][A-Za-z0-9+.-]*):(.*)$/s.exec(text) ?? [];
  const dialect = schemes.get(scheme);
  if (!dialect)
    return scheme === ''
      ? fail('The address of a database begins with what it speaks.')
      : fail(`'${scheme}' is nothing that a database speaks here.`, didYouMean(scheme, schemes.keys()));
  const part = (written: string) => parseTemplateText(written, 'text', range);
  if (/[?#]/.test(rest))
    return fail(
      'An address holds the host, its port and the database alone: no options.',
      'They are keys beside it: tls, user, password.',
    );
  if (dialect === 'sqlite') {
    const path = rest.replace(/^\/\/(?=\/)/, '');
    if (path === '' || path.startsWith('//')) return fail('A path should follow: sqlite:data/logbook.db');
    if (path === ':memory:')
      return fail(
        'A database in memory would be gone after each query.',
        'Name a file: sqlite:data/logbook.db, with create: true',
      );
    return { dialect, database: part(path) };
  }
  const [, authority, database] = /^\/\/([^/]+)\/([^/]+)$/.exec(rest) ?? [];
  if (authority === undefined || database === undefined)
    return fail('It is the host, its port if it is another one than usual, and the database.');
  if (authority.includes('@'))
    return fail('The user and the password are keys of their own.', 'user: clerk, password: "{db-password}"');
  return { dialect, authority: part(authority), database: part(database) };
}

function readTls(node: Node | undefined, reader: SettingReader): DatabaseTls {
  if (!node) return 'elsewhere';
  if (!reader.libraries.isMap(node)) return 'none';
  const file = (key: string) => {
    const value = reader.node(node, key);
    return value && reader.template(value, 'credentials');
  };
  const [ca, cert, key] = [file('ca'), file('cert'), file('key')];
  if ((cert === undefined) !== (key === undefined))
    reader.add(
      'setting-form',
      rangeOf(node, reader.excerpt),
      "A client certificate and its key come together: 'cert' and 'key'.",
    );
  return { ...(ca && { ca }), ...(cert && { cert }), ...(key && { key }) };
}
