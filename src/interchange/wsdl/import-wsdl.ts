import type { Element } from 'slimdom';
import type { ReadText } from '../../core/definition/document/document-set.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { isLoopback } from '../../core/text/hosts.ts';
import { inWords } from '../../core/text/words.ts';
import type { ImportedCase, ImportedCollection, ImportedPage, ImportedSecret } from '../imported.ts';
import { nameOf, slugOf, UniqueNames } from '../plain-text.ts';
import { childrenOf, keyOf, namespaces, type QName, readQName, WsdlDocuments } from './documents.ts';
import { envelopeText, Prefixes } from './envelope.ts';
import { type SampleElement, SchemaTypes } from './schema-types.ts';

const { wsdl, soap11, soap12, envelope11, envelope12 } = namespaces;

/** A definition of WSDL 1.1 as a collection: a page for each service, a case for each operation, with its envelope filled. */
export function importWsdl(
  name: string,
  text: string,
  readText: ReadText,
): { collection: ImportedCollection; needs: readonly string[] } {
  const documents = new WsdlDocuments(name, text, readText);
  const service = new ServiceReader(documents);
  const ports = service.ports();
  const slugs = new UniqueNames(['readme']);
  const servers = serversOf(ports);
  const pages = ports.map((port): ImportedPage => {
    const server = servers.get(originOf(port.address))!;
    const page = service.page(port, slugs);
    return server === usualServer ? page : { ...page, base: `{${server}}` };
  });
  const origins = [...servers.keys()];
  const isHere = origins.every(each => isLoopback(new URL(each).hostname.replace(/^\[|\]$/g, '')));
  const isUnknown = ports.some(({ address }) => !isAddress(address));
  const collection: ImportedCollection = {
    title: service.title,
    base: `{${usualServer}}`,
    environments: [
      {
        name: isHere ? 'local' : 'production',
        variables: [...servers].map(([origin, name]) => [name, origin]),
        isDefault: isHere,
      },
    ],
    namespaces: service.prefixes.all,
    pages,
    secrets: [...service.secrets.values()],
    notes: [
      ...documents.notes,
      ...service.notes,
      ...(isUnknown
        ? [
            `The definition does not say where it answers; mervok.yaml says ${usualOrigin}, until it is changed there.`,
          ]
        : []),
    ],
  };
  return { collection, needs: documents.files };
}

/** Where a service answers, where nothing says where. */
const usualOrigin = 'http://127.0.0.1:8080';

const usualServer = 'server';

/** Where services answer, with the variables that hold it: the first of them is what others do not say. */
function serversOf(ports: readonly Port[]): Map<string, string> {
  const servers = new Map<string, string>();
  const names = new UniqueNames([usualServer]);
  for (const { address, service } of ports) {
    const origin = originOf(address);
    const own = () => names.take(nameOf(`${words(service.getAttribute('name') ?? '')} server`));
    if (!servers.has(origin)) servers.set(origin, servers.size === 0 ? usualServer : own());
  }
  if (servers.size === 0) servers.set(usualOrigin, usualServer);
  return servers;
}

function originOf(address: string): string {
  return isAddress(address) ? new URL(address).origin : usualOrigin;
}

/** Whether it is one of HTTP: services may also stand behind queues and mailboxes. */
function isAddress(text: string): boolean {
  return /^https?:/i.test(text) && URL.canParse(text);
}

interface Port {
  readonly service: Element;
  readonly name: string;
  readonly binding: Element;
  readonly soap: string;
  readonly address: string;
}

class ServiceReader {
  readonly secrets = new Map<string, ImportedSecret>();
  readonly prefixes = new Prefixes();
  readonly title: string;
  readonly #notes: string[] = [];
  /** Operations that want headers of SOAP. */
  readonly #withHeaders: string[] = [];
  readonly #types: SchemaTypes;
  readonly #messages = new Map<string, Element>();
  readonly #portTypes = new Map<string, Element>();
  readonly #bindings = new Map<string, Element>();

  constructor(readonly documents: WsdlDocuments) {
    this.#types = new SchemaTypes(documents.schemas);
    const tables = [
      ['message', this.#messages],
      ['portType', this.#portTypes],
      ['binding', this.#bindings],
    ] as const;
    for (const root of documents.definitions) {
      const namespace = root.getAttribute('targetNamespace') ?? '';
      for (const [kind, table] of tables)
        for (const each of childrenOf(root, wsdl, kind))
          table.set(keyOf({ namespace, name: each.getAttribute('name') ?? '' }), each);
    }
    const [first] = this.#services();
    this.title = first?.getAttribute('name') ?? documents.definitions[0]?.getAttribute('name') ?? 'A service';
  }

  /** What was left out, as sentences. */
  get notes(): string[] {
    const operations = this.#withHeaders;
    if (operations.length === 0) return this.#notes;
    const named =
      operations.length > 5 ? [...operations.slice(0, 4), `${operations.length - 4} more`] : operations;
    const what = operations.length === 1 ? 'the operation' : 'the operations';
    return [...this.#notes, `Headers of SOAP left out, which ${what} ${inWords(named)} have.`];
  }

  #services(): Element[] {
    return this.documents.definitions.flatMap(root => childrenOf(root, wsdl, 'service'));
  }

  /** Those that speak SOAP, one for each set of operations. */
  ports(): Port[] {
    const found = this.#services().flatMap(service =>
      childrenOf(service, wsdl, 'port').flatMap(port => {
        const name = port.getAttribute('name') ?? '';
        const reference = readQName(port, 'binding');
        const binding = reference && this.#bindings.get(keyOf(reference));
        const soap =
          binding && [soap11, soap12].find(each => childrenOf(binding, each, 'binding').length > 0);
        const place = soap === undefined ? undefined : childrenOf(port, soap, 'address')[0];
        const address = place?.getAttribute('location')?.trim() ?? '';
        const isElsewhere = /^[a-z][a-z\d+.-]*:/i.test(address) && !/^https?:/i.test(address);
        if (binding && soap && !isElsewhere) return [{ service, name, binding, soap, address }];
        const why = !binding
          ? 'nothing describes its binding'
          : isElsewhere
            ? 'it is not reached over HTTP'
            : 'it does not speak SOAP';
        this.#notes.push(`The port '${name}' left out: ${why}.`);
        return [];
      }),
    );
    const seen = new Map<string, Port>();
    return found.filter(port => {
      const key = `${port.service.getAttribute('name')} ${port.binding.getAttribute('type')}`;
      const first = seen.get(key);
      if (first)
        this.#notes.push(`The port '${port.name}' left out: its operations are those of '${first.name}'.`);
      else seen.set(key, port);
      return !first;
    });
  }

  page(port: Port, slugs: UniqueNames): ImportedPage {
    const { service, binding, soap } = port;
    const title = words(service.getAttribute('name') ?? port.name);
    const description = documentationOf(service);
    const style = childrenOf(binding, soap, 'binding')[0]?.getAttribute('style') ?? 'document';
    const titles = new UniqueNames();
    const cases = childrenOf(binding, wsdl, 'operation').flatMap(
      each => this.#case(each, port, style, titles) ?? [],
    );
    return {
      slug: slugs.take(slugOf(title, 'service')),
      title,
      ...(description !== undefined && { description }),
      variables: [],
      cases,
    };
  }

  #case(
    bound: Element,
    { binding, soap, address }: Port,
    usual: string,
    titles: UniqueNames,
  ): ImportedCase | undefined {
    const name = bound.getAttribute('name') ?? '';
    const type = readQName(binding, 'type');
    const portType = type && this.#portTypes.get(keyOf(type));
    const operation =
      portType && childrenOf(portType, wsdl, 'operation').find(each => each.getAttribute('name') === name);
    if (!operation) {
      this.#notes.push(`The operation '${name}' left out: nothing describes it.`);
      return undefined;
    }
    const said = childrenOf(bound, soap, 'operation')[0];
    const style = said?.getAttribute('style') ?? usual;
    const action = said?.getAttribute('soapAction') ?? '';
    const request = this.#body(operation, bound, { soap, style, direction: 'input', name });
    const response = this.#body(operation, bound, { soap, style, direction: 'output', name });
    const description = documentationOf(operation);
    const envelope = soap === soap12 ? envelope12 : envelope11;
    return {
      title: titles.take(words(name)),
      ...(description !== undefined && { description }),
      request: {
        method: 'POST',
        target: targetOf(address),
        headers: headersFor(soap, action),
        body: { text: envelopeText(envelope, request ?? [], element => this.#secretFor(element, name)) },
      },
      statements: this.#statements(envelope, response),
    };
  }

  #secretFor(element: string, operation: string): string {
    const name = nameOf(element);
    if (!this.secrets.has(name))
      this.secrets.set(name, { name, about: `What '${element}' of ${operation} is.` });
    return name;
  }

  /** What stands in the Body; nothing where there is no such message. */
  #body(
    operation: Element,
    bound: Element,
    {
      soap,
      style,
      direction,
      name,
    }: { soap: string; style: string; direction: 'input' | 'output'; name: string },
  ): SampleElement[] | undefined {
    const [said] = childrenOf(operation, wsdl, direction);
    const reference = said && readQName(said, 'message');
    const message = reference && this.#messages.get(keyOf(reference));
    if (!message) return undefined;
    const [part] = childrenOf(bound, wsdl, direction);
    const body = part && childrenOf(part, soap, 'body')[0];
    if (part && childrenOf(part, soap, 'header').length > 0 && direction === 'input')
      this.#withHeaders.push(`'${name}'`);
    const named = body?.getAttribute('parts')?.trim().split(/\s+/);
    const parts = childrenOf(message, wsdl, 'part').filter(
      each => !named || named.includes(each.getAttribute('name') ?? ''),
    );
    const contents = parts.map(each => this.#part(each));
    if (style !== 'rpc') return contents;
    const wrapper: QName = {
      namespace: body?.getAttribute('namespace') ?? '',
      name: direction === 'input' ? name : `${name}Response`,
    };
    return [{ name: wrapper, qualified: wrapper.namespace !== '', attributes: [], children: contents }];
  }

  #part(part: Element): SampleElement {
    const element = readQName(part, 'element');
    if (element) return this.#types.element(element);
    const type = readQName(part, 'type');
    const name = part.getAttribute('name') ?? 'part';
    return type
      ? this.#types.ofType(name, type)
      : { name: { namespace: '', name }, qualified: false, attributes: [], children: [] };
  }

  /** A message that nobody answers has nothing in it that could be looked at. */
  #statements(envelope: string, response: readonly SampleElement[] | undefined): string[] {
    if (!response) return ['status in 200, 202'];
    const s = this.prefixes.of(envelope, 's');
    const found = response.map(({ name, qualified }) => {
      const prefix = qualified && name.namespace !== '' ? `${this.prefixes.of(name.namespace)}:` : '';
      return `xml/${s}:Envelope/${s}:Body/${prefix}${name.name} exists`;
    });
    return ['status = 200', ...(found.length > 0 ? found : [`xml/${s}:Envelope/${s}:Body exists`])];
  }
}

function documentationOf(element: Element): string | undefined {
  const text = childrenOf(element, wsdl, 'documentation')[0]?.textContent?.trim();
  return text === undefined || text === '' ? undefined : text.replace(/^[ \t]+/gm, '');
}

function headersFor(soap: string, action: string): [string, string][] {
  const plain = withoutReferences(action.replace(/["\r\n]/g, ''));
  if (soap === soap12)
    return [
      ['Content-Type', `application/soap+xml; charset=utf-8${plain === '' ? '' : `; action="${plain}"`}`],
    ];
  return [
    ['Content-Type', 'text/xml; charset=utf-8'],
    ['SOAPAction', `"${plain}"`],
  ];
}

function targetOf(address: string): string {
  if (!URL.canParse(address)) return '/';
  const { pathname, search } = new URL(address);
  return (pathname + search).replaceAll('{', '%7B').replaceAll('}', '%7D');
}

/** `Get last trade price`, of what programs call `GetLastTradePrice`. */
function words(name: string): string {
  const text = name
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .replace(/([A-Z])([A-Z][a-z])/g, '$1 $2')
    .replace(/[-_]+/g, ' ')
    .split(' ')
    .map(word => (/^[A-Z]+$/.test(word) ? word : word.toLowerCase()))
    .join(' ');
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}
