import type { Document, Node, Pair, YAMLMap } from 'yaml';
import type * as z from 'zod/mini';
import { parseChecks } from '../language/parser.ts';
import { parseTemplateText } from '../template/template.ts';
import { type Code, type Finding, finding, Mistake } from '../text/finding.ts';
import { didYouMean } from '../text/nearest.ts';
import { Excerpt, type Range } from '../text/source.ts';
import { readDuration } from '../values/compare.ts';
import type { VariableDefinition } from '../variables/definition.ts';
import { laterKeys, levelKeys, rootKeys } from './keys.ts';
import { emptyLevel, type Level, type LevelHeader, type Timeout } from './level.ts';
import { rangeOf, VariableReader } from './variable.ts';

export type LevelKind = 'root' | 'folder' | 'page' | 'case' | 'secrets';

export type Libraries = typeof import('./libraries.ts');

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

class LevelReader {
  readonly findings: Finding[] = [];
  readonly #document: Document;
  /** Keys whose value has no form that could be read. */
  readonly #unusable = new Set<string>();

  readonly #variableReader: VariableReader;

  constructor(
    readonly libraries: Libraries,
    readonly excerpt: Excerpt,
    readonly name: string,
    readonly kind: LevelKind,
  ) {
    this.#variableReader = new VariableReader(libraries, excerpt);
    this.#document = libraries.parseDocument(excerpt.text, { prettyErrors: false, uniqueKeys: true });
  }

  read(): Level {
    const empty = emptyLevel(this.name, this.excerpt.source);
    for (const error of this.#document.errors) {
      const message = error.message.replace(/\.?$/, '.');
      this.#add(
        'yaml-form',
        this.excerpt.range(error.pos[0], error.pos[1]),
        `This is no YAML: ${message}`,
        this.#braceRemedy(error.pos[0]),
      );
    }
    const root = this.#document.contents;
    if (this.findings.length > 0 || root === null) return empty;
    if (!this.libraries.isMap(root)) {
      this.#add(
        'setting-form',
        rangeOf(root, this.excerpt),
        'Settings are keys and values.',
        'For example: title: Skerry Harbour',
      );
      return empty;
    }
    return this.#check() ? this.#level(root) : empty;
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
      this.#add(
        'yaml-form',
        this.excerpt.range(0, 1),
        `This YAML cannot be used: ${(error as Error).message}.`,
      );
      return false;
    }
    const schema =
      this.kind === 'root' || this.kind === 'secrets'
        ? this.libraries.rootSchema
        : this.libraries.levelSchema;
    const result = schema.safeParse(data);
    for (const issue of result.error?.issues ?? []) this.#issue(issue);
    return true;
  }

  #issue(issue: z.core.$ZodIssue): void {
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys) this.#unknownKey(key, issue.path);
      return;
    }
    const node = this.#document.getIn(issue.path, true) as Node | undefined;
    const key = issue.path.join('.');
    this.#unusable.add(String(issue.path[0]));
    this.#add(
      'setting-form',
      rangeOf(node, this.excerpt),
      `'${key}' cannot have this value.`,
      wantedForm(String(issue.path[0]), issue.path.length > 1),
    );
  }

  #unknownKey(key: string, path: PropertyKey[]): void {
    const map = (path.length === 0 ? this.#document.contents : this.#document.getIn(path, true)) as YAMLMap;
    const pair = map.items.find(each => this.libraries.isScalar(each.key) && String(each.key.value) === key);
    const range = rangeOf(pair?.key as Node, this.excerpt);
    if (path.length > 0) {
      this.#add(
        'setting-unknown',
        range,
        `'${key}' is not known in '${path.join('.')}'.`,
        didYouMean(key, ['connect', 'answer', 'total']),
      );
    } else if (laterKeys.includes(key)) this.#add('not-yet', range, `The setting '${key}' is not there yet.`);
    else if (rootKeys.includes(key))
      this.#add(
        'setting-unknown',
        range,
        `'${key}' stands only in the mervok.yaml at the root of the collection.`,
      );
    else
      this.#add(
        'setting-unknown',
        range,
        `'${key}' is no setting.`,
        didYouMean(key, [...(this.kind === 'root' ? rootKeys : levelKeys), ...laterKeys]),
      );
  }

  #level(root: YAMLMap): Level {
    const title = this.#scalarText(root, 'title');
    const base = this.#node(root, 'base');
    const timeout = this.#timeout(root);
    const environment = this.#node(root, 'environment');
    const environments = this.#environments(root);
    return {
      name: this.name,
      source: this.excerpt.source,
      ...(title !== undefined && { title }),
      ...(base && {
        base: this.libraries.isScalar(base) && base.value !== null ? this.#template(base, 'text') : null,
      }),
      headers: this.#headers(root),
      variables: this.#variables(this.#node(root, 'variables'), `from ${this.name}`, this.kind === 'secrets'),
      checks: this.#checks(root),
      ...(timeout !== undefined && { timeout }),
      ...(environments && { environments }),
      ...(this.libraries.isScalar(environment) &&
        environment.value !== null && {
          environment: { name: String(environment.value), range: rangeOf(environment, this.excerpt) },
        }),
    };
  }

  #node(root: YAMLMap, key: string): Node | undefined {
    return this.#unusable.has(key) ? undefined : (root.get(key, true) as Node | undefined);
  }

  #scalarText(root: YAMLMap, key: string): string | undefined {
    const node = this.#node(root, key);
    return this.libraries.isScalar(node) && node.value !== null
      ? (node.source ?? String(node.value))
      : undefined;
  }

  #template(node: Node, place: 'text' | 'header') {
    const text = this.libraries.isScalar(node)
      ? node.type === 'PLAIN'
        ? (node.source ?? '')
        : String(node.value)
      : '';
    return parseTemplateText(text, place, rangeOf(node, this.excerpt));
  }

  #headers(root: YAMLMap): Map<string, LevelHeader> {
    const headers = new Map<string, LevelHeader>();
    for (const { key, value } of this.#pairs(this.#node(root, 'headers'))) {
      const range = rangeOf(key, this.excerpt);
      const name = String(this.libraries.isScalar(key) ? key.value : key);
      if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name))
        this.#add('setting-form', range, `'${name}' is no name of a header.`);
      else
        headers.set(name.toLowerCase(), {
          name,
          value:
            this.libraries.isScalar(value) && value.value !== null ? this.#template(value, 'header') : null,
          range,
        });
    }
    return headers;
  }

  #variables(node: Node | undefined, origin: string, secret: boolean): Map<string, VariableDefinition> {
    const variables = new Map<string, VariableDefinition>();
    for (const { key, value } of this.#pairs(node)) {
      const name = String(this.libraries.isScalar(key) ? key.value : key);
      if (!/^[A-Za-z][A-Za-z0-9_-]*$/.test(name)) {
        this.#add(
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
        if (!(error instanceof Mistake)) throw error;
        this.#add(error.code, error.range, error.message, error.remedy);
      }
    }
    return variables;
  }

  #environments(root: YAMLMap): Level['environments'] {
    const node = this.#node(root, 'environments');
    if (!this.libraries.isMap(node)) return undefined;
    return new Map(
      this.#pairs(node).map(({ key, value }) => {
        const name = String(this.libraries.isScalar(key) ? key.value : key);
        return [
          name,
          this.#variables(value ?? undefined, `from environment ${name}`, this.kind === 'secrets'),
        ];
      }),
    );
  }

  #checks(root: YAMLMap): Level['checks'] {
    const node = this.#node(root, 'checks');
    if (!node) return [];
    if (!this.libraries.isScalar(node) || node.value === null) return null;
    const text = String(node.value).replace(/\n$/, '');
    const { source } = this.excerpt;
    const start = this.excerpt.toPage(node.range![0]);
    const block = node.type === 'BLOCK_LITERAL' || node.type === 'BLOCK_FOLDED';
    const inner = block
      ? new Excerpt(source, text, source.position(start).line + 1)
      : Excerpt.inLine(source, text, start);
    const { checks, mistakes } = parseChecks(inner);
    for (const mistake of mistakes) this.#add(mistake.code, mistake.range, mistake.message, mistake.remedy);
    return checks;
  }

  #timeout(root: YAMLMap): Timeout | null | undefined {
    const node = this.#node(root, 'timeout');
    if (!node) return undefined;
    if (this.libraries.isScalar(node)) {
      const total = this.#duration(node);
      return node.value === null ? null : total === undefined ? undefined : { total };
    }
    const parts = this.#pairs(node).flatMap(({ key, value }) => {
      const milliseconds = value ? this.#duration(value) : undefined;
      return milliseconds === undefined
        ? []
        : [[String(this.libraries.isScalar(key) ? key.value : key), milliseconds] as const];
    });
    return Object.fromEntries(parts);
  }

  #duration(node: Node): number | undefined {
    if (!this.libraries.isScalar(node) || node.value === null) return undefined;
    const duration = readDuration(String(node.value));
    if (!duration || duration.milliseconds <= 0) {
      this.#add(
        'setting-form',
        rangeOf(node, this.excerpt),
        `'${node.value}' is no duration.`,
        'For example: 5 s, or 300 ms.',
      );
    }
    return duration?.milliseconds;
  }

  #pairs(node: Node | undefined | null): { key: Node; value: Node | null }[] {
    return this.libraries.isMap(node)
      ? node.items.map((pair: Pair) => ({ key: pair.key as Node, value: pair.value as Node | null }))
      : [];
  }

  #add(code: Code, range: Range, message: string, remedy?: string): void {
    this.findings.push(finding(code, this.excerpt.source, range, message, remedy));
  }
}

/** What a setting looks like, for a value that is not of its form. */
function wantedForm(key: string, inside: boolean): string {
  switch (key) {
    case 'headers':
      return inside
        ? 'The value of a header is a text.'
        : 'Headers are names and values: Accept: application/json';
    case 'variables':
      return 'Variables are names and values: nights: 2';
    case 'environments':
      return 'Each environment is a name with its variables: local: { harbour: "http://127.0.0.1:7070" }';
    case 'checks':
      return 'Checks are conditions, one a line, behind checks: |';
    case 'timeout':
      return 'A timeout is a duration, 5 s, or { connect, answer, total }.';
    case 'base':
      return 'In YAML a text that begins with a brace stands in quotes: base: "{harbour}/v1"';
    default:
      return 'It is a text.';
  }
}
