import type {
  ApiDefinition,
  ApiHeader,
  ApiResponse,
  ApiServer,
  MediaType,
  Operation,
  Parameter,
  ParameterStyle,
  RequestBody,
  SecurityScheme,
} from './api.ts';
import type { DocumentSet, Located } from './document/document-set.ts';
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

/** Reads a definition of OpenAPI 2.0, in the form of the later ones. */
export function readSwagger(root: Located<JsonObject>, documents: DocumentSet): ApiDefinition {
  const reader = new SwaggerReader(root, documents);
  return {
    version: '2.0',
    documents,
    root,
    ...readInfo(root),
    servers: reader.servers(),
    tags: readTags(root),
    operations: reader.operations(),
    securitySchemes: reader.securitySchemes(),
    security: readSecurity(root.value.security),
  };
}

/** A parameter as it is written: one of the request line and head, or a part of the body. */
type WrittenParameter = Located<JsonObject> & { readonly name: string; readonly place: string };

class SwaggerReader {
  constructor(
    readonly root: Located<JsonObject>,
    readonly documents: DocumentSet,
  ) {}

  servers(): ApiServer[] {
    const { value } = this.root;
    const host = textOf(value.host);
    const path = (textOf(value.basePath) ?? '').replace(/\/$/, '');
    if (host === undefined && path === '') return [];
    const schemes = textsOf(value.schemes).filter(scheme => /^https?$/.test(scheme));
    const urls =
      host === undefined
        ? [path]
        : (schemes.length > 0 ? schemes : ['https']).map(scheme => `${scheme}://${host}${path}`);
    return urls.map(url => ({ url, description: undefined, located: this.root }));
  }

  operations(): Operation[] {
    return readOperations(this.root, this.documents, (...each) => this.#operation(...each));
  }

  #operation(
    method: string,
    path: string,
    located: Located<JsonObject>,
    pathItem: Located<JsonObject>,
  ): Operation {
    const { value } = located;
    const written = new Map(
      [...this.#written(pathItem), ...this.#written(located)].map(each => [
        `${each.place} ${each.name}`,
        each,
      ]),
    );
    const all = [...written.values()];
    const consumes = this.#types(value, 'consumes');
    return {
      method: method.toUpperCase(),
      path,
      id: textOf(member(value, 'operationId')),
      tags: textsOf(member(value, 'tags')),
      summary: textOf(member(value, 'summary')),
      description: textOf(member(value, 'description')),
      deprecated: member(value, 'deprecated') === true,
      parameters: all.flatMap(each => parameterOf(each) ?? []),
      body: bodyOf(all, consumes),
      responses: this.#responses(located),
      security: readSecurity(member(value, 'security')),
      servers: undefined,
      located,
      pathItem,
    };
  }

  /** What an operation takes or gives, else what all do. */
  #types(operation: JsonObject, key: 'consumes' | 'produces'): string[] {
    return textsOf(member(operation, key) ?? member(this.root.value, key));
  }

  #written(holder: Located<JsonObject>): WrittenParameter[] {
    const list = member(holder.value, 'parameters');
    if (!Array.isArray(list)) return [];
    return list.flatMap(value => {
      const located = this.documents.resolveObject({ value, document: holder.document });
      const name = textOf(located?.value.name);
      const place = textOf(located?.value.in);
      return located && name !== undefined && place !== undefined ? [{ ...located, name, place }] : [];
    });
  }

  #responses(operation: Located<JsonObject>): Map<string, ApiResponse> {
    const responses = objectAt(operation, 'responses');
    const produces = this.#types(operation.value, 'produces');
    const found = new Map<string, ApiResponse>();
    for (const [status, value] of members(responses?.value)) {
      const located = status.startsWith('x-')
        ? undefined
        : this.documents.resolveObject({ value, document: responses!.document });
      if (!located) continue;
      found.set(status, {
        status,
        description: textOf(located.value.description),
        headers: headersOf(located),
        content: contentOf(located, produces),
        links: new Map(),
        located,
      });
    }
    return found;
  }

  securitySchemes(): Map<string, SecurityScheme> {
    const definitions = objectAt(this.root, 'securityDefinitions');
    const found = new Map<string, SecurityScheme>();
    for (const [name, value] of members(definitions?.value)) {
      if (!isJsonObject(value)) continue;
      const located = { value, document: definitions!.document };
      const key = textOf(value.name);
      if (value.type === 'apiKey' && key !== undefined && isKeyPlace(value.in))
        found.set(name, { name, kind: 'api-key', key: { in: value.in, name: key }, located });
      else {
        const kind = value.type === 'basic' || value.type === 'oauth2' ? value.type : 'other';
        found.set(name, { name, kind, located });
      }
    }
    return found;
  }
}

/** How a list is written, by the words of this version. */
const listForms: ReadonlyMap<string, readonly [ParameterStyle, boolean]> = new Map([
  ['csv', ['form', false]],
  ['ssv', ['spaceDelimited', false]],
  ['tsv', ['tabDelimited', false]],
  ['pipes', ['pipeDelimited', false]],
  ['multi', ['form', true]],
]);

/** A parameter outside of the body; what else it says is its schema. */
function parameterOf({ name, place, value, document }: WrittenParameter): Parameter | undefined {
  if (place !== 'path' && place !== 'query' && place !== 'header') return undefined;
  const [style, explode] = listForms.get(textOf(value.collectionFormat) ?? 'csv') ?? ['form', false];
  return {
    name,
    in: place,
    required: value.required === true || place === 'path',
    description: textOf(value.description),
    schema: { value, document },
    mediaType: undefined,
    style: place === 'query' || style !== 'form' ? style : 'simple',
    explode,
    located: { value, document },
  };
}

/** The body: one parameter that is all of it, or those of a form. */
function bodyOf(
  parameters: readonly WrittenParameter[],
  consumes: readonly string[],
): RequestBody | undefined {
  const whole = parameters.find(({ place }) => place === 'body');
  if (whole) {
    const located: Located<JsonObject> = { value: whole.value, document: whole.document };
    const types = consumes.length > 0 ? consumes : ['application/json'];
    const schema = valueAt(located, 'schema');
    return {
      required: whole.value.required === true,
      content: types.map(type => ({ type, schema, examples: [], located })),
      located,
    };
  }
  const fields = parameters.filter(({ place }) => place === 'formData');
  const [first] = fields;
  if (!first) return undefined;
  const properties: JsonObject = {};
  for (const { name, value: written } of fields) {
    // `file` is no type of a schema.
    const value = written.type === 'file' ? { ...written, type: 'string', format: 'binary' } : written;
    Object.defineProperty(properties, name, { value, enumerable: true, writable: true, configurable: true });
  }
  const required = fields.filter(({ value }) => value.required === true).map(({ name }) => name);
  const schema = { value: { type: 'object', properties, required }, document: first.document };
  const located: Located<JsonObject> = { value: first.value, document: first.document };
  const hasFile = fields.some(({ value }) => value.type === 'file');
  const types = consumes.filter(type => /multipart|urlencoded/.test(type));
  const usual = hasFile ? 'multipart/form-data' : 'application/x-www-form-urlencoded';
  return {
    required: required.length > 0,
    content: (types.length > 0 ? types : [usual]).map(type => ({ type, schema, examples: [], located })),
    located,
  };
}

function headersOf(response: Located<JsonObject>): ApiHeader[] {
  const headers = objectAt(response, 'headers');
  return members(headers?.value).flatMap(([name, value]) => {
    if (!isJsonObject(value)) return [];
    const located = { value, document: headers!.document };
    return [{ name, required: false, schema: located, explode: false, located }];
  });
}

/** Where it says what it gives, but no type, it is JSON. */
function contentOf(located: Located<JsonObject>, produces: readonly string[]): MediaType[] {
  const schema = valueAt(located, 'schema');
  const examples = objectAt(located, 'examples');
  // `file` is no schema: the body is whatever it is.
  const isFile = member(schema?.value, 'type') === 'file';
  if (!schema && !examples) return [];
  const types = new Set([
    ...(produces.length > 0 ? produces : ['application/json']),
    ...Object.keys(examples?.value ?? {}),
  ]);
  return [...types].map(type => ({
    type,
    schema: isFile ? undefined : schema,
    examples: examplesOf(examples, type),
    located,
  }));
}

function examplesOf(examples: Located<JsonObject> | undefined, type: string): MediaType['examples'] {
  const value: Json | undefined = member(examples?.value, type);
  return value === undefined ? [] : [{ name: undefined, value, holder: examples!, key: type }];
}
