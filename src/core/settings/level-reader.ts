import type { Document, Node, YAMLMap } from 'yaml';
import type * as z from 'zod/mini';
import type { Finding } from '../model/finding.ts';
import type { Excerpt } from '../model/source.ts';
import { didYouMean, inWords } from '../text/words.ts';
import { rangeOf, YamlReader } from '../yaml/yaml-reader.ts';
import { emptyLevel, type Level, type LevelKind } from './level.ts';
import type { LevelSchema } from './level-schema.ts';
import type { ReadChecks, SettingReader } from './setting.ts';
import { innerKeys, settingOf, settings, settingsAt, wantedForm } from './table.ts';

type Libraries = typeof import('./libraries.ts');

/** Reads the settings of one level; what is wrong with them is all reported. */
export type ReadLevel = (
  excerpt: Excerpt,
  name: string,
  kind: LevelKind,
) => { level: Level; findings: Finding[] };

/** Whoever reads several collections, or one again and again, needs them once. */
let forms: Forms | undefined;

/** Loads what reads settings. */
export async function loadReadLevel(readChecks: ReadChecks): Promise<ReadLevel> {
  const libraries = await import('./libraries.ts');
  forms ??= new Forms(libraries);
  const known = forms;
  return (excerpt, name, kind) => {
    const reader = new LevelReader(libraries, excerpt, { name, kind, forms: known, readChecks });
    return { level: reader.read(), findings: reader.findings };
  };
}

/** The forms of settings, made when they are first asked for. */
class Forms {
  readonly #levels = new Map<LevelKind, LevelSchema>();
  readonly details: ReadonlyMap<string, z.ZodMiniType>;

  constructor(readonly libraries: Libraries) {
    this.details = libraries.detailSchemas(settings);
  }

  of(kind: LevelKind): LevelSchema {
    const schema = this.#levels.get(kind) ?? this.libraries.schemaOfLevel(settingsAt(kind));
    this.#levels.set(kind, schema);
    return schema;
  }
}

interface LevelContext {
  /** As messages name it. */
  readonly name: string;
  readonly kind: LevelKind;
  readonly forms: Forms;
  readonly readChecks: ReadChecks;
}

/** The settings of one level, while they are read. */
class LevelReader extends YamlReader implements SettingReader {
  readonly #document: Document;
  readonly #forms: Forms;
  readonly name: string;
  readonly kind: LevelKind;
  readonly readChecks: ReadChecks;

  constructor(libraries: Libraries, excerpt: Excerpt, { name, kind, forms, readChecks }: LevelContext) {
    super(libraries, excerpt);
    this.name = name;
    this.kind = kind;
    this.#forms = forms;
    this.readChecks = readChecks;
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
    return this.#check() ? this.#level(root, empty) : empty;
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
    const [, key, value] = /^\s*([\w-]+):\s*(\{+\s*\+?[A-Za-z][\w.-]*\s*\}+\S.*?)\s*$/.exec(line) ?? [];
    if (value === undefined) return undefined;
    const text = value.replace(/\{+\s*(\+?[A-Za-z][\w.-]*)\s*\}+/g, '{$1}');
    return `A text that begins with a brace stands in quotes: ${key}: "${text}"`;
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
    const result = this.#forms.of(this.kind).safeParse(data);
    for (const issue of result.error?.issues ?? []) this.#issue(issue);
    for (const [key, schema] of this.#forms.details) {
      const inner = (data as { [key: string]: unknown })[key];
      if (typeof inner !== 'object' || inner === null) continue;
      const issues = schema.safeParse(inner).error?.issues ?? [];
      for (const issue of issues) this.#issue({ ...issue, path: [key, ...issue.path] });
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
      this.unquotedReference(node) ?? wantedForm(issue.path),
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
    } else if (settingOf(key))
      this.add(
        'setting-unknown',
        range,
        `'${key}' stands only ${whereOnly(key)}.`,
        key === 'rows' ? 'A case says it in a fence `mervok`: each row of "vessels.csv"' : undefined,
      );
    else
      this.add(
        'setting-unknown',
        range,
        `'${key}' is no setting.`,
        didYouMean(
          key,
          settingsAt(this.kind).map(setting => setting.key),
        ),
      );
  }

  #level(root: YAMLMap, empty: Level): Level {
    const level: Level = { ...empty };
    for (const { key, read } of settingsAt(this.kind)) {
      const node = this.node(root, key);
      if (!node) continue;
      const { transport, ...said } = read(node, this);
      Object.assign(level, said);
      if (transport) Object.assign(level, { transport: { ...level.transport, ...transport } });
    }
    if (level.foundFor?.size)
      Object.assign(level, { variables: new Map([...level.variables, ...level.foundFor]) });
    return level;
  }
}

function whereOnly(key: string): string {
  const reach = settingOf(key)?.reach;
  if (reach === 'page') return 'in the front matter of a page, or in a mervok.yaml';
  return reach === 'folder' ? 'in a mervok.yaml' : 'in the mervok.yaml at the root of the collection';
}

function knownInner(way: string): string | undefined {
  const known = innerKeys[way];
  return known && `There are ${inWords(known)}.`;
}
