import type { Node, Pair, Scalar, YAMLMap } from 'yaml';
import { foreignReferencesIn, type Surroundings } from '../language/templates/foreign-references.ts';
import type { Template } from '../language/templates/template.ts';
import { parseTemplateText } from '../language/templates/template.ts';
import { type Code, type Finding, finding, findingOf, type SourceError } from '../model/finding.ts';
import { Excerpt, type Range } from '../model/source.ts';
import { readDuration, readSize } from '../values/compare.ts';

export type YamlLibrary = typeof import('./yaml-library.ts');

/** What every reader of settings needs: nodes by their key, values by their form, findings with their place. */
export class YamlReader {
  readonly findings: Finding[] = [];
  /** Keys whose value has no form that could be read. */
  protected readonly unusable = new Set<string>();

  constructor(
    readonly libraries: YamlLibrary,
    readonly excerpt: Excerpt,
  ) {}

  node(map: YAMLMap, key: string): Node | undefined {
    return this.unusable.has(key) ? undefined : (map.get(key, true) as Node | undefined);
  }

  pairs(node: Node | undefined | null): { key: Node; value: Node | null }[] {
    return this.libraries.isMap(node)
      ? node.items.map((pair: Pair) => ({ key: pair.key as Node, value: pair.value as Node | null }))
      : [];
  }

  /** The key of a pair as text. */
  keyText(key: Node): string {
    return String(this.libraries.isScalar(key) ? key.value : key);
  }

  /** Null as well as what is no scalar give nothing. */
  text(node: Node | undefined | null): string | undefined {
    if (!this.libraries.isScalar(node) || node.value === null) return undefined;
    return node.type === 'PLAIN' ? (node.source ?? String(node.value)) : String(node.value);
  }

  /** Whether nothing stands there, or null. */
  isNull(node: Node | undefined | null): boolean {
    return !node || (this.libraries.isScalar(node) && node.value === null);
  }

  /** A path that is relative to the file that it is written in. */
  pathBeside(path: string): string {
    const folder = this.excerpt.source.file.replace(/[^/]*$/, '');
    return /^(?:[/\\]|[A-Za-z]:)/.test(path) ? path : folder + path;
  }

  scalarText(map: YAMLMap, key: string): string | undefined {
    return this.text(this.node(map, key));
  }

  /** @param around what a reference of another notation in it would mean */
  template(node: Node, around: 'address' | 'header' | 'credentials' | 'payload'): Template {
    this.refuseForeignReferences(node, around);
    const place = around === 'header' ? 'header' : 'text';
    return parseTemplateText(this.text(node) ?? '', place, rangeOf(node, this.excerpt));
  }

  /** How to mend a reference that stands without quotes, which YAML takes for an object: `{berth}`, `{{berth}}`. */
  unquotedReference(node: Node | undefined | null): string | undefined {
    if (!this.libraries.isMap(node)) return undefined;
    const { start, end } = rangeOf(node, this.excerpt);
    const written = this.excerpt.source.text.slice(start, end).trim();
    const [, name] = /^\{+\s*(\+?[A-Za-z][\w.-]*)\s*\}+$/.exec(written) ?? [];
    return name && `In YAML a text that begins with a brace stands in quotes: "{${name}}"`;
  }

  /** Adds what in a scalar is written as another notation has its references. */
  refuseForeignReferences(node: Node, around: Surroundings): void {
    const { text } = this.excerpt.source;
    const here = (start: number, end: number) => ({ start, end });
    for (const error of foreignReferencesIn(text, around, here, rangeOf(node, this.excerpt)))
      this.addError(error);
  }

  /** The lines of a text, such as one behind `|`; places in it are those of the file. */
  lines(node: Node): Excerpt {
    const { value, type, range } = node as Scalar;
    const text = String(value).replace(/\n$/, '');
    const { source } = this.excerpt;
    const start = this.excerpt.toPage(range![0]);
    return type === 'BLOCK_LITERAL' || type === 'BLOCK_FOLDED'
      ? new Excerpt(source, text, source.position(start).line + 1)
      : Excerpt.inLine(source, text, start);
  }

  /** In milliseconds. */
  duration(node: Node | undefined | null): number | undefined {
    return this.#measure(node, text => readDuration(text)?.milliseconds, 'duration', '5 s, or 300 ms');
  }

  /** In bytes. */
  size(node: Node | undefined | null): number | undefined {
    return this.#measure(node, text => readSize(text)?.bytes, 'size', '10 MiB, or 64 kB');
  }

  #measure(
    node: Node | undefined | null,
    read: (text: string) => number | undefined,
    what: string,
    example: string,
  ): number | undefined {
    const text = this.text(node);
    if (text === undefined) return undefined;
    const amount = read(text);
    if (amount !== undefined && amount > 0) return amount;
    this.add(
      'setting-form',
      rangeOf(node, this.excerpt),
      `'${text}' is no ${what}.`,
      `For example: ${example}.`,
    );
    return undefined;
  }

  addError(error: SourceError): void {
    this.findings.push(findingOf(error, this.excerpt.source));
  }

  add(code: Code, range: Range, message: string, remedy?: string): void {
    this.findings.push(finding(code, { source: this.excerpt.source, range }, message, remedy));
  }
}

export function rangeOf(node: Node | null | undefined, excerpt: Excerpt): Range {
  const [start, end] = node?.range ?? [0, 0];
  return excerpt.range(start, end);
}
