import { type Document, isMap, isScalar, type Node, type Pair, parseDocument, type YAMLMap } from 'yaml';
import type * as z from 'zod/mini';
import { parseChecks } from '../language/parser.ts';
import { parseTemplateText } from '../template/template.ts';
import { type Code, type Finding, finding, Mistake } from '../text/finding.ts';
import { didYouMean } from '../text/nearest.ts';
import { Excerpt, type Range } from '../text/source.ts';
import { readDuration } from '../values/compare.ts';
import type { VariableDefinition } from '../variables/definition.ts';
import { emptyLevel, type Level, type LevelHeader, type Timeout } from './level.ts';
import { laterKeys, levelKeys, levelSchema, rootKeys, rootSchema } from './schema.ts';
import { rangeOf, readVariable } from './variable.ts';

export type LevelKind = 'root' | 'folder' | 'page' | 'case' | 'secrets';

/** Reads the settings of one level; what is wrong with them is all reported. */
export function readLevel(
  excerpt: Excerpt,
  name: string,
  kind: LevelKind,
): { level: Level; findings: Finding[] } {
  const reader = new LevelReader(excerpt, name, kind);
  return { level: reader.read(), findings: reader.findings };
}

class LevelReader {
  readonly findings: Finding[] = [];
  readonly #document: Document;

  constructor(
    readonly excerpt: Excerpt,
    readonly name: string,
    readonly kind: LevelKind,
  ) {
    this.#document = parseDocument(excerpt.text, { prettyErrors: false, uniqueKeys: true });
  }

  read(): Level {
    const empty = emptyLevel(this.name, this.excerpt.source);
    for (const error of this.#document.errors) {
      const message = error.message.replace(/\.?$/, '.');
      this.#add('yaml-form', this.excerpt.range(error.pos[0], error.pos[1]), `This is no YAML: ${message}`);
    }
    const root = this.#document.contents;
    if (this.findings.length > 0 || root === null) return empty;
    if (!isMap(root)) {
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
    const schema = this.kind === 'root' || this.kind === 'secrets' ? rootSchema : levelSchema;
    const result = schema.safeParse(data);
    for (const issue of result.error?.issues ?? []) this.#issue(issue);
    return result.success;
  }

  #issue(issue: z.core.$ZodIssue): void {
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys) this.#unknownKey(key, issue.path);
      return;
    }
    const node = this.#document.getIn(issue.path, true) as Node | undefined;
    const key = issue.path.join('.');
    this.#add(
      'setting-form',
      rangeOf(node, this.excerpt),
      `'${key}' cannot have this value.`,
      wantedForm(String(issue.path[0]), issue.path.length > 1),
    );
  }

  #unknownKey(key: string, path: PropertyKey[]): void {
    const map = (path.length === 0 ? this.#document.contents : this.#document.getIn(path, true)) as YAMLMap;
    const pair = map.items.find(each => isScalar(each.key) && String(each.key.value) === key);
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
      ...(base && { base: isScalar(base) && base.value !== null ? this.#template(base, 'text') : null }),
      headers: this.#headers(root),
      variables: this.#variables(this.#node(root, 'variables'), this.name, this.kind === 'secrets'),
      checks: this.#checks(root),
      ...(timeout !== undefined && { timeout }),
      ...(environments && { environments }),
      ...(isScalar(environment) &&
        environment.value !== null && {
          environment: { name: String(environment.value), range: rangeOf(environment, this.excerpt) },
        }),
    };
  }

  #node(root: YAMLMap, key: string): Node | undefined {
    return root.get(key, true) as Node | undefined;
  }

  #scalarText(root: YAMLMap, key: string): string | undefined {
    const node = this.#node(root, key);
    return isScalar(node) && node.value !== null ? (node.source ?? String(node.value)) : undefined;
  }

  #template(node: Node, place: 'text' | 'header') {
    const text = isScalar(node) ? (node.type === 'PLAIN' ? (node.source ?? '') : String(node.value)) : '';
    return parseTemplateText(text, place, rangeOf(node, this.excerpt));
  }

  #headers(root: YAMLMap): Map<string, LevelHeader> {
    const headers = new Map<string, LevelHeader>();
    for (const { key, value } of this.#pairs(this.#node(root, 'headers'))) {
      const range = rangeOf(key, this.excerpt);
      const name = String(isScalar(key) ? key.value : key);
      if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name))
        this.#add('setting-form', range, `'${name}' is no name of a header.`);
      else
        headers.set(name.toLowerCase(), {
          name,
          value: isScalar(value) && value.value !== null ? this.#template(value, 'header') : null,
          range,
        });
    }
    return headers;
  }

  #variables(node: Node | undefined, origin: string, secret: boolean): Map<string, VariableDefinition> {
    const variables = new Map<string, VariableDefinition>();
    for (const { key, value } of this.#pairs(node)) {
      const name = String(isScalar(key) ? key.value : key);
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
        const definition = readVariable(name, value, this.excerpt, origin, secret);
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
    if (!isMap(node)) return undefined;
    return new Map(
      this.#pairs(node).map(({ key, value }) => {
        const name = String(isScalar(key) ? key.value : key);
        return [name, this.#variables(value ?? undefined, `environment ${name}`, this.kind === 'secrets')];
      }),
    );
  }

  #checks(root: YAMLMap): Level['checks'] {
    const node = this.#node(root, 'checks');
    if (!node) return [];
    if (!isScalar(node) || node.value === null) return null;
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
    if (isScalar(node)) {
      const total = this.#duration(node);
      return node.value === null ? null : total === undefined ? undefined : { total };
    }
    const parts = this.#pairs(node).flatMap(({ key, value }) => {
      const milliseconds = value ? this.#duration(value) : undefined;
      return milliseconds === undefined
        ? []
        : [[String(isScalar(key) ? key.value : key), milliseconds] as const];
    });
    return Object.fromEntries(parts);
  }

  #duration(node: Node): number | undefined {
    if (!isScalar(node) || node.value === null) return undefined;
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
    return isMap(node)
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
