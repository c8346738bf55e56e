import type { Element } from 'slimdom';
import { sampleOfPattern } from '../../core/definition/sample.ts';
import { childrenOf, keyOf, namespaces, type QName, readQName } from './documents.ts';

const { schema: xsd } = namespaces;

/** An element of a message, filled from its type. */
export interface SampleElement {
  readonly name: QName;
  /** Whether its name stands in its namespace; else in none. */
  readonly qualified: boolean;
  readonly attributes: readonly (readonly [name: string, value: string])[];
  readonly children: readonly SampleElement[];
  readonly text?: string;
}

/** How deep a message is made, and how deep what may be left out, of a message that can still be read. */
const deepest = { all: 12, optional: 4 };
const mostElements = 40;
/** Of how many types. */
const mostTypes = 1000;

/** The types of XML Schemas, for messages that are filled from them. */
export class SchemaTypes {
  readonly #elements = new Map<string, Element>();
  readonly #types = new Map<string, Element>();
  readonly #groups = new Map<string, Element>();
  readonly #attributeGroups = new Map<string, Element>();
  /** How many types the message that is made has been filled from, and how deep what may be left out is in it. */
  #count = 0;
  #optional = deepest.optional;

  constructor(schemas: readonly Element[]) {
    const tables = [
      ['element', this.#elements],
      ['complexType', this.#types],
      ['simpleType', this.#types],
      ['group', this.#groups],
      ['attributeGroup', this.#attributeGroups],
    ] as const;
    for (const schema of schemas) {
      const namespace = schema.getAttribute('targetNamespace') ?? '';
      for (const [kind, table] of tables)
        for (const each of childrenOf(schema, xsd, kind)) {
          const name = each.getAttribute('name');
          if (name !== null) table.set(keyOf({ namespace, name }), each);
        }
    }
  }

  /** A global element with what belongs into it; one without content where nobody describes it. */
  element(name: QName): SampleElement {
    const found = this.#elements.get(keyOf(name));
    const bare = { name, qualified: true, attributes: [], children: [] };
    return found ? this.#readable(() => this.#filled(found, bare, [])) : bare;
  }

  /** An element of a type, such as a part of an rpc message. */
  ofType(name: string, type: QName): SampleElement {
    const bare = { name: { namespace: '', name }, qualified: false, attributes: [], children: [] };
    return this.#readable(() => ({ ...bare, ...this.#content(type, []) }));
  }

  /** With so much of what may be left out that it can be read. */
  #readable(make: () => SampleElement): SampleElement {
    for (this.#optional = deepest.optional; ; this.#optional--) {
      this.#count = 0;
      const made = make();
      if (this.#optional === 1 || sizeOf(made) <= mostElements) return made;
    }
  }

  #filled(element: Element, bare: SampleElement, around: readonly Element[]): SampleElement {
    const type = readQName(element, 'type');
    const own = [...childrenOf(element, xsd, 'complexType'), ...childrenOf(element, xsd, 'simpleType')][0];
    const fixed = element.getAttribute('fixed') ?? element.getAttribute('default');
    const content = own ? this.#typeContent(own, around) : type ? this.#content(type, around) : {};
    return { ...bare, ...content, ...(fixed !== null && { text: fixed }) };
  }

  #content(type: QName, around: readonly Element[]): Partial<SampleElement> {
    if (type.namespace === xsd) return { text: builtIn(type.name) };
    const found = this.#types.get(keyOf(type));
    return found ? this.#typeContent(found, around) : {};
  }

  #typeContent(type: Element, around: readonly Element[]): Partial<SampleElement> {
    if (around.includes(type) || around.length > deepest.all || ++this.#count > mostTypes) return {};
    const inside = [...around, type];
    if (type.localName === 'simpleType') return { text: this.#simple(type) };
    const simple = childrenOf(type, xsd, 'simpleContent')[0];
    const complex = childrenOf(type, xsd, 'complexContent')[0];
    const derived = [simple, complex]
      .flatMap(each => (each ? childrenOf(each, xsd) : []))
      .find(each => each.localName === 'extension' || each.localName === 'restriction');
    const base = derived && readQName(derived, 'base');
    const inherited = base && derived.localName === 'extension' ? this.#content(base, inside) : {};
    const own = derived ?? type;
    const text = simple && base ? (inherited.text ?? this.#content(base, inside).text) : undefined;
    return {
      attributes: [...(inherited.attributes ?? []), ...this.#attributes(own)],
      children: [...(inherited.children ?? []), ...this.#particles(own, inside)],
      ...(text !== undefined && { text }),
    };
  }

  #particles(holder: Element, around: readonly Element[]): SampleElement[] {
    return childrenOf(holder, xsd).flatMap(each => this.#particle(each, around));
  }

  #particle(particle: Element, around: readonly Element[]): SampleElement[] {
    if (this.#isLeftOut(particle, around)) return [];
    const reference = readQName(particle, 'ref');
    switch (particle.localName) {
      case 'sequence':
      case 'all':
        return this.#particles(particle, around);
      case 'choice':
        return this.#particles(particle, around).slice(0, 1);
      case 'group': {
        const group = reference && this.#groups.get(keyOf(reference));
        return group && !around.includes(group) ? this.#particles(group, [...around, group]) : [];
      }
      case 'element':
        return this.#goesRound(particle, around) ? [] : this.#filledOrLeftOut(particle, reference, around);
      default:
        return [];
    }
  }

  /** What may be left out is written near the surface, where it shows what there is. */
  #isLeftOut(particle: Element, around: readonly Element[]): boolean {
    if (particle.getAttribute('maxOccurs') === '0') return true;
    return particle.getAttribute('minOccurs') === '0' && around.length > this.#optional;
  }

  /** What may be left out, and would hold itself again. */
  #goesRound(particle: Element, around: readonly Element[]): boolean {
    const type = readQName(particle, 'type');
    const found = type && this.#types.get(keyOf(type));
    return particle.getAttribute('minOccurs') === '0' && found !== undefined && around.includes(found);
  }

  /** What may be left out, and would have nothing in it, is. */
  #filledOrLeftOut(
    particle: Element,
    reference: QName | undefined,
    around: readonly Element[],
  ): SampleElement[] {
    const made = this.#element(particle, reference, around);
    const isEmpty = made.children.length === 0 && made.text === undefined && made.attributes.length === 0;
    return isEmpty && particle.getAttribute('minOccurs') === '0' ? [] : [made];
  }

  #element(particle: Element, reference: QName | undefined, around: readonly Element[]): SampleElement {
    if (reference) {
      const found = this.#elements.get(keyOf(reference));
      const bare = { name: reference, qualified: true, attributes: [], children: [] };
      return found ? this.#filled(found, bare, around) : bare;
    }
    const schema = schemaAround(particle);
    const namespace = schema?.getAttribute('targetNamespace') ?? '';
    const form = particle.getAttribute('form') ?? schema?.getAttribute('elementFormDefault');
    const name = { namespace, name: particle.getAttribute('name') ?? 'element' };
    return this.#filled(
      particle,
      { name, qualified: form === 'qualified', attributes: [], children: [] },
      around,
    );
  }

  /** Those that have to be there. */
  #attributes(holder: Element): [string, string][] {
    const groups = childrenOf(holder, xsd, 'attributeGroup').flatMap(each => {
      const reference = readQName(each, 'ref');
      return (reference && this.#attributeGroups.get(keyOf(reference))) ?? [];
    });
    return [
      ...childrenOf(holder, xsd, 'attribute')
        .filter(each => each.getAttribute('use') === 'required' && each.getAttribute('name') !== null)
        .map((each): [string, string] => {
          const type = readQName(each, 'type');
          const own = childrenOf(each, xsd, 'simpleType')[0];
          const given = each.getAttribute('fixed') ?? each.getAttribute('default');
          const value =
            given ?? (own ? this.#simple(own) : ((type && this.#content(type, []).text) ?? 'text'));
          return [each.getAttribute('name')!, value];
        }),
      ...groups.flatMap(each => this.#attributes(each)),
    ];
  }

  #simple(type: Element, depth = 0): string {
    const [kind] = childrenOf(type, xsd).filter(each => each.localName !== 'annotation');
    if (!kind || depth > 10) return 'text';
    const words = childrenOf(kind, xsd, 'enumeration')[0]?.getAttribute('value');
    if (words !== null && words !== undefined) return words;
    const inner = childrenOf(kind, xsd, 'simpleType')[0];
    if (inner) return this.#simple(inner, depth + 1);
    const base = readQName(kind, kind.localName === 'list' ? 'itemType' : 'base') ?? unionMember(kind);
    const facet = (name: string) => childrenOf(kind, xsd, name)[0]?.getAttribute('value') ?? undefined;
    const pattern = facet('pattern');
    const made = pattern === undefined ? undefined : sampleOfPattern(pattern);
    if (made !== undefined) return made;
    const least = facet('minInclusive') ?? facet('minExclusive');
    if (least !== undefined) return facet('minInclusive') ?? String(Number(least) + 1);
    const found = base && this.#types.get(keyOf(base));
    const text = !base
      ? 'text'
      : base.namespace === xsd
        ? builtIn(base.name)
        : found
          ? this.#simple(found, depth + 1)
          : 'text';
    const length = Number(facet('length') ?? facet('minLength') ?? 0);
    const most = Number(facet('length') ?? facet('maxLength') ?? text.length);
    return text === 'text' ? text.padEnd(Math.min(length, 100), 'x').slice(0, Math.max(most, length)) : text;
  }
}

function unionMember(kind: Element): QName | undefined {
  const first = kind.getAttribute('memberTypes')?.trim().split(/\s+/)[0];
  if (kind.localName !== 'union' || first === undefined) return undefined;
  const [prefix, name] = first.includes(':') ? (first.split(':') as [string, string]) : [null, first];
  return { namespace: kind.lookupNamespaceURI(prefix) ?? '', name };
}

function sizeOf({ children }: SampleElement): number {
  return children.reduce((sum, each) => sum + sizeOf(each), 1);
}

function schemaAround(element: Element): Element | undefined {
  for (let at = element.parentElement; at; at = at.parentElement)
    if (at.localName === 'schema' && at.namespaceURI === xsd) return at;
  return undefined;
}

const texts: ReadonlyMap<string, string> = new Map([
  ['boolean', 'true'],
  ['date', '2026-11-25'],
  ['dateTime', '2026-11-25T09:00:00Z'],
  ['time', '09:00:00Z'],
  ['duration', 'P1D'],
  ['gYear', '2026'],
  ['gYearMonth', '2026-11'],
  ['gMonthDay', '--11-25'],
  ['anyURI', 'https://skerry.example/'],
  ['base64Binary', 'bWVydm9r'],
  ['hexBinary', '6d6572766f6b'],
  ['language', 'en'],
  ['decimal', '1.5'],
  ['float', '1.5'],
  ['double', '1.5'],
  ['negativeInteger', '-1'],
  ['nonPositiveInteger', '0'],
]);

function builtIn(name: string): string {
  return texts.get(name) ?? (/int|long|short|byte|integer/i.test(name) ? '1' : 'text');
}
