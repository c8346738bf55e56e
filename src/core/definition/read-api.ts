import type {
  ApiDefinition,
  ApiExample,
  ApiHeader,
  ApiResponse,
  ApiServer,
  MediaType,
  OpenApiVersion,
  Operation,
  Parameter,
  ParameterPlace,
  ParameterStyle,
  RequestBody,
  SecurityScheme,
} from './api.ts';
import { type DocumentSet, type Located, Unresolved } from './document/document-set.ts';
import { isJsonObject, type Json, type JsonObject, member, members, textOf } from './document/json.ts';
import {
  isKeyPlace,
  objectAt,
  readInfo,
  readOperations,
  readSecurity,
  readTags,
  textsOf,
  valueAt,
} from './read-common.ts';

/** Reads a definition of OpenAPI 3.0 or 3.1. */
export function readApi(
  root: Located<JsonObject>,
  documents: DocumentSet,
  version: OpenApiVersion,
): ApiDefinition {
  const components = objectAt(root, 'components');
  const reader = new ApiReader(documents);
  return {
    version,
    documents,
    root,
    ...readInfo(root),
    servers: readServers(root) ?? [],
    tags: readTags(root),
    operations: reader.operations(root),
    securitySchemes: reader.securitySchemes(components && objectAt(components, 'securitySchemes')),
    security: readSecurity(root.value.security),
  };
}

class ApiReader {
  constructor(readonly documents: DocumentSet) {}

  operations(root: Located<JsonObject>): Operation[] {
    return readOperations(root, this.documents, (...each) => this.#operation(...each));
  }

  #operation(
    method: string,
    path: string,
    located: Located<JsonObject>,
    pathItem: Located<JsonObject>,
  ): Operation {
    const { value } = located;
    const parameters = new Map(
      [...this.#parameters(pathItem), ...this.#parameters(located)].map(each => [
        `${each.in} ${each.name}`,
        each,
      ]),
    );
    return {
      method: method.toUpperCase(),
      path,
      id: textOf(member(value, 'operationId')),
      tags: textsOf(member(value, 'tags')),
      summary: textOf(member(value, 'summary')) ?? textOf(member(pathItem.value, 'summary')),
      description: textOf(member(value, 'description')) ?? textOf(member(pathItem.value, 'description')),
      deprecated: member(value, 'deprecated') === true,
      parameters: [...parameters.values()],
      body: this.#body(located),
      responses: this.#responses(located),
      security: readSecurity(member(value, 'security')),
      servers: readServers(located) ?? readServers(pathItem),
      located,
      pathItem,
    };
  }

  #parameters(holder: Located<JsonObject>): Parameter[] {
    const list = member(holder.value, 'parameters');
    if (!Array.isArray(list)) return [];
    return list.flatMap(value => {
      const located = this.documents.resolveObject({ value, document: holder.document });
      const name = textOf(located?.value.name);
      const place = located?.value.in;
      if (!located || name === undefined || !isPlace(place)) return [];
      const style = (textOf(located.value.style) ?? (isNamed(place) ? 'form' : 'simple')) as ParameterStyle;
      const [mediaType] = this.#content(located);
      return [
        {
          name,
          in: place,
          required: located.value.required === true || place === 'path',
          description: textOf(located.value.description),
          schema: valueAt(located, 'schema') ?? mediaType?.schema,
          mediaType,
          style,
          explode: typeof located.value.explode === 'boolean' ? located.value.explode : style === 'form',
          located,
        },
      ];
    });
  }

  #body(operation: Located<JsonObject>): RequestBody | undefined {
    const written = valueAt(operation, 'requestBody');
    const located = written && this.documents.resolveObject(written);
    if (!located) return undefined;
    return { required: located.value.required === true, content: this.#content(located), located };
  }

  #responses(operation: Located<JsonObject>): Map<string, ApiResponse> {
    const responses = objectAt(operation, 'responses');
    const found = new Map<string, ApiResponse>();
    for (const [status, value] of members(responses?.value)) {
      if (status.startsWith('x-')) continue;
      const located = this.documents.resolveObject({ value, document: responses!.document });
      if (!located) continue;
      found.set(status, {
        status,
        description: textOf(located.value.description),
        headers: this.#headers(located),
        content: this.#content(located),
        links: this.#links(located),
        located,
      });
    }
    return found;
  }

  #headers(response: Located<JsonObject>): ApiHeader[] {
    const headers = objectAt(response, 'headers');
    return members(headers?.value).flatMap(([name, value]) => {
      const located = this.documents.resolveObject({ value, document: headers!.document });
      if (!located) return [];
      return [
        {
          name,
          required: located.value.required === true,
          schema: valueAt(located, 'schema') ?? this.#content(located)[0]?.schema,
          explode: located.value.explode === true,
          located,
        },
      ];
    });
  }

  #content(holder: Located<JsonObject>): MediaType[] {
    const content = objectAt(holder, 'content');
    return members(content?.value).flatMap(([type, value]) => {
      if (!isJsonObject(value)) return [];
      const located = { value, document: content!.document };
      return [{ type, schema: valueAt(located, 'schema'), examples: this.examples(located), located }];
    });
  }

  /** Examples of a media type, a parameter or a header: one alone, or several by their names. */
  examples(holder: Located<JsonObject>): ApiExample[] {
    const { value, document } = holder;
    const alone: ApiExample[] = Object.hasOwn(value, 'example')
      ? [{ name: undefined, value: value.example!, holder, key: 'example' }]
      : [];
    const named = members(member(value, 'examples')).flatMap(([name, each]) => {
      const located = this.documents.resolveObject({ value: each, document });
      if (!located || !Object.hasOwn(located.value, 'value')) return [];
      return [{ name, value: located.value.value!, holder: located, key: 'value' }];
    });
    return [...alone, ...named];
  }

  #links(response: Located<JsonObject>): Map<string, Located<JsonObject>> {
    const links = objectAt(response, 'links');
    const found = new Map<string, Located<JsonObject>>();
    for (const [name, value] of members(links?.value)) {
      const located = this.documents.resolveObject({ value, document: links!.document });
      if (located) found.set(name, located);
    }
    return found;
  }

  securitySchemes(schemes: Located<JsonObject> | undefined): Map<string, SecurityScheme> {
    const found = new Map<string, SecurityScheme>();
    for (const [name, value] of members(schemes?.value)) {
      const located = this.documents.resolve({ value, document: schemes!.document });
      if (located instanceof Unresolved || !isJsonObject(located.value)) continue;
      found.set(name, readScheme(name, located as Located<JsonObject>));
    }
    return found;
  }
}

function readScheme(name: string, located: Located<JsonObject>): SecurityScheme {
  const { value } = located;
  const place = value.in;
  const keyName = textOf(value.name);
  if (value.type === 'apiKey' && keyName !== undefined && isKeyPlace(place))
    return { name, kind: 'api-key', key: { in: place, name: keyName }, located };
  if (value.type === 'http') {
    const scheme = (textOf(value.scheme) ?? '').toLowerCase();
    const known = ['basic', 'bearer', 'digest'] as const;
    return { name, kind: known.find(each => each === scheme) ?? 'other', located };
  }
  const kinds: readonly [Json | undefined, SecurityScheme['kind']][] = [
    ['oauth2', 'oauth2'],
    ['openIdConnect', 'openid'],
    ['mutualTLS', 'certificate'],
  ];
  return { name, kind: kinds.find(([type]) => type === value.type)?.[1] ?? 'other', located };
}

function readServers(holder: Located<JsonObject>): ApiServer[] | undefined {
  const list = member(holder.value, 'servers');
  if (!Array.isArray(list)) return undefined;
  return list.flatMap(value => {
    const url = textOf(member(value, 'url'));
    if (!isJsonObject(value) || url === undefined) return [];
    const filled = url.replace(/\{([^{}]*)\}/g, (whole, name: string) => {
      const variable = member(member(value.variables, name), 'default');
      return variable === undefined ? whole : String(variable);
    });
    const description = textOf(value.description);
    return [{ url: filled, description, located: { value, document: holder.document } }];
  });
}

function isPlace(place: Json | undefined): place is ParameterPlace {
  return place === 'path' || place === 'query' || place === 'header' || place === 'cookie';
}

/** Whether values there stand behind their names. */
function isNamed(place: ParameterPlace): boolean {
  return place === 'query' || place === 'cookie';
}
