import type { Element, Node } from 'slimdom';
import { referenceText } from '../language/reference.ts';
import type { Template } from '../language/templates/template.ts';
import { isObject, kindInWords, kindOf, type Value } from '../model/value.ts';
import type { PlannedBody } from '../steps/http/planned-request.ts';
import { equalJson } from '../values/compare.ts';
import { JsonError, readJson, writeJson } from '../values/json-document.ts';
import { readXml, XmlError } from '../values/xml.ts';
import type { Bindings } from './bindings.ts';
import { pairsOf } from './target-pattern.ts';
import { TextPattern } from './text-pattern.ts';

/** The body of a request that came. */
export interface ReceivedBody {
  readonly text: string;
  /** The fields of a form of several parts; a file is its name. */
  readonly fields?: readonly (readonly [name: string, value: string])[] | undefined;
}

/** What a body has to be like, read backwards from how it is written. */
export interface BodyPattern {
  /** How many parts of it are asked for. */
  readonly conditions: number;
  /** How many of them are written out. */
  readonly literals: number;
  /** The same for all that match the same, whatever their references are called. */
  readonly form: string;
  /** What keeps a body from being like it, in words behind 'its body'; nothing where it is. */
  misses(body: ReceivedBody, bindings: Bindings): string | undefined;
}

/** A body that cannot be read as what its pattern is, whatever it holds. */
export const unreadable = 'is no ';

export function readBody(body: PlannedBody): BodyPattern {
  switch (body.kind) {
    case 'text':
      return readText(body.template, body.contentType);
    case 'form':
    case 'multipart':
      return new FormPattern(body);
    case 'graphql':
      return new GraphPattern(body);
    case 'file':
      return {
        conditions: 1,
        literals: 0,
        form: 'file',
        misses: ({ text }) => (text === '' ? 'would have to be there' : undefined),
      };
    default:
      return body satisfies never;
  }
}

function readText(template: Template, contentType: string | undefined): BodyPattern {
  const places = new Set(template.parts.flatMap(part => (typeof part === 'string' ? [] : [part.place])));
  const written = marked(template);
  if (
    /\bjson\b/i.test(contentType ?? '') ||
    places.has('json-value') ||
    places.has('json-string') ||
    looksLikeJson(written)
  ) {
    try {
      return new JsonPattern(readJson(written));
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
    }
  }
  if (/\bxml\b/i.test(contentType ?? '') || places.has('xml') || written.trimStart().startsWith('<')) {
    try {
      return new XmlPattern(readXml(written.trim()).documentElement!);
    } catch (error) {
      if (!(error instanceof XmlError)) throw error;
    }
  }
  if (places.has('form')) return new FormPattern({ fields: pairsOf(written) });
  const pattern = new TextPattern(pieces(written.replace(/\n$/, '')));
  return {
    conditions: 1,
    literals: pattern.literal === undefined ? 0 : 1,
    form: pattern.form,
    misses: ({ text }, bindings) =>
      pattern.matches(text.replace(/\r\n/g, '\n').replace(/\n$/, ''), bindings)
        ? undefined
        : 'would have to be as it is written there',
  };
}

function looksLikeJson(text: string): boolean {
  return /^\s*[[{]/.test(text);
}

/** Characters that nobody uses: between them stands what is referred to, of any kind, or as a part of a text. */
const [anyOpen, textOpen, close] = ['\u{F0B70}', '\u{F0B71}', '\u{F0B72}'];
const reference = new RegExp(`([${anyOpen}${textOpen}])([^${close}]*)${close}`, 'u');

/** A template with its references between marks. */
function marked({ parts }: Template): string {
  return parts
    .map(part => {
      if (typeof part === 'string') return part;
      const key = referenceText(part.reference);
      return part.place === 'json-value' ? `"${anyOpen}${key}${close}"` : `${textOpen}${key}${close}`;
    })
    .join('');
}

/** A text with marks, whatever the names between them are. */
function withoutNames(text: string): string {
  return text.replace(new RegExp(reference.source, 'gu'), (_, open) => open);
}

/** A text with marks, as the parts of a pattern. */
function pieces(text: string): (string | { key: string })[] {
  const parts: (string | { key: string })[] = [];
  let rest = text;
  for (let found = reference.exec(rest); found; found = reference.exec(rest)) {
    if (found.index > 0) parts.push(rest.slice(0, found.index));
    parts.push({ key: found[2]! });
    rest = rest.slice(found.index + found[0].length);
  }
  return rest === '' && parts.length > 0 ? parts : [...parts, rest];
}

type JsonMatch = (value: Value, bindings: Bindings, at: string) => string | undefined;

/** A document that has to include what is written: members of objects; lists item by item. */
class JsonPattern implements BodyPattern {
  readonly conditions: number;
  readonly literals: number;
  readonly form: string;
  readonly #match: JsonMatch;

  constructor(written: Value) {
    this.form = withoutNames(writeJson(written));
    this.#match = jsonMatch(written);
    const leaves = leavesOf(written);
    this.conditions = leaves.length;
    this.literals = leaves.filter(each => typeof each !== 'string' || !reference.test(each)).length;
  }

  misses({ text }: ReceivedBody, bindings: Bindings): string | undefined {
    if (text.trim() === '') return 'would have to be there';
    let value: Value;
    try {
      value = readJson(text);
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      return `${unreadable}JSON: ${error.message}`;
    }
    return this.matches(value, bindings);
  }

  matches(value: Value, bindings: Bindings): string | undefined {
    return this.#match(value, bindings, '$');
  }
}

function jsonMatch(written: Value): JsonMatch {
  if (Array.isArray(written)) {
    const items = written.map(jsonMatch);
    return (value, bindings, at) => {
      if (!Array.isArray(value)) return `would have to have a list at ${at}`;
      if (value.length !== items.length) return `would have to have ${items.length} items at ${at}`;
      return firstOf(items, (match, index) => match(value[index]!, bindings, `${at}[${index}]`));
    };
  }
  if (isObject(written)) {
    const members = Object.entries(written).map(([name, each]) => ({ name, match: jsonMatch(each) }));
    return (value, bindings, at) => {
      if (!isObject(value)) return `would have to have an object at ${at}`;
      return firstOf(members, ({ name, match }) => {
        const own = Object.hasOwn(value, name) ? value[name] : undefined;
        return own === undefined ? `would have to have ${at}.${name}` : match(own, bindings, `${at}.${name}`);
      });
    };
  }
  if (typeof written !== 'string')
    return (value, _, at) =>
      equalJson(value, written) ? undefined : `would have to have ${String(written)} at ${at}`;
  const [, open, key] = new RegExp(`^${reference.source}$`, 'u').exec(written) ?? [];
  if (open === anyOpen)
    return (value, bindings, at) =>
      bindings.bind(key!, value) ? undefined : `has two values for {${key}}, one of them at ${at}`;
  const pattern = new TextPattern(pieces(written));
  return (value, bindings, at) => {
    if (typeof value !== 'string')
      return `would have to have a text at ${at}, not ${kindInWords(kindOf(value))}`;
    if (pattern.matches(value, bindings)) return undefined;
    return pattern.literal !== undefined
      ? `would have to have ${JSON.stringify(written)} at ${at}`
      : `would have to have another text at ${at}`;
  };
}

function leavesOf(value: Value): Value[] {
  if (Array.isArray(value)) return value.flatMap(leavesOf);
  return isObject(value) ? Object.values(value).flatMap(leavesOf) : [value];
}

function firstOf<Item>(
  items: readonly Item[],
  look: (item: Item, index: number) => string | undefined,
): string | undefined {
  for (const [index, item] of items.entries()) {
    const found = look(item, index);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** A form that has to have the fields that are written. */
class FormPattern implements BodyPattern {
  readonly #fields: readonly {
    readonly name: TextPattern;
    readonly value: TextPattern | undefined;
    readonly written: string;
  }[];

  constructor({
    fields,
  }: {
    readonly fields:
      | Extract<PlannedBody, { kind: 'form' | 'multipart' }>['fields']
      | readonly (readonly [string, string])[];
  }) {
    this.#fields = fields.map(field => {
      if (!('name' in field)) {
        const [name, value] = field;
        return { name: new TextPattern(pieces(name)), value: new TextPattern(pieces(value)), written: name };
      }
      const { name, value, isFile } = field;
      const written = name.parts.filter(part => typeof part === 'string').join('');
      return { name: TextPattern.of(name), value: isFile ? undefined : TextPattern.of(value), written };
    });
  }

  get conditions(): number {
    return this.#fields.length;
  }

  get form(): string {
    return this.#fields
      .map(({ name, value }) => `${name.form}=${value?.form ?? 'file'}`)
      .sort()
      .join('&');
  }

  get literals(): number {
    return this.#fields.filter(({ value }) => value?.literal !== undefined).length;
  }

  misses({ text, fields }: ReceivedBody, bindings: Bindings): string | undefined {
    const pairs = fields ?? pairsOf(text);
    const missing = this.#fields.find(
      ({ name, value }) =>
        !pairs.some(
          ([own, sent]) => name.matches(own, bindings) && (!value || value.matches(sent, bindings)),
        ),
    );
    return missing && `would have to have the field '${missing.written}' as it is written there`;
  }
}

/** A query of GraphQL: its document without white space, and what is written of its variables. */
class GraphPattern implements BodyPattern {
  readonly #document: string;
  readonly #variables: JsonPattern | undefined;

  constructor({ document, variables }: Extract<PlannedBody, { kind: 'graphql' }>) {
    this.#document = withoutSpace(document);
    this.#variables = variables && new JsonPattern(readJson(marked(variables)));
  }

  get conditions(): number {
    return 1 + (this.#variables?.conditions ?? 0);
  }

  get form(): string {
    return `${this.#document} ${this.#variables?.form ?? ''}`;
  }

  get literals(): number {
    return 1 + (this.#variables?.literals ?? 0);
  }

  misses({ text }: ReceivedBody, bindings: Bindings): string | undefined {
    let sent: Value;
    try {
      sent = readJson(text);
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      return `${unreadable}JSON: ${error.message}`;
    }
    if (!isObject(sent) || typeof sent.query !== 'string' || withoutSpace(sent.query) !== this.#document)
      return 'would have to have the same query';
    return this.#variables?.matches(sent.variables ?? {}, bindings)?.replace('$', 'variables');
  }
}

/** Commas are white space in GraphQL. */
function withoutSpace(document: string): string {
  return document.replace(/#.*$/gm, '').replace(/[\s,]+/g, '');
}

/** A document of XML that has to have the elements, attributes and texts that are written. */
class XmlPattern implements BodyPattern {
  readonly conditions: number;
  readonly literals: number;
  readonly form: string;

  constructor(readonly written: Element) {
    this.form = withoutNames(written.outerHTML);
    const elements = [written, ...written.getElementsByTagName('*')];
    const texts = elements
      .filter(each => childrenOf(each).length === 0)
      .map(each => each.textContent!.trim());
    this.conditions = elements.length;
    this.literals = texts.filter(each => each !== '' && !reference.test(each)).length;
  }

  misses({ text }: ReceivedBody, bindings: Bindings): string | undefined {
    let root: Element | null;
    try {
      root = readXml(text.trim()).documentElement;
    } catch (error) {
      if (!(error instanceof XmlError)) throw error;
      return `${unreadable}XML: ${error.message}`;
    }
    return root ? xmlMisses(this.written, root, bindings) : `${unreadable}XML`;
  }
}

function xmlMisses(written: Element, sent: Element, bindings: Bindings): string | undefined {
  const name = written.localName;
  if (sent.localName !== name || sent.namespaceURI !== written.namespaceURI)
    return `would have to have the element '${name}', not '${sent.localName}'`;
  for (const { name: attribute, value } of written.attributes) {
    if (attribute === 'xmlns' || attribute.startsWith('xmlns:')) continue;
    const own = sent.getAttribute(attribute);
    if (own === null || !new TextPattern(pieces(value)).matches(own, bindings))
      return `would have to have another attribute '${attribute}' of '${name}'`;
  }
  const wanted = childrenOf(written);
  const own = childrenOf(sent);
  if (wanted.length === 0) {
    const text = written.textContent!.trim();
    const isSame = text === '' || new TextPattern(pieces(text)).matches(sent.textContent!.trim(), bindings);
    return isSame ? undefined : `would have to have another text in '${name}'`;
  }
  let at = 0;
  for (const child of wanted) {
    let why: string | undefined = `would have to have the element '${child.localName}' in '${name}'`;
    while (why !== undefined && at < own.length) {
      const found: string | undefined = xmlMisses(child, own[at++]!, bindings);
      why = found === undefined ? undefined : own[at - 1]!.localName === child.localName ? found : why;
    }
    if (why !== undefined) return why;
  }
  return undefined;
}

function childrenOf(element: Element): Element[] {
  return element.childNodes.filter((node: Node): node is Element => node.nodeType === 1);
}
