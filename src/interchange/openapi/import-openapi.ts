import {
  type ApiDefinition,
  type ApiResponse,
  type Operation,
  operationTitle,
} from '../../core/definition/api.ts';
import { isJsonObject } from '../../core/definition/document/json.ts';
import { takesJson } from '../../core/definition/media-types.ts';
import { withoutReferences } from '../../core/steps/http/write-request.ts';
import { counted } from '../../core/text/words.ts';
import type {
  ImportedAuth,
  ImportedCase,
  ImportedCollection,
  ImportedExample,
  ImportedPage,
} from '../imported.ts';
import { jsonText } from '../json-text.ts';
import { headingText, sentenceOf, slugOf, UniqueNames, wordsOf } from '../plain-text.ts';
import { mostUsual, noAuth, sameAuth } from '../usual-auth.ts';
import { Authorizations } from './authorizations.ts';
import { Flow } from './flow.ts';
import { Producers, successOf } from './producers.ts';
import { environmentsOf, OtherServers } from './servers.ts';
import { exampleIn, typeToSend, type Variables } from './write-body.ts';
import { RequestWriter } from './write-request.ts';

/** A case, and the operation that it is for. */
export interface OperationCase extends ImportedCase {
  readonly operation: string;
}

export interface OperationPage extends ImportedPage {
  readonly cases: readonly OperationCase[];
}

export interface ImportedDefinition extends ImportedCollection {
  readonly pages: readonly OperationPage[];
}

/** A definition as a collection: a page for each tag, a case for each operation, in an order in which the flow works. */
export function importOpenApi(api: ApiDefinition, definition: string): ImportedDefinition {
  const variable = 'server';
  const { environments, note } = environmentsOf(api, variable);
  const others = new OtherServers(api, [variable]);
  const writer = new PageWriter(api, others);
  const pages = withCleanUp(writer.pages());
  return {
    title: api.title,
    base: `{${variable}}`,
    environments: environments.map(each => others.within(each)),
    ...(writer.auth && { auth: writer.auth }),
    definition,
    pages,
    files: [...writer.files].map(path => ({ path })),
    secrets: [...writer.authorizations.secrets.values()],
    notes: [...(note === undefined ? [] : [note]), ...leftOut(api)],
  };
}

/** Writes the pages of a definition. */
class PageWriter {
  readonly authorizations: Authorizations;
  /** Files that requests send. */
  readonly files = new Set<string>();
  /** The most usual way to sign in. */
  readonly auth: ImportedAuth | undefined;
  readonly #producers: Producers;
  readonly #groups: readonly Group[];
  readonly #flow: Flow;
  readonly #requests: RequestWriter;
  readonly #authOf: ReadonlyMap<Operation, ImportedAuth | undefined>;

  constructor(
    api: ApiDefinition,
    readonly others: OtherServers,
  ) {
    this.authorizations = new Authorizations(api);
    this.#producers = new Producers(api);
    this.#groups = grouped(api);
    this.#authOf = new Map(api.operations.map(each => [each, this.authorizations.of(each)]));
    this.auth = mostUsual([...this.#authOf.values()]);
    for (const token of this.authorizations.tokens)
      if (this.#producers.signsIn(token)) this.authorizations.given(token);
    const usual = this.#groups.map(({ operations }) => inOrder(operations));
    this.#flow = new Flow(usual, this.#producers);
    // Who signs in comes before all that bear the token.
    for (const [operation, own] of this.#authOf)
      if (own?.kind === 'bearer') this.#flow.takes(operation, own.value.slice(1, -1));
    this.#requests = new RequestWriter(api, this.#producers, this.#flow, this.authorizations);
  }

  pages(): OperationPage[] {
    const slugs = new UniqueNames(['readme']);
    return this.#groups.map((group, at) => this.#page(group, this.#flow.pages[at]!, slugs));
  }

  #page({ title, description }: Group, operations: readonly Operation[], slugs: UniqueNames): OperationPage {
    const headings = new UniqueNames([wordsOf(title)]);
    const variables: Variables = new Map();
    const auth = mostUsual(operations.map(each => this.#authOf.get(each)));
    const cases = operations.map(each => this.#case(each, auth, headings, variables));
    return {
      slug: slugs.take(slugOf(title, 'page')),
      title: wordsOf(title),
      ...(description !== undefined && { description }),
      ...(!sameAuth(auth, this.auth) && { auth: auth ?? noAuth }),
      variables: [...variables],
      cases,
    };
  }

  /** @param variables those of its page, to which its own are added */
  #case(
    operation: Operation,
    usual: ImportedAuth | undefined,
    headings: UniqueNames,
    variables: Variables,
  ): OperationCase {
    const written = this.#requests.write(operation);
    for (const [name, value] of written.variables) variables.set(name, value);
    for (const each of written.files) this.files.add(each);
    const auth = this.#authOf.get(operation);
    const response = successOf(operation) ?? [...operation.responses.values()][0];
    const example = response && exampleOf(response);
    const base = this.others.baseOf(operation);
    const { description, summary } = operation;
    const says = description !== undefined && description.trim() !== summary?.trim();
    return {
      operation: operationTitle(operation),
      title: headings.take(titleOf(operation), operationTitle(operation)),
      ...(says && { description }),
      ...(base !== undefined && { base }),
      ...(!sameAuth(auth, usual) && { auth: auth ?? noAuth }),
      ...(/^3\d\d$/.test(response?.status ?? '') && { staysHere: true as const }),
      request: written.request,
      ...(example && { example }),
      statements: statementsOf(operation, response, this.#producers),
    };
  }
}

/** What other pages use is taken away at the end. */
function withCleanUp(pages: readonly OperationPage[]): OperationPage[] {
  const textOf = ({ request, auth }: OperationCase) => JSON.stringify([request, auth]);
  const texts = pages.map(({ cases }) => cases.map(textOf).join('\n'));
  return pages.map((page, at) => ({
    ...page,
    cases: page.cases.map(each => {
      const last = /\{([\w-]+)\}[^{}]*$/.exec(each.request.target)?.[1];
      const isTakenElsewhere = texts.some((text, other) => other !== at && text.includes(`{${last}}`));
      return each.request.method === 'DELETE' && last !== undefined && isTakenElsewhere
        ? { ...each, cleansUp: true as const }
        : each;
    }),
  }));
}

interface Group {
  readonly title: string;
  readonly description?: string | undefined;
  readonly operations: Operation[];
}

/** By the first tag of each operation, else by the first part of its path; in the order of the tags. */
function grouped({ operations, tags, title }: ApiDefinition): Group[] {
  const groups = new Map<string, Group>();
  for (const { name, description } of tags) groups.set(name, { title: name, description, operations: [] });
  for (const operation of operations) {
    const [first] = operation.path.split('/').filter(part => part !== '' && !part.startsWith('{'));
    const name = operation.tags[0] ?? first ?? title;
    const group = groups.get(name) ?? { title: name, operations: [] };
    groups.set(name, group);
    group.operations.push(operation);
  }
  return [...groups.values()].filter(group => group.operations.length > 0);
}

const ranks: ReadonlyMap<string, number> = new Map([
  ['POST', 1],
  ['GET', 2],
  ['HEAD', 3],
  ['OPTIONS', 3],
  ['PUT', 4],
  ['PATCH', 5],
  ['TRACE', 6],
]);

/** What makes something comes before what reads it, that before what changes it; what takes away comes last, inner things first. */
function inOrder(operations: readonly Operation[]): Operation[] {
  const resources = new Map<string, number>();
  const resourceOf = ({ path }: Operation) => /^\/[^{]*/.exec(path)?.[0].replace(/\/$/, '') ?? path;
  for (const each of operations)
    if (!resources.has(resourceOf(each))) resources.set(resourceOf(each), resources.size);
  const depth = ({ path }: Operation) => path.split('/').length;
  const key = (each: Operation): number[] =>
    each.method === 'DELETE'
      ? [1, -depth(each), 0, 0]
      : [
          0,
          resources.get(resourceOf(each))!,
          each.method === 'POST' && !/\}\/?$/.test(each.path) ? depth(each) * 10 : depth(each) * 10 + 5,
          ranks.get(each.method) ?? 7,
        ];
  return [...operations].sort((a, b) => {
    const [x, y] = [key(a), key(b)];
    for (let at = 0; at < x.length; at++) if (x[at] !== y[at]) return x[at]! - y[at]!;
    return 0;
  });
}

function titleOf(operation: Operation): string {
  const { summary, id } = operation;
  const text = summary?.trim() || (id === undefined ? '' : sentenceOf(id));
  const title = headingText(text).trim();
  return title === '' ? operationTitle(operation) : text;
}

function statementsOf(
  operation: Operation,
  response: ApiResponse | undefined,
  producers: Producers,
): string[] {
  return [statusCheck(operation, response), ...producers.keptBy(operation).map(({ statement }) => statement)];
}

/** Of several that say that all is well the definition does not tell which one will come. */
function statusCheck({ responses }: Operation, response: ApiResponse | undefined): string {
  const status = response?.status ?? '';
  const well = [...responses.keys()].filter(each => /^2\d\d$/.test(each));
  if (well.length > 1 && well.includes(status)) return `status in ${well.join(', ')}`;
  if (/^\d{3}$/.test(status)) return `status = ${status}`;
  return /^\dXX$/i.test(status) ? `status is ${status.toLowerCase()}` : 'status is 2xx';
}

/** So long an example may be to stand in a page: it is to be read. */
const longestExample = 1500;

/** The example that the definition itself gives. */
function exampleOf({ status, content }: ApiResponse): ImportedExample | undefined {
  const media = content.find(
    ({ type, examples }) => examples.length > 0 && (takesJson(type) || /text|xml/i.test(type)),
  );
  const value = media && exampleIn(media);
  if (value === undefined || !/^\d{3}$/.test(status)) return undefined;
  const type = typeToSend(media!.type, value);
  const body = typeof value === 'string' && !takesJson(type) ? withoutReferences(value) : jsonText(value);
  if (body.length > longestExample) return undefined;
  return { status, contentType: type.replace(/[\r\n].*/s, ''), body };
}

/** What a definition has and pages do not. */
function leftOut(api: ApiDefinition): string[] {
  const hooks = isJsonObject(api.root.value.webhooks) ? Object.keys(api.root.value.webhooks).length : 0;
  const callbacks = api.operations.filter(({ located }) => isJsonObject(located.value.callbacks)).length;
  return [
    ...(hooks > 0 ? [`${counted(hooks, 'webhook')} left out: there the service is who asks.`] : []),
    ...(callbacks > 0
      ? [`The callbacks of ${counted(callbacks, 'operation')} left out: there the service is who asks.`]
      : []),
  ];
}
