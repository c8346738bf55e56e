import type { Document, Element } from 'slimdom';

/** What stands in one place of several XML documents, where elements of one name side by side count as one place. */
export class XmlPart {
  /** The text of each, by document, in order; empty where an element has elements in it. */
  readonly values: string[][];
  readonly parts = new Map<string, XmlPart>();
  /** By document: how many of its parents have it. */
  readonly holders: number[];
  hasElements = false;
  /** Whether there are several of it in one parent. */
  #isList = false;

  private constructor(
    /** A local name, of an attribute with its mark: `tide`, `@kind`. */
    readonly name: string,
    readonly parent: XmlPart | undefined,
    readonly documents: number,
  ) {
    this.values = Array.from({ length: documents }, () => []);
    this.holders = this.values.map(() => 0);
  }

  static of(documents: readonly Document[]): XmlPart {
    const root = new XmlPart('', undefined, documents.length);
    for (const [index, { documentElement }] of documents.entries())
      if (documentElement) root.#part(documentElement.localName).#add(documentElement, index);
    return root;
  }

  *all(): Generator<XmlPart> {
    if (this.parent) yield this;
    for (const part of this.parts.values()) yield* part.all();
  }

  get way(): readonly string[] {
    return this.parent ? [...this.parent.way, this.name] : [];
  }

  /** As a page writes it: `xml/tides/tide/@kind`. */
  get path(): string {
    return `xml${this.way.map(step => `/${step}`).join('')}`;
  }

  get isList(): boolean {
    return this.#isList;
  }

  /** Whether it may stand in a document more than once. */
  get isRepeated(): boolean {
    return this.#isList || this.parent?.isRepeated === true;
  }

  /** Whether something that could have it has it not. */
  get isOptional(): boolean {
    return this.holders.some((count, at) => this.parent?.parent && count < this.parent.values[at]!.length);
  }

  #part(name: string): XmlPart {
    let part = this.parts.get(name);
    if (!part) {
      part = new XmlPart(name, this, this.documents);
      this.parts.set(name, part);
    }
    return part;
  }

  #addAttribute(value: string, document: number): void {
    this.values[document]!.push(value);
    this.holders[document]!++;
  }

  #add(element: Element, document: number): void {
    const { children, attributes } = element;
    this.values[document]!.push(children.length === 0 ? (element.textContent ?? '') : '');
    if (children.length > 0) this.hasElements = true;
    for (const { localName, prefix, value } of attributes)
      if (prefix !== 'xmlns' && localName !== 'xmlns')
        this.#part(`@${localName}`).#addAttribute(value, document);
    const seen = new Set<string>();
    for (const child of children) {
      const part = this.#part(child.localName);
      if (seen.has(child.localName)) part.#isList = true;
      else part.holders[document]!++;
      seen.add(child.localName);
      part.#add(child, document);
    }
  }
}
