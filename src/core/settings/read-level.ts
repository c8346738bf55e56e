import type { Document, Node, YAMLMap } from 'yaml';
import type * as z from 'zod/mini';
import { parseChecks } from '../language/parser.ts';
import { type Finding, SourceError } from '../model/finding.ts';
import type { Excerpt } from '../model/source.ts';
import { isAboutConnection } from '../steps/http/read-request.ts';
import { withoutPrototype } from '../text/without-prototype.ts';
import { didYouMean, inWords } from '../text/words.ts';
import { folderKeys, innerKeys, levelKeys, pageKeys, rootKeys } from './keys.ts';
import { emptyLevel, type Level, type LevelHeader } from './level.ts';
import { readOrganisation } from './organise-reader.ts';
import { readAuth, readQuery, readTransport } from './transport-reader.ts';
import type { VariableDefinition } from './variable-definition.ts';
import { VariableReader } from './variable-reader.ts';
import { type Libraries, rangeOf, YamlReader } from './yaml-reader.ts';

export type LevelKind = 'root' | 'folder' | 'page' | 'case' | 'secrets';

/** Reads the settings of one level; what is wrong with them is all reported. */
export type ReadLevel = (
  excerpt: Excerpt,
  name: string,
  kind: LevelKind,
) => { level: Level; findings: Finding[] };

/** Loads what reads settings. */
export async function loadReadLevel(): Promise<ReadLevel> {
  const libraries = await import('./libraries.ts');
  return (excerpt, name, kind) => {
    const reader = new LevelReader(libraries, excerpt, name, kind);
    return { level: reader.read(), findings: reader.findings };
  };
}

class LevelReader extends YamlReader {
  readonly #document: Document;
  readonly #variableReader: VariableReader;

  constructor(
    libraries: Libraries,
    excerpt: Excerpt,
    readonly name: string,
    readonly kind: LevelKind,
  ) {
    super(libraries, excerpt);
    this.#variableReader = new VariableReader(libraries, excerpt);
    this.#document = libraries.parseDocument(excerpt.text, {
      prettyErrors: false,
      // The package compares each key with every other; a set does it in one go.
      uniqueKeys: false,
    });
  }

  read(): Level {
    const empty = emptyLevel(this.name, this.excerpt.source);
    for (const error of this.#document.errors) {
      const message = error.message.replace(/\.?$/, '.');
      this.add(
        'yaml-form',
        this.excerpt.range(error.pos[0], error.pos[1]),
        `This is no YAML: ${message}`,
        this.#braceRemedy(error.pos[0]),
      );
    }
    this.#refuseTwice(this.#document.contents);
    const root = this.#document.contents;
    if (this.findings.length > 0 || root === null) return empty;
    if (!this.libraries.isMap(root)) {
      this.add(
        'setting-form',
        rangeOf(root, this.excerpt),
        'Settings are keys and values.',
        'For example: title: Skerry Harbour',
      );
      return empty;
    }
    return this.#check() ? this.#level(root) : empty;
  }

  /** A key that stands twice in one map. */
  #refuseTwice(node: unknown): void {
    const { isMap, isScalar, isSeq } = this.libraries;
    if (isSeq(node)) for (const item of node.items) this.#refuseTwice(item);
    if (!isMap(node)) return;
    const keys = new Set<unknown>();
    for (const { key, value } of node.items) {
      const name = isScalar(key) ? key.value : key;
      if (keys.has(name))
        this.add(
          'yaml-form',
          rangeOf(key as Node, this.excerpt),
          'This is no YAML: Map keys must be unique.',
        );
      keys.add(name);
      this.#refuseTwice(value);
    }
  }

  /** A text that begins with a reference is the slip that YAML explains worst. */
  #braceRemedy(offset: number): string | undefined {
    const line = this.excerpt.text.slice(this.excerpt.text.lastIndexOf('\n', offset - 1) + 1).split('\n')[0]!;
    const [, key, value] = /^\s*([\w-]+):\s*(\{\+?[A-Za-z][\w.-]*\}\S.*?)\s*$/.exec(line) ?? [];
    return value === undefined
      ? undefined
      : `A text that begins with a brace stands in quotes: ${key}: "${value}"`;
  }

  /** Reports what is not of the right form. What is of the right form is still used, or one slip would cause others. */
  #check(): boolean {
    let data: unknown;
    try {
      data = this.#document.toJS({ maxAliasCount: 100 });
    } catch (error) {
      this.add(
        'yaml-form',
        this.excerpt.range(0, 1),
        `This YAML cannot be used: ${(error as Error).message}.`,
      );
      return false;
    }
    const result = this.libraries.levelSchemas[this.kind].safeParse(data);
    for (const issue of result.error?.issues ?? []) this.#issue(issue);
    const auth = (data as { auth?: unknown }).auth;
    if (typeof auth === 'object' && auth !== null) {
      const issues = this.libraries.authSchema.safeParse(auth).error?.issues ?? [];
      for (const issue of issues) this.#issue({ ...issue, path: ['auth', ...issue.path] });
    }
    return true;
  }

  #issue(issue: z.core.$ZodIssue): void {
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys) this.#unknownKey(key, issue.path);
      return;
    }
    const key = issue.path.join('.');
    this.unusable.add(String(issue.path[0]));
    const node = this.#document.getIn(issue.path, true) as Node | undefined;
    if (!node) {
      const around = this.#document.getIn(issue.path.slice(0, -1), true) as Node | undefined;
      this.add('setting-form', rangeOf(around, this.excerpt), `'${key}' is missing.`);
      return;
    }
    this.add(
      'setting-form',
      rangeOf(node, this.excerpt),
      `'${key}' cannot have this value.`,
      wantedForm(key, issue.path.length > 1),
    );
  }

  #unknownKey(key: string, path: PropertyKey[]): void {
    const map = (path.length === 0 ? this.#document.contents : this.#document.getIn(path, true)) as YAMLMap;
    const pair = map.items.find(each => this.libraries.isScalar(each.key) && String(each.key.value) === key);
    const range = rangeOf(pair?.key as Node, this.excerpt);
    if (path.length > 0) {
      this.add(
        'setting-unknown',
        range,
        `'${key}' is not known in '${path.join('.')}'.`,
        didYouMean(key, innerKeys[path.join('.')] ?? []) ?? knownInner(path.join('.')),
      );
    } else if (rootKeys.includes(key))
      this.add(
        'setting-unknown',
        range,
        `'${key}' stands only ${whereOnly(key)}.`,
        key === 'rows' ? 'A case says it in a fence `mervok`: each row of "vessels.csv"' : undefined,
      );
    else this.add('setting-unknown', range, `'${key}' is no setting.`, didYouMean(key, keysOf[this.kind]));
  }

  #level(root: YAMLMap): Level {
    const title = this.scalarText(root, 'title');
    const base = this.node(root, 'base');
    const auth = readAuth(this, root);
    const [tls, authNode] = [this.node(root, 'tls'), this.node(root, 'auth')];
    const environment = this.node(root, 'environment');
    const environments = this.#environments(root);
    return {
      name: this.name,
      source: this.excerpt.source,
      ...(title !== undefined && { title }),
      ...(base && {
        base: this.libraries.isScalar(base) && base.value !== null ? this.template(base, 'text') : null,
      }),
      headers: this.#headers(root),
      query: readQuery(this, root),
      transport: readTransport(this, root, this.kind === 'case'),
      namespaces: this.#namespaces(root),
      variables: this.#variables(this.node(root, 'variables'), `from ${this.name}`, this.kind === 'secrets'),
      checks: this.#checks(root),
      ...readOrganisation(this, root),
      ...(auth !== undefined && { auth }),
      ...(tls && { tlsRange: rangeOf(tls, this.excerpt) }),
      ...(authNode && { authRange: rangeOf(authNode, this.excerpt) }),
      ...(environments && { environments }),
      ...(this.libraries.isScalar(environment) &&
        environment.value !== null && {
          environment: { name: String(environment.value), range: rangeOf(environment, this.excerpt) },
        }),
    };
  }

  #headers(root: YAMLMap): Map<string, LevelHeader> {
    const headers = new Map<string, LevelHeader>();
    for (const { key, value } of this.pairs(this.node(root, 'headers'))) {
      const range = rangeOf(key, this.excerpt);
      const name = this.keyText(key);
      if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name))
        this.add('setting-form', range, `'${name}' is no name of a header.`);
      else if (isAboutConnection(name))
        this.add('setting-form', range, `'${name}' is about the connection, which Mervok sees to itself.`);
      else
        headers.set(name.toLowerCase(), {
          name,
          value:
            this.libraries.isScalar(value) && value.value !== null ? this.template(value, 'header') : null,
          range,
        });
    }
    return headers;
  }

  #namespaces(root: YAMLMap): Map<string, string | null> {
    return new Map(
      this.pairs(this.node(root, 'namespaces')).map(({ key, value }) => [
        this.keyText(key),
        this.libraries.isScalar(value) && value.value !== null ? String(value.value) : null,
      ]),
    );
  }

  #variables(node: Node | undefined, origin: string, secret: boolean): Map<string, VariableDefinition> {
    const variables = new Map<string, VariableDefinition>();
    for (const { key, value } of this.pairs(node)) {
      const name = this.keyText(key);
      if (!/^[A-Za-z][A-Za-z0-9_-]*$/.test(name)) {
        this.add(
          'setting-form',
          rangeOf(key, this.excerpt),
          `'${name}' cannot name a variable.`,
          "Names have letters, digits, '-' and '_', a letter first.",
        );
        continue;
      }
      try {
        const definition = this.#variableReader.read(name, value, origin, secret);
        variables.set(name, { ...definition, range: rangeOf(key, this.excerpt) });
      } catch (error) {
        if (!(error instanceof SourceError)) throw error;
        this.add(error.code, error.range, error.message, error.remedy);
      }
    }
    return variables;
  }

  #environments(root: YAMLMap): Level['environments'] {
    const node = this.node(root, 'environments');
    if (!this.libraries.isMap(node)) return undefined;
    return new Map(
      this.pairs(node).map(({ key, value }) => {
        const name = this.keyText(key);
        return [
          name,
          this.#variables(value ?? undefined, `from environment ${name}`, this.kind === 'secrets'),
        ];
      }),
    );
  }

  #checks(root: YAMLMap): Level['checks'] {
    const node = this.node(root, 'checks');
    if (!node) return [];
    if (!this.libraries.isScalar(node) || node.value === null) return null;
    const { checks, errors } = parseChecks(this.lines(node));
    for (const error of errors) this.add(error.code, error.range, error.message, error.remedy);
    return checks;
  }
}

const keysOf: { readonly [kind in LevelKind]: readonly string[] } = {
  root: rootKeys,
  secrets: rootKeys,
  folder: folderKeys,
  page: pageKeys,
  case: levelKeys,
};

function whereOnly(key: string): string {
  if (pageKeys.includes(key)) return 'in the front matter of a page, or in a mervok.yaml';
  return folderKeys.includes(key) ? 'in a mervok.yaml' : 'in the mervok.yaml at the root of the collection';
}

function knownInner(path: string): string | undefined {
  const known = innerKeys[path];
  return known && `There are ${inWords(known)}.`;
}

/** What a setting looks like, for a value that is not of its form; by the key, or by the way to it. */
const wantedForms: { readonly [key: string]: string } = withoutPrototype({
  apdex: 'It is the time within which an answer satisfies: apdex: 300 ms',
  bounds: 'Bounds are limits, one a line, behind bounds: |',
  auth: 'Authorization is none, or one of { bearer: … }, { basic: … }, { digest: … }, { api-key: … }, { oauth2: … }.',
  'auth.api-key.in': 'A key stands in the header, the query or a cookie: in: header.',
  'auth.oauth2.flow': 'The flows are client-credentials, password and refresh-token.',
  'auth.oauth2.client-auth':
    "A client says who it is by basic, in the body, or not at all: 'basic', 'body' or 'none'.",
  base: 'In YAML a text that begins with a brace stands in quotes: base: "{harbour}/v1"',
  checks: 'Checks are conditions, one a line, behind checks: |',
  cookies: 'It is true or false.',
  environments: 'Each environment is a name with its variables: local: { harbour: "http://127.0.0.1:7070" }',
  headers: 'Headers are names and values: Accept: application/json',
  limits: 'Limits are sizes: limits: { body: 10 MiB }',
  internal: 'It is true or false.',
  namespaces: 'Prefixes and the namespaces that they stand for: namespaces: { t: "urn:skerry:tides" }',
  needs: 'Needs are addresses of cases, or pages: needs: [sign-in.md#sign-in]',
  order: 'An order is a list of pages and folders: order: [sign-in.md, berths]',
  proxy: 'A proxy is a URL, or none: proxy: http://proxy.skerry.example:3128',
  query: 'The query is names and values: query: { lang: en }',
  redact: 'It holds names of headers and paths: redact: { headers: [X-Pilot], paths: [$..phone] }',
  redirects: 'It is the number of redirects to follow, from 0 to 100.',
  retry: 'For example: retry: { times: 2, every: 500 ms, on: [refused, 5xx] }',
  rows: 'It is a table: rows: vessels.csv',
  tags: 'Tags are a list: tags: [booking, slow]',
  timeout: 'A timeout is a duration, 5 s, or { connect, answer, total }.',
  tls: 'It holds files and a switch: tls: { ca: authority.pem, verify: true }',
  variables: 'Variables are names and values: nights: 2',
});

function wantedForm(way: string, inside: boolean): string {
  const [key = ''] = way.split('.');
  if (key === 'headers' && inside) return 'The value of a header is a text.';
  if (way.startsWith('auth.')) return wantedForms[way] ?? 'It is a text, or an object with these keys.';
  return wantedForms[key] ?? 'It is a text.';
}
