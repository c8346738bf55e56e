import type { Document, Element } from 'slimdom';
import type { ReadText } from '../../core/definition/document/document-set.ts';
import { SourceError } from '../../core/model/finding.ts';
import { resolvePath } from '../../core/text/paths.ts';
import { readXml, XmlError } from '../../core/values/xml.ts';

export const namespaces = {
  wsdl: 'http://schemas.xmlsoap.org/wsdl/',
  soap11: 'http://schemas.xmlsoap.org/wsdl/soap/',
  soap12: 'http://schemas.xmlsoap.org/wsdl/soap12/',
  schema: 'http://www.w3.org/2001/XMLSchema',
  envelope11: 'http://schemas.xmlsoap.org/soap/envelope/',
  envelope12: 'http://www.w3.org/2003/05/soap-envelope',
};

/** The elements right inside of one, of a name in a namespace. */
export function childrenOf(element: Element, namespace: string, name?: string): Element[] {
  return element.childNodes.filter(
    (node): node is Element =>
      node.nodeType === 1 &&
      (node as Element).namespaceURI === namespace &&
      (name === undefined || (node as Element).localName === name),
  );
}

/** A definition of WSDL 1.1 and the files that it refers to. Nothing is ever fetched. */
export class WsdlDocuments {
  /** `definitions` of each file, the first is that of the service. */
  readonly definitions: Element[] = [];
  readonly schemas: Element[] = [];
  readonly notes: string[] = [];
  /** Every file that was read. */
  readonly files: string[] = [];

  constructor(
    name: string,
    text: string,
    readonly readText: ReadText,
  ) {
    const root = rootOf(text);
    if (root.localName !== 'definitions' || root.namespaceURI !== namespaces.wsdl) {
      const isNewer = /wsdl$/.test(root.namespaceURI ?? '') && root.localName === 'description';
      throw new SourceError(
        'wsdl-form',
        { start: 0, end: 0 },
        isNewer
          ? 'This is WSDL 2.0, and this version of Mervok reads 1.1.'
          : `This is no definition of a service: its root is '${root.nodeName}', and that of WSDL 1.1 is 'definitions'.`,
      );
    }
    this.files.push(name);
    this.#addDefinitions(root, name);
  }

  #addDefinitions(root: Element, file: string): void {
    this.definitions.push(root);
    for (const types of childrenOf(root, namespaces.wsdl, 'types'))
      for (const schema of childrenOf(types, namespaces.schema, 'schema')) this.#addSchema(schema, file);
    for (const each of childrenOf(root, namespaces.wsdl, 'import')) {
      const found = this.#open(each.getAttribute('location'), file);
      if (!found) continue;
      if (found.root.namespaceURI === namespaces.wsdl) this.#addDefinitions(found.root, found.file);
      else if (found.root.namespaceURI === namespaces.schema) this.#addSchema(found.root, found.file);
    }
  }

  #addSchema(schema: Element, file: string): void {
    this.schemas.push(schema);
    for (const name of ['import', 'include', 'redefine'])
      for (const each of childrenOf(schema, namespaces.schema, name)) {
        const found = this.#open(each.getAttribute('schemaLocation'), file);
        if (found?.root.localName !== 'schema') continue;
        // What is included without a namespace of its own takes that of who includes it.
        const own = schema.getAttribute('targetNamespace');
        if (name !== 'import' && own !== null && found.root.getAttribute('targetNamespace') === null)
          found.root.setAttribute('targetNamespace', own);
        this.#addSchema(found.root, found.file);
      }
  }

  #open(location: string | null, from: string): { root: Element; file: string } | undefined {
    if (location === null || location === '') return undefined;
    if (/^(?:[a-z][a-z\d+.-]*:|\/\/)/i.test(location)) {
      this.notes.push(
        `'${location}' left out: it lies in the network, and nothing is fetched. A copy beside the definition is read.`,
      );
      return undefined;
    }
    const file = resolvePath(from.replace(/[^/]*$/, ''), location);
    if (this.files.includes(file)) return undefined;
    const text = this.readText(file);
    if (typeof text !== 'string') {
      this.notes.push(`'${file}' left out: ${text.reason}.`);
      return undefined;
    }
    this.files.push(file);
    try {
      return { root: rootOf(text), file };
    } catch (error) {
      if (!(error instanceof SourceError)) throw error;
      this.notes.push(`'${file}' left out. ${error.message}`);
      return undefined;
    }
  }
}

function rootOf(text: string): Element {
  let document: Document;
  try {
    document = readXml(text.trimStart());
  } catch (error) {
    if (!(error instanceof XmlError)) throw error;
    const start = Math.min(error.offset + text.length - text.trimStart().length, text.length);
    throw new SourceError('wsdl-form', { start, end: start }, `This is no XML: ${error.message}.`);
  }
  return document.documentElement!;
}

/** A name with its namespace, as it stands in an attribute. */
export interface QName {
  readonly namespace: string;
  readonly name: string;
}

export function readQName(element: Element, attribute: string): QName | undefined {
  const text = element.getAttribute(attribute);
  if (text === null || text === '') return undefined;
  const [first = '', second] = text.split(':') as [string, string?];
  const prefix = second === undefined ? null : first;
  return { namespace: element.lookupNamespaceURI(prefix) ?? '', name: second ?? first };
}

export function keyOf({ namespace, name }: QName): string {
  return `{${namespace}}${name}`;
}
